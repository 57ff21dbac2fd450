// What a search is made of besides itself: plausible patches and the bank of them, how sure values are, what could not
// be reached, variations.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/engine/render.h"
#include "core/compare/loss.h"
#include "core/match/optimize/certainty.h"
#include "core/match/search/curves.h"
#include "core/match/starts/estimate.h"
#include "core/match/optimize/linear_refit.h"
#include "core/match/proposals/links.h"
#include "core/match/match.h"
#include "core/match/starts/plausible_patch.h"
#include "core/match/proposals/recombination.h"
#include "core/match/optimize/refinement.h"
#include "core/match/report.h"
#include "core/match/starts/seed_bank.h"
#include "core/match/shortfall.h"
#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/link_proposals.h"
#include "core/match/proposals/space_proposals.h"
#include "core/match/proposals/voicing_proposals.h"
#include "core/match/proposals/catalogue.h"
#include "core/match/suggest/variations.h"
#include "core/parameters/relevance.h"
#include "tests/support/sounds.h"

#include <atomic>
#include <cmath>
#include <filesystem>
#include <gtest/gtest.h>
#include <memory>
#include <set>

namespace facet {
namespace {

const Address cutoff{"layer:a/filter:a", "cutoff"};
const Address release{"layer:a/envelope:level", "release"};

/// Everything of a patch that is part of its graph.
std::string graphOf(const Patch& patch) {
    std::string text;
    for (const Address& address : patch.addresses())
        if (patch.descriptor(address).smoothing == Smoothing::graph)
            text += address.text() + "=" + std::to_string(patch.value(address)) + " ";
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::link) text += module.contents().from + ">" + module.contents().to + " ";
    return text;
}

TEST(PlausiblePatch, IsTheSameForItsNumberAndHasOneGraphWithItsNeighbors) {
    EXPECT_TRUE(plausiblePatch(1234).soundsLike(plausiblePatch(1234)));
    std::set<std::string> graphs;
    for (std::uint64_t structure = 0; structure < 60; ++structure) {
        const std::string graph = graphOf(plausiblePatch(structure * plausiblePerStructure));
        for (int i = 1; i < plausiblePerStructure; ++i) {
            const Patch patch = plausiblePatch(structure * plausiblePerStructure + static_cast<std::uint64_t>(i));
            ASSERT_EQ(graphOf(patch), graph) << structure;
            ASSERT_FALSE(patch.soundsLike(plausiblePatch(structure * plausiblePerStructure)));
        }
        graphs.insert(graph);
    }
    EXPECT_GT(graphs.size(), 50u) << "structures differ";
}

TEST(PlausiblePatch, NearlyAllOfThemSound) {
    const Performance note = testing::oneNote(48, 0.02, 0.6, 0.8);
    int silent = 0;
    constexpr int count = 160;
    for (int i = 0; i < count; ++i) {
        const Recording sound = render(plausiblePatch(static_cast<std::uint64_t>(i) * 7), note);
        for (const auto& channel : sound.channels)
            for (float x : channel) ASSERT_TRUE(std::isfinite(x)) << i;
        silent += peakOf(sound) < 1e-3f;
    }
    EXPECT_LT(silent, count / 10);
}

Signature signatureOfPatch(const Patch& patch, int key, float gain = 1.0f, double upperHz = 20000.0) {
    Recording sound = render(patch, testing::oneNote(key, 0.02, 0.77, 1.2));
    for (auto& channel : sound.channels)
        for (float& x : channel) x *= gain;
    return *signatureOf(sound, 0.02, 0.77, 1.2, 440.0 * std::exp2((key - 69) / 12.0), upperHz);
}

TEST(Signature, IsDeafToGainAndPitchAndNotToTheSound) {
    Patch bright, dark;
    for (Patch* patch : {&bright, &dark}) {
        patch->set({"layer:a/filter:a", "on"}, 1.0);
        patch->set({"layer:a/filter:a", "key_tracking"}, 100.0);
        patch->set(cutoff, patch == &bright ? 4000.0 : 500.0);
    }
    const Signature here = signatureOfPatch(bright, 48);
    EXPECT_LT(here.distanceTo(signatureOfPatch(bright, 48, 0.05f)), 0.3);
    const double unlike = here.distanceTo(signatureOfPatch(dark, 48));
    EXPECT_GT(unlike, 8.0);
    EXPECT_LT(here.distanceTo(signatureOfPatch(bright, 60)), 0.5 * unlike);
    const Signature limited = signatureOfPatch(bright, 48, 1.0f, 3000.0);
    EXPECT_LT(limited.distanceTo(here), 0.3) << "what is unknown is not compared";
    EXPECT_GT(std::count(limited.levels.begin(), limited.levels.end(), Signature::unknown),
              std::count(here.levels.begin(), here.levels.end(), Signature::unknown));
    const Recording silence{48000, {std::vector<float>(48000, 0.0f)}};
    EXPECT_FALSE(signatureOf(silence, 0.1, 0.5, 1.0, 220.0, 20000.0));
}

class Bank : public ::testing::Test {
protected:
    static const SeedBank& small() {
        static const SeedBank bank = SeedBank().grownTo(640, 2);
        return bank;
    }
    std::filesystem::path file = std::filesystem::path(::testing::TempDir()) / "seed-bank";
};

TEST_F(Bank, FindsAPatchOfItsOwnByTheSoundAtAnotherPitch) {
    int found = 0, asked = 0;
    for (std::uint64_t number : {3u, 117u, 222u, 371u, 458u, 530u, 601u}) {
        const Patch patch = plausiblePatchAt(number, 440.0 * std::exp2((53 - 69) / 12.0));
        Performance note = testing::oneNote(53, 0.02, 0.77, 1.2);
        note.seed = 99; // other random phases
        const Recording sound = render(patch, note);
        const auto signature = signatureOf(sound, 0.02, 0.77, 1.2, 440.0 * std::exp2((53 - 69) / 12.0), 20000.0);
        if (!signature) continue;
        ++asked;
        const auto nearest = small().nearest(*signature, 8);
        ASSERT_EQ(nearest.size(), 8u);
        found += std::any_of(nearest.begin(), nearest.end(), [&](std::uint64_t each) {
            return each / plausiblePerStructure == number / plausiblePerStructure;
        });
    }
    EXPECT_GE(found, asked - 1) << "its structure is among the first eight of 640";
}

TEST_F(Bank, IsTheSameBySteppedGrowthThreadsAndFile) {
    const SeedBank stepped = SeedBank().grownTo(160, 1).grownTo(640, 2);
    stepped.save(file);
    const std::string bytes = readWholeFile(file);
    small().save(file);
    EXPECT_EQ(readWholeFile(file), bytes);
    const SeedBank read = SeedBank::load(file);
    EXPECT_EQ(read.size(), 640);
    const Signature asked = signatureOfPatch(Patch(), 48);
    EXPECT_EQ(read.nearest(asked, 10), small().nearest(asked, 10));
}

TEST_F(Bank, ADamagedOrForeignFileIsAnEmptyBank) {
    EXPECT_EQ(SeedBank::load(file.string() + "-missing").size(), 0);
    small().save(file);
    std::string bytes = readWholeFile(file);
    bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 1);
    writeWholeFile(file, bytes);
    EXPECT_EQ(SeedBank::load(file).size(), 0) << "one bit";
    writeWholeFile(file, bytes.substr(0, bytes.size() - 7));
    EXPECT_EQ(SeedBank::load(file).size(), 0) << "cut";
    writeWholeFile(file, "facetbnk and then words");
    EXPECT_EQ(SeedBank::load(file).size(), 0);
}

TEST_F(Bank, AStopKeepsWhatWasMade) {
    std::filesystem::remove(file);
    std::stop_source stop;
    EXPECT_THROW(small().completed(file, 2, {.stop = stop.get_token(), .progress = {}},
                                   [&](const SeedBank&) { stop.request_stop(); }),
                 Cancelled);
    EXPECT_EQ(SeedBank::load(file).size(), 640 + 1024);
}

TEST(Refinement, SideBySideIsAsAloneAndTheFirstComesFirst) {
    Patch from;
    from.set({"layer:a/filter:a", "on"}, 1.0);
    const SearchLimits limits;
    const Identifiable shown{false, false, false};
    // Towards a cutoff and a release, each in its own way.
    const auto residuals = [](const std::vector<Patch>& patches) {
        std::vector<Eigen::VectorXf> all;
        for (const Patch& patch : patches)
            all.push_back(Eigen::Vector2f(static_cast<float>(std::log2(patch.value(cutoff) / 1000.0)),
                                          static_cast<float>(std::log2(patch.value(release) / 100.0))));
        return all;
    };
    const auto always = [](std::size_t) { return true; };
    Patch other = from;
    other.setNearest(cutoff, 6000.0);
    std::vector<Refinement> both;
    both.emplace_back(from, limits, shown, 4);
    both.emplace_back(other, limits, shown, 4);
    refineTogether(both, residuals, always, 2);
    for (const Patch& start : {from, other}) {
        std::vector<Refinement> alone;
        alone.emplace_back(start, limits, shown, 4);
        refineTogether(alone, residuals, always, 1);
        const Refinement& beside = both[start.soundsLike(from) ? 0 : 1];
        EXPECT_TRUE(beside.patch().soundsLike(alone.front().patch()));
        EXPECT_NEAR(beside.patch().value(cutoff), 1000.0, 5.0);
    }
    std::vector<Refinement> poor;
    poor.emplace_back(from, limits, shown, 4);
    poor.emplace_back(other, limits, shown, 4);
    refineTogether(
        poor, residuals, [](std::size_t) { return false; }, 2);
    EXPECT_NEAR(poor[0].patch().value(cutoff), 1000.0, 5.0);
    EXPECT_NEAR(poor[1].patch().value(cutoff), 6000.0, 1.0) << "there was not enough for both";
}

/// Of two struck notes.
Profile profileOf(const Patch& patch, double softer) {
    Performance two = testing::oneNote(48, 0.05, 0.5, 1.4);
    two.notes.push_back({0.7, 1.1, 48, 0.0, softer});
    return measureProfile(render(patch, two), two);
}

class AFallWithTheKey : public ::testing::Test {
protected:
    const Address touch{"layer:a", "velocity"}, amount{"link:a", "amount"};
    Performance phrase = [] {
        Performance three = testing::oneNote(45, 0.02, 0.25, 1.2, 48000);
        three.notes.push_back({0.4, 0.65, 57, 0.0, 100.0});
        three.notes.push_back({0.8, 1.05, 69, 0.0, 100.0});
        three.normalize();
        return three;
    }();
    const Patch without{};
    Patch withLink(double decibels) const {
        Patch patch = without;
        addLink(patch, "key", "layer:a/level", decibels);
        return patch;
    }
    std::unique_ptr<Loss> loss;
    Eigen::VectorXf residual(const Patch& patch) const { return loss->residual(render(patch, phrase)); }

    /// Slopes where the search stands without the link.
    LinearRefit jacobian(const SearchLimits& limits = {}) const {
        std::vector<Refinement> one;
        one.emplace_back(without, limits, Identifiable{}, 2);
        refineTogether(
            one,
            [&](const std::vector<Patch>& patches) {
                std::vector<Eigen::VectorXf> all;
                for (const Patch& each : patches) all.push_back(residual(each));
                return all;
            },
            [](std::size_t) { return true; }, 1);
        return one.front().jacobian().value();
    }
    void SetUp() override { loss = std::make_unique<Loss>(render(withLink(-6.0), phrase), phrase); }
};

TEST_F(AFallWithTheKey, IsForetoldFromALinkOfAnotherAmountOrTheOtherSign) {
    const LinearRefit refit = jacobian();
    const double before = Loss::value(residual(refit.at()));
    const auto linked = [&](double decibels) {
        Patch patch = refit.at();
        addLink(patch, "key", "layer:a/level", decibels);
        return patch;
    };
    const LinearRefit::Estimate estimate = refit.of(linked(-3.0), residual(linked(-3.0)));
    EXPECT_LT(estimate.loss, 0.4 * before);
    EXPECT_NEAR(estimate.patch.value(amount), -6.0, 1.5);
    const double reached = Loss::value(residual(estimate.patch));
    EXPECT_LT(reached, 0.5 * before);
    EXPECT_NEAR(estimate.loss, reached, 0.25 * before);
    // As far as slopes hold.
    const Patch turned = refit.of(linked(4.0), residual(linked(4.0))).patch;
    EXPECT_LT(turned.value(amount), -2.0);
    EXPECT_LT(Loss::value(residual(turned)), 0.7 * before);
}

TEST_F(AFallWithTheKey, IsNotForetoldFromWhatDoesNotHelp) {
    const LinearRefit refit = jacobian();
    const double before = Loss::value(residual(refit.at()));
    Patch hollow = refit.at();
    hollow.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
    const LinearRefit::Estimate estimate = refit.of(hollow, residual(hollow));
    EXPECT_GT(estimate.loss, before);
    EXPECT_EQ(estimate.patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::sine))
        << "the change stays";
}

TEST_F(AFallWithTheKey, IsToldFromWhatNobodyHears) {
    const LinearRefit refit = jacobian();
    Patch unheard = refit.at(), linked = refit.at();
    unheard.set({"voicing", "voices"}, 16.0); // of three notes, one after the other
    addLink(linked, "key", "layer:a/level", -3.0);
    EXPECT_TRUE(refit.soundsAs(residual(unheard)));
    EXPECT_FALSE(refit.soundsAs(residual(linked)));
    EXPECT_FALSE(refit.soundsAs(Eigen::VectorXf::Zero(3))) << "of another phrase";
}

TEST_F(AFallWithTheKey, IsFittedBySlopesFromBeforeItCame) {
    const LinearRefit near = jacobian();
    Patch linked = near.at();
    addLink(linked, "key", "layer:a/level", -1.0);
    const auto fitted = [&](const LinearRefit* by, int& renders) {
        std::vector<Refinement> one;
        one.emplace_back(linked, SearchLimits{}, Identifiable{}, 1, by);
        refineTogether(
            one,
            [&](const std::vector<Patch>& patches) {
                std::vector<Eigen::VectorXf> all;
                for (const Patch& each : patches) all.push_back(residual(each));
                renders += static_cast<int>(patches.size());
                return all;
            },
            [](std::size_t) { return true; }, 1);
        return one.front().loss();
    };
    int few = 0, many = 0;
    const double quick = fitted(&near, few), slow = fitted(nullptr, many);
    EXPECT_LT(quick, 0.5 * Loss::value(residual(near.at())));
    EXPECT_LT(quick, 1.5 * slow);
    EXPECT_LT(few, many);
    // What is of another kind now is measured again, and what has come in.
    Patch hollow = linked;
    hollow.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::pulse));
    const SearchSpace space(hollow, {}, Identifiable{});
    const Eigen::MatrixXf known = near.jacobianFor(hollow, space);
    for (Eigen::Index i = 0; i < known.cols(); ++i) {
        const Address& each = space.addresses()[static_cast<std::size_t>(i)];
        const bool anew = each.module == "layer:a/source:a" || each.module == "link:a";
        if (anew || each.field == "release") {
            EXPECT_EQ(known.col(i).isZero(), anew) << each.text();
        }
    }
}

TEST_F(AFallWithTheKey, LeavesWhatIsLockedWhereItIs) {
    SearchLimits limits;
    const Address attack{"layer:a/envelope:level", "attack"};
    for (const Address& address : without.addresses())
        if (address != attack) limits.locks.insert(address);
    const LinearRefit refit = jacobian(limits);
    Patch linked = refit.at();
    addLink(linked, "key", "layer:a/level", -3.0);
    const Patch given = refit.of(linked, residual(linked)).patch;
    for (const Address& address : without.addresses())
        if (address != attack) {
            EXPECT_EQ(given.value(address), linked.value(address)) << address.text();
        }
}

TEST(StructuralMoves, OfferOtherFiltersLayersAndTouchAndKeepWhatIsLocked) {
    Patch bell;
    bell.set({"layer:a/source:b", "on"}, 1.0);
    bell.add("link:a");
    ModuleData ends;
    ends.from = "layer:a/source:b";
    ends.to = "layer:a/source:a/phase";
    bell.setData("link:a", ends);
    bell.setNearest({"link:a", "amount"}, 100.0);
    const auto count = [](const std::vector<Patch>& moves, auto&& which) {
        return std::count_if(moves.begin(), moves.end(), which);
    };
    const auto kindIs = [](FilterKind kind) {
        return [kind](const Patch& p) {
            return p.value({"layer:a/filter:a", "on"}) > 0.5 &&
                   p.value({"layer:a/filter:a", "kind"}) == static_cast<double>(kind);
        };
    };
    const auto touched = [](const Patch& p) {
        return std::any_of(p.modules().begin(), p.modules().end(), [](const auto& m) {
            return m.kind == ModuleKind::link && m.contents().from == "velocity" && m.contents().to == "link:a/amount";
        });
    };
    const auto layered = [](const Patch& p) { return p.find("layer:b") != nullptr; };
    const auto moves = structuralProposals({bell, {}, profileOf(bell, 40.0)});
    EXPECT_GE(count(moves, kindIs(FilterKind::bandPass)), 4) << "at several cutoffs";
    EXPECT_GE(count(moves, kindIs(FilterKind::highPass)), 4);
    EXPECT_EQ(count(moves, touched), 4);
    for (const Patch& move : moves) {
        if (!touched(move)) continue;
        const double middle = 70.0 / 127.0, by = move.value({"link:b", "amount"});
        EXPECT_NEAR(move.value({"link:a", "amount"}) + by * middle, 100.0, 1.0) << "as far as before, in the middle";
        EXPECT_GT(std::abs(by), 50.0);
    }
    EXPECT_EQ(count(moves, layered), 4);
    bell.set({"layer:a/source:a", "phase_random"}, 0.0);
    std::set<double> phases;
    for (const Patch& move : structuralProposals({bell, {}, profileOf(bell, 40.0)}))
        if (layered(move) && move.value({"layer:b/source:a", "phase_random"}) == 0.0)
            phases.insert(move.value({"layer:b/source:a", "phase"}));
    EXPECT_EQ(phases, (std::set<double>{0.0, 90.0, 180.0, 270.0})) << "as the first begins at one";
    EXPECT_EQ(count(structuralProposals({bell, {}, profileOf(bell, 100.0)}), touched), 0) << "nothing tells it";
    SearchLimits held;
    held.locks.insert({"layer:a/filter:a", "kind"});
    for (const Patch& move : structuralProposals({bell, held, profileOf(bell, 40.0)}))
        ASSERT_EQ(move.value({"layer:a/filter:a", "kind"}), bell.value({"layer:a/filter:a", "kind"}));
}

TEST(StructuralMoves, BlendAWaveWithOthersOnly) {
    const Patch saw;
    const Address source{"layer:a/source:a", "wave"}, blend{source.module, "blend"}, other{source.module, "blend_wave"};
    int blends = 0;
    for (const Patch& move : structuralProposals({saw, {}, profileOf(saw, 100.0)})) {
        if (move.value(blend) == 0.0) continue;
        ++blends;
        EXPECT_NE(move.value(other), move.value(source));
    }
    EXPECT_EQ(blends, 3);
    Patch alone = saw; // with itself it is the same
    alone.set(other, alone.value(source));
    alone.set(blend, 40.0);
    EXPECT_EQ(structureText(alone), structureText(saw));
}

TEST(StructuralMoves, PointMoversElsewhereAndLetKeysTell) {
    const std::string lfo = "layer:a/lfo:a", rate = lfo + "/rate", level = "layer:a/level";
    Patch tremolo;
    tremolo.set({"layer:a/filter:a", "on"}, 1.0);
    tremolo.add(lfo);
    tremolo.add("link:a");
    ModuleData ends;
    ends.from = lfo;
    ends.to = level;
    tremolo.setData("link:a", ends);
    tremolo.setNearest({"link:a", "amount"}, -6.0);
    tremolo.add("saturation:a");
    Performance two = testing::oneNote(48, 0.05, 0.5, 1.4);
    two.notes.push_back({0.7, 1.1, 60, 0.0, 100.0});
    const Profile profile = measureProfile(render(tremolo, two), two);
    const auto linked = [](const Patch& patch, const std::string& from, const std::string& to) {
        return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
            return m.kind == ModuleKind::link && m.contents().from == from && m.contents().to == to;
        });
    };
    const auto count = [&](const SearchLimits& limits, auto&& which) {
        const auto moves = structuralProposals({tremolo, limits, profile});
        return std::count_if(moves.begin(), moves.end(), which);
    };
    const auto slows = [&](const Patch& p) {
        return std::any_of(p.modules().begin(), p.modules().end(),
                           [&](const auto& m) { return m.kind == ModuleKind::link && m.contents().to == rate; });
    };
    EXPECT_EQ(count({}, [&](const Patch& p) { return linked(p, "key", level) && linked(p, lfo, level); }), 2);
    for (const char* to : {"layer:a/filter:a/cutoff", "layer:a/filter:a/resonance", "layer:a/source:a/cents"})
        EXPECT_GE(count({}, [&](const Patch& p) { return linked(p, lfo, to) && !linked(p, lfo, level); }), 1) << to;
    EXPECT_EQ(count({}, slows), 2);
    EXPECT_GE(count({}, [](const Patch& p) { return p.find("post-filter:a") && p.find("saturation:a"); }), 4);
    SearchLimits held;
    held.locks = {Address::parse(rate), Address::parse(level)};
    EXPECT_EQ(count(held, slows), 0);
    EXPECT_EQ(count(held, [&](const Patch& p) { return linked(p, "key", level) || !linked(p, lfo, level); }), 0);
}

TEST(StructuralMoves, LeaveOutLimitsThatNoNoteCrosses) {
    const Patch saw;
    const auto moves = structuralProposals({saw, {}, profileOf(saw, 40.0)}); // key 48, velocities 100 and 40
    const auto offered = [&](const Address& address, double value) {
        return std::any_of(moves.begin(), moves.end(), [&](const Patch& p) { return p.value(address) == value; });
    };
    const Address voices{"voicing", "voices"}, lowest{"layer:a", "low_key"}, hardest{"layer:a", "high_velocity"};
    EXPECT_TRUE(offered(voices, 1.0));
    for (double count : {4.0, 6.0, 16.0}) EXPECT_FALSE(offered(voices, count)) << count;
    EXPECT_FALSE(offered(lowest, 1.0));
    EXPECT_TRUE(offered(hardest, 63.0)) << "one of the notes is struck harder";
    EXPECT_FALSE(offered(hardest, 125.0));
}

TEST(StructuralMoves, LetNotesBeginOffTheirPitch) {
    const Patch saw;
    const Profile profile = profileOf(saw, 100.0);
    const std::string pitch = "layer:a/source:a/semitone";
    const auto count = [&](const SearchLimits& limits) {
        const auto moves = structuralProposals({saw, limits, profile});
        return std::count_if(moves.begin(), moves.end(), [&](const Patch& p) {
            return std::any_of(p.modules().begin(), p.modules().end(),
                               [&](const auto& m) { return m.kind == ModuleKind::link && m.contents().to == pitch; });
        });
    };
    EXPECT_GE(count({}), 4) << "upwards and downwards, far and near";
    SearchLimits held;
    held.locks.insert(Address::parse(pitch));
    EXPECT_EQ(count(held), 0);
}

class Spaces : public ::testing::Test {
protected:
    static std::vector<Patch> with(ModuleKind kind, const std::vector<Patch>& all) {
        std::vector<Patch> some;
        for (const Patch& patch : all)
            if (std::any_of(patch.modules().begin(), patch.modules().end(),
                            [&](const auto& m) { return m.kind == kind; }))
                some.push_back(patch);
        return some;
    }
    const Patch dry{};
    const Profile profile = profileOf(dry, 100.0);
};

TEST_F(Spaces, HaveAnEchoNearAnyTimeAndRoomsOfSeveralKinds) {
    const auto echoes = with(ModuleKind::delay, withDelaysAndReverbs({dry, {}, profile}));
    for (double ms : {50.0, 90.0, 250.0, 538.0, 900.0})
        EXPECT_TRUE(std::any_of(echoes.begin(), echoes.end(), [&](const Patch& p) {
            return std::abs(std::log(p.value({"delay:a", "time"}) / ms)) < 0.06;
        })) << ms;
    std::set<double> sizes, decays;
    for (const Patch& room : with(ModuleKind::reverb, withDelaysAndReverbs({dry, {}, profile}))) {
        sizes.insert(room.value({"reverb:a", "size"}));
        decays.insert(room.value({"reverb:a", "decay"}));
    }
    EXPECT_GE(sizes.size(), 2u);
    EXPECT_GE(decays.size(), 3u);
}

TEST_F(Spaces, AreNotOfferedWhereTheyAreOrMayNotCome) {
    Patch wet = dry;
    wet.add("delay:a");
    wet.add("reverb:a");
    EXPECT_TRUE(withDelaysAndReverbs({wet, {}, profile}).empty());
    SearchLimits held;
    held.locks.insert(release);
    EXPECT_TRUE(with(ModuleKind::reverb, withDelaysAndReverbs({dry, held, profile})).empty())
        << "it would stand for the tail";
    Profile echoing = profile;
    echoing.space.echo.seconds = 0.3;
    EXPECT_TRUE(with(ModuleKind::delay, withDelaysAndReverbs({dry, {}, echoing})).empty()) << "that one has been tried";
}

TEST_F(Spaces, AndOtherEffectsComeAtSeveralSettingsAndAtTheirUsualPlaces) {
    Patch roomy = dry;
    roomy.add("reverb:a");
    roomy.set({"reverb:a", "on"}, 1.0);
    const auto all = withEffects({roomy, {}, profile});
    for (ModuleKind kind : {ModuleKind::saturation, ModuleKind::reduction, ModuleKind::compressor, ModuleKind::phaser,
                            ModuleKind::flanger, ModuleKind::chorus, ModuleKind::delay}) {
        const auto some = with(kind, all);
        EXPECT_GE(some.size(), 4u) << labelOf(kind);
        for (const Patch& patch : some) {
            std::string last;
            for (const auto& module : patch.modules())
                if (isEffect(module.kind)) last = module.path;
            EXPECT_EQ(last, "reverb:a") << labelOf(kind);
        }
    }
    EXPECT_EQ(with(ModuleKind::reverb, all).size(), all.size()) << "there is one already";

    SearchLimits none;
    none.excluded = {ModuleKind::chorus};
    none.locks.insert({"saturation:a", "drive"});
    const auto allowed = withEffects({roomy, none, profile});
    EXPECT_TRUE(with(ModuleKind::chorus, allowed).empty());
    EXPECT_TRUE(with(ModuleKind::saturation, allowed).empty());
    EXPECT_FALSE(with(ModuleKind::phaser, allowed).empty());
}

TEST(Voicings, AreOfferedToLinesAndNotToChords) {
    const auto offered = [](const std::vector<Note>& notes, const SearchLimits& limits = {}) {
        Profile profile;
        for (const Note& note : notes) {
            profile.notes.emplace_back();
            profile.notes.back().note = note;
        }
        std::vector<Patch> patches;
        const Patch patch;
        proposeVoicings({patch, limits, profile}, patches);
        return patches;
    };
    const auto gliding = [](const std::vector<Patch>& patches, double when) {
        return std::count_if(patches.begin(), patches.end(), [&](const Patch& p) {
            return p.value({"voicing", "mode"}) == static_cast<double>(VoiceMode::legato) &&
                   p.value({"voicing", "glide"}) > 0.0 && p.value({"voicing", "glide_when"}) == when;
        });
    };
    constexpr double always = 0.0, overlapping = 1.0;
    const std::vector<Note> tied{{0.0, 0.53, 48, 0.0, 100.0}, {0.5, 1.0, 52, 0.0, 100.0}};
    EXPECT_GE(gliding(offered(tied), overlapping), 2);
    EXPECT_GE(gliding(offered(tied), always), 1);
    const std::vector<Note> apart{{0.0, 0.4, 48, 0.0, 100.0}, {0.5, 1.0, 52, 0.0, 100.0}};
    EXPECT_EQ(gliding(offered(apart), overlapping), 0) << "nothing overlaps";
    EXPECT_GE(gliding(offered(apart), always), 1);
    EXPECT_TRUE(offered({{0.0, 0.5, 48, 0.0, 100.0}, {0.0, 0.5, 52, 0.0, 100.0}}).empty());
    EXPECT_TRUE(offered({{0.0, 0.5, 48, 0.0, 100.0}}).empty());
    SearchLimits held;
    held.locks.insert({"voicing", "mode"});
    EXPECT_TRUE(offered(tied, held).empty());
}

TEST(FadeIns, AreOfferedToLfosOfEachNote) {
    Patch patch;
    patch.add("layer:a/lfo:a");
    addLink(patch, "layer:a/lfo:a", "layer:a/source:a/cents", 20.0);
    const auto fades = [&] {
        std::vector<Patch> patches;
        const Profile profile;
        proposeFadeIns({patch, {}, profile}, patches);
        std::set<double> ms;
        for (const Patch& each : patches) ms.insert(std::round(each.value({"layer:a/lfo:a", "fade"})));
        return ms;
    };
    patch.set({"layer:a/lfo:a", "mode"}, static_cast<double>(LfoMode::eachNote));
    EXPECT_EQ(fades(), (std::set<double>{180.0, 450.0}));
    patch.setNearest({"layer:a/lfo:a", "fade"}, 300.0);
    EXPECT_EQ(fades(), std::set<double>{0.0});
    patch.set({"layer:a/lfo:a", "mode"}, static_cast<double>(LfoMode::free));
    EXPECT_TRUE(fades().empty());
}

TEST_F(Spaces, TheEchoThatIsThereFitsBest) {
    const Performance phrase = [] {
        Performance three = testing::oneNote(48, 0.05, 0.75, 2.4);
        three.notes.push_back({0.9, 1.3, 55, 0.0, 80.0});
        three.notes.push_back({1.45, 2.1, 60, 0.0, 110.0});
        return three;
    }();
    Patch echoed = dry;
    echoed.add("delay:a");
    echoed.set({"delay:a", "on"}, 1.0);
    echoed.setNearest({"delay:a", "time"}, 538.0);
    const Recording reference = render(echoed, phrase);
    const Loss loss(reference, phrase);
    double least = 1e9, time = 0.0;
    for (const Patch& each : with(ModuleKind::delay, withDelaysAndReverbs({dry, {}, profile})))
        if (const double value = Loss::value(loss.residual(render(each, phrase))); value < least) {
            least = value;
            time = each.value({"delay:a", "time"});
        }
    EXPECT_NEAR(time, 538.0, 0.06 * 538.0);
}

TEST(Recombination, LendsEffectsAndFiltersAndKeepsWhatIsLocked) {
    const auto kindsIn = [](const Patch& patch) {
        std::set<ModuleKind> kinds;
        for (const auto& module : patch.modules())
            if (isEffect(module.kind)) kinds.insert(module.kind);
        return kinds;
    };
    Patch plain;
    plain.setNearest({"layer:a/envelope:level", "decay"}, 321.0);
    plain.add("chorus:a");
    plain.set({"chorus:a", "on"}, 1.0);
    Patch other;
    other.set({"layer:a/filter:a", "on"}, 1.0);
    other.setNearest(cutoff, 777.0);
    other.add("reverb:a");
    other.set({"reverb:a", "on"}, 1.0);
    other.setNearest({"reverb:a", "mix"}, 44.0);
    const auto made = recombined(plain, {plain, other, other}, {}, 8);
    ASSERT_EQ(made.size(), 3u) << "its effects, its filter, both";
    for (const Patch& patch : made) EXPECT_NEAR(patch.value({"layer:a/envelope:level", "decay"}), 321.0, 1.0);
    EXPECT_EQ(kindsIn(made[0]), std::set{ModuleKind::reverb});
    EXPECT_NEAR(made[0].value({"reverb:a", "mix"}), 44.0, 0.5);
    EXPECT_EQ(kindsIn(made[1]), std::set{ModuleKind::chorus});
    EXPECT_NEAR(made[1].value(cutoff), 777.0, 1.0);
    EXPECT_NEAR(made[2].value(cutoff), 777.0, 1.0);
    SearchLimits held;
    held.locks.insert({"chorus:a", "mix"});
    held.locks.insert(cutoff);
    EXPECT_TRUE(recombined(plain, {other}, held, 8).empty());
    EXPECT_TRUE(recombined(plain, {other}, {}, 0).empty());
}

TEST(Certainty, IsGreatWhereItIsHeardAndNoneWhereItIsNot) {
    Patch right;
    right.set({"layer:a/filter:a", "on"}, 1.0);
    right.set(cutoff, 900.0);
    right.set(release, 300.0);
    Performance phrase = testing::oneNote(45, 0.05, 0.8, 1.4);
    MatchSettings settings;
    settings.start = right;
    settings.goOnWith = {right};
    settings.seconds = 0.0;
    settings.evaluations = 120;
    const MatchResult result = match(render(right, phrase), phrase, settings);
    const auto of = [&](const Address& address) -> const KnownRange* {
        for (const KnownRange& each : result.ranges)
            if (each.address == address) return &each;
        return nullptr;
    };
    ASSERT_TRUE(of(cutoff) && of(release));
    EXPECT_LT(of(cutoff)->share, 0.2);
    EXPECT_LT(of(cutoff)->low, 930.0);
    EXPECT_GT(of(cutoff)->high, 870.0);
    EXPECT_GT(of(cutoff)->low, 300.0);
    EXPECT_LT(of(cutoff)->high, 2700.0);
    EXPECT_FALSE(of({"layer:a/filter:a", "key_tracking"})) << "one note does not tell";
    for (std::size_t i = 1; i < result.ranges.size(); ++i)
        EXPECT_LE(result.ranges[i - 1].share, result.ranges[i].share) << "surest first";
}

Comparison comparisonOf(const Patch& reference, const Patch& other, Profile& profile) {
    const Performance phrase = testing::oneNote(45, 0.05, 0.8, 1.3);
    profile = measureProfile(render(reference, phrase), phrase);
    return compare(profile, measureProfile(render(other, phrase), phrase, {.source = &profile.source}));
}

TEST(Shortfall, NamesWhatStaysUnlikeAndWhyAndNothingElse) {
    Patch sine;
    sine.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
    Profile profile;
    const Comparison unlike = comparisonOf(Patch(), sine, profile);
    const auto found = shortfallsOf(unlike, {}, profile, {});
    ASSERT_FALSE(found.empty());
    for (std::size_t i = 0; i < found.size(); ++i) {
        EXPECT_FALSE(found[i].words.empty());
        EXPECT_TRUE(found[i].likely.ends_with(".")) << found[i].likely;
        EXPECT_GE(found[i].likeness, i > 0 ? found[i - 1].likeness : 0.0);
    }
    const auto harmonics =
        std::find_if(found.begin(), found.end(), [](const Shortfall& s) { return s.facet == Facet::harmonics; });
    ASSERT_NE(harmonics, found.end());
    EXPECT_NE(harmonics->likely.find("cycle"), std::string::npos);
    RecordingQuality clipped;
    clipped.clippedShare = 0.01;
    for (const Shortfall& each : shortfallsOf(unlike, {}, profile, clipped))
        EXPECT_EQ(each.facet == Facet::harmonics, each.likely.find("the clipping's") != std::string::npos);
    // What two renders of one patch do not reach either is no shortfall.
    const std::vector<double> floors(unlike.facets.size(), 0.0);
    EXPECT_TRUE(shortfallsOf(unlike, floors, profile, {}).empty());
    EXPECT_TRUE(shortfallsOf(comparisonOf(Patch(), Patch(), profile), {}, profile, {}).empty());
}

/// Six notes while somebody opens the filter, and a search that may only move the cutoff.
class TurnedCutoff : public ::testing::Test {
protected:
    void SetUp() override {
        patch.set({"layer:a/filter:a", "on"}, 1.0);
        for (int i = 0; i < 6; ++i) phrase.notes.push_back({0.5 * i, 0.5 * i + 0.4, 45 + 3 * (i % 3), 0.0, 100.0});
        phrase.frames = 3 * 48000;
        phrase.channelCount = 1;
        turned = phrase;
        turned.setCurve({cutoff.text(), {{0.2, 0.35}, {2.8, 0.8}}});
        settings.start = patch;
        settings.start.set(cutoff, 1500.0);
        settings.seconds = 0.0;
        for (const Address& address : patch.addresses())
            if (address != cutoff) settings.limits.locks.insert(address);
    }
    Patch patch;
    Performance phrase, turned;
    MatchSettings settings;
};

TEST_F(TurnedCutoff, BecomesACurve) {
    const MatchResult result = match(render(patch, turned), phrase, settings);
    ASSERT_EQ(result.curves.size(), 1u);
    ASSERT_EQ(result.curves[0].size(), 1u);
    const Curve* found = result.performance.curveOf(cutoff.text());
    ASSERT_TRUE(found);
    for (double at : {0.3, 1.0, 2.0, 2.7})
        EXPECT_NEAR(valueAt(found->points, at), valueAt(turned.curves[0].points, at), 0.04) << at;
    EXPECT_LE(found->points.size(), 5u) << "a straight line needs few";
    EXPECT_GT(result.best.likeness, 95.0) << "the marks are with the curve";
    EXPECT_NE(matchReport(result).find("\"moving\": [\n    \"layer:a/filter:a/cutoff\"\n  ]"), std::string::npos);
}

TEST_F(TurnedCutoff, StaysWhereItIsLockedOrDrawn) {
    settings.limits.locks.insert(cutoff);
    EXPECT_TRUE(match(render(patch, turned), phrase, settings).curves[0].empty());
    settings.limits.locks.erase(cutoff);
    phrase.setCurve({cutoff.text(), {{0.0, 0.5}}});
    const MatchResult drawn = match(render(patch, turned), phrase, settings);
    EXPECT_TRUE(drawn.curves[0].empty());
    EXPECT_EQ(*drawn.performance.curveOf(cutoff.text()), phrase.curves[0]);
}

TEST_F(TurnedCutoff, IsGivenUpWhenTimeIsUp) {
    const Recording reference = render(patch, turned);
    const PreparedTarget target = PreparedTarget::prepare({reference, phrase, 1.0, {}}, 1.0, settings.forTargets(), {});
    std::atomic<int> asked = 0;
    settings.threads = 2;
    EXPECT_TRUE(curvesFor(patch, target, settings, [&] { return ++asked <= 10; }).empty());
    EXPECT_LE(asked, 12) << "not a render more than one a thread";
}

TEST_F(TurnedCutoff, IsNotHeardWhereNobodyTurnedIt) {
    patch.set(cutoff, 700.0);
    const MatchResult result = match(render(patch, phrase), phrase, settings);
    EXPECT_TRUE(result.curves[0].empty());
    EXPECT_NEAR(std::log2(result.best.patch.value(cutoff) / 700.0), 0.0, 0.05);
}

TEST(Variations, LieAsFarAsAskedAndAreTheSameForTheirSeed) {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set(cutoff, 1500.0);
    patch.set(release, 200.0);
    const Performance phrase = testing::oneNote(45, 0.05, 0.7, 1.1);
    VariationSettings settings;
    settings.likeness = 70.0;
    settings.count = 3;
    settings.limits.locks = {release};
    settings.limits.ranges[cutoff] = {1000.0, 2000.0};
    int shown = 0;
    const auto variations = variationsOf(patch, phrase, settings, {}, [&](const Variation&) { ++shown; });
    ASSERT_EQ(variations.size(), 3u);
    EXPECT_EQ(shown, 3);
    for (const Variation& each : variations) {
        EXPECT_NEAR(each.likeness, 70.0, 8.0);
        EXPECT_EQ(each.patch.value(release), 200.0);
        EXPECT_GE(each.patch.value(cutoff), 1000.0);
        EXPECT_LE(each.patch.value(cutoff), 2000.0);
    }
    const auto again = variationsOf(patch, phrase, settings);
    ASSERT_EQ(again.size(), 3u);
    EXPECT_TRUE(again[0].patch.soundsLike(variations[0].patch));
    settings.seed = 2;
    EXPECT_FALSE(variationsOf(patch, phrase, settings)[0].patch.soundsLike(variations[0].patch));
    settings.limits.locks.clear();
    EXPECT_THROW(variationsOf(patch, Performance{}, settings), Error);
}

} // namespace
} // namespace facet
