#include "app/shell/demo_project.h"

#include "core/analysis/notes/note_finding.h"
#include "core/analysis/notes/tuning.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/performance/midi_file.h"

#include <fmt/format.h>

namespace facet {

Document makeDemoProject(const std::filesystem::path& folder) {
    Document document = newDocument();
    document.name = "Night Dome";
    document.cues.clear();
    document.backing = std::make_shared<const Backing>(makeBacking(folder / "backing.ogg"));
    for (const auto& [file, name, place] : {std::tuple{"airlock", "Airlock", 2.5},
                                            {"comet-tail", "Comet Tail", 10.0},
                                            {"comet-tail-echoes", "Comet Tail with echoes", 13.75},
                                            {"ring-nebula", "Ring Nebula", 5.0},
                                            {"touchdown", "Touchdown", 7.5},
                                            {"beacon", "Beacon", 17.5}}) {
        const auto audio = folder / (std::string(file) + ".flac");
        Excerpt excerpt = makeExcerpt(audio);
        const Performance notes = readMidi(folder / (std::string(file) + ".mid"));
        excerpt.performance.notes = notes.notes;
        excerpt.performance.tempo = notes.tempo;
        excerpt.performance.tuningCents = tuningAgainst(monoMix(atRate(*excerpt.audio, analysisRateHz)), notes);
        excerpt.imported = true;
        excerpt.place = place;
        excerpt.id = takeId(document);
        Cue cue;
        cue.id = takeId(document);
        cue.name = name;
        cue.excerpts = {std::make_shared<const Excerpt>(std::move(excerpt))};
        if (document.cues.empty()) document.activeCue = cue.id;
        document = withCue(document, std::move(cue));
    }
    return document;
}

} // namespace facet
