// Sounds that change with how hard keys are struck by more than their level.
#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/proposals/links.h"
#include "core/match/match.h"
#include "core/match/optimize/search_space.h"
#include "support/sounds.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

const Address index{"link:a", "amount"}, touch{"link:b", "amount"};

/// A sine whose phase another moves by so many degrees, and so many more at full velocity.
Patch bell(double degrees, double atFullVelocity) {
    const std::string carrier = "layer:a/source:a", modulator = "layer:a/source:b";
    Patch patch;
    for (const std::string& source : {carrier, modulator}) {
        patch.set({source, "on"}, 1.0);
        patch.set({source, "wave"}, static_cast<double>(Wave::sine));
        patch.set({source, "phase_random"}, 0.0);
    }
    patch.setNearest({modulator, "level"}, -60.0);
    patch.setNearest({modulator, "ratio_over"}, 7.0);
    patch.setNearest({modulator, "ratio_under"}, 5.0);
    patch.setNearest({"layer:a/envelope:level", "decay"}, 1500.0);
    patch.setNearest({"layer:a/envelope:level", "sustain"}, 0.0);
    addLink(patch, modulator, carrier + "/phase", degrees);
    if (atFullVelocity != 0.0) addLink(patch, "velocity", index.text(), atFullVelocity);
    return patch;
}

Performance struck() {
    Performance three = testing::oneNote(45, 0.02, 0.6, 1.9, 48000);
    three.notes.front().velocity = 110.0;
    three.notes.push_back({0.65, 1.2, 52, 0.0, 70.0});
    three.notes.push_back({1.25, 1.8, 60, 0.0, 95.0});
    three.normalize();
    return three;
}

TEST(Touch, MovesALinkAsFarAsTheLinkItselfMoves) {
    const Patch touched = bell(160.0, -140.0);
    const SearchSpace space(touched, {}, {});
    const Patch same = space.patchAt(touched, space.positionOf(touched));
    EXPECT_NEAR(same.value(index), 160.0, 1e-6);
    EXPECT_NEAR(same.value(touch), -140.0, 1e-6) << "degrees";
    Eigen::VectorXd farthest = space.positionOf(touched);
    for (Eigen::Index i = 0; i < farthest.size(); ++i)
        if (space.addresses()[static_cast<std::size_t>(i)] == touch) farthest(i) = space.upper()(i);
    EXPECT_GT(space.patchAt(touched, farthest).value(touch), 360.0);
}

TEST(Touch, OfABellIsFoundFromOneThatSoundsTheSameAtAny) {
    const Recording reference = render(bell(160.0, -140.0), struck());
    const Loss loss(reference, struck());
    const auto lossOf = [&](const Patch& patch) { return Loss::value(loss.residual(render(patch, struck()))); };
    const Patch still = bell(65.0, 0.0);
    MatchSettings settings;
    settings.seconds = 0.0;
    settings.evaluations = 1500;
    settings.goOnWith = {still};
    const Patch found = match(reference, struck(), settings).best.patch;
    EXPECT_LT(lossOf(found), 0.4 * lossOf(still));
    EXPECT_TRUE(std::any_of(found.modules().begin(), found.modules().end(), [](const auto& m) {
        return m.kind == ModuleKind::link && m.contents().from == "velocity" && m.contents().to == index.text();
    }));
}

} // namespace
} // namespace facet
