#include "cli/commands.h"

#include "core/analysis/notes/note_finding.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/analysis/profile_json.h"
#include "core/audio/audio_file.h"
#include "core/audio/channels.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/engine/inspect/stage.h"
#include "core/match/starts/estimate.h"
#include "core/match/match.h"
#include "core/match/suggest/next_moves.h"
#include "core/match/report.h"
#include "core/match/evidence/wavetable.h"
#include "core/parameters/audition.h"
#include "core/parameters/changes.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/value_text.h"
#include "core/performance/midi_file.h"
#include "core/piece/piece_mixer.h"
#include "core/project/project_file.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <atomic>
#include <cctype>
#include <chrono>
#include <cmath>
#include <csignal>
#include <fmt/format.h>
#include <memory>
#include <sstream>
#include <thread>
#include <tuple>
#include <unistd.h>

namespace facet::cli {

namespace fs = std::filesystem;

namespace {

/// A reference with its notes: imported, or found in the recording.
struct Heard {
    Recording recording;
    Performance performance;
    std::string problem;  ///< why found notes are not to be trusted
    std::string evidence; ///< what was decided while finding them
};

/// "LOW:HIGH" as two increasing numbers.
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

/// What is wrong with a pair, as CLI11 asks; empty when nothing is.
std::string problemOfPair(const std::string& text) {
    try {
        parsePair(text, "A pair");
    } catch (const CLI::ValidationError& problem) {
        return problem.what();
    }
    return {};
}

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

/// What to listen to; see --help.
struct Listening {
    std::string reference{};
    std::string notes{};
    std::string region{};
    std::string channels = "both";
    double tempo = 0.0;

    void addTo(CLI::App& command) {
        command.add_option("--notes", notes, "Standard MIDI File with its notes; found when not given");
        command.add_option("--region", region, "Only this part, BEGIN:END in seconds; of files of any length")
            ->check(problemOfPair);
        command.add_option("--channels", channels, "both, left, right, mid, side, or channels counted from 1: 3,4");
    }
};

Heard hear(const Listening& options) {
    Heard heard;
    const ChannelChoice channels = ChannelChoice::parse(options.channels);
    const std::string name = fmt::format("“{}”", fs::path(options.reference).filename().string());
    double begin = 0.0;
    double end = 0.0;
    Recording whole;
    if (options.region.empty()) {
        whole = readAudio(options.reference);
        if (whole.channelCount() > 2 && channels.picked.empty())
            throw Error(fmt::format("{} has {} channels; say which with --channels, for example 1,2.", name,
                                    whole.channelCount()));
    } else {
        std::tie(begin, end) = parsePair(options.region, "--region");
        AudioStream stream(options.reference);
        if (end - begin > 600.0) throw Error("A region may be 10 minutes long at most; choose a shorter one.");
        whole = stream.read(std::llround(std::max(0.0, begin) * stream.rateHz()),
                            std::llround((end - std::max(0.0, begin)) * stream.rateHz()));
    }
    heard.recording = chosenChannels(whole, channels);
    requireUsable(heard.recording, options.region.empty() ? name : "That region");
    const auto mono = monoMix(atRate(heard.recording, analysisRateHz));
    if (options.notes.empty()) {
        FoundNotes found = findNotes(mono);
        heard.performance = found.performance;
        heard.problem = found.problem;
        heard.evidence = found.evidence();
    } else {
        heard.performance = readMidi(options.notes);
        if (!options.region.empty()) cutNotes(heard, begin, end);
        heard.performance.tuningCents = tuningAgainst(mono, heard.performance);
    }
    if (options.tempo > 0.0) heard.performance.tempo = options.tempo;
    heard.performance.frames = heard.recording.frameCount();
    heard.performance.rateHz = heard.recording.rateHz;
    heard.performance.channelCount = heard.recording.channelCount();
    return heard;
}

std::atomic<bool> interrupted = false;

/// Turns Ctrl-C into a stop request, so that the best so far is still written.
class StopOnSignal {
public:
    StopOnSignal() {
        std::signal(SIGINT, [](int) { interrupted = true; });
        std::signal(SIGTERM, [](int) { interrupted = true; });
    }
    std::stop_token token() const { return watcher_.get_stop_source().get_token(); }

private:
    mutable std::jthread watcher_{[this](const std::stop_token& stop) {
        while (!stop.stop_requested()) {
            if (interrupted) watcher_.request_stop();
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
    }};
};

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

struct RenderOptions {
    std::string patch;
    std::string notes;
    std::string performance;
    std::string out;
    int rate = 0;
    std::vector<std::string> without;
    std::string alone, upTo, dryFrom;
};

/// The patch with all that is not asked for left out.
Patch heardPart(Patch patch, const RenderOptions& options) {
    for (const std::string& path : options.without) patch = without(patch, path);
    if (!options.alone.empty()) patch = alone(patch, options.alone);
    if (!options.upTo.empty()) patch = upTo(patch, options.upTo);
    if (!options.dryFrom.empty()) patch = withoutEffectsFrom(patch, options.dryFrom);
    return patch;
}

} // namespace

void addRender(CLI::App& app) {
    const auto options = std::make_shared<RenderOptions>();
    auto* command = app.add_subcommand("render", "Play notes with a patch into a WAV or FLAC file");
    command->add_option("PATCH", options->patch, "Patch file (JSON)")->required();
    auto* notes = command->add_option("--notes", options->notes, "Standard MIDI File");
    auto* performance = command->add_option("--performance", options->performance, "Performance file (JSON)");
    notes->excludes(performance);
    command->add_option("--out", options->out, "The file to write (.wav 32-bit float, .flac 24-bit)")->required();
    command->add_option("--rate", options->rate, "Sample rate in Hz")->check(CLI::Range(8000, 384000));
    command->add_option("--without", options->without, "Path of a module to leave out; may be repeated")
        ->allow_extra_args(false);
    command->add_option("--alone", options->alone, "Path of the source or layer to hear by itself");
    command->add_option("--up-to", options->upTo, "Path of the module behind which to listen");
    command->add_option("--dry-from", options->dryFrom, "Path of the effect from which on effects are left out");
    command->callback([options] {
        const Patch patch = heardPart(readPatch(options->patch), *options);
        Performance played;
        bool toSilence = false;
        if (!options->performance.empty()) {
            played = readPerformance(options->performance);
            if (options->rate > 0) {
                played.frames = static_cast<int>(std::llround(played.seconds() * options->rate));
                played.rateHz = options->rate;
            }
        } else if (!options->notes.empty()) {
            played = readMidi(options->notes);
            if (options->rate > 0) played.rateHz = options->rate;
            double end = 0.0;
            for (const Note& note : played.notes) end = std::max(end, note.end);
            played.frames = static_cast<int>(std::ceil((end + 0.05) * played.rateHz));
            toSilence = true;
        } else {
            throw CLI::RequiredError("--notes or --performance");
        }
        const bool flac = fs::path(options->out).extension() == ".flac";
        writeAudio(options->out, toSilence ? renderToSilence(patch, played) : render(patch, played),
                   flac ? SampleFormat::flac24 : SampleFormat::wavFloat);
    });
}

namespace {

/// "space,width" → those facets weigh nothing.
FacetWeights weightsWithout(const std::string& names) {
    FacetWeights weights = equalWeights;
    std::stringstream list(names);
    for (std::string name; std::getline(list, name, ',');) {
        std::transform(name.begin(), name.end(), name.begin(), [](unsigned char c) { return std::tolower(c); });
        bool known = false;
        for (int f = 0; f < facetCount; ++f) {
            std::string label(labelOf(static_cast<Facet>(f)));
            label[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(label[0])));
            if (label != name) continue;
            weights[static_cast<std::size_t>(f)] = 0.0;
            known = true;
        }
        if (!known)
            throw Error(fmt::format(
                "There is no facet “{}”; they are pitch, level, harmonics, brightness, noise, motion, width and space.",
                name));
    }
    return weights;
}

} // namespace

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

namespace {

struct MatchOptions : Listening {
    std::string out;
    std::string start;
    std::vector<std::string> locks, ranges, leftOut;
    std::string focus, without;
    double seconds = 20.0;
    int evaluations = 0;
    std::uint64_t seed = 1;
    int threads = hardwareThreads();
    bool progress = false;
    bool withoutBank = false;
    bool goOn = false;
};

/// "ADDRESS=LOW:HIGH" in the parameter's unit, of a parameter of `patch`.
std::pair<Address, std::pair<double, double>> parseRange(const std::string& text, const Patch& patch) {
    const auto equals = text.find('=');
    if (equals == text.npos)
        throw Error(fmt::format(
            "“{}” is no range; write ADDRESS=LOW:HIGH, for example layer:a/filter:a/cutoff=200:900.", text));
    const Address address = Address::parse(text.substr(0, equals));
    const ParameterDescriptor& d = patch.descriptor(address); // says so when there is no such parameter
    const std::string pair = text.substr(equals + 1);
    if (!problemOfPair(pair).empty())
        throw Error(fmt::format("“{}” is no range; write two increasing numbers, LOW:HIGH.", pair));
    const auto range = parsePair(pair, "--range");
    if (range.first < d.low || range.second > d.high)
        throw Error(fmt::format("“{}” cannot lie between {} and {}; it takes {}.", address.text(), range.first,
                                range.second, rangeText(d)));
    return {address, range};
}

/// "Filter key tracking, layer velocity to level".
std::string listOf(const std::vector<Address>& addresses, const Patch& patch) {
    std::string list;
    for (const Address& address : addresses) {
        std::string label(patch.descriptor(address).label);
        label[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(label[0])));
        list += fmt::format("{}{} {}", list.empty() ? "" : ", ", patch.labelOf(*patch.find(address.module)), label);
    }
    return list;
}

void runMatch(const MatchOptions& options) {
    const StopOnSignal signals; // from the first moment: reading and finding notes take a while too
    const Heard heard = hear(options);
    if (!heard.problem.empty()) fmt::print(stderr, "{}\n", heard.problem);
    MatchSettings settings;
    if (!options.start.empty()) settings.start = readPatch(options.start);
    for (const std::string& text : options.locks) {
        const Address address = Address::parse(text);
        settings.start.descriptor(address); // says so when there is no such parameter
        settings.limits.locks.insert(address);
    }
    for (const std::string& text : options.ranges) {
        const auto [address, range] = parseRange(text, settings.start);
        settings.limits.ranges[address] = range;
    }
    settings.weights = weightsWithout(options.without);
    if (!options.focus.empty()) {
        const auto [low, high] = parsePair(options.focus, "--focus");
        settings.focusLowHz = std::clamp(low, 20.0, 10000.0);
        settings.focusHighHz = std::clamp(high, 2.0 * settings.focusLowHz, 20000.0);
    }
    settings.seconds = options.seconds;
    settings.evaluations = options.evaluations;
    settings.seed = options.seed;
    settings.threads = options.threads;
    if (options.goOn) {
        if (options.start.empty()) throw Error("Say with --start which patch to go on from.");
        settings.goOnWith = {settings.start};
    }
    if (!options.withoutBank) settings.bank = std::make_shared<const SeedBank>(SeedBank::load(SeedBank::cacheFile()));
    std::error_code code;
    fs::create_directories(options.out, code);
    if (code || !fs::is_directory(options.out))
        throw Error(fmt::format("The folder “{}” cannot be made; choose another one.", options.out), code.message());

    MatchTarget target{heard.recording, heard.performance};
    for (const std::string& text : options.leftOut) {
        const auto [begin, end] = parsePair(text, "--leave-out");
        target.leftOut.push_back({begin, end});
    }
    target.leftOut = joinedSpans(std::move(target.leftOut));

    const bool terminal = isatty(STDERR_FILENO) != 0;
    std::function<void(const MatchProgress&)> show;
    if (options.progress || terminal)
        show = [terminal](const MatchProgress& now) {
            fmt::print(stderr, "{}{:3.0f} %  likeness {:3.0f}  loss {:5.2f} dB  {:6} renders  {:<44.44}{}",
                       terminal ? "\r" : "", 100.0 * now.fraction, now.likeness, now.loss, now.evaluations, now.trying,
                       terminal ? "" : "\n");
        };
    MatchResult result = match({target}, settings, {.stop = signals.token(), .progress = {}}, show);
    if (show && terminal) fmt::print(stderr, "\n");
    result.best.patch.name = fs::path(options.reference).stem().string();

    const fs::path folder = options.out;
    writeAudio(folder / "render.wav", render(result.best.patch, result.performance), SampleFormat::wavFloat);
    writePatch(folder / "patch.json", result.best.patch);
    writePerformance(folder / "performance.json", result.performance);
    writeMidi(folder / "notes.mid", result.performance);
    writeWholeFile(folder / "report.json", matchReport(result));
    fmt::print("{}: likeness {:.0f} (was {:.0f}), {}, {} renders in {:.1f} s{}\n", options.out, result.best.likeness,
               result.before.comparison.likeness, structureText(result.best.patch), result.evaluations, result.seconds,
               result.complete ? "" : ", stopped at its limit");
    for (const Curve& curve : result.curves.front())
        fmt::print("{} moves over the phrase; performance.json has its curve.\n", curve.target);
    if (!result.unidentifiable.empty())
        fmt::print("Not told by this recording, left as it was: {}.\n", listOf(result.unidentifiable, result.best.patch));
    for (const Shortfall& each : result.shortfalls)
        fmt::print("{} stays unlike ({:.0f}): {}. {}\n", labelOf(each.facet), each.likeness, each.words, each.likely);
}

} // namespace

void addMatch(CLI::App& app) {
    const auto options = std::make_shared<MatchOptions>();
    auto* command = app.add_subcommand("match", "Search for a patch that sounds like a recording");
    command->add_option("REF", options->reference, "The recording")->required();
    command
        ->add_option("--out", options->out,
                     "Folder for render.wav, patch.json, performance.json, notes.mid, report.json")
        ->required();
    options->addTo(*command);
    command->add_option("--start", options->start, "Patch file to start from");
    command->add_option("--lock", options->locks, "Address of a parameter to leave alone; may be repeated")
        ->allow_extra_args(false);
    command
        ->add_option("--range", options->ranges,
                     "ADDRESS=LOW:HIGH, what a parameter may be, in its unit; may be repeated")
        ->allow_extra_args(false);
    command
        ->add_option("--leave-out", options->leftOut,
                     "BEGIN:END in seconds from where it begins, what does not count; may be repeated")
        ->check(problemOfPair)
        ->allow_extra_args(false);
    command->add_option("--without", options->without, "Facets that do not count, for example space,width");
    command->add_option("--focus", options->focus, "Band LOW:HIGH in Hz that the search looks at")
        ->check(problemOfPair);
    command->add_option("--tempo", options->tempo, "Quarter notes per minute")->check(CLI::Range(10.0, 1000.0));
    command->add_option("--seconds", options->seconds, "Time limit, 20 when not given; 0 for none")
        ->check(CLI::NonNegativeNumber);
    command->add_option("--evaluations", options->evaluations, "Most renders to compare; 0 for no limit")
        ->check(CLI::NonNegativeNumber);
    command->add_option("--seed", options->seed, "Seed of every random choice");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->add_flag("--progress", options->progress, "Progress on stderr even when it is no terminal");
    command->add_flag("--go-on", options->goOn, "Go on from the patch of --start, in place of beginning anew");
    command->add_flag("--without-bank", options->withoutBank,
                      "Begin with what measurements tell alone, not with the seed bank (see “bank”)");
    command->callback([options] { runMatch(*options); });
}

void addBank(CLI::App& app) {
    struct Options {
        std::string out = SeedBank::cacheFile().string();
        int threads = hardwareThreads();
        bool progress = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand(
        "bank", "Make the bank of sounds that searches begin with; a search works without it, less well");
    command->add_option("--out", options->out, "File, the one that “match” reads when not given");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->add_flag("--progress", options->progress, "Progress on stderr even when it is no terminal");
    command->callback([options] {
        const StopOnSignal signals;
        Task task{.stop = signals.token(), .progress = {}};
        const bool terminal = isatty(STDERR_FILENO) != 0;
        if (options->progress || terminal)
            task.progress = [terminal](double fraction, std::string_view what) {
                fmt::print(stderr, "{}{:3.0f} %  {}{}", terminal ? "\r" : "", 100.0 * fraction, what,
                           terminal ? "" : "\n");
            };
        const SeedBank bank = SeedBank::load(options->out).completed(options->out, options->threads, task);
        if (terminal) fmt::print(stderr, "\n");
        bank.save(options->out); // says so when it cannot be kept
        fmt::print("{}: {} sounds\n", options->out, bank.size());
    });
}

void addMoves(CLI::App& app) {
    struct Options : Listening {
        std::string patch, without, out;
        std::vector<std::string> locks;
        int take = 0;
        int threads = hardwareThreads();
        bool progress = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("moves", "Say which changes of a patch bring it closer to a recording");
    command->add_option("REF", options->reference, "The recording")->required();
    command->add_option("--patch", options->patch, "Patch file; the empty patch when not given");
    options->addTo(*command);
    command->add_option("--lock", options->locks, "Address of a parameter to leave alone; may be repeated")
        ->allow_extra_args(false);
    command->add_option("--without", options->without, "Facets set aside, for example space,width");
    command->add_option("--take", options->take, "Which of the moves to take, 1 for the first; with --out")
        ->check(CLI::Range(1, 5));
    command->add_option("--out", options->out, "Patch file to write with that move taken");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->add_flag("--progress", options->progress, "The first, rough list on stderr");
    command->callback([options] {
        MoveSettings settings;
        settings.weights = weightsWithout(options->without);
        settings.threads = options->threads;
        const StopOnSignal signals;
        const Heard heard = hear(*options);
        if (!heard.problem.empty()) fmt::print(stderr, "{}\n", heard.problem);
        const Patch patch = options->patch.empty() ? Patch() : readPatch(options->patch);
        for (const std::string& text : options->locks) {
            const Address address = Address::parse(text);
            patch.descriptor(address); // says so when there is no such parameter
            settings.limits.locks.insert(address);
        }
        const auto profile = std::make_shared<const Profile>(
            measureProfile(heard.recording, heard.performance, {.source = nullptr, .threads = options->threads}));
        const MoveFinder finder({{std::make_shared<const Recording>(heard.recording), profile, heard.performance}});
        const auto begin = std::chrono::steady_clock::now();
        const auto print = [](std::FILE* file, const NextMoves& moves) {
            for (const Move& move : moves.best)
                fmt::print(file, "{}: {} {:.0f} → {:.0f}, whole {:.0f} → {:.0f}\n", move.what, labelOf(move.facet),
                           move.facetBefore, move.facetAfter, moves.before, move.likeness);
        };
        const NextMoves moves =
            finder.find(patch, settings, {.stop = signals.token(), .progress = {}}, [&](const NextMoves& list) {
                if (list.complete || !options->progress) return;
                const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
                fmt::print(stderr, "After {:.1f} s and {} changes:\n", seconds, list.tried);
                print(stderr, list);
            });
        if (moves.best.empty()) fmt::print("No single change brings it closer; it is {:.0f} alike.\n", moves.before);
        print(stdout, moves);
        if (options->take == 0) return;
        if (static_cast<std::size_t>(options->take) > moves.best.size())
            throw Error(fmt::format("There are only {} moves to take.", moves.best.size()));
        if (options->out.empty()) throw Error("Say with --out where to write the patch.");
        writePatch(options->out, moves.best[static_cast<std::size_t>(options->take - 1)].patch);
    });
}

void addWavetable(CLI::App& app) {
    struct Options {
        std::string sound, patch, source = "layer:a/source:a", region, out;
        double hz = 0.0;
        int frames = 16;
    };
    const auto options = std::make_shared<Options>();
    auto* command =
        app.add_subcommand("wavetable", "Give a source of a patch the cycles of a file, or of a note heard in it");
    command
        ->add_option("SOUND", options->sound,
                     "A file of cycles of 2048 samples or of one cycle; with --region a recording")
        ->required();
    command->add_option("--patch", options->patch, "Patch file to change; the empty patch when not given");
    command->add_option("--source", options->source, "Path of the source");
    command->add_option("--region", options->region, "Seconds A:B of the note whose cycles are taken");
    command->add_option("--hz", options->hz, "Its pitch; measured when not given")->check(CLI::Range(10.0, 8000.0));
    command->add_option("--frames", options->frames, "Cycles to take, evenly over the note")
        ->check(CLI::Range(1, mostTableFrames));
    command->add_option("--out", options->out, "Patch file to write")->required();
    command->callback([options] {
        const Recording sound = readAudio(options->sound);
        Patch patch = options->patch.empty() ? Patch() : readPatch(options->patch);
        if (!patch.find(options->source)) patch.add(options->source);
        ModuleData data;
        if (options->region.empty()) {
            data.frames = wavetableFromFile(sound);
        } else {
            const auto [begin, end] = parsePair(options->region, "--region");
            double hz = options->hz;
            if (hz <= 0.0) {
                const auto track = trackPitch(monoMix(atRate(sound, analysisRateHz))).hz;
                hz = track.at(0.5 * (begin + end));
                if (!(hz > 0.0)) throw Error("No pitch is heard in that region; give it with --hz.");
            }
            data.frames = wavetableFromNote(sound, begin, end, hz, options->frames);
        }
        patch.set({options->source, "on"}, 1.0);
        patch.set({options->source, "wave"}, static_cast<double>(Wave::wavetable));
        patch.setData(options->source, data);
        writePatch(options->out, patch);
    });
}

void addPiece(CLI::App& app) {
    struct Options {
        std::string project;
        std::string output;
        bool references = false;
        bool alone = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("piece", "Write all cues of a project at their places, with its backing");
    command->add_option("PROJECT", options->project, "Project file (.facet)")->required();
    command->add_option("-o,--output", options->output, "Audio file to write: .wav or .flac")->required();
    command->add_flag("--references", options->references, "The references in place of the renders");
    command->add_flag("--without-backing", options->alone, "The cues alone");
    command->callback([options] {
        const Document document = loadProject(options->project).document;
        PieceMixer mixer(analysisRateHz);
        const PieceMix mixed = mixer.mix(document);
        const RecordingPtr backing = options->alone ? nullptr : mixer.backing(document);
        const PlacedSound& cues = options->references ? mixed.references : mixed.renders;
        if (cues.sound.frameCount() == 0 && !backing)
            throw Error("There is nothing to write: no cue of this project is heard in the piece.");
        const Recording piece = pieceWithBacking(cues, backing.get(), document.backingDb);
        writeAudio(options->output, piece,
                   fs::path(options->output).extension() == ".flac" ? SampleFormat::flac24 : SampleFormat::wavFloat);
        fmt::print("{:.2f} s, peak {:.1f} dBFS\n", piece.seconds(), dbFromGain(peakOf(piece)));
    });
}

void addChanges(CLI::App& app) {
    struct Options {
        std::string before;
        std::string after;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("changes", "List what sets two patches apart");
    command->add_option("BEFORE", options->before, "Patch file (JSON)")->required();
    command->add_option("AFTER", options->after, "Patch file (JSON)")->required();
    command->callback([options] {
        for (const PatchChange& change : changesBetween(readPatch(options->before), readPatch(options->after)))
            fmt::print("{}: {}{}{}\n", change.what, change.before, change.before.empty() ? "" : " → ", change.after);
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
        const Patch patch = readPatch(options->patch);
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

void addParams(CLI::App& app) {
    const auto json = std::make_shared<bool>(false);
    auto* command = app.add_subcommand("params", "List every parameter with its range and default");
    command->add_flag("--json", *json, "The patch format's JSON Schema on stdout");
    command->callback([json] {
        if (*json) {
            fmt::print("{}", patchSchema());
            return;
        }
        const auto print = [](const Patch& patch, const Address& address) {
            const auto& d = patch.descriptor(address);
            fmt::print("{:<38} {:<22} {:<34} {:<10} {}\n", address.text(), d.label, rangeText(d),
                       textOf(d, patch.value(address)), d.help);
        };
        // The empty patch, and one of each kind that patches may have besides; effects one by one, since no patch
        // holds one of every kind.
        Patch patch;
        for (const char* path : {"layer:a/lfo:a", "link:a", "macro:a"}) patch.add(path);
        for (const Address& address : patch.addresses()) print(patch, address);
        for (int k = 0; k < moduleKindCount; ++k) {
            const auto kind = static_cast<ModuleKind>(k);
            if (!isEffect(kind)) continue;
            Patch with;
            const std::string path = with.freePath(kind);
            with.add(path);
            for (const auto& d : parametersOf(kind)) print(with, {path, std::string(d.field)});
        }
    });
}

} // namespace facet::cli
