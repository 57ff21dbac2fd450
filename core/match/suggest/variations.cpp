#include "core/match/suggest/variations.h"

#include "core/analysis/profile.h"
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/compare/comparison.h"
#include "core/engine/render.h"
#include "core/match/optimize/search_space.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double farthest = 0.6; ///< along each scale
constexpr int halvings = 6;
constexpr double closeEnough = 4.0; ///< of likeness
constexpr int waysPerVariation = 3; ///< tried until one leads far enough

} // namespace

std::vector<Variation> variationsOf(const Patch& patch, const Performance& performance,
                                    const VariationSettings& settings, const Task& task,
                                    const std::function<void(const Variation&)>& found) {
    if (performance.notes.empty()) throw Error("There are no notes to hear a patch by; draw or import some first.");
    const SearchSpace space(patch, settings.limits, Identifiable{});
    std::vector<Variation> variations;
    if (space.size() == 0) return variations;
    const auto profileOf = [&](const Patch& one, const SourceFit* source) {
        return measureProfile(render(one, performance, task), performance,
                              {.source = source, .threads = settings.threads}, task);
    };
    const Profile own = profileOf(patch, nullptr);
    const double wanted = std::clamp(settings.likeness, 5.0, 98.0);
    const Eigen::VectorXd here = space.positionOf(patch);
    for (int number = 0; number < settings.count * waysPerVariation; ++number) {
        if (static_cast<int>(variations.size()) == settings.count) break;
        Random random(combineSeeds(settings.seed, static_cast<std::uint64_t>(number)));
        // A few parameters go far and the others hardly, so that variations differ in kind and not only in amount.
        Eigen::VectorXd way(space.size());
        for (int i = 0; i < space.size(); ++i) way(i) = std::pow(random.between(-1.0, 1.0), 3.0);
        way /= std::max(1e-9, way.cwiseAbs().maxCoeff());
        Variation best{patch, 100.0};
        double low = 0.0, high = farthest;
        for (int step = 0; step < halvings; ++step) {
            const double reach = step == 0 ? high : 0.5 * (low + high);
            const Eigen::VectorXd at = (here + reach * way).cwiseMax(space.lower()).cwiseMin(space.upper());
            const Patch moved = space.patchAt(patch, at);
            const double likeness = compare(own, profileOf(moved, &own.source)).likeness;
            if (std::abs(likeness - wanted) < std::abs(best.likeness - wanted)) best = {moved, likeness};
            if (std::abs(best.likeness - wanted) < 0.5 * closeEnough) break;
            if (step == 0 && likeness > wanted + closeEnough) break; // it does not lead that far
            (likeness > wanted ? low : high) = reach;
        }
        if (std::abs(best.likeness - wanted) > 2.0 * closeEnough) continue;
        variations.push_back(best);
        if (found) found(best);
    }
    return variations;
}

} // namespace facet
