// render, wavetable, changes, params, piece: what is made of patches.
#include "cli/commands.h"
#include "cli/input.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/evidence/wavetable.h"
#include "core/parameters/audition.h"
#include "core/parameters/changes.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/value_text.h"
#include "core/performance/midi_file.h"
#include "core/piece/piece_mixer.h"
#include "core/project/project_file.h"
#include "core/recipe/sheet_file.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <memory>

namespace facet::cli {

namespace fs = std::filesystem;

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
        const Patch patch = heardPart(readPatchOrSheet(options->patch), *options);
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
        Patch patch = options->patch.empty() ? Patch() : readPatchOrSheet(options->patch);
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
        for (const PatchChange& change :
             changesBetween(readPatchOrSheet(options->before), readPatchOrSheet(options->after)))
            fmt::print("{}: {}{}{}\n", change.what, change.before, change.before.empty() ? "" : " → ", change.after);
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

} // namespace facet::cli
