#include "cli/input.h"

#include "core/analysis/facets/pitch.h"
#include "core/analysis/notes/reading.h"
#include "core/analysis/notes/tuning.h"
#include "core/audio/audio_file.h"
#include "core/audio/audio_stream.h"
#include "core/audio/channels.h"
#include "core/base/error.h"
#include "core/performance/midi_file.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <atomic>
#include <cctype>
#include <chrono>
#include <cmath>
#include <csignal>
#include <fmt/format.h>
#include <sstream>
#include <tuple>

namespace facet::cli {

namespace {

std::atomic<bool> interrupted = false;

/// Notes given for a whole file, of which the part between two instants was read.
void cutNotes(Heard& heard, double begin, double end) {
    for (Note& note : heard.performance.notes) {
        note.start -= begin;
        note.end = std::min(note.end, end) - begin;
    }
    std::erase_if(heard.performance.notes, [&](const Note& n) { return n.start < 0.0 || n.start >= end - begin; });
    for (CurvePoint& point : heard.performance.bends) point.seconds -= begin;
    for (Curve& curve : heard.performance.curves)
        for (CurvePoint& point : curve.points) point.seconds -= begin;
    heard.performance.normalize();
}

} // namespace

MoveTarget moveTargetOf(const Heard& heard, int threads) {
    auto profile = std::make_shared<const Profile>(
        measureProfile(heard.recording, heard.performance, {.source = nullptr, .threads = threads}));
    return {std::make_shared<const Recording>(heard.recording), std::move(profile), heard.performance};
}

std::pair<double, double> parsePair(const std::string& text, const char* option) {
    const auto colon = text.find(':');
    try {
        if (colon != std::string::npos) {
            const double low = std::stod(text.substr(0, colon));
            const double high = std::stod(text.substr(colon + 1));
            if (low < high) return {low, high};
        }
    } catch (const std::exception&) {
        // falls through to the one sentence
    }
    throw CLI::ValidationError(option, "takes two increasing numbers, LOW:HIGH");
}

std::string problemOfPair(const std::string& text) {
    try {
        parsePair(text, "A pair");
    } catch (const CLI::ValidationError& problem) {
        return problem.what();
    }
    return {};
}

void Listening::addTo(CLI::App& command) {
    auto* midi = command.add_option("--notes", notes, "Standard MIDI File with its notes; found when not given");
    command.add_option("--performance", performance, "Its notes with curves, bends and tuning, as match writes them")
        ->excludes(midi);
    command.add_option("--region", region, "Only this part, BEGIN:END in seconds; of files of any length")
        ->check(problemOfPair);
    command
        .add_option("--reading", reading,
                    "Which of the recording's readings, counted from 1; see readings. "
                    "When not given: the likeliest, and match tries the others too")
        ->check(CLI::Range(1, static_cast<int>(mostReadings)));
    command.add_option("--channels", channels, "both, left, right, mid, side, or channels counted from 1: 3,4");
}

namespace {

/// What is listened to, and where its region begins and ends in the file; both 0 for the whole.
struct Part {
    Recording recording;
    double begin = 0.0;
    double end = 0.0;
};

Part partOf(const Listening& options) {
    Part part;
    const ChannelChoice channels = ChannelChoice::parse(options.channels);
    const std::string name = fmt::format("“{}”", std::filesystem::path(options.reference).filename().string());
    Recording whole;
    if (options.region.empty()) {
        whole = readAudio(options.reference);
        if (whole.channelCount() > 2 && channels.picked.empty())
            throw Error(fmt::format("{} has {} channels; say which with --channels, for example 1,2.", name,
                                    whole.channelCount()));
    } else {
        std::tie(part.begin, part.end) = parsePair(options.region, "--region");
        AudioStream stream(options.reference);
        if (part.end - part.begin > 600.0)
            throw Error("A region may be 10 minutes long at most; choose a shorter one.");
        whole = stream.read(std::llround(std::max(0.0, part.begin) * stream.rateHz()),
                            std::llround((part.end - std::max(0.0, part.begin)) * stream.rateHz()));
    }
    part.recording = chosenChannels(whole, channels);
    requireUsable(part.recording, options.region.empty() ? name : "That region");
    return part;
}

} // namespace

Heard hear(const Listening& options) {
    Heard heard;
    Part part = partOf(options);
    heard.recording = std::move(part.recording);
    const auto mono = monoMix(atRate(heard.recording, analysisRateHz));
    if (!options.performance.empty()) {
        heard.performance = readPerformance(options.performance);
        if (!options.region.empty()) cutNotes(heard, part.begin, part.end);
    } else if (options.notes.empty()) {
        const std::vector<Reading> readings = readingsOf(mono);
        if (options.reading > static_cast<int>(readings.size()))
            throw Error(fmt::format("There {} only {} reading{} of this recording; facet-cli readings lists them.",
                                    readings.size() == 1 ? "is" : "are", readings.size(),
                                    readings.size() == 1 ? "" : "s"));
        const FoundNotes& found = readings[static_cast<std::size_t>(std::max(1, options.reading) - 1)].found;
        heard.performance = found.performance;
        heard.problem = found.problem;
        heard.evidence = found.evidence();
        if (options.reading == 0)
            for (const Reading& each : readings)
                heard.readings.push_back({each.found.performance, each.words, each.probability});
    } else {
        heard.performance = readMidi(options.notes);
        if (!options.region.empty()) cutNotes(heard, part.begin, part.end);
        heard.performance.tuningCents = tuningAgainst(mono, heard.performance);
    }
    const auto complete = [&](Performance& performance) {
        if (options.tempo > 0.0) performance.tempo = options.tempo;
        performance.frames = heard.recording.frameCount();
        performance.rateHz = heard.recording.rateHz;
        performance.channelCount = heard.recording.channelCount();
    };
    complete(heard.performance);
    for (ReadNotes& each : heard.readings) complete(each.performance);
    return heard;
}

std::vector<Reading> readingsHeard(const Listening& options) {
    return readingsOf(monoMix(atRate(partOf(options).recording, analysisRateHz)));
}

Facet facetOfWord(std::string name) {
    std::transform(name.begin(), name.end(), name.begin(), [](unsigned char c) { return std::tolower(c); });
    for (int f = 0; f < facetCount; ++f) {
        std::string label(labelOf(static_cast<Facet>(f)));
        label[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(label[0])));
        if (label == name) return static_cast<Facet>(f);
    }
    throw Error(fmt::format(
        "There is no facet “{}”; they are pitch, level, harmonics, brightness, noise, motion, width and space.", name));
}

FacetWeights weightsWithout(const std::string& names) {
    FacetWeights weights = equalWeights;
    std::stringstream list(names);
    for (std::string name; std::getline(list, name, ',');) weights[static_cast<std::size_t>(facetOfWord(name))] = 0.0;
    return weights;
}

StopOnSignal::StopOnSignal()
    : watcher_([this](const std::stop_token& stop) {
          while (!stop.stop_requested()) {
              if (interrupted) watcher_.request_stop();
              std::this_thread::sleep_for(std::chrono::milliseconds(20));
          }
      }) {
    std::signal(SIGINT, [](int) { interrupted = true; });
    std::signal(SIGTERM, [](int) { interrupted = true; });
}

} // namespace facet::cli
