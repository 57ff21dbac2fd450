// analyze, readings, compare, stages, elements: what recordings and patches measure.
#include "cli/commands.h"
#include "cli/input.h"
#include "core/analysis/profile.h"
#include "core/analysis/profile_json.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/engine/inspect/stage.h"
#include "core/match/heard_elements.h"
#include "core/match/report.h"
#include "core/parameters/value_text.h"
#include "core/performance/midi_file.h"
#include "core/recipe/sheet_file.h"

#include <CLI/CLI.hpp>
#include <cmath>
#include <fmt/format.h>
#include <memory>

namespace facet::cli {

namespace fs = std::filesystem;

namespace {

std::string valueLine(const ComparedValue& value) {
    return fmt::format("    {:<24} {:>12} {:>12} {:>12}\n", value.label, value.reference, value.render,
                       value.difference);
}

void printComparison(const Comparison& comparison) {
    fmt::print("Likeness {:.0f}\n", comparison.likeness);
    for (const auto& facet : comparison.facets) {
        fmt::print("\n{:<12} {:>3.0f}  {}\n", labelOf(facet.facet), facet.likeness, facet.words);
        for (const auto& value : facet.values) fmt::print("{}", valueLine(value));
    }
}

/// Where no notes are given: low and high, soft and hard, apart and together.
Performance auditionPhrase() {
    Performance phrase;
    phrase.rateHz = analysisRateHz;
    phrase.notes = {{0.05, 0.55, 45, 0.0, 110.0},
                    {0.6, 1.0, 57, 0.0, 60.0},
                    {1.0, 1.6, 52, 0.0, 100.0},
                    {1.5, 2.1, 64, 0.0, 80.0},
                    {2.3, 3.2, 48, 0.0, 127.0}};
    phrase.normalize();
    return phrase;
}

void printProfile(const Profile& profile, const Heard& heard) {
    fmt::print("{:.2f} s, {} Hz, {}, {:.1f} LUFS, tuning {:+.1f} cents, nearest waveform {}\n",
               heard.recording.seconds(), heard.recording.rateHz,
               heard.recording.channelCount() == 1 ? "mono" : "stereo", profile.loudness, profile.tuningCents,
               nameOf(profile.source));
    for (const std::string& sentence : {heard.problem, heard.evidence})
        if (!sentence.empty()) fmt::print("{}\n", sentence);
    fmt::print("\n{:<5} {:>8} {:>8} {:>7} {:>9} {:>9} {:>9} {:>9} {:>9} {:>9}\n", "note", "start", "end", "cents",
               "attack", "decay63", "sustain", "release", "opens", "closes");
    const auto cell = [](double value, const char* unit, int decimals) {
        return isMeasured(value) ? fmt::format("{:.{}f} {}", value, decimals, unit) : std::string("-");
    };
    for (const auto& n : profile.notes)
        fmt::print("{:<5} {:>8.3f} {:>8.3f} {:>7} {:>9} {:>9} {:>9} {:>9} {:>9} {:>9}\n", nameOfKey(n.note.key),
                   n.note.start, n.note.end, cell(n.cents, "", 1), cell(1000 * n.level.attack, "ms", 1),
                   cell(1000 * n.level.decayTime, "ms", 0), cell(n.level.sustainDb, "dB", 1),
                   cell(1000 * n.level.release, "ms", 0), cell(n.highestCutoffHz, "Hz", 0),
                   cell(n.restingCutoffHz, "Hz", 0));
}

} // namespace

void addAnalyze(CLI::App& app) {
    struct Options : Listening {
        bool json = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("analyze", "Measure a recording");
    command->add_option("REF", options->reference, "The recording")->required();
    options->addTo(*command);
    command->add_flag("--json", options->json, "Everything as JSON on stdout");
    command->callback([options] {
        const Heard heard = hear(*options);
        const Profile profile = measureProfile(heard.recording, heard.performance);
        if (options->json)
            fmt::print("{}", profileToJson(profile, heard.performance));
        else
            printProfile(profile, heard);
    });
}

namespace {

Json readingJson(const Reading& reading) {
    Json json{{"words", reading.words},
              {"probability", reading.probability},
              {"tuning_cents", reading.found.performance.tuningCents},
              {"tempo_bpm", reading.found.performance.tempo},
              {"evidence", reading.found.evidence()},
              {"problem", reading.found.problem},
              {"bent", !reading.found.performance.bends.empty()},
              {"notes", Json::array()}};
    for (const Note& note : reading.found.performance.notes)
        json["notes"].push_back({{"start", note.start},
                                 {"end", note.end},
                                 {"key", note.key},
                                 {"cents", note.cents},
                                 {"velocity", note.velocity}});
    return json;
}

void printReading(std::size_t number, const Reading& reading) {
    fmt::print("{}  {:>3.0f} %  {}\n", number, 100.0 * reading.probability, reading.words);
    for (const std::string& sentence : {reading.found.evidence(), reading.found.problem})
        if (!sentence.empty()) fmt::print("          {}\n", sentence);
}

} // namespace

void addReadings(CLI::App& app) {
    struct Options : Listening {
        bool json = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("readings", "List what may have been played on a recording");
    command->add_option("REF", options->reference, "The recording")->required();
    options->addTo(*command);
    command->add_flag("--json", options->json, "With all notes, as JSON on stdout");
    command->callback([options] {
        const std::vector<Reading> readings = readingsHeard(*options);
        Json json{{"readings", Json::array()}};
        for (std::size_t i = 0; i < readings.size(); ++i)
            if (options->json)
                json["readings"].push_back(readingJson(readings[i]));
            else
                printReading(i + 1, readings[i]);
        if (options->json) fmt::print("{}\n", jsonText(json, 1));
    });
}

void addCompare(CLI::App& app) {
    struct Options {
        std::string reference;
        std::string render;
        std::string notes;
        std::string without;
        bool json = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("compare", "Say how two recordings of the same notes differ");
    command->add_option("REF", options->reference, "The reference")->required();
    command->add_option("RENDER", options->render, "The other recording")->required();
    command->add_option("--notes", options->notes, "Standard MIDI File with their notes; found in REF when not given");
    command->add_option("--without", options->without, "Facets set aside, for example space,width");
    command->add_flag("--json", options->json, "Everything as JSON on stdout");
    command->callback([options] {
        const FacetWeights weights = weightsWithout(options->without);
        const Heard heard = hear({.reference = options->reference, .notes = options->notes});
        const Recording other = readAudio(options->render);
        requireUsable(other, fmt::format("“{}”", fs::path(options->render).filename().string()));
        const Profile profile = measureProfile(heard.recording, heard.performance);
        const Profile rendered =
            measureProfile(other, heard.performance, {.source = &profile.source, .threads = hardwareThreads()});
        const Comparison comparison = compare(profile, rendered, weights);
        if (options->json)
            fmt::print("{}", comparisonReport(comparison));
        else
            printComparison(comparison);
    });
}

void addStages(CLI::App& app) {
    struct Options {
        std::string patch;
        std::string notes;
    };
    const auto options = std::make_shared<Options>();
    auto* command =
        app.add_subcommand("stages", "Say what arrives at each stage that depends on level, and what it does to it");
    command->add_option("PATCH", options->patch, "Patch file (JSON)")->required();
    command->add_option("--notes", options->notes, "Standard MIDI File")->required();
    command->callback([options] {
        const Patch patch = readPatchOrSheet(options->patch);
        Performance played = readMidi(options->notes);
        double end = 0.0;
        for (const Note& note : played.notes) end = std::max(end, note.end);
        played.frames = static_cast<int>(std::ceil((end + 0.5) * played.rateHz));
        for (const auto& module : patch.modules()) {
            if (!dependsOnLevel(patch, module)) continue;
            const StageReading reading = readStage(patch, module.path, played);
            fmt::print("{}: arrives with peaks of {:.1f} dB, at its loudest {:.1f} dB", module.path, reading.peakDb,
                       reading.loudDb);
            if (reading.reduction)
                fmt::print("; held down by up to {:.1f} dB, {:.1f} dB on average", reading.reduction->most,
                           reading.reduction->mean);
            for (std::size_t i = 0; i < reading.addedDb.size(); ++i)
                fmt::print("{}{}: {:.0f}", i == 0 ? "; adds to a sine, dB re it: partial " : ", ", i + 2,
                           reading.addedDb[i]);
            fmt::print("\n");
        }
    });
}

void addElements(CLI::App& app) {
    struct Options {
        std::string patch, notes, performance;
        int threads = hardwareThreads();
        bool json = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("elements", "Say what a patch is made of, and how much of it is heard");
    command->add_option("PATCH", options->patch, "Patch file (JSON)")->required();
    auto* notes = command->add_option("--notes", options->notes, "Standard MIDI File that it plays");
    command->add_option("--performance", options->performance, "Performance file (JSON) that it plays")
        ->excludes(notes);
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->add_flag("--json", options->json, "Write JSON");
    command->callback([options] {
        const Patch patch = readPatchOrSheet(options->patch);
        Performance played = options->notes.empty() ? auditionPhrase() : readMidi(options->notes);
        if (!options->performance.empty()) played = readPerformance(options->performance);
        if (played.frames == 0) {
            double end = 0.0;
            for (const Note& note : played.notes) end = std::max(end, note.end);
            played.frames = static_cast<int>(std::ceil((end + 1.0) * played.rateHz));
        }
        played.channelCount = 2;
        const StopOnSignal signals;
        const auto elements = heardElements(patch, played, options->threads, {.stop = signals.token(), .progress = {}});
        if (options->json) {
            Json list = Json::array();
            for (const HeardElement& each : elements)
                list.push_back({{"element", wordOf(each.element.element)},
                                {"words", each.element.words},
                                {"cost", std::round(10.0 * each.cost) / 10.0},
                                {"heard", each.heard()}});
            fmt::print("{}", jsonText({{"elements", std::move(list)}}));
            return;
        }
        for (const HeardElement& each : elements)
            fmt::print("{:<20} {:<48} {}\n", wordOf(each.element.element), each.element.words,
                       !each.element.without ? "what it is made from"
                       : each.heard()        ? fmt::format("without it {:.0f} less alike", each.cost)
                                             : "not heard here");
    });
}

} // namespace facet::cli
