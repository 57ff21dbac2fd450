// sheet, macros, export: a patch as others read and play it.
#include "cli/commands.h"
#include "cli/input.h"
#include "core/analysis/profile.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/engine/inspect/preview.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"
#include "core/performance/midi_file.h"
#include "core/recipe/bundle.h"
#include "core/recipe/cycles.h"
#include "core/recipe/instrument_files.h"
#include "core/recipe/phrase_files.h"
#include "core/recipe/macros.h"
#include "core/recipe/sheet.h"
#include "core/recipe/sheet_file.h"

#ifdef FACET_PDF
#    include "app/print/pdf.h"
#endif
#include <CLI/CLI.hpp>
#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <memory>

namespace facet::cli {

namespace fs = std::filesystem;

namespace {

bool isKnownKind(const std::string& kind) {
#ifdef FACET_PDF
    if (kind == ".pdf") return true;
#endif
    return kind == ".html" || kind == ".md" || kind == ".txt";
}

void writePage(const fs::path& out, const Page& page, const Patch& patch) {
    const std::string kind = out.extension().string();
#ifdef FACET_PDF
    if (kind == ".pdf") {
        writePdf(out, page, patchToJson(patch));
        return;
    }
#endif
    writeWholeFile(out, kind == ".html" ? pageHtml(page, patchToJson(patch))
                        : kind == ".md" ? pageMarkdown(page)
                                        : pageText(page));
}

} // namespace

void addSheet(CLI::App& app) {
    struct Options : Listening {
        std::string patch, out, without, name, instrument;
        std::vector<std::string> others;
        int threads = hardwareThreads();
        bool silent = false, progress = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command =
        app.add_subcommand("sheet", "Write a patch as a page for people: rounded settings, what matters, the build");
    command->add_option("PATCH", options->patch, "Patch file, or a sheet that holds one")->required();
    command->add_option("--reference", options->reference,
                        "The recording it rebuilds; without, it is told by its own sound");
    options->addTo(*command);
    command->add_option("--out", options->out, "The page to write: .pdf, .html, .md or .txt")->required();
    command->add_option("--name", options->name, "What the sound is called; the patch's name when not given");
    command->add_option("--other", options->others, "Another patch for the recording, told where it is made otherwise")
        ->allow_extra_args(false);
    command->add_option("--without", options->without, "Facets set aside, for example space,width");
    command->add_option("--instrument", options->instrument,
                        "Description of an instrument whose settings are told besides");
    command->add_flag("--silent", options->silent, "No sounds in the page");
    command->add_flag("--progress", options->progress, "What is being done, on stderr");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->callback([options] {
        const fs::path out = options->out;
        const std::string kind = out.extension().string();
        if (!isKnownKind(kind))
            throw Error(fmt::format("“{}” is no kind of page; name it .pdf, .html, .md or .txt.", options->out));
        SheetSubject subject;
        subject.patch = readPatchOrSheet(options->patch);
        subject.name = !options->name.empty()        ? options->name
                       : !subject.patch.name.empty() ? subject.patch.name
                                                     : fs::path(options->patch).stem().string();
        subject.weights = weightsWithout(options->without);
        subject.sounds = !options->silent && kind == ".html";
        for (const std::string& each : options->others)
            subject.others.push_back({fs::path(each).stem().string(), readPatchOrSheet(each)});
        if (!options->instrument.empty()) subject.instrument = readInstrument(options->instrument);
        if (!options->reference.empty()) {
            const Heard heard = hear(*options);
            if (!heard.problem.empty()) fmt::print(stderr, "{}\n", heard.problem);
            subject.targets.push_back(moveTargetOf(heard, options->threads));
        }
        const StopOnSignal signals;
        Task task{.stop = signals.token(), .progress = {}};
        if (options->progress)
            task.progress = [](double done, std::string_view what) {
                fmt::print(stderr, "{:3.0f} %  {}\n", 100.0 * done, what);
            };
        const Sheet sheet = sheetOf(subject, options->threads, task);
        const Page page = pageOfSheet(sheet);
        writePage(out, page, sheet.recipe.patch);
        fmt::print("{:.1f} alike, in rounded values {:.1f}; {} values of {} are set.\n", sheet.recipe.exact,
                   sheet.recipe.likeness, valuesIn(sheet.recipe),
                   valuesIn(sheet.recipe) + sheet.recipe.hardlyMatter.size());
    });
}

namespace {

/// What a file holds, with a second to die away; four notes where none is named.
Performance phraseFor(const std::string& notes, const std::string& performance) {
    if (!performance.empty()) return readPerformance(performance);
    if (notes.empty()) return phraseOfSheet();
    Performance phrase = readMidi(notes);
    double end = 0.0;
    for (const Note& each : phrase.notes) end = std::max(end, each.end);
    phrase.frames = static_cast<int>(phrase.rateHz * (end + 1.0));
    return phrase;
}

} // namespace

void addMacros(CLI::App& app) {
    struct Options {
        std::string patch, performance, notes, out;
        std::vector<int> take;
        int threads = hardwareThreads();
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("macros", "Propose controls worth playing: brighter, longer, wider, wilder");
    command->add_option("PATCH", options->patch, "Patch file, or a sheet that holds one")->required();
    auto* notes = command->add_option("--notes", options->notes, "Standard MIDI File that is listened to");
    command->add_option("--performance", options->performance, "Performance file (JSON) that is listened to")
        ->excludes(notes);
    command->add_option("--take", options->take, "Which of them to put into the patch, 1 for the first; with --out")
        ->delimiter(',');
    command->add_option("--out", options->out, "Patch file to write with them");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->callback([options] {
        const StopOnSignal signals;
        Patch patch = readPatchOrSheet(options->patch);
        const Performance phrase = phraseFor(options->notes, options->performance);
        const auto macros = proposedMacros(patch, phrase, options->threads, {.stop = signals.token(), .progress = {}});
        if (macros.empty()) fmt::print("Nothing in this patch leads far in one direction.\n");
        int number = 0;
        for (const ProposedMacro& macro : macros) {
            fmt::print("{}. {} ({}):", ++number, macro.name, macro.changes);
            for (const auto& move : macro.moves)
                fmt::print("{} {}", &move == &macro.moves.front() ? "" : ",", move.words);
            fmt::print("\n");
        }
        for (const int each : options->take) {
            if (each < 1 || each > number) throw Error(fmt::format("There are {} macros to take.", number));
            patch = withMacro(std::move(patch), macros[static_cast<std::size_t>(each - 1)]);
        }
        if (!options->take.empty() && options->out.empty()) throw Error("Say with --out where to write the patch.");
        if (!options->out.empty()) writePatch(options->out, patch);
    });
}

void addExport(CLI::App& app) {
    struct Options {
        std::string patch, as, out, name, keys = "36:84", velocities, notes, performance, reference;
        int every = 4, threads = hardwareThreads();
        double hold = 2.0;
        bool noLoops = false, wav = false, progress = false, eachNote = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("export", "Write a patch for other programs: recorded notes, or its cycles");
    command->add_option("PATCH", options->patch, "Patch file, or a sheet that holds one")->required();
    command
        ->add_option(
            "--as", options->as,
            "sfz (a folder), sf2 (a file), wavetable (WAV, 2048 samples a cycle), phrase (a folder: the notes as they "
            "sound, without effects, and each layer), or bundle (a folder: patch, notes, sheet, phrase, and the "
            "recording)")
        ->required()
        ->check(CLI::IsMember({"sfz", "sf2", "wavetable", "phrase", "bundle"}));
    command->add_option("--reference", options->reference, "Of a bundle the recording that the patch rebuilds");
    command->add_option("--out", options->out, "The folder or file to write")->required();
    command->add_option("--name", options->name, "What the instrument is called; the patch's name when not given");
    command->add_option("--keys", options->keys, "Keys it plays, LOW:HIGH as MIDI numbers")->check(problemOfPair);
    command->add_option("--every", options->every, "Semitones from one recorded key to the next")
        ->check(CLI::Range(1, 24));
    command->add_option("--velocities", options->velocities, "Recorded velocities, for example 45,90,127");
    command->add_option("--hold", options->hold, "Seconds for which keys are held")->check(CLI::Range(0.2, 30.0));
    command->add_flag("--no-loops", options->noLoops, "Sounds that are held end where the recording does");
    auto* played = command->add_option("--notes", options->notes, "Standard MIDI File that a phrase plays");
    command->add_option("--performance", options->performance, "Performance that a phrase plays")->excludes(played);
    command->add_flag("--each-note", options->eachNote, "Of a phrase also each note by itself");
    command->add_flag("--wav", options->wav, "Samples as WAV instead of FLAC");
    command->add_flag("--progress", options->progress, "How far it is, on stderr");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->callback([options] {
        const Patch patch = readPatchOrSheet(options->patch);
        const std::string name = !options->name.empty() ? options->name
                                 : !patch.name.empty()  ? patch.name
                                                        : fs::path(options->patch).stem().string();
        if (options->as == "wavetable") {
            writeAudio(options->out, cyclesOf(patch), SampleFormat::wavFloat);
            return;
        }
        const SampleFormat format = options->wav ? SampleFormat::wav24 : SampleFormat::flac24;
        const StopOnSignal signals;
        Task task{.stop = signals.token(), .progress = {}};
        if (options->progress)
            task.progress = [](double done, std::string_view what) {
                fmt::print(stderr, "{:3.0f} %  {}\n", 100.0 * done, what);
            };
        if (options->as == "phrase") {
            const auto parts =
                partsOfPhrase(patch, phraseFor(options->notes, options->performance), {.eachNote = options->eachNote});
            writePhrase(options->out, parts, format, task);
            fmt::print("{} files.\n", parts.size());
            return;
        }
        if (options->as == "bundle") {
            SheetSubject subject;
            subject.name = name;
            subject.patch = patch;
            if (!options->reference.empty()) {
                Listening listening;
                listening.reference = options->reference;
                listening.notes = options->notes;
                listening.performance = options->performance;
                subject.targets.push_back(moveTargetOf(hear(listening), options->threads));
            }
            const Performance phrase = subject.targets.empty() ? phraseFor(options->notes, options->performance)
                                                               : subject.targets.front().performance;
            const Sheet sheet = sheetOf(subject, options->threads, task);
            Bundle bundle{patch, phrase, {}, pageOfSheet(sheet), sheet.recipe.patch, {}};
            for (const MoveTarget& each : subject.targets) bundle.references.push_back(each.reference);
            fmt::print("{} files.\n", writeBundle(options->out, bundle, task));
            return;
        }
        SampledRange range;
        const auto keys = parsePair(options->keys, "--keys");
        range.lowKey = static_cast<int>(keys.first);
        range.highKey = static_cast<int>(keys.second);
        range.everyKeys = options->every;
        range.holdSeconds = options->hold;
        range.loops = !options->noLoops;
        for (const std::string& each : CLI::detail::split(options->velocities, ',')) {
            if (each.empty()) continue;
            char* end = nullptr;
            range.velocities.push_back(std::strtod(each.c_str(), &end));
            if (*end != '\0') throw Error(fmt::format("“{}” is no velocity; give numbers from 1 to 127.", each));
        }
        const std::vector<SampledNote> notes = sampledNotes(patch, range, options->threads, task);
        if (options->as == "sfz")
            writeSfz(options->out, name, notes, format);
        else
            writeWholeFile(options->out, soundFontOf(name, notes));
        const auto looped =
            std::count_if(notes.begin(), notes.end(), [](const auto& each) { return each.loop.has_value(); });
        fmt::print("{} recorded notes, {} of them looped.\n", notes.size(), looped);
    });
}

} // namespace facet::cli
