// instruments, measure: descriptions of instruments, and the scales of their controls.
#include "cli/commands.h"
#include "cli/input.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/measuring/measured_scale.h"
#include "core/measuring/simulated_take.h"
#include "core/parameters/part_settings.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <memory>

namespace facet::cli {

namespace {

struct MeasureOptions {
    std::string instrument, control, out;
    std::vector<std::string> recordings;
    std::vector<double> positions;
    int note = 48;
    bool simulated = false;
    int threads = hardwareThreads();
};

InstrumentControl& controlCalled(Instrument& instrument, const std::string& name) {
    const auto found = std::find_if(instrument.controls.begin(), instrument.controls.end(),
                                    [&](const InstrumentControl& each) { return each.name == name; });
    if (found != instrument.controls.end()) return *found;
    throw Error(fmt::format("{} has no control “{}”: `facet-cli instruments` lists them.", instrument.name, name));
}

void printSetup(const Instrument& instrument, const MeasuringSetup& setup, const MeasureOptions& options) {
    fmt::print("Set on {}:\n", instrument.name);
    for (const ControlSetting& each : setup.settings) fmt::print("  {}: {}\n", each.control, each.text);
    fmt::print("Play {} once for each position of {}, held for {:g} s, with half a second of silence between.\n",
               nameOfKey(options.note), options.control, setup.holdSeconds);
}

std::vector<SingleNote> notesOf(const MeasureOptions& options, const MeasuringSetup& setup,
                                const InstrumentControl& control, const Task& task) {
    const std::size_t count = options.positions.size();
    if (options.simulated)
        return notesApart(simulatedTake(setup, control, options.positions, options.note, task), count, "simulated");
    std::vector<NamedRecording> recordings;
    for (const std::string& path : options.recordings)
        recordings.push_back({std::filesystem::path(path).filename().string(), readAudio(path)});
    return facet::notesOf(recordings, count);
}

void measure(const MeasureOptions& options) {
    Instrument instrument = readInstrument(options.instrument);
    InstrumentControl& control = controlCalled(instrument, options.control);
    const MeasuringSetup setup = measuringSetup(instrument, control);
    if (options.recordings.empty() && !options.simulated) return printSetup(instrument, setup, options);
    requirePositions(control, options.positions);
    const StopOnSignal signals;
    const Task task{.stop = signals.token(), .progress = {}};
    const std::vector<SingleNote> notes = notesOf(options, setup, control, task);
    const ParameterDescriptor d = instrument.patch.shownDescriptor(control.address);
    std::vector<MeasuredPosition> measured =
        measurePositions(setup, control, options.positions, notes, options.note, options.threads, task);
    control.scale = scaleThrough(measured, control, d);
    for (const MeasuredPosition& each : measured)
        fmt::print("  {:>6g}  {:>12}  {}\n", each.position, each.isIdentifiable ? roundedText(d, each.value) : "?",
                   each.isIdentifiable ? fmt::format("({} to {})", roundedText(d, each.lowest), roundedText(d, each.highest))
                               : each.why);
    const auto [first, last] = control.scale->positions();
    fmt::print("{}: {}, {} to {}\n", control.name, ControlScale::lawNames[static_cast<std::size_t>(control.scale->law)],
               roundedText(d, control.scale->valueAt(first)), roundedText(d, control.scale->valueAt(last)));
    if (!options.out.empty()) writeWholeFile(options.out, instrumentToJson(instrument));
}

} // namespace

void addInstruments(CLI::App& app) {
    const auto files = std::make_shared<std::vector<std::string>>();
    auto* command =
        app.add_subcommand("instruments", "Read descriptions of instruments and list what they have and can be set to");
    command->add_option("FILE", *files, "Descriptions (JSON)")->required();
    command->callback([files] {
        for (const std::string& file : *files) {
            const Instrument instrument = readInstrument(file);
            fmt::print("{}: {} controls. {}\n", instrument.name, instrument.controls.size(), instrument.about);
            for (const InstrumentControl& each : instrument.controls) {
                const ParameterDescriptor d = instrument.patch.shownDescriptor(each.address);
                if (each.scale) {
                    const auto at = [&](double end) { return roundedText(d, each.scale->valueAt(end)); };
                    fmt::print("  {}: {} to {}\n", each.name, at(-1e9), at(1e9));
                    continue;
                }
                std::string names;
                for (const auto& [name, value] : each.choices) names += (names.empty() ? "" : ", ") + name;
                fmt::print("  {}: {}\n", each.name, names);
            }
        }
    });
}

void addMeasure(CLI::App& app) {
    const auto options = std::make_shared<MeasureOptions>();
    auto* command = app.add_subcommand(
        "measure", "Measure the scale of an instrument's control; without recordings: say how to record it");
    command->add_option("INSTRUMENT", options->instrument, "Description (JSON)")->required();
    command->add_option("RECORDING", options->recordings,
                        "A note for each position: one file with pauses, or one file each");
    command->add_option("--control", options->control, "The control, as the description names it")->required();
    command->add_option("--positions", options->positions, "Where it stood for each note: 0,2.5,5,7.5,10")
        ->delimiter(',');
    command->add_option("--note", options->note, "MIDI key that was played, 60 is C4")
        ->check(CLI::Range(0, 127))
        ->capture_default_str();
    command->add_flag("--simulated", options->simulated, "Measure an invented instrument in place of recordings");
    command->add_option("--out", options->out, "Write the description with the measured scale");
    command->add_option("--threads", options->threads, "Threads")->check(CLI::Range(1, 256))->capture_default_str();
    command->callback([options] { measure(*options); });
}

} // namespace facet::cli
