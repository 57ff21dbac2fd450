// moves, build: which changes lead to a recording, one by one.
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
#include "core/match/suggest/build.h"
#include "core/match/suggest/build_report.h"
#include "core/match/suggest/next_moves.h"
#include "core/parameters/patch_json.h"
#include "core/recipe/sheet_file.h"

#include <CLI/CLI.hpp>
#include <cctype>
#include <chrono>
#include <fmt/format.h>
#include <memory>

namespace facet::cli {

namespace fs = std::filesystem;

namespace {

/// "03-close-the-filter.wav"
std::string fileNameOf(std::size_t number, const std::string& title) {
    constexpr std::size_t longest = 40;
    std::string name;
    for (const char c : title) {
        if (name.size() >= longest) break;
        const bool plain = std::isalnum(static_cast<unsigned char>(c)) != 0 && static_cast<unsigned char>(c) < 128;
        if (plain)
            name += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        else if (!name.empty() && name.back() != '-')
            name += '-';
    }
    while (!name.empty() && name.back() == '-') name.pop_back();
    return fmt::format("{:02}-{}.wav", number, name.empty() ? "step" : name);
}

} // namespace

void addMoves(CLI::App& app) {
    struct Options : Listening {
        std::string patch, without, out, facet, module, instrument;
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
    command->add_option("--facet", options->facet, "Only what brings this facet closer, for example brightness");
    command->add_option("--module", options->module,
                        "Only what changes this module of the patch or moves it, for example layer:a/filter:a");
    command->add_option("--instrument", options->instrument,
                        "Description of an instrument: only what it can play is proposed, to the patch as it plays it");
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
        Patch patch = options->patch.empty() ? Patch() : readPatchOrSheet(options->patch);
        if (!options->instrument.empty()) {
            settings.instrument = std::make_shared<const Instrument>(readInstrument(options->instrument));
            patch = playedOn(*settings.instrument, patch);
        }
        for (const std::string& text : options->locks) {
            const Address address = Address::parse(text);
            patch.descriptor(address); // says so when there is no such parameter
            settings.limits.locks.insert(address);
        }
        if (!options->facet.empty()) settings.facet = facetOfWord(options->facet);
        if (!options->module.empty() && !patch.find(options->module))
            throw Error(fmt::format("The patch has no “{}”; say one of its modules, for example layer:a/filter:a.",
                                    options->module));
        settings.module = options->module;
        const MoveFinder finder({moveTargetOf(heard, options->threads)});
        finder.prepare(options->threads, {.stop = signals.token(), .progress = {}});
        const auto begin = std::chrono::steady_clock::now();
        const auto print = [](std::FILE* file, const NextMoves& moves) {
            for (const Move& move : moves.best) {
                const FacetGain& most = move.facets.front();
                fmt::print(file, "{}: {} {:.0f} → {:.0f}, whole {:.0f} → {:.0f}{}\n", move.what, labelOf(most.facet),
                           most.before, most.after, moves.before, move.likeness,
                           isMeasured(move.onceAll) ? fmt::format(", worth {:.0f} once all is there", move.onceAll)
                                                    : std::string());
                if (!move.why.empty()) fmt::print(file, "    {}.\n", move.why);
            }
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

void addBuild(CLI::App& app) {
    struct Options : Listening {
        std::string patch, audio;
        int threads = hardwareThreads();
        bool json = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("build", "Tell a patch step by step from the empty one, toward a recording");
    command->add_option("REF", options->reference, "The recording")->required();
    command->add_option("--patch", options->patch, "Patch file, for example what match has found")->required();
    options->addTo(*command);
    command->add_flag("--json", options->json, "As JSON, with the addresses and values of all that is set");
    command->add_option("--audio", options->audio, "Folder for a WAV file of each step, and of the empty patch");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->callback([options] {
        const StopOnSignal signals;
        const Task task{.stop = signals.token(), .progress = {}};
        const Patch patch = readPatchOrSheet(options->patch);
        const Heard heard = hear(*options);
        if (!heard.problem.empty()) fmt::print(stderr, "{}\n", heard.problem);
        if (heard.performance.notes.empty())
            throw Error("There are no notes to play: give them with --notes, or another recording.");
        BuildMaker maker({moveTargetOf(heard, options->threads)});
        const Build build = maker.make(patch, equalWeights, options->threads, task);
        if (!options->audio.empty()) {
            const fs::path folder = options->audio;
            std::error_code code;
            fs::create_directories(folder, code);
            if (code || !fs::is_directory(folder))
                throw Error(fmt::format("The folder “{}” cannot be made; choose another one.", options->audio),
                            code.message());
            writeAudio(folder / fileNameOf(0, "empty"), render(Patch(), heard.performance, task),
                       SampleFormat::wavFloat);
            for (std::size_t i = 0; i < build.steps.size(); ++i)
                writeAudio(folder / fileNameOf(i + 1, build.steps[i].title),
                           render(build.steps[i].patch, heard.performance, task), SampleFormat::wavFloat);
        }
        fmt::print("{}", options->json ? buildReport(build, patch) + "\n" : buildText(build));
    });
}

} // namespace facet::cli
