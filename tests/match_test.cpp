#include "core/analysis/notes/reading.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/random.h"
#include "core/dsp/envelope.h"
#include "core/engine/render.h"
#include "core/match/proposals/decaying_layer.h"
#include "core/match/starts/estimate.h"
#include "core/match/starts/hypotheses.h"
#include "core/match/optimize/level_finish.h"
#include "core/match/proposals/links.h"
#include "core/match/match.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/match/evidence/amplitude_shape.h"
#include "core/match/evidence/wavetable.h"
#include "core/match/report.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <complex>
#include <gtest/gtest.h>
#include <numbers>
#include <set>

namespace facet {
namespace {

const Address cutoff{"layer:a/filter:a", "cutoff"};

Patch target() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set(cutoff, 500.0);
    patch.set({"layer:a/filter:a", "envelope"}, 30.0);
    patch.set({"layer:a/envelope:filter", "decay"}, 400.0);
    patch.set({"layer:a/envelope:level", "decay"}, 300.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 40.0);
    patch.set({"layer:a/envelope:level", "release"}, 80.0);
    return patch;
}

Performance phrase() {
    Performance performance = testing::oneNote(48, 0.02, 0.5, 1.2, 44100);
    performance.notes.push_back({0.6, 0.85, 55, 0.0, 100.0});
    performance.normalize();
    return performance;
}

MatchSettings quick(int evaluations) {
    MatchSettings settings;
    settings.seconds = 0.0;
    settings.evaluations = evaluations;
    settings.threads = 2;
    return settings;
}

TEST(Matching, RecoversItsOwnSound) {
    const auto result = match(render(target(), phrase()), phrase(), quick(700));
    EXPECT_GT(result.best.likeness, 92.0);
    EXPECT_GT(result.best.likeness, result.before.comparison.likeness);
    EXPECT_LT(result.best.loss, 2.0);
    EXPECT_LE(result.evaluations, 700);
    EXPECT_EQ(result.best.patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::saw));
    const auto report = parseJson(matchReport(result));
    EXPECT_EQ(report["evaluations"], result.evaluations);
    EXPECT_TRUE(report["facets"].contains("brightness"));
    EXPECT_TRUE(report["likeness"].contains("floor"));
}

TEST(Matching, IsTheSameOnAnyNumberOfThreads) {
    const Recording reference = render(target(), phrase());
    MatchSettings one = quick(250);
    one.threads = 1;
    EXPECT_EQ(match(reference, phrase(), one).best.patch, match(reference, phrase(), quick(250)).best.patch);
}

TEST(Matching, LeavesLocksAlone) {
    MatchSettings settings = quick(300);
    settings.start.set(cutoff, 1234.0);
    settings.start.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::triangle));
    settings.limits.locks = {cutoff, {"layer:a/source:a", "wave"}, {"layer:a/source:b", "on"}};
    settings.limits.ranges[{"layer:a/filter:a", "resonance"}] = {0.0, 3.0};
    const auto result = match(render(target(), phrase()), phrase(), settings);
    for (const auto* scored : {&result.best, result.runnersUp.empty() ? &result.best : &result.runnersUp.front()}) {
        EXPECT_EQ(scored->patch.value(cutoff), 1234.0);
        EXPECT_EQ(scored->patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::triangle));
        EXPECT_EQ(scored->patch.value({"layer:a/source:b", "on"}), 0.0);
        const double resonance = scored->patch.value({"layer:a/filter:a", "resonance"});
        EXPECT_TRUE(resonance >= 0.0 - 1e-9 && resonance <= 3.0 + 1e-9) << resonance;
    }
}

TEST(Matching, StaysInTheMiddleWhereTheReferenceHasNoSides) {
    // Two channels that only their noise tells apart.
    Performance stereo = phrase();
    stereo.channelCount = 2;
    Recording reference = render(target(), stereo);
    ASSERT_EQ(reference.channelCount(), 2);
    Random random(1);
    for (auto& channel : reference.channels)
        for (float& sample : channel) sample += static_cast<float>(2e-4 * (random.unit() - 0.5));
    const Patch found = match(reference, stereo, quick(300)).best.patch;
    for (const Address& address : found.addresses())
        if (address.field == "pan" || address.field == "spread") {
            EXPECT_EQ(found.value(address), 0.0) << address.text();
        }
}

TEST(Matching, HasSomethingToHearBeforeAnythingIsRefined) {
    std::stop_source stop;
    double first = -1.0;
    std::string trying;
    const auto result = match(render(target(), phrase()), phrase(), quick(0),
                              {.stop = stop.get_token(), .progress = {}}, [&](const MatchProgress& now) {
                                  if (first >= 0.0) return;
                                  first = now.loss;
                                  trying = now.trying;
                                  stop.request_stop();
                              });
    EXPECT_EQ(trying.find("refining"), std::string::npos) << trying;
    EXPECT_LT(first, 0.5 * result.before.loss) << "far nearer than what it began with";
}

TEST(Matching, StoppedGivesTheBestSoFar) {
    std::stop_source stop;
    int reports = 0;
    const auto result = match(render(target(), phrase()), phrase(), quick(0),
                              {.stop = stop.get_token(), .progress = {}}, [&](const MatchProgress& now) {
                                  EXPECT_GE(now.evaluations, 1);
                                  EXPECT_FALSE(now.trying.empty());
                                  if (++reports == 4) stop.request_stop();
                              });
    EXPECT_FALSE(result.complete);
    EXPECT_GT(result.best.comparison.likeness, result.before.comparison.likeness);
}

TEST(Matching, OfALongPhraseSearchesWhatTellsMost) {
    // Half a minute, of which four seconds are enough; the marks are those of all of it.
    Performance played = testing::oneNote(48, 0.0, 1.0, 30.0, 44100);
    for (int n = 1; n < 24; ++n)
        played.notes.push_back({1.2 * n, 1.2 * n + 0.2 + 0.02 * n, 45 + 5 * (n % 3), 0.0, 80.0 + 5.0 * (n % 4)});
    played.normalize();
    const Recording reference = render(target(), played);
    const auto result = match(reference, played, quick(400));
    EXPECT_GT(result.best.likeness, 85.0);
    EXPECT_EQ(result.performance.notes.size(), 24u);
    const Profile whole = measureProfile(reference, played);
    const auto marked = score(result.best.patch, atRate(reference, 48000), whole, played, 1);
    EXPECT_NEAR(marked.likeness, result.best.comparison.likeness, 0.5);
}

TEST(Matching, RestsWhereOtherBeginningsCannotHelp) {
    // One value is free: there is nowhere else to begin, whatever the limit.
    MatchSettings settings = quick(100'000);
    settings.start = target();
    settings.start.set(cutoff, 2000.0);
    settings.start.set({"layer:a/envelope:level", "release"}, 500.0); // locked and wrong: it stays unlike
    for (const Address& address : settings.start.addresses())
        if (address != cutoff) settings.limits.locks.insert(address);
    const auto result = match(render(target(), phrase()), phrase(), settings);
    EXPECT_TRUE(result.complete);
    EXPECT_LT(result.best.likeness, 97.0);
    EXPECT_LT(result.evaluations, 3000);
    EXPECT_NEAR(std::log2(result.best.patch.value(cutoff) / 500.0), 0.0, 0.2);
}

TEST(LevelFinish, ComesCloserInWhatShapesLevels) {
    const Address sustain{"layer:a/envelope:level", "sustain"}, release{"layer:a/envelope:level", "release"};
    const Recording reference = render(target(), phrase());
    Performance played = phrase();
    played.rateHz = 48000;
    played.frames = static_cast<int>(std::lround(phrase().seconds() * 48000));
    const Loss loss(atRate(reference, 48000), played);
    Patch off = target();
    off.set(sustain, 60.0);
    off.set(release, 40.0);
    const auto differences = [&](const std::vector<Patch>& patches, const Difference& difference) {
        std::vector<Eigen::VectorXf> all;
        for (const Recording& each : renderAt48k(patches, played)) all.push_back(difference(loss, each));
        return all;
    };
    const auto levelsOf = [&](const Patch& patch) {
        return differences({patch}, [](const Loss& l, const Recording& r) { return l.levelDifference(r); })[0].norm();
    };
    const auto closer = withFittedLevels(off, {}, {}, differences, {});
    ASSERT_EQ(closer.size(), 3u);
    EXPECT_LT(levelsOf(closer[0]), 0.2 * levelsOf(off));
    EXPECT_LT(levelsOf(closer[1]), levelsOf(closer[2]));
    EXPECT_NEAR(closer[0].value(sustain), 40.0, 4.0);
    EXPECT_EQ(closer[0].value(cutoff), off.value(cutoff)) << "the filter is not asked";
    const auto obeying =
        withFittedLevels(off, {.locks = {release}, .ranges = {{sustain, {50.0, 90.0}}}}, {}, differences, {});
    EXPECT_EQ(obeying[0].value(release), 40.0);
    EXPECT_GE(obeying[0].value(sustain), 50.0);
}

TEST(Matching, SaysWhyItCannotBegin) {
    Performance silent = phrase();
    silent.notes.clear();
    EXPECT_NE(testing::sentenceOf([&] { match(render(target(), phrase()), silent, quick(10)); }).find("no notes"),
              std::string::npos);
    Recording zero{48000, {std::vector<float>(48000, 0.0f)}};
    EXPECT_NE(testing::sentenceOf([&] { match(zero, phrase(), quick(10)); }).find("silent"), std::string::npos);
}

TEST(Estimates, AlreadySoundAlike) {
    const Recording reference = render(target(), phrase());
    const Profile profile = measureProfile(reference, phrase());
    const Recording at48k = atRate(reference, 48000);
    const Hypothesis likeliest = hypothesesFor(profile, at48k, Patch()).front();
    EXPECT_EQ(likeliest.words, "saw, low-pass 24 dB");
    const auto empty = score(Patch(), at48k, profile, phrase(), 1);
    const auto estimated = score(likeliest.patch, at48k, profile, phrase(), 1);
    EXPECT_GT(estimated.likeness, empty.likeness + 15.0);
}

TEST(Estimates, HaveTheLevelFollowVelocityAsItDoes) {
    Performance dynamics = testing::oneNote(48, 0.02, 0.4, 1.8);
    dynamics.notes = {{0.02, 0.4, 48, 0.0, 110.0}, {0.6, 1.0, 48, 0.0, 50.0}, {1.2, 1.6, 48, 0.0, 80.0}};
    Patch followed;
    followed.set({"layer:a", "velocity"}, 16.0);
    const Recording sound = render(followed, dynamics);
    EXPECT_NEAR(estimate(measureProfile(sound, dynamics), {}).value({"layer:a", "velocity"}), 16.0, 1.0);
    // Velocities that were found tell the levels they were found by.
    const Performance found = findNotes(sound.channels[0]).performance;
    ASSERT_EQ(found.notes.size(), 3u);
    const Patch heard = estimate(measureProfile(sound, found), {});
    const double perVelocity = heard.value({"layer:a", "velocity"}) / 127.0;
    EXPECT_NEAR(perVelocity * (found.notes[0].velocity - found.notes[1].velocity), 60.0 * 16.0 / 127.0, 1.0);
    // Where nothing differs the level follows nothing.
    dynamics.notes[1].velocity = dynamics.notes[2].velocity = 110.0;
    EXPECT_EQ(estimate(measureProfile(render(followed, dynamics), dynamics), {}).value({"layer:a", "velocity"}), 0.0);
}

TEST(SearchSpaces, HoldOnlyWhatIsHeard) {
    Patch patch;
    const auto has = [&](const Address& address) {
        const auto all = SearchSpace(patch, {}, {.width = false}).addresses();
        return std::find(all.begin(), all.end(), address) != all.end();
    };
    EXPECT_FALSE(has(cutoff));
    EXPECT_FALSE(has({"layer:a/source:a", "width"}));
    EXPECT_FALSE(has({"layer:a/source:a", "detune"}));
    EXPECT_FALSE(has({"layer:a/source:a", "pan"}));
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/source:a", "wave"}, 3.0);
    patch.set({"layer:a/source:a", "voices"}, 2.0);
    EXPECT_TRUE(has(cutoff));
    EXPECT_TRUE(has({"layer:a/source:a", "width"}));
    EXPECT_TRUE(has({"layer:a/source:a", "detune"}));
    const SearchSpace space(patch, {}, {});
    const Patch again = space.patchAt(patch, space.positionOf(patch));
    EXPECT_NEAR(again.value({"layer:a/source:a", "width"}), patch.value({"layer:a/source:a", "width"}), 1e-6);
}

TEST(SearchSpaces, KnowWhatThePhraseTells) {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    const auto has = [&](const Address& address, const Identifiable& shown) {
        const auto all = SearchSpace(patch, {}, shown).addresses();
        return std::find(all.begin(), all.end(), address) != all.end();
    };
    const Address tracking{"layer:a/filter:a", "key_tracking"}, velocity{"layer:a", "velocity"};
    EXPECT_TRUE(has(tracking, {}));
    EXPECT_FALSE(has(tracking, {.keys = false}));
    EXPECT_TRUE(has(velocity, {}));
    EXPECT_FALSE(has(velocity, {.velocities = false}));
}

TEST(SearchSpaces, LeaveWhatStandsBeyondTheUsualWhereItIs) {
    Patch patch;
    patch.add("flanger:a");
    patch.set({"flanger:a", "on"}, 1.0);
    patch.set({"flanger:a", "rate"}, 0.0);
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "kind"}, static_cast<double>(FilterKind::ladder));
    patch.set({"layer:a/filter:a", "drive"}, -12.0);
    const SearchSpace space(patch, {}, {});
    const Patch same = space.patchAt(patch, space.positionOf(patch));
    for (const Address& address : patch.addresses())
        EXPECT_NEAR(same.value(address), patch.value(address), 1e-6) << address.text();
    EXPECT_GT(space.upper()(0), space.lower()(0));
}

TEST(SearchSpaces, MoveTheAmountsOfLinks) {
    Patch patch;
    patch.add("layer:a/lfo:a");
    patch.add("link:a");
    ModuleData ends;
    ends.from = "layer:a/lfo:a";
    ends.to = "layer:a/source:a/cents";
    patch.setData("link:a", ends);
    const Address amount{"link:a", "amount"};
    patch.setNearest(amount, 20.0);
    const SearchSpace space(patch, {}, {});
    const auto& all = space.addresses();
    const auto found = std::find(all.begin(), all.end(), amount);
    ASSERT_NE(found, all.end());
    const Eigen::Index i = found - all.begin();
    Eigen::VectorXd position = space.positionOf(patch);
    EXPECT_NEAR(space.patchAt(patch, position).value(amount), 20.0, 1e-6);
    position(i) = space.upper()(i);
    EXPECT_NEAR(space.patchAt(patch, position).value(amount), 120.0, 1e-6) << "cents, as far as is plausible";
    // With a range of its own it keeps to that.
    SearchLimits limits;
    limits.ranges[amount] = {-5.0, 5.0};
    const SearchSpace narrow(patch, limits, {});
    const auto place = std::find(narrow.addresses().begin(), narrow.addresses().end(), amount);
    position = narrow.positionOf(patch);
    EXPECT_NEAR(narrow.patchAt(patch, position).value(amount), 5.0, 1e-6);
    EXPECT_NE(place, narrow.addresses().end());
}

TEST(Hypotheses, CoverWhatASynthesizerCanDo) {
    const Recording reference = render(target(), phrase());
    const Recording at48k = atRate(reference, 48000);
    const auto all = hypothesesFor(measureProfile(reference, phrase()), at48k, Patch());
    const auto any = [&](auto&& is) {
        return std::any_of(all.begin(), all.end(), [&](const Hypothesis& h) { return is(h.patch); });
    };
    const std::string a = "layer:a/source:a";
    for (Wave wave :
         {Wave::sine, Wave::triangle, Wave::saw, Wave::pulse, Wave::harmonics, Wave::wavetable, Wave::noise})
        EXPECT_TRUE(any([&](const Patch& p) {
            return p.value({a, "wave"}) == static_cast<double>(wave);
        })) << static_cast<int>(wave);
    EXPECT_TRUE(any([&](const Patch& p) { return p.value({a, "voices"}) > 2.0; }));
    EXPECT_TRUE(any([&](const Patch& p) { return p.value({a, "sync"}) > 0.0; }));
    EXPECT_TRUE(
        any([&](const Patch& p) { return p.find("link:a") && p.find("link:a")->contents().to == a + "/phase"; }));
    for (const Hypothesis& each : all) EXPECT_EQ(each.words, structureText(each.patch));
    // Each can be made and heard.
    std::vector<Patch> patches;
    for (const Hypothesis& each : all) patches.push_back(each.patch);
    Performance played = phrase();
    played.frames = 44100;
    for (const Recording& sound : renderAt48k(patches, played)) EXPECT_GT(peakOf(sound), 1e-3f);
}

TEST(Estimates, AnswerATremoloWithAnLfo) {
    Patch patch = target();
    patch.set({"layer:a/envelope:level", "sustain"}, 100.0);
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "rate"}, 7.0);
    patch.set({"layer:a/lfo:a", "phase"}, 90.0);
    patch.add("link:a");
    ModuleData ends;
    ends.from = "layer:a/lfo:a";
    ends.to = "layer:a/level";
    patch.setData("link:a", ends);
    patch.setNearest({"link:a", "amount"}, 4.0);
    const Performance played = testing::oneNote(60, 0.1, 2.0, 2.4);
    const Profile profile = measureProfile(render(patch, played), played);
    const Patch answered = withMotion(profile, Patch());
    ASSERT_TRUE(answered.find("layer:a/lfo:a") && answered.find("link:a"));
    EXPECT_EQ(answered.find("link:a")->contents().to, "layer:a/level");
    EXPECT_NEAR(answered.value({"layer:a/lfo:a", "rate"}), 7.0, 0.1);
    EXPECT_NEAR(answered.value({"link:a", "amount"}), 4.0, 0.8);
    EXPECT_NEAR(answered.value({"layer:a/lfo:a", "phase"}), 90.0, 25.0) << "from the note's beginning";
    EXPECT_TRUE(withMotion(profile, answered).soundsLike(answered)) << "what moves already is left alone";
}

TEST(Estimates, AnswerAFallingPitchWithAnEnvelope) {
    Profile profile;
    for (double start : {0.0, 1.0}) {
        NoteProfile note;
        note.note = {start, start + 0.5, 36, 0.0, 100.0};
        note.sweepCents = 1900.0;
        note.sweepSeconds = 0.03;
        profile.notes.push_back(note);
    }
    const Patch answered = withMotion(profile, Patch());
    ASSERT_TRUE(answered.find("link:a"));
    EXPECT_EQ(answered.find("link:a")->contents().to, "layer:a/source:a/semitone");
    EXPECT_NEAR(answered.value({"link:a", "amount"}), 19.0, 1e-6);
    const std::string envelope = answered.find("link:a")->contents().from;
    EXPECT_EQ(answered.value({envelope, "sustain"}), 0.0);
    EXPECT_NEAR(answered.value({envelope, "decay"}) * SegmentCurve(5.0).timeConstantShare(), 30.0, 0.5);
    profile.notes[0].sweepCents = profile.notes[1].sweepCents = notMeasurable;
    EXPECT_TRUE(withMotion(profile, Patch()).soundsLike(Patch()));
}

TEST(Estimates, LetEveryLayerFallButItsNoise) {
    Profile profile;
    NoteProfile note;
    note.note = {0.0, 0.5, 36, 0.0, 100.0};
    note.sweepCents = 1200.0;
    note.sweepSeconds = 0.03;
    profile.notes.push_back(note);
    Patch layered;
    addDecayingLayer(layered, {Wave::sine, 1.0, -9.0, 250.0});
    Patch clicking;
    addDecayingLayer(clicking, {Wave::noise, 0.0, -12.0, 15.0});
    std::set<std::string> moved;
    const Patch answered = withMotion(profile, layered);
    for (const auto& module : answered.modules())
        if (module.kind == ModuleKind::link) moved.insert(module.contents().to);
    EXPECT_EQ(moved, (std::set<std::string>{"layer:a/source:a/semitone", "layer:b/source:a/semitone"}));
    moved.clear();
    const Patch clicked = withMotion(profile, clicking);
    for (const auto& module : clicked.modules())
        if (module.kind == ModuleKind::link) moved.insert(module.contents().to);
    EXPECT_EQ(moved, std::set<std::string>{"layer:a/source:a/semitone"});
}

TEST(Hypotheses, HoldDrumsWherePitchesFall) {
    Performance hits;
    hits.notes = {{0.05, 0.6, 36, 0.0, 100.0}, {0.8, 1.3, 36, 0.0, 100.0}};
    hits.frames = 72000;
    Patch drum;
    drum.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
    drum.set({"layer:a/filter:a", "on"}, 0.0);
    drum.set({"layer:a/envelope:level", "decay"}, 400.0);
    drum.set({"layer:a/envelope:level", "sustain"}, 0.0);
    const auto withClicks = [&](const Patch& patch) {
        const Recording reference = render(patch, hits);
        const auto all = hypothesesFor(measureProfile(reference, hits), reference, Patch());
        return std::count_if(all.begin(), all.end(),
                             [](const Hypothesis& each) { return each.patch.find("layer:b") != nullptr; });
    };
    EXPECT_EQ(withClicks(drum), 0);
    const std::string envelope = drum.freePath(ModuleKind::envelope, "layer:a");
    drum.add(envelope);
    drum.set({envelope, "attack"}, 0.0);
    drum.set({envelope, "decay"}, 120.0);
    drum.set({envelope, "sustain"}, 0.0);
    addLink(drum, envelope, "layer:a/source:a/semitone", 24.0);
    EXPECT_EQ(withClicks(drum), 3) << "plain and driven ones, each with a click";
}

TEST(Hypotheses, HoldTheIntervalAndTheRatioOfTwoSources) {
    const std::string first = "layer:a/source:a", second = "layer:a/source:b";
    const Performance played = testing::oneNote(60, 0.1, 1.2, 1.6);
    const auto count = [&](const Patch& patch, auto&& is) {
        const Recording reference = render(patch, played);
        const auto all = hypothesesFor(measureProfile(reference, played), reference, Patch());
        return std::count_if(all.begin(), all.end(), [&](const Hypothesis& each) { return is(each.patch); });
    };
    const auto isAFourthBelow = [&](const Patch& patch) {
        return patch.value({second, "on"}) > 0.5 && patch.value({second, "semitone"}) == -5.0;
    };
    Patch saws;
    EXPECT_EQ(count(saws, isAFourthBelow), 0);
    saws.set({second, "on"}, 1.0);
    saws.set({second, "octave"}, -1.0);
    saws.set({second, "semitone"}, 7.0);
    EXPECT_GE(count(saws, isAFourthBelow), 2) << "of other waves";

    Patch ring;
    ring.set({first, "wave"}, static_cast<double>(Wave::sine));
    ring.set({first, "amplitude"}, 0.0);
    ring.set({second, "on"}, 1.0);
    ring.set({second, "wave"}, static_cast<double>(Wave::sine));
    ring.set({second, "level"}, -60.0);
    ring.set({second, "ratio_over"}, 10.0);
    ring.set({second, "ratio_under"}, 3.0);
    ring.set({"layer:a/filter:a", "on"}, 0.0);
    addLink(ring, second, first + "/amplitude", 100.0);
    EXPECT_GE(count(ring,
                    [&](const Patch& patch) {
                        return patch.find("link:a") && patch.find("link:a")->contents().to == first + "/amplitude" &&
                               patch.value({second, "ratio_over"}) == 10.0 &&
                               patch.value({second, "ratio_under"}) == 3.0;
                    }),
              1);
}

TEST(Hypotheses, HoldTheCourseOfAPulseWidthAndOfAPhaser) {
    const std::string source = "layer:a/source:a";
    const Performance played = testing::oneNote(48, 0.1, 2.1, 2.6);
    const auto measured = [&](const Patch& patch) {
        const Recording reference = render(patch, played);
        auto all = hypothesesFor(measureProfile(reference, played), reference, Patch());
        std::erase_if(all,
                      [](const Hypothesis& each) { return !each.measured || each.words.starts_with("wavetable"); });
        return all;
    };
    Patch plain;
    EXPECT_TRUE(measured(plain).empty());

    Patch wide = plain;
    wide.set({source, "wave"}, static_cast<double>(Wave::pulse));
    wide.set({source, "width"}, 32.0);
    const std::string lfo = wide.freePath(ModuleKind::lfo, "layer:a");
    wide.add(lfo);
    wide.set({lfo, "rate"}, 1.7);
    addLink(wide, lfo, source + "/width", 14.0);
    const auto pulses = measured(wide);
    ASSERT_FALSE(pulses.empty());
    EXPECT_NE(pulses.front().words.find("moving width"), std::string::npos) << pulses.front().words;
    EXPECT_NEAR(pulses.front().patch.value({source, "width"}), 32.0, 2.0);
    EXPECT_NEAR(pulses.front().patch.value({lfo, "rate"}), 1.7, 0.05);
    EXPECT_NEAR(std::abs(pulses.front().patch.value({"link:a", "amount"})), 14.0, 2.0);

    Patch phased = plain;
    const std::string phaser = phased.freePath(ModuleKind::phaser);
    phased.add(phaser);
    for (const auto& [field, value] : {std::pair{"on", 1.0},
                                       {"stages", 4.0},
                                       {"rate", 0.6},
                                       {"center", 700.0},
                                       {"depth", 11.0},
                                       {"feedback", 0.0},
                                       {"mix", 50.0}})
        phased.set({phaser, field}, value);
    const auto phasers = measured(phased);
    ASSERT_FALSE(phasers.empty());
    EXPECT_EQ(phasers.front().patch.value({phaser, "stages"}), 4.0);
    EXPECT_NEAR(phasers.front().patch.value({phaser, "rate"}), 0.6, 0.03);
    EXPECT_NEAR(std::log2(phasers.front().patch.value({phaser, "center"}) / 700.0), 0.0, 0.15);
    EXPECT_NEAR(phasers.front().patch.value({phaser, "depth"}), 11.0, 1.5);
}

TEST(Estimates, AnswerAnEchoWithADelay) {
    Profile profile;
    profile.space.echo = {
        .seconds = 0.375, .levelDb = -6.02, .feedbackDb = -6.02, .side = -0.8, .secondSide = 0.8, .confidence = 0.9};
    const Patch patch = estimate(profile, Patch());
    EXPECT_EQ(patch.value({"delay:a", "on"}), 1.0);
    EXPECT_NEAR(patch.value({"delay:a", "time"}), 375.0, 0.01);
    EXPECT_NEAR(patch.value({"delay:a", "mix"}), 100.0 / 3.0, 0.1) << "wet half as loud as dry";
    EXPECT_NEAR(patch.value({"delay:a", "feedback"}), 50.0, 0.1);
    EXPECT_EQ(patch.value({"delay:a", "cross"}), 1.0);
    EXPECT_NE(structureText(patch).find("delay"), std::string::npos);
    // The producer's own delay stays what it is; an unsure echo adds none.
    Patch own;
    own.add("delay:x");
    EXPECT_FALSE(estimate(profile, own).find("delay:a"));
    profile.space.echo.confidence = 0.2;
    EXPECT_FALSE(estimate(profile, Patch()).find("delay:a"));
}

// ---- wavetables ----

/// Level in dB of a partial of one cycle.
double partialOfCycle(const std::vector<float>& table, std::size_t frame, int n) {
    std::complex<double> sum = 0.0;
    for (int i = 0; i < tableFrameSamples; ++i)
        sum += static_cast<double>(table[frame * tableFrameSamples + static_cast<std::size_t>(i)]) *
               std::polar(2.0 / tableFrameSamples, -2.0 * std::numbers::pi * n * i / tableFrameSamples);
    return 20.0 * std::log10(std::abs(sum) + 1e-9);
}

TEST(Wavetables, AreTakenOutOfANoteAsItChanges) {
    // Partials 1 to 6 at A2 and 13 cents; the upper ones fade in over the note, each with its own phase.
    const double hz = 110.0 * std::exp2(13.0 / 1200.0);
    const auto amplitude = [](int n, double t) { return n <= 2 ? 0.3 / n : 0.3 / n * t; };
    const Recording note = testing::soundOf(1.0, 44100, [&](double t) {
        double sum = 0.0;
        for (int n = 1; n <= 6; ++n)
            sum += amplitude(n, t) * std::sin(2.0 * std::numbers::pi * n * hz * t + 0.7 * n * n);
        return sum;
    });
    const auto table = wavetableFromNote(note, 0.0, 1.0, 110.0, 5); // the pitch is given roughly only
    ASSERT_EQ(table.size(), 5u * tableFrameSamples);
    for (std::size_t f = 0; f < 5; ++f) {
        const double half = 3.0 / hz; // of the window
        const double t = half + (1.0 - 2.0 * half) * static_cast<double>(f) / 4.0;
        for (int n = 2; n <= 6; ++n)
            EXPECT_NEAR(partialOfCycle(table, f, n) - partialOfCycle(table, f, 1),
                        20.0 * std::log10(amplitude(n, t) / amplitude(1, t)), 0.5)
                << f << " " << n;
        EXPECT_LT(partialOfCycle(table, f, 9) - partialOfCycle(table, f, 1), -55.0);
        // Every cycle begins where its first partial crosses zero.
        std::complex<double> first = 0.0;
        for (int i = 0; i < tableFrameSamples; ++i)
            first += static_cast<double>(table[f * tableFrameSamples + static_cast<std::size_t>(i)]) *
                     std::polar(1.0, -2.0 * std::numbers::pi * i / tableFrameSamples);
        EXPECT_NEAR(std::remainder(std::arg(first) + std::numbers::pi / 2.0, 2.0 * std::numbers::pi), 0.0, 0.02);
    }
    EXPECT_THROW(wavetableFromNote(note, 0.1, 0.12, 110.0, 4), Error);
    EXPECT_THROW(wavetableFromNote(testing::soundOf(1.0, 44100, [](double) { return 0.0; }), 0.0, 1.0, 110.0, 4),
                 Error);
}

TEST(Wavetables, ComeFromFiles) {
    const auto cycles = [](int samples, double periods) {
        return testing::soundOf(static_cast<double>(samples) / 48000, 48000, [=](double t) {
            return 1.5 * std::sin(2.0 * std::numbers::pi * periods * t * 48000 / samples);
        });
    };
    const auto three = wavetableFromFile(cycles(3 * tableFrameSamples, 3.0));
    ASSERT_EQ(three.size(), 3u * tableFrameSamples);
    EXPECT_NEAR(partialOfCycle(three, 2, 1), 0.0, 0.01) << "brought back to full scale";
    const auto single = wavetableFromFile(cycles(601, 1.0)); // one cycle of an odd length
    ASSERT_EQ(single.size(), static_cast<std::size_t>(tableFrameSamples));
    EXPECT_NEAR(partialOfCycle(single, 0, 1), 0.0, 0.01);
    EXPECT_LT(partialOfCycle(single, 0, 2), -80.0);
    EXPECT_THROW(wavetableFromFile(cycles(100000, 5.0)), Error);
    EXPECT_THROW(wavetableFromFile(testing::soundOf(0.1, 48000, [](double) { return 0.0; })), Error);
}

TEST(ShapesOfANote, AreThoseOfItsGate) {
    // A tone of 110 Hz that is open for a third of each eighth at 120 beats a minute (4 Hz), and 20 dB softer else.
    const auto gated = testing::soundOf(2.0, 48000, [](double t) {
        const bool open = std::fmod(t * 4.0, 1.0) < 1.0 / 3.0;
        return (open ? 0.5 : 0.05) * std::sin(2.0 * std::numbers::pi * 110.0 * t);
    });
    const auto shape = amplitudeShapeOf(gated, 0.0, 2.0, 110.0);
    ASSERT_TRUE(shape);
    EXPECT_NEAR(shape->hz, 4.0, 0.02);
    EXPECT_NEAR(shape->depthDb, 20.0, 2.0);
    EXPECT_GT(shape->confidence, 0.8);
    // Begun where the note begins, it is open as long as the gate was, at the same time.
    const auto valueAt = [&](double seconds) {
        double place = seconds * shape->hz + shape->phase;
        place -= std::floor(place);
        const auto& p = shape->points;
        for (std::size_t i = 1; i < p.size(); ++i)
            if (place <= p[i].place)
                return p[i - 1].value + (p[i].value - p[i - 1].value) * (place - p[i - 1].place) /
                                            std::max(1e-9, p[i].place - p[i - 1].place);
        return p.back().value;
    };
    for (double t : {0.04, 0.05, 0.29, 0.54, 1.04}) EXPECT_GT(valueAt(t), 0.75) << t;
    for (double t : {0.13, 0.18, 0.2, 0.43, 1.18}) EXPECT_LT(valueAt(t), 0.3) << t;
    EXPECT_FALSE(amplitudeShapeOf(testing::soundOf(1.0, 48000, [](double t) { return 0.3 * std::sin(691.0 * t); }), 0.0,
                                  1.0, 110.0))
        << "a level that stands";
    EXPECT_FALSE(amplitudeShapeOf(testing::soundOf(1.0, 48000, [](double) { return 0.0; }), 0.0, 1.0, 110.0));
}

TEST(PartialsOfANote, AreThoseItWasMadeOf) {
    const PartialLevels made{-6.0, absentPartialDb, 0.0, -20.0, absentPartialDb, -33.0};
    const Recording sound = testing::soundOf(1.0, 44100, [&](double t) {
        double sum = 0.0;
        for (std::size_t n = 0; n < made.size(); ++n)
            if (made[n] > absentPartialDb)
                sum +=
                    std::pow(10.0, made[n] / 20.0) *
                    std::sin(2.0 * std::numbers::pi * 220.0 * static_cast<double>(n + 1) * t + static_cast<double>(n));
        return 0.3 * sum;
    });
    const PartialLevels found = partialsFromNote(sound, 0.1, 0.9, 220.0);
    for (int n = 1; n <= 8; ++n) {
        if (partialLevel(made, n) > absentPartialDb)
            EXPECT_NEAR(partialLevel(found, n), partialLevel(made, n), 0.2) << n;
        else
            EXPECT_LT(partialLevel(found, n), -65.0) << n;
    }
    EXPECT_THROW(partialsFromNote(testing::soundOf(1.0, 48000, [](double) { return 0.0; }), 0.1, 0.9, 220.0), Error);
}

} // namespace
} // namespace facet
