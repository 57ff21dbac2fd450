// Sounds that a patch's modules hold: wavetables, samples, responses.
#include "app/session/session.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/match/wavetable.h"

#include <algorithm>
#include <cmath>

namespace facet {

void Session::fillModule(const std::string& path, const QString& what, std::function<ModuleData()> make) {
    if (!cue()) return;
    imports_.submit(
        [this, path, what, make = std::move(make), cueId = cue()->id, project = projectCount_](const Task&) {
            auto data = std::make_shared<ModuleData>();
            std::exception_ptr failure;
            try {
                *data = make();
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
    fillModule(path, tr("Load sound"), [file, table, response] {
        Recording sound = readAudio(file);
        ModuleData data;
        if (table) {
            data.frames = wavetableFromFile(sound);
            return data;
        }
        data.sample = response ? sound.channels.at(0) : monoMix(sound);
        data.sampleRateHz = sound.rateHz;
        const double most = response ? longestResponseSeconds : mostSampleFrames / 48000.0;
        if (static_cast<double>(data.sample.size()) > most * sound.rateHz)
            throw Error(response ? "A response lasts a second at most; choose a shorter file."
                                 : "A sample lasts a minute at most; choose a shorter file.");
        return data;
    });
}

void Session::takeTable(const std::string& path) {
    const RecordingPtr reference = results_.reference.recording;
    if (!reference || performance().notes.empty()) {
        emit notice(tr("There is no note in the reference to take cycles from yet."));
        return;
    }
    // The longest of the chosen notes, or of all.
    std::vector<Note> notes;
    for (std::size_t i : chosenNotes_)
        if (i < performance().notes.size()) notes.push_back(performance().notes[i]);
    if (notes.empty()) notes = performance().notes;
    const Note note = *std::max_element(notes.begin(), notes.end(),
                                        [](const Note& a, const Note& b) { return a.end - a.start < b.end - b.start; });
    const double hz = 440.0 * std::exp2((note.key - 69 + (note.cents + performance().tuningCents) / 100.0) / 12.0);
    fillModule(path, tr("Take cycles from the reference"), [reference, note, hz] {
        constexpr int cycles = 32;
        ModuleData data;
        data.frames = wavetableFromNote(*reference, note.start, note.end, hz, cycles);
        return data;
    });
}

} // namespace facet
