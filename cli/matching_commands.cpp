// match, bank: what comes closest to a recording.
#include "cli/commands.h"
#include "cli/input.h"
#include "core/analysis/profile.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/instruments/played_on.h"
#include "core/match/heard_elements.h"
#include "core/match/match.h"
#include "core/match/proposals/added_element.h"
#include "core/match/out_of_reach.h"
#include "core/match/report.h"
#include "core/match/starts/estimate.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/value_text.h"
#include "core/performance/midi_file.h"
#include "core/recipe/sheet_file.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <memory>
#include <stop_token>
#include <sstream>
#include <unistd.h>

namespace facet::cli {

namespace fs = std::filesystem;

namespace {

struct MatchOptions : Listening {
    std::string out;
    std::string start, instrument;
    std::vector<std::string> locks, ranges, leftOut;
    std::string focus, without, ruledOut, insisted, doWithout;
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

/// All parts of a search but those of a list.
SearchParts partsWithout(const std::string& list) {
    SearchParts parts;
    const std::map<std::string, bool*> names{{"prior", &parts.prior},
                                             {"stories", &parts.stories},
                                             {"story cost", &parts.storyCost},
                                             {"proposals", &parts.proposals}};
    for (const std::string& word : CLI::detail::split(list, ',')) {
        const std::string name = CLI::detail::trim_copy(word);
        if (name.empty()) continue;
        const auto found = names.find(name);
        if (found == names.end())
            throw Error(fmt::format(
                "“{}” is no part of the search; there are prior, proposals, stories and story cost.", name));
        *found->second = false;
    }
    return parts;
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

/// What each element of the found patch contributes; nothing where somebody waits for the end.
std::vector<HeardElement> contributionsOf(const MatchResult& result, int threads, const std::stop_token& stop) {
    try {
        return heardElements(result.best.patch, result.performance, threads, {.stop = stop, .progress = {}});
    } catch (const Cancelled&) {
    } catch (const Error&) {} // a render that cannot be measured: the report says it by its likeness
    return {};
}

void runMatch(const MatchOptions& options) {
    const StopOnSignal signals; // from the first moment: reading and finding notes take a while too
    const Heard heard = hear(options);
    if (!heard.problem.empty()) fmt::print(stderr, "{}\n", heard.problem);
    MatchSettings settings;
    if (!options.start.empty()) settings.start = readPatchOrSheet(options.start);
    for (const std::string& text : options.locks) {
        const Address address = Address::parse(text);
        settings.start.descriptor(address); // says so when there is no such parameter
        settings.limits.locks.insert(address);
    }
    for (const std::string& text : options.ranges) {
        const auto [address, range] = parseRange(text, settings.start);
        settings.limits.ranges[address] = range;
    }
    settings.limits.ruledOut = elementsOfWords(options.ruledOut);
    settings.limits.insisted = elementsOfWords(options.insisted);
    for (const Element each : settings.limits.insisted) {
        if (settings.limits.ruledOut.contains(each))
            throw Error(fmt::format("“{}” is insisted on and ruled out; decide for one.", wordOf(each)));
        if (!canBeAdded(each))
            throw Error(fmt::format("“{}” is taken from the recording; nothing else can be insisted on to have it.",
                                    wordOf(each)));
    }
    settings.weights = weightsWithout(options.without);
    if (!options.focus.empty()) {
        const auto [low, high] = parsePair(options.focus, "--focus");
        settings.focusLowHz = std::clamp(low, 20.0, 10000.0);
        settings.focusHighHz = std::clamp(high, 2.0 * settings.focusLowHz, 20000.0);
    }
    settings.parts = partsWithout(options.doWithout);
    if (!options.instrument.empty())
        settings.instrument = std::make_shared<const Instrument>(readInstrument(options.instrument));
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
    target.readings = heard.readings;
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
    const std::vector<HeardElement> made = contributionsOf(result, options.threads, signals.token());
    writeWholeFile(folder / "report.json", matchReport(result, made));
    fmt::print("{}: likeness {:.0f} (was {:.0f}), {}, {} renders in {:.1f} s{}\n", options.out, result.best.likeness,
               result.before.likeness, structureText(result.best.patch), result.evaluations, result.seconds,
               result.complete ? "" : ", stopped at its limit");
    for (const HeardElement& each : made) {
        if (!each.heard()) continue;
        const auto words = result.evidence.find(each.element.element);
        fmt::print("  {}{}{}\n", each.element.words,
                   each.element.without ? fmt::format(", {:.0f} less alike without it", each.cost) : std::string(),
                   words == result.evidence.end() ? std::string() : ": " + words->second);
    }
    if (settings.instrument) {
        fmt::print("On {}:\n", settings.instrument->name);
        for (const ControlSetting& each : settingsOn(*settings.instrument, result.best.patch))
            fmt::print("  {}: {}{}\n", each.control, each.text, each.value.empty() ? "" : " ≈ " + each.value);
        for (const Element each : outOfReach(result.evidence, result.odds, *settings.instrument))
            fmt::print("  {} cannot make it: {}, {}\n", settings.instrument->name, wordOf(each),
                       result.evidence.at(each));
    }
    for (const ReadingTrial& each : result.readings)
        fmt::print("Reading {}, {}: likeness {:.0f} in its trial{}\n", each.reading + 1, each.words, each.likeness,
                   each.reading == result.best.reading ? ", gone on with" : "");
    for (const Curve& curve : result.curves.front())
        fmt::print("{} moves over the phrase; performance.json has its curve.\n", curve.target);
    if (!result.unidentifiable.empty())
        fmt::print("Not determined by this recording, left as it was: {}.\n",
                   listOf(result.unidentifiable, result.best.patch));
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
    command->add_option("--instrument", options->instrument,
                        "Description of an instrument: the search keeps to what it can do");
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
    command->add_option(
        "--rule-out", options->ruledOut,
        "Elements that the patch may not have, for example \"fm, second source\" or \"effects\"; see elements");
    command->add_option("--insist", options->insisted,
                        "Elements that the patch has to have, for example \"noise, chorus\"; see elements");
    command->add_option("--do-without", options->doWithout,
                        "Parts of the search to do without, to measure what they are worth: prior, proposals, "
                        "stories, story cost");
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
                      "Begin with what measurements give alone, not with the seed bank (see “bank”)");
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

} // namespace facet::cli
