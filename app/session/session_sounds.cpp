// Sounds that a patch's modules hold: wavetables, samples, responses.
#include "app/session/session.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/match/evidence/amplitude_shape.h"
#include "core/match/evidence/wavetable.h"

#include <algorithm>
#include <cmath>

namespace facet {

void Session::fillModule(const std::string& path, const QString& what, std::function<void(ModuleData&)> make) {
    if (!cue() || !cue()->patch.find(path)) return;
    imports_.submit([this, path, what, make = std::move(make), present = cue()->patch.find(path)->contents(),
                     cueId = cue()->id, project = projectCount_](const Task&) {
        const auto data = std::make_shared<ModuleData>(present);
        std::exception_ptr failure;
        try {
            make(*data);
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, path, what, data, failure, cueId, project] {
            try {
                if (failure) std::rethrow_exception(failure);
                // The producer may have gone elsewhere meanwhile.
                if (project != projectCount_ || !cue() || cue()->id != cueId || !cue()->patch.find(path)) return;
                Patch patch = cue()->patch;
                patch.setData(path, *data);
                setPatch(what, patch);
            } catch (const std::exception& problem) {
                report(problem);
            }
        });
    });
}

void Session::loadSound(const std::string& path, const std::filesystem::path& file) {
    const auto* module = cue() ? cue()->patch.find(path) : nullptr;
    if (!module) return;
    const bool table =
        module->kind == ModuleKind::source && static_cast<Wave>(cue()->patch.value({path, "wave"})) == Wave::wavetable;
    const bool response = module->kind == ModuleKind::response;
    fillModule(path, tr("Load sound"), [file, table, response](ModuleData& data) {
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

/// The longest of the chosen notes of the reference, or of all, with its pitch; nothing, which is told, when there is
/// none.
std::optional<Session::TellingNote> Session::tellingNote() {
    if (!results_.reference.recording || performance().notes.empty()) {
        emit notice(tr("There is no note in the reference to measure yet."));
        return std::nullopt;
    }
    std::vector<Note> notes;
    for (std::size_t i : chosenNotes_)
        if (i < performance().notes.size()) notes.push_back(performance().notes[i]);
    if (notes.empty()) notes = performance().notes;
    const Note note = *std::max_element(notes.begin(), notes.end(),
                                        [](const Note& a, const Note& b) { return a.end - a.start < b.end - b.start; });
    return TellingNote{note, hzFromKey(note.key + note.cents / 100.0, performance().tuningCents)};
}

void Session::takeTable(const std::string& path) {
    const auto telling = tellingNote();
    if (!telling) return;
    fillModule(path, tr("Take cycles from the reference"),
               [reference = results_.reference.recording, telling](ModuleData& data) {
                   constexpr int cycles = 32;
                   data.frames =
                       wavetableFromNote(*reference, telling->note.start, telling->note.end, telling->hz, cycles);
               });
}

void Session::takePartials(const std::string& path) {
    const auto telling = tellingNote();
    if (!telling) return;
    fillModule(path, tr("Take partials from the reference"),
               [reference = results_.reference.recording, telling](ModuleData& data) {
                   data.partialsDb = partialsFromNote(*reference, telling->note.start, telling->note.end, telling->hz);
               });
}

void Session::takeShape(const std::string& path) {
    const auto telling = tellingNote();
    if (!telling) return;
    const auto shape =
        shapeFromNote(*results_.reference.recording, telling->note.start, telling->note.end, telling->hz);
    if (!shape) {
        emit notice(tr("The level of that note does not go up and down evenly; choose another note."));
        return;
    }
    tryPatch(tr("Take shape from the reference"), [&](Patch patch) {
        const auto set = [&](const char* field, double value) { patch.setNearest({path, field}, value); };
        ModuleData held = patch.find(path)->contents();
        held.shape = shape->points;
        set("shape", static_cast<double>(LfoShape::drawn));
        patch.setData(path, held);
        set("mode", static_cast<double>(LfoMode::eachNote));
        set("phase", 360.0 * shape->phase);
        // A note value where the rate is one.
        const std::string_view value = nearestNoteValue(shape->hz, performance().tempo);
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
