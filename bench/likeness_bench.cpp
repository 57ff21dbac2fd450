// How likeness answers to known changes: the calibration of docs/likeness.md.
//   build/release/bench/likeness_bench [--write docs/likeness.md]
// Renders of Facet's own engine are changed by known amounts, coded as MP3, shifted, and made anew with other seeds.
// Ends with exit code 1 when something asked is missed.
#include "bench/page.h"
#include "core/base/parallel.h"
#include "core/compare/comparison.h"
#include "core/engine/render.h"
#include "core/parameters/partial_table.h"
#include "tests/support/fixtures.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fmt/format.h>
#include <functional>
#include <sndfile.h>

namespace facet {
namespace {

using testing::fixtureNames;
using testing::fixturePatch;
using testing::fixturePhrase;

int missed = 0;
std::string report;

void say(const std::string& line) {
    report += line + "\n";
    std::fputs((line + "\n").c_str(), stdout);
    std::fflush(stdout);
}

std::string verdict(bool reached) {
    missed += !reached;
    return reached ? "yes" : "**no**";
}

/// A reference measured once.
struct Measured {
    Performance performance;
    Profile profile;
    explicit Measured(const Recording& sound, Performance notes)
        : performance(std::move(notes)), profile(measureProfile(sound, performance, {.threads = hardwareThreads()})) {}
    Comparison with(const Recording& other) const {
        return compare(profile,
                       measureProfile(other, performance, {.source = &profile.source, .threads = hardwareThreads()}));
    }
};

Performance phrase(std::uint64_t seed = 1) {
    Performance performance = fixturePhrase();
    performance.seed = seed;
    return performance;
}

// ---- known changes ----

struct Change {
    std::string name;
    Facet facet;
    Patch base;
    Address address;
    std::vector<double> values; ///< the first is the reference's, then further and further away
};

Patch tone() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 1200.0);
    patch.set({"layer:a/envelope:level", "decay"}, 500.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 60.0);
    patch.set({"layer:a/envelope:level", "release"}, 120.0);
    return patch;
}

Patch with(Patch patch, const std::vector<std::pair<Address, double>>& values) {
    for (const auto& [address, value] : values) {
        if (!patch.find(address.module)) patch.add(address.module);
        patch.set(address, value);
    }
    return patch;
}

/// Twelve kinds of change and a few more, each on a sound in which it matters.
std::vector<Change> changes() {
    const std::string source = "layer:a/source:a", other = "layer:a/source:b", filter = "layer:a/filter:a",
                      level = "layer:a/envelope:level", lfo = "layer:a/lfo:a";
    std::vector<Change> all;
    all.push_back({"Tuning, cents", Facet::pitch, tone(), {source, "cents"}, {0, 3, 6, 12, 25, 50, 99}});
    all.push_back({"Detune of two voices, cents",
                   Facet::motion,
                   with(tone(), {{{source, "voices"}, 2.0}, {{source, "detune"}, 6.0}}),
                   {source, "detune"},
                   {6, 7, 9, 12, 17, 24}});
    all.push_back({"Cutoff, Hz", Facet::brightness, tone(), {filter, "cutoff"}, {1200, 1300, 1500, 1900, 2800, 6000}});
    all.push_back({"Resonance, dB", Facet::brightness, tone(), {filter, "resonance"}, {0, 3, 6, 10, 15, 22}});
    all.push_back({"Attack, ms", Facet::level, tone(), {level, "attack"}, {2, 12, 30, 70, 160, 400}});
    all.push_back({"Decay, ms",
                   Facet::level,
                   with(tone(), {{{level, "sustain"}, 20.0}}),
                   {level, "decay"},
                   {500, 400, 300, 200, 120, 60}});
    all.push_back({"Release, ms", Facet::level, tone(), {level, "release"}, {120, 160, 220, 320, 500, 900}});
    {
        Patch vibrato = tone();
        vibrato.add(lfo);
        vibrato.set({lfo, "rate"}, 5.0);
        vibrato.add("link:a");
        ModuleData ends;
        ends.from = lfo;
        ends.to = source + "/cents";
        vibrato.setData("link:a", ends);
        vibrato.set({"link:a", "amount"}, 20.0);
        all.push_back({"Vibrato depth, cents", Facet::motion, vibrato, {"link:a", "amount"}, {20, 24, 30, 40, 55, 80}});
        Patch tremolo = vibrato;
        ends.to = "layer:a/level";
        tremolo.setData("link:a", ends);
        tremolo.set({"link:a", "amount"}, 3.0);
        all.push_back({"Tremolo depth, dB", Facet::motion, tremolo, {"link:a", "amount"}, {3, 3.6, 4.5, 6, 8, 11}});
    }
    {
        const std::string noise = other;
        const Patch noisy = with(
            tone(),
            {{{noise, "on"}, 1.0}, {{noise, "wave"}, static_cast<double>(Wave::noise)}, {{noise, "level"}, -30.0}});
        all.push_back({"Noise, dB", Facet::noise, noisy, {noise, "level"}, {-30, -27, -24, -20, -15, -9}});
    }
    {
        const Patch wide =
            with(tone(), {{{source, "voices"}, 5.0}, {{source, "detune"}, 9.0}, {{source, "spread"}, 80.0}});
        all.push_back({"Spread of voices, %", Facet::width, wide, {source, "spread"}, {80, 66, 50, 36, 20, 0}});
    }
    {
        const Patch echoing = with(tone(), {{{"delay:a", "on"}, 1.0},
                                            {{"delay:a", "time"}, 330.0},
                                            {{"delay:a", "feedback"}, 30.0},
                                            {{"delay:a", "mix"}, 45.0},
                                            {{level, "sustain"}, 0.0},
                                            {{level, "decay"}, 120.0}});
        all.push_back({"Echo level, mix %", Facet::space, echoing, {"delay:a", "mix"}, {45, 38, 30, 22, 14, 6}});
        all.push_back({"Echo time, ms", Facet::space, echoing, {"delay:a", "time"}, {330, 334, 340, 348, 360, 380}});
        const Patch ringing = with(tone(), {{{"reverb:a", "on"}, 1.0},
                                            {{"reverb:a", "mix"}, 35.0},
                                            {{"reverb:a", "decay"}, 1200.0},
                                            {{level, "sustain"}, 0.0},
                                            {{level, "decay"}, 120.0}});
        all.push_back({"Reverb, mix %", Facet::space, ringing, {"reverb:a", "mix"}, {35, 29, 22, 15, 8, 0}});
    }
    all.push_back({"Drive of a saturation, dB",
                   Facet::harmonics,
                   with(with(tone(), {{{source, "wave"}, static_cast<double>(Wave::sine)}, {{filter, "on"}, 0.0}}),
                        {{{"saturation:a", "on"}, 1.0}, {{"saturation:a", "drive"}, 6.0}}),
                   {"saturation:a", "drive"},
                   {6, 8, 11, 15, 20, 28}});
    all.push_back({"Glide, ms",
                   Facet::pitch,
                   with(tone(), {{{"voicing", "mode"}, 2.0}, {{"voicing", "glide"}, 60.0}}),
                   {"voicing", "glide"},
                   {60, 90, 130, 190, 280, 450}});
    return all;
}

void measureChanges() {
    say("| change of | values | likeness of the whole | of its facet | never rises |");
    say("|---|---|---|---|---|");
    for (const Change& change : changes()) {
        Patch base = change.base;
        base.set(change.address, change.values[0]);
        const Measured reference(render(base, phrase()), phrase());
        std::string values = fmt::format("{:g}", change.values[0]), whole, own;
        std::vector<double> likeness;
        for (std::size_t i = 0; i < change.values.size(); ++i) {
            Patch changed = change.base;
            changed.set(change.address, change.values[i]);
            const Comparison found = reference.with(render(changed, phrase()));
            const FacetComparison* facet = found.find(change.facet);
            likeness.push_back(found.likeness);
            if (i > 0) values += fmt::format(" {:g}", change.values[i]);
            whole += fmt::format("{}{:.0f}", i > 0 ? " " : "", found.likeness);
            own += facet->measured ? fmt::format("{}{:.0f}", i > 0 ? " " : "", facet->likeness) : " –";
        }
        bool falls = likeness.front() > 99.9;
        for (std::size_t i = 1; i < likeness.size(); ++i) falls = falls && likeness[i] <= likeness[i - 1] + 1e-9;
        falls = falls && likeness.back() < 85.0;
        say(fmt::format("| {} | {} | {} | {} | {} |", change.name, values, whole, own, verdict(falls)));
    }
    // One partial of a table.
    Patch table = tone();
    table.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::harmonics));
    table.set({"layer:a/filter:a", "on"}, 0.0);
    const auto withThird = [&](double db) {
        Patch patch = table;
        ModuleData held;
        held.partialsDb = sawPartials();
        held.partialsDb[2] += db;
        patch.setData("layer:a/source:a", held);
        return patch;
    };
    const Measured reference(render(withThird(0.0), phrase()), phrase());
    std::string whole, own;
    std::vector<double> likeness;
    for (double db : {0.0, -2.0, -4.0, -8.0, -14.0, -40.0}) {
        const Comparison found = reference.with(render(withThird(db), phrase()));
        likeness.push_back(found.likeness);
        whole += fmt::format("{:.0f} ", found.likeness);
        own += fmt::format("{:.0f} ", found.find(Facet::harmonics)->likeness);
    }
    const bool falls = std::is_sorted(likeness.rbegin(), likeness.rend()) && likeness.front() > 99.9;
    say(fmt::format("| Third partial, dB | 0 -2 -4 -8 -14 -40 | {}| {}| {} |", whole, own, verdict(falls)));
}

// ---- what must not count, and what must ----

Recording asMp3(const Recording& sound, int kbps) {
    const std::string path = "/tmp/facet-likeness-" + std::to_string(kbps) + ".mp3";
    SF_INFO info{};
    info.samplerate = sound.rateHz;
    info.channels = sound.channelCount();
    info.format = SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III;
    SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
    if (!file) throw std::runtime_error(sf_strerror(nullptr));
    int mode = SF_BITRATE_MODE_CONSTANT;
    sf_command(file, SFC_SET_BITRATE_MODE, &mode, sizeof mode);
    // libsndfile takes quality from 0 (320 kbit/s) to 1 (32 kbit/s) and chooses the rate nearest to it
    double quality = (320.0 - kbps) / (320.0 - 32.0);
    sf_command(file, SFC_SET_COMPRESSION_LEVEL, &quality, sizeof quality);
    std::vector<float> interleaved;
    for (int i = 0; i < sound.frameCount(); ++i)
        for (const auto& channel : sound.channels) interleaved.push_back(channel[static_cast<std::size_t>(i)]);
    sf_writef_float(file, interleaved.data(), sound.frameCount());
    sf_close(file);
    file = sf_open(path.c_str(), SFM_READ, &info);
    Recording back = sound;
    std::vector<float> read(static_cast<std::size_t>(info.frames * info.channels));
    const auto frames = static_cast<int>(sf_readf_float(file, read.data(), info.frames));
    sf_close(file);
    std::remove(path.c_str());
    for (int c = 0; c < back.channelCount(); ++c)
        for (int i = 0; i < back.frameCount(); ++i)
            back.channels[static_cast<std::size_t>(c)][static_cast<std::size_t>(i)] =
                i < frames ? read[static_cast<std::size_t>(i * info.channels + c)] : 0.0f;
    return back;
}

double percentile(std::vector<double> values, double share) {
    std::sort(values.begin(), values.end());
    return values[static_cast<std::size_t>(std::floor(share * static_cast<double>(values.size() - 1)))];
}

/// The facets that suffer, in words.
std::string worstOf(const Comparison& found) {
    std::string words;
    for (const auto& facet : found.facets)
        if (facet.measured && facet.likeness < 97.0)
            words += fmt::format("; {} {:.0f} ({:.2f}): {}", labelOf(facet.facet), facet.likeness, facet.difference,
                                 facet.words);
    return words;
}

void measureInvariance() {
    std::vector<double> coded, shifted, octave;
    for (const std::string& name : fixtureNames()) {
        const Patch patch = fixturePatch(name);
        const Recording sound = render(patch, phrase());
        const Measured reference(sound, phrase());
        const Comparison mp3 = reference.with(asMp3(sound, 192));
        coded.push_back(mp3.likeness);
        if (mp3.likeness < 95.0) std::fprintf(stderr, "%s as MP3%s\n", name.c_str(), worstOf(mp3).c_str());
        Recording late = withGain(sound, -12.0);
        for (auto& channel : late.channels) {
            channel.insert(channel.begin(), 330, 0.0f); // 6.9 ms
            channel.resize(static_cast<std::size_t>(sound.frameCount()));
        }
        const Comparison moved = reference.with(late);
        shifted.push_back(moved.likeness);
        if (moved.likeness < 97.0) std::fprintf(stderr, "%s shifted%s\n", name.c_str(), worstOf(moved).c_str());
        Performance higher = phrase();
        for (Note& note : higher.notes) note.key += 12;
        octave.push_back(reference.with(render(patch, higher)).likeness);
    }
    say("| over the fixtures | lowest | median | highest | asked | reached |");
    say("|---|---|---|---|---|---|");
    const auto line = [](const char* what, const std::vector<double>& all, const char* asked, bool reached) {
        say(fmt::format("| {} | {:.1f} | {:.1f} | {:.1f} | {} | {} |", what, percentile(all, 0.0), percentile(all, 0.5),
                        percentile(all, 1.0), asked, verdict(reached)));
    };
    line("itself as MP3, 192 kbit/s", coded, "≥ 95", percentile(coded, 0.0) >= 95.0);
    line("itself 12 dB softer and 6.9 ms late", shifted, "lowest ≥ 90, median ≥ 99",
         percentile(shifted, 0.0) >= 90.0 && percentile(shifted, 0.5) >= 99.0);
    line("played an octave too high", octave, "median < 40", percentile(octave, 0.5) < 40.0);
}

void measureSeeds() {
    // Whatever is drawn anew for each note by intention is another sound with another seed.
    const auto excluded = [](const std::string& name) { return name == "random-cluster"; };
    // Long enough for two beats of their voices.
    const auto phrase = [](std::uint64_t seed) {
        Performance performance = fixturePhrase();
        performance.notes = {{0.05, 4.0, 45, 0.0, 110.0}, {4.3, 7.3, 52, 0.0, 70.0}};
        performance.frames = static_cast<int>(8.3 * performance.rateHz);
        performance.seed = seed;
        return performance;
    };
    std::vector<double> all;
    for (const std::string& name : fixtureNames()) {
        const Patch patch = fixturePatch(name);
        std::vector<double> own;
        std::string worst;
        for (std::uint64_t first : {1u, 5u}) {
            const Measured reference(render(patch, phrase(first)), phrase(first));
            for (std::uint64_t seed = first + 1; seed < first + 4; ++seed) {
                const Comparison found = reference.with(render(patch, phrase(seed)));
                if (own.empty() || found.likeness <= *std::min_element(own.begin(), own.end())) worst = worstOf(found);
                own.push_back(found.likeness);
            }
        }
        if (percentile(own, 0.0) < 95.0)
            std::fprintf(stderr, "%s, another seed: %.1f to %.1f; %s\n", name.c_str(), percentile(own, 0.0),
                         percentile(own, 1.0), worst.c_str());
        if (!excluded(name)) all.insert(all.end(), own.begin(), own.end());
    }
    say("| two seeds of one patch | 10th percentile | median | asked | reached |");
    say("|---|---|---|---|---|");
    say(fmt::format("| {} pairs over the fixtures without random-cluster | {:.1f} | {:.1f} | ≥ 85, ≥ 95 | {} |",
                    all.size(), percentile(all, 0.1), percentile(all, 0.5),
                    verdict(percentile(all, 0.1) >= 85.0 && percentile(all, 0.5) >= 95.0)));
}

void write(const std::string& path) {
    if (!writeBetween(path, "calibration", report)) throw std::runtime_error(path + " has no place for it");
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    facet::measureChanges();
    facet::say("");
    facet::measureInvariance();
    facet::say("");
    facet::measureSeeds();
    if (argc == 3 && std::string(argv[1]) == "--write") facet::write(argv[2]);
    return facet::missed > 0;
}
