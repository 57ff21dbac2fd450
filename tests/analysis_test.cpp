#include "core/analysis/notes/chords.h"
#include "core/analysis/facets/harmonics.h"
#include "core/analysis/facets/level.h"
#include "core/analysis/notes/reading.h"
#include "core/analysis/notes/tuning.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/analysis/notes/tempo.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/performance/midi_file.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::demoFile;
using testing::sawAt;
using testing::soundOf;

std::vector<float> mono(double seconds, const std::function<double(double)>& value) {
    return soundOf(seconds, 48000, value).channels[0];
}

TEST(PitchTracking, FollowsTonesFromBassToTreble) {
    for (double hz : {32.703, 55.0, 110.0, 261.63, 523.25, 1046.5, 2093.0}) {
        const auto x = mono(0.6, [hz](double t) { return 0.4 * sawAt(hz, t); });
        const auto track = trackPitch(x);
        for (double at : {0.15, 0.3, 0.45})
            EXPECT_NEAR(centsBetween(hz, track.hz.at(at)), 0.0, 8.0) << hz << " at " << at;
        EXPECT_NEAR(centsBetween(hz, refinePitch(x, 0.3, hz * std::exp2(20.0 / 1200.0))), 0.0, 0.1) << hz;
        EXPECT_NEAR(centsBetween(hz, restingPitch(x, 0.1, 0.5, hz * 1.005)), 0.0, 0.1) << hz;
    }
}

TEST(PitchTracking, FindsAMissingFundamental) {
    // Partials 3 to 8 of 110 Hz alone still have the pitch of 110 Hz (periodicity).
    const auto x = mono(0.6, [](double t) {
        double sum = 0.0;
        for (int n = 3; n <= 8; ++n) sum += 0.1 * std::sin(2.0 * std::numbers::pi * 110.0 * n * t);
        return sum;
    });
    EXPECT_NEAR(centsBetween(110.0, trackPitch(x).hz.at(0.3)), 0.0, 10.0);
}

TEST(PitchTracking, AdmitsThatNoiseHasNone) {
    Random random(5);
    const auto x = mono(1.0, [&](double) { return random.between(-0.5, 0.5); });
    const auto track = trackPitch(x);
    const auto found =
        std::count_if(track.hz.values.begin(), track.hz.values.end(), [](float hz) { return isMeasured(hz); });
    EXPECT_LT(found, static_cast<std::ptrdiff_t>(track.hz.values.size() / 5));
    const auto notes = findNotes(x);
    EXPECT_NE(notes.problem, "");
}

TEST(PartialLevels, AreThoseOfTheWaveform) {
    PartialMeter meter;
    const auto x = mono(0.6, [](double t) { return 0.5 * sawAt(220.0, t); });
    const Partials partials = meter.measure(x, 0.3, 220.4);
    for (int n = 1; n <= 40; ++n)
        EXPECT_NEAR(partials[static_cast<std::size_t>(n - 1)], textbookPartialDb(TextbookWave::saw, 0.5, n) - 6.02, 0.1)
            << n;
}

TEST(SourceFitting, NamesTextbookWaveforms) {
    PartialMeter meter;
    const auto series = [](double hz, const std::function<double(int)>& amplitude) {
        return mono(0.5, [hz, amplitude](double t) {
            double sum = 0.0;
            for (int n = 1; n * hz < 20000.0; ++n) sum += amplitude(n) * std::sin(2.0 * std::numbers::pi * n * hz * t);
            return 0.3 * sum;
        });
    };
    const double pi = std::numbers::pi;
    const auto nearest = [&](const std::vector<float>& x) { return fitSource(meter.measure(x, 0.25, 200.0), 200.0); };
    EXPECT_EQ(nearest(series(200.0, [](int n) { return 1.0 / n; })).wave, TextbookWave::saw);
    EXPECT_EQ(nearest(series(200.0, [](int n) { return n % 2 ? 1.0 / (n * n) : 0.0; })).wave, TextbookWave::triangle);
    EXPECT_EQ(nearest(series(200.0, [](int n) { return n == 1 ? 1.0 : 0.0; })).wave, TextbookWave::sine);
    for (double width : {0.1, 0.3, 0.5}) {
        const auto fit = nearest(series(200.0, [&](int n) { return std::sin(pi * n * width) / n; }));
        EXPECT_EQ(fit.wave, TextbookWave::pulse) << width;
        EXPECT_NEAR(fit.pulseWidth, width, 0.021) << width;
    }
}

TEST(LevelFitting, RecoversAnEnvelope) {
    // 6 ms attack, exponential decay to −8 dB with a time constant of 70 ms, 60 ms linear release.
    const double sustain = gainFromDb(-8.0);
    const auto envelope = [&](double t) {
        const double rise = std::min(1.0, t / 0.006);
        const double fall = sustain + (1.0 - sustain) * std::exp(-std::max(0.0, t - 0.006) / 0.07);
        return t < 0.0 ? 0.0 : rise * fall * std::clamp(1.0 - (t - 0.8) / 0.06, 0.0, 1.0);
    };
    const auto x = mono(1.2, [&](double t) { return envelope(t - 0.1) * sawAt(330.0, t); });
    const double smoothing = 2.0 / 330.0;
    const Track level = levelTrack(x, smoothing);
    for (double gate : {0.8, static_cast<double>(notMeasurable)}) {
        const LevelFit fit = fitLevel(level, smoothing, 0.1, gate, 1.2);
        EXPECT_NEAR(fit.attack, 0.006, 0.003);
        EXPECT_NEAR(fit.decayTime, 0.07, 0.011);
        EXPECT_NEAR(fit.sustainDb, -8.0, 1.0);
        EXPECT_NEAR(fit.gate, 0.8, 0.012);
        EXPECT_LT(fit.errorDb, 1.0);
    }
}

TEST(NoteFinding, FindsTheDemosNotes) {
    for (const char* name : {"airlock", "comet-tail"}) {
        const auto x = monoMix(atRate(readAudio(demoFile(std::string(name) + ".flac")), 48000));
        const FoundNotes found = findNotes(x);
        const Performance truth = readMidi(demoFile(std::string(name) + ".mid"));
        const Json json = parseJson(readWholeFile(demoFile(std::string(name) + ".json")));
        EXPECT_EQ(found.problem, "") << name;
        ASSERT_EQ(found.performance.notes.size(), truth.notes.size()) << name;
        EXPECT_NEAR(found.performance.tuningCents, json["tuning_cents"].get<double>(), 2.0) << name;
        for (std::size_t i = 0; i < truth.notes.size(); ++i) {
            EXPECT_EQ(found.performance.notes[i].key, truth.notes[i].key) << name << i;
            EXPECT_NEAR(found.performance.notes[i].start, truth.notes[i].start, 0.005) << name << i;
            EXPECT_NEAR(found.performance.notes[i].end, truth.notes[i].end, 0.025) << name << i;
        }
        EXPECT_NEAR(tuningAgainst(x, truth), json["tuning_cents"].get<double>(), 2.0) << name;
    }
}

TEST(NoteFinding, SplitsLegatoByPitch) {
    double phase = 0.0;
    const auto x = mono(1.0, [&](double t) {
        phase += (t < 0.5 ? 220.0 : 330.0) / 48000.0;
        return 0.4 * (2.0 * (phase - std::floor(phase)) - 1.0) * (t < 0.05 ? 0.0 : 1.0);
    });
    const auto found = findNotes(x);
    ASSERT_EQ(found.performance.notes.size(), 2u);
    EXPECT_EQ(found.performance.notes[0].key, 57);
    EXPECT_EQ(found.performance.notes[1].key, 64);
    EXPECT_NEAR(found.performance.notes[1].start, 0.5, 0.015); // a rise in level would tell more exactly
}

/// A held tone whose pitch in cents re A3 is a function of time.
std::vector<float> toneOf(double seconds, const std::function<double(double)>& cents) {
    double phase = 0.0;
    return mono(seconds, [&](double t) {
        phase += 220.0 * std::exp2(cents(t) / 1200.0) / 48000.0;
        double sum = 0.0;
        for (int n = 1; n <= 10; ++n) sum += 0.3 / n * std::sin(2.0 * std::numbers::pi * n * phase);
        const double end = seconds - 0.2;
        return sum * std::clamp((t - 0.1) / 0.005, 0.0, 1.0) * std::clamp((end - t) / 0.02, 0.0, 1.0);
    });
}

TEST(NoteFinding, HitsWithoutAPitchBecomeNotes) {
    Random random(5);
    const auto found = findNotes(mono(1.6, [&](double t) {
        const double into = std::fmod(t, 0.5) - 0.1;
        return into < 0.0 || t > 1.5 ? 0.0 : random.between(-0.5, 0.5) * std::exp(-into / 0.03);
    }));
    ASSERT_EQ(found.performance.notes.size(), 3u);
    for (std::size_t i = 0; i < 3; ++i)
        EXPECT_NEAR(found.performance.notes[i].start, 0.1 + 0.5 * static_cast<double>(i), 0.005);
    EXPECT_NE(found.problem.find("No single clear pitch"), std::string::npos);
}

TEST(NoteFinding, VelocityIsLoudnessAndBrightness) {
    // Four notes: as the first, softer, darker at the same level, and an octave up.
    const auto found = findNotes(mono(2.4, [](double t) {
        const int which = std::min(3, static_cast<int>(t / 0.6));
        const double into = t - 0.6 * which;
        if (into > 0.4) return 0.0;
        const double hz = which == 3 ? 440.0 : 220.0;
        double sum = 0.0;
        double power = 0.0;
        for (int n = 1; n * hz < 8000.0; ++n) {
            const double level = std::pow(n, which == 2 ? -2.5 : -1.0);
            sum += level * std::sin(2.0 * std::numbers::pi * n * hz * into);
            power += level * level;
        }
        const double gain = (which == 1 ? 0.5 : 1.0) * 0.2 / std::sqrt(power);
        return gain * sum * std::min(1.0, into / 0.005) * std::min(1.0, (0.4 - into) / 0.02);
    }));
    const auto& notes = found.performance.notes;
    ASSERT_EQ(notes.size(), 4u);
    EXPECT_NEAR(notes[1].velocity, notes[0].velocity - 30.0, 3.0) << "6 dB softer";
    EXPECT_LT(notes[2].velocity, notes[0].velocity - 3.0) << "darker";
    EXPECT_NEAR(notes[3].velocity, notes[0].velocity, 6.0) << "brighter only as its key is higher";
}

TEST(NoteFinding, DrawsSlidesAsOverlaps) {
    for (double seconds : {0.05, 0.15}) {
        const auto found =
            findNotes(toneOf(1.6, [&](double t) { return 700.0 * std::clamp((t - 0.7) / seconds, 0.0, 1.0); }));
        const auto& notes = found.performance.notes;
        ASSERT_EQ(notes.size(), 2u) << seconds;
        EXPECT_EQ(notes[0].key, 57);
        EXPECT_EQ(notes[1].key, 64);
        EXPECT_NEAR(notes[1].start, 0.7, 0.01) << "where the way to it begins";
        EXPECT_GT(notes[0].end, notes[1].start);
        EXPECT_EQ(found.glides, 1);
        EXPECT_TRUE(found.performance.bends.empty());
        EXPECT_NE(found.evidence().find("slides"), std::string::npos);
    }
}

TEST(NoteFinding, DrawsBendsOfHeldNotes) {
    // Up two semitones and back, slowly.
    const auto course = [](double t) { return 200.0 * std::clamp(1.0 - std::abs(t - 1.0) / 0.4, 0.0, 1.0); };
    const auto found = findNotes(toneOf(2.0, course));
    ASSERT_EQ(found.performance.notes.size(), 1u);
    EXPECT_EQ(found.performance.notes[0].key, 57);
    EXPECT_NEAR(found.performance.notes[0].cents, 0.0, 8.0) << "the bend is not the note's";
    ASSERT_FALSE(found.performance.bends.empty());
    for (double t : {0.3, 0.8, 1.0, 1.2, 1.6}) EXPECT_NEAR(found.performance.bendAt(t), course(t), 20.0) << t;
    EXPECT_LT(found.performance.bends.size(), 16u);
    EXPECT_EQ(found.performance.bendAt(1.9), 0.0);
}

TEST(NoteFinding, LeavesVibratoAndSweepsToThePatch) {
    const auto vibrato =
        findNotes(toneOf(2.0, [](double t) { return 60.0 * std::sin(2.0 * std::numbers::pi * 5.5 * t); }));
    ASSERT_EQ(vibrato.performance.notes.size(), 1u);
    EXPECT_TRUE(vibrato.performance.bends.empty());
    const auto sweep = findNotes(toneOf(2.0, [](double t) { return 300.0 * std::exp(-(t - 0.1) / 0.08); }));
    ASSERT_EQ(sweep.performance.notes.size(), 1u);
    EXPECT_TRUE(sweep.performance.bends.empty());
}

/// Notes of equal saws through a gentle low-pass, as a sum of partials.
double chordAt(const std::vector<int>& keys, double t) {
    double sum = 0.0;
    for (int key : keys) {
        const double hz = hzFromKey(key);
        const double step = std::exp(-hz / 3000.0);
        double level = 0.1;
        for (int n = 1; n * hz < 8000.0; ++n)
            sum += (level *= step) / n * std::sin(2.0 * std::numbers::pi * hz * n * t + n * n);
    }
    return sum;
}

TEST(Chords, ArePartedIntoTheirNotes) {
    int right = 0;
    int found = 0;
    int played = 0;
    for (const std::vector<int>& keys : {std::vector{57, 61, 64},
                                         {57, 60, 64},
                                         {48, 52, 55},
                                         {48, 55, 64},
                                         {60, 62, 67},
                                         {57, 64},
                                         {52, 55, 60},
                                         {57, 61, 64, 67}}) {
        const auto x = mono(0.4, [&](double t) { return chordAt(keys, t); });
        played += static_cast<int>(keys.size());
        for (const SoundingNote& note : notesSoundingAt(x, 0.2)) {
            ++found;
            right += std::count(keys.begin(), keys.end(), std::lround(keyFromHz(note.hz))) > 0;
        }
    }
    const double precision = static_cast<double>(right) / found;
    const double recall = static_cast<double>(right) / played;
    EXPECT_GE(2.0 * precision * recall / (precision + recall), 0.9) << right << " of " << found << ", " << played;
}

TEST(Chords, AreNotHeardInSingleNotes) {
    for (int key : {28, 36, 45, 57, 69, 81, 93})
        for (int odd : {0, 1}) {
            const auto x = mono(0.4, [&](double t) {
                double sum = 0.0;
                for (int n = 1; n * hzFromKey(key) < 15000.0; n += 1 + odd)
                    sum += 0.2 / n * std::sin(2.0 * std::numbers::pi * hzFromKey(key) * n * t);
                return sum;
            });
            const auto notes = notesSoundingAt(x, 0.2);
            ASSERT_EQ(notes.size(), 1u) << key;
            EXPECT_EQ(std::lround(keyFromHz(notes[0].hz)), key);
        }
    EXPECT_TRUE(notesSoundingAt(mono(0.5, [](double) { return 0.0; }), 0.2).empty());
}

TEST(Chords, AreProposedBetweenOnsetsAndAdmitted) {
    const auto x = mono(2.4, [](double t) {
        const double since = std::fmod(t, 1.2);
        const double level = std::min(1.0, since / 0.004) * std::exp(-1.5 * since);
        return level * chordAt(t < 1.2 ? std::vector{57, 60, 64} : std::vector{53, 57, 60}, t);
    });
    const FoundNotes found = findNotes(x);
    EXPECT_NE(found.problem.find("several notes"), std::string::npos);
    ASSERT_EQ(found.performance.notes.size(), 6u);
    std::vector<int> keys;
    for (const Note& note : found.performance.notes) {
        keys.push_back(note.key);
        EXPECT_NEAR(note.start, keys.size() <= 3 ? 0.0 : 1.2, 0.02);
    }
    EXPECT_EQ(keys, (std::vector{57, 60, 64, 53, 57, 60}));
}

TEST(Tempos, AreThoseOfTheGrid) {
    // Sixteenths of a quarter of 60000/BPM ms (handbook arithmetic), 3 ms off at random, some left out.
    Random random(8);
    for (double tempo : {72.0, 96.0, 110.0, 128.0, 140.0, 174.0}) {
        std::vector<Note> notes;
        for (int i : {0, 2, 3, 6, 8, 11, 12, 14, 16, 20, 22, 23, 26, 28}) {
            const double start = 0.3 + i * 15.0 / tempo + random.between(-0.003, 0.003);
            notes.push_back({start, start + 0.1, 60, 0.0, 100.0});
        }
        const TempoEstimate estimate = estimateTempo(notes);
        // Simple ratios fit as well: what is asked is that sixteenths of one are notes of the other.
        const double ratio = estimate.beatsPerMinute / tempo;
        EXPECT_TRUE(std::abs(ratio - 1.0) < 0.005 || std::abs(ratio - 0.5) < 0.003 || std::abs(ratio - 2.0) < 0.01)
            << tempo << " " << estimate.beatsPerMinute;
        EXPECT_GT(estimate.confidence, 0.9);
    }
}

TEST(Tempos, OfTheDemoAreTheGenerators) {
    const auto found = findNotes(monoMix(atRate(readAudio(demoFile("comet-tail.flac")), 48000)));
    EXPECT_NEAR(found.performance.tempo, 120.0, 0.5);
}

TEST(Tempos, NeedStartsThatAgree) {
    EXPECT_EQ(estimateTempo({}).confidence, 0.0);
    EXPECT_EQ(estimateTempo({{0.0, 0.1, 60, 0.0, 100.0}, {0.5, 0.6, 60, 0.0, 100.0}}).confidence, 0.0);
    Random random(12);
    std::vector<Note> notes;
    double at = 0.0;
    for (int i = 0; i < 40; ++i) {
        at += random.between(0.08, 0.9);
        notes.push_back({at, at + 0.05, 60, 0.0, 100.0});
    }
    EXPECT_LT(estimateTempo(notes).confidence, 0.75);
}

// ---- repeats: gates and strikes ----

std::vector<float> bursts(bool runsOn, double every, int count) {
    return mono(every * count + 0.1, [=](double t) {
        const double since = std::fmod(t, every);
        if (t > every * count || since > 0.55 * every) return 0.0;
        const double edge = std::min({1.0, since / 0.003, (0.55 * every - since) / 0.003});
        return 0.4 * edge * sawAt(196.0, runsOn ? t : since + 0.0013 * std::floor(t / every));
    });
}

TEST(Gates, AreToldFromNotesStruckAgain) {
    const FoundNotes held = findNotes(bursts(true, 0.137, 10));
    ASSERT_EQ(held.performance.notes.size(), 1u) << "one oscillator that runs on";
    EXPECT_EQ(held.performance.notes[0].key, 55);
    EXPECT_NEAR(held.performance.notes[0].end, 1.3, 0.05);
    EXPECT_NE(held.evidence().find("one held note behind a gate"), std::string::npos);
    const FoundNotes struck = findNotes(bursts(false, 0.137, 10));
    EXPECT_EQ(struck.performance.notes.size(), 10u) << "each burst has a phase of its own";
    EXPECT_NE(struck.evidence().find("struck again"), std::string::npos);
}

TEST(Gates, NeedEnoughEvenBursts) {
    EXPECT_EQ(findNotes(bursts(true, 0.2, 3)).performance.notes.size(), 3u);
    EXPECT_EQ(findNotes(bursts(true, 0.9, 4)).performance.notes.size(), 4u) << "so slow they are notes to anybody";
}

TEST(NoteFinding, LeavesRepeatsOfAnEchoOut) {
    const FoundNotes found = findNotes(monoMix(atRate(readAudio(demoFile("comet-tail-echoes.flac")), 48000)));
    const Performance truth = readMidi(demoFile("comet-tail.mid"));
    ASSERT_EQ(found.performance.notes.size(), truth.notes.size());
    for (std::size_t i = 0; i < truth.notes.size(); ++i) {
        EXPECT_EQ(found.performance.notes[i].key, truth.notes[i].key) << i;
        EXPECT_NEAR(found.performance.notes[i].start, truth.notes[i].start, 0.01) << i;
    }
    EXPECT_NEAR(found.echoSeconds, 0.375, 0.001);
    EXPECT_NE(found.evidence().find("375 ms"), std::string::npos);
}

TEST(NoteFinding, TakesAFallingHitForOneNote) {
    const FoundNotes found = findNotes(monoMix(atRate(readAudio(demoFile("touchdown.flac")), 48000)));
    ASSERT_EQ(found.performance.notes.size(), 2u);
    EXPECT_NEAR(found.performance.notes[0].start, 0.0, 0.01);
    EXPECT_NEAR(found.performance.notes[1].start, 1.2, 0.01);
    EXPECT_EQ(found.performance.notes[1].key, 31);
}

TEST(Profiles, MeasureTheDemosTruth) {
    const Recording recording = readAudio(demoFile("comet-tail.flac"));
    Performance notes = readMidi(demoFile("comet-tail.mid"));
    notes.tuningCents = 14.0;
    notes.frames = recording.frameCount();
    notes.rateHz = recording.rateHz;
    const Profile profile = measureProfile(recording, notes);
    EXPECT_EQ(profile.source.wave, TextbookWave::pulse);
    EXPECT_NEAR(profile.source.pulseWidth, 0.3, 0.021);
    const Json truth = parseJson(readWholeFile(demoFile("comet-tail.json")));
    const auto& longest = profile.notes.back();
    EXPECT_NEAR(longest.level.attack, truth["envelope"]["attack_ms"].get<double>() / 1000.0, 0.003);
    EXPECT_NEAR(longest.level.decayTime, truth["decay_63_ms"].get<double>() / 1000.0,
                0.2 * truth["decay_63_ms"].get<double>() / 1000.0);
    EXPECT_NEAR(longest.level.sustainDb, dbFromGain(truth["envelope"]["sustain"].get<double>()), 1.0);
    // Effective cutoff along the longest note, within a quarter octave in the median.
    std::vector<float> errors;
    const auto& times = truth["effective_cutoff"]["seconds_after_start"];
    for (std::size_t i = 0; i < times.size(); ++i) {
        const double measured = profile.cutoffHz.at(longest.note.start + times[i].get<double>());
        if (isMeasured(measured))
            errors.push_back(
                static_cast<float>(std::abs(std::log2(measured / truth["effective_cutoff"]["hz"][i].get<double>()))));
    }
    EXPECT_LT(medianOf(errors), 0.25f);
}

TEST(Profiles, AnswerAStopRequest) {
    const Recording recording = readAudio(demoFile("airlock.flac"));
    Performance notes = readMidi(demoFile("airlock.mid"));
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(measureProfile(recording, notes, {}, {.stop = stop.get_token(), .progress = {}}), Cancelled);
}

} // namespace
} // namespace facet
