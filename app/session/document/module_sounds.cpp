#include "app/session/document/module_sounds.h"

#include "core/analysis/facets/motion.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/match/evidence/amplitude_shape.h"
#include "core/match/evidence/wavetable.h"

#include <algorithm>
#include <cmath>

namespace facet {

void ModuleSounds::fill(const std::string& path, const QString& what, std::function<void(ModuleData&)> make) {
    if (!document_.cue() || !document_.cue()->patch.find(path)) return;
    making_.request(
        [make = std::move(make), present = document_.cue()->patch.find(path)->contents()](const Task&) {
            ModuleData data = present;
            make(data);
            return std::make_shared<const ModuleData>(std::move(data));
        },
        [this, path, what, cueId = document_.cue()->id,
         project = document_.projectNumber()](const std::shared_ptr<const ModuleData>& data) {
            const Cue* cue = document_.cue();
            // The producer may have gone elsewhere meanwhile.
            if (project != document_.projectNumber() || !cue || cue->id != cueId || !cue->patch.find(path)) return;
            try {
                Patch patch = cue->patch;
                patch.setData(path, *data);
                patch_.setPatch(what, patch);
            } catch (const Error& problem) {
                messages_.report(problem);
            }
        },
        [this](const std::exception_ptr& failure) { messages_.report(failure); });
}

void ModuleSounds::load(const std::string& path, const std::filesystem::path& file) {
    const auto* module = document_.cue() ? document_.cue()->patch.find(path) : nullptr;
    if (!module) return;
    const bool table = module->kind == ModuleKind::source &&
                       static_cast<Wave>(document_.cue()->patch.value({path, "wave"})) == Wave::wavetable;
    const bool response = module->kind == ModuleKind::response;
    fill(path, tr("Load sound"), [file, table, response](ModuleData& data) {
        Recording sound = readAudio(file);
        if (table) {
            data.frames = wavetableFromFile(sound);
            return;
        }
        data.sample = response ? sound.channels.at(0) : monoMix(sound);
        data.sampleRateHz = sound.rateHz;
        const double most = response ? longestResponseSeconds : mostSampleFrames / 48000.0;
        if (static_cast<double>(data.sample.size()) > most * sound.rateHz)
            throw Error(response ? "A response lasts a second at most; choose a shorter file."
                                 : "A sample lasts a minute at most; choose a shorter file.");
    });
}

std::optional<ModuleSounds::MeasuredNote> ModuleSounds::longestNote() {
    if (!document_.excerpt() || document_.performance().notes.empty()) {
        messages_.say(tr("There is no note in the reference to measure yet."));
        return std::nullopt;
    }
    const Performance played = document_.performance();
    std::vector<Note> notes;
    for (std::size_t i : notes_.chosen())
        if (i < played.notes.size()) notes.push_back(played.notes[i]);
    if (notes.empty()) notes = played.notes;
    const Note note = *std::max_element(notes.begin(), notes.end(),
                                        [](const Note& a, const Note& b) { return a.end - a.start < b.end - b.start; });
    return MeasuredNote{note, hzFromKey(note.key + note.cents / 100.0, played.tuningCents)};
}

void ModuleSounds::takeTable(const std::string& path) {
    const auto measured = longestNote();
    if (!measured) return;
    fill(path, tr("Take cycles from the reference"),
         [reference = document_.excerpt()->audio, measured](ModuleData& data) {
             constexpr int cycles = 32;
             data.frames =
                 wavetableFromNote(*reference, measured->note.start, measured->note.end, measured->hz, cycles);
         });
}

void ModuleSounds::takePartials(const std::string& path) {
    const auto measured = longestNote();
    if (!measured) return;
    fill(path, tr("Take partials from the reference"),
         [reference = document_.excerpt()->audio, measured](ModuleData& data) {
             data.partialsDb = partialsFromNote(*reference, measured->note.start, measured->note.end, measured->hz);
         });
}

void ModuleSounds::takeShape(const std::string& path) {
    const auto measured = longestNote();
    if (!measured) return;
    const auto shape =
        amplitudeShapeOf(*document_.excerpt()->audio, measured->note.start, measured->note.end, measured->hz);
    if (!shape) {
        messages_.say(tr("The level of that note does not go up and down evenly; choose another note."));
        return;
    }
    patch_.tryPatch(tr("Take shape from the reference"), [&](Patch patch) {
        const auto set = [&](const char* field, double value) { patch.setNearest({path, field}, value); };
        ModuleData held = patch.find(path)->contents();
        held.shape = shape->points;
        set("shape", static_cast<double>(LfoShape::drawn));
        patch.setData(path, held);
        set("mode", static_cast<double>(LfoMode::eachNote));
        set("phase", 360.0 * shape->phase);
        // A note value where the rate is one.
        const std::string_view value = nearestNoteValue(shape->hz, document_.performance().tempo);
        const auto& choices = patch.descriptor({path, "beats"}).choices;
        const auto found = std::find(choices.begin(), choices.end(), value);
        set("timing", found != choices.end() ? 1.0 : 0.0);
        if (found != choices.end())
            set("beats", static_cast<double>(found - choices.begin()));
        else
            set("rate", shape->hz);
        const std::string target = std::string(layerOfPath(path)) + "/level";
        std::string link;
        for (const auto& module : patch.modules())
            if (module.kind == ModuleKind::link && module.contents().from == path && module.contents().to == target)
                link = module.path;
        if (link.empty()) {
            link = patch.freePath(ModuleKind::link);
            patch.add(link);
            ModuleData ends;
            ends.from = path;
            ends.to = target;
            patch.setData(link, ends);
        }
        patch.setNearest({link, "amount"}, 0.5 * shape->depthDb); // to either side
        return patch;
    });
}

} // namespace facet

#include "moc_module_sounds.cpp"
