#include "core/recipe/bundle.h"

#include "core/audio/audio_file.h"
#include "core/base/files.h"
#include "core/parameters/patch_json.h"
#include "core/performance/midi_file.h"
#include "core/recipe/controllers.h"
#include "core/recipe/phrase_files.h"

#include <fmt/format.h>

namespace facet {

std::size_t writeBundle(const std::filesystem::path& folder, const Bundle& bundle, const Task& task) {
    std::size_t count = 0;
    writeWholeFolder(folder, [&](const std::filesystem::path& partial) {
        const auto text = [&](const std::string& name, const std::string& bytes) {
            writeWholeFile(partial / name, bytes);
            ++count;
        };
        text("patch.json", patchToJson(bundle.patch));
        text("notes.json", performanceToJson(bundle.performance));
        writeMidi(partial / "notes.mid", bundle.performance, MidiFormat::oneTrack,
                  controllersOf(bundle.performance, bundle.patch));
        ++count;
        for (std::size_t i = 0; i < bundle.references.size(); ++i) {
            task.check();
            const std::string name = i == 0 ? "reference.flac" : fmt::format("reference {}.flac", i + 1);
            writeAudio(partial / name, *bundle.references[i], SampleFormat::flac24);
            ++count;
        }
        text("sheet.html", pageHtml(bundle.page, patchToJson(bundle.sheetPatch)));
        text("sheet.md", pageMarkdown(bundle.page));
        text("sheet.txt", pageText(bundle.page));
        for (const auto& [name, bytes] : bundle.files) text(name, bytes);
        const auto parts = partsOfPhrase(bundle.patch, bundle.performance, {});
        writeParts(partial, parts, SampleFormat::wav24, task);
        count += parts.size();
    });
    return count;
}

} // namespace facet
