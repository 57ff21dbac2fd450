#include "core/match/search/heard_credits.h"

#include "core/engine/render.h"
#include "core/match/search/score.h"
#include "core/parameters/elements.h"

#include <algorithm>
#include <set>
#include <vector>

namespace facet {

double HeardCredits::of(const Patch& patch) {
    constexpr double unheardDb = 0.15; // mean over the residuals
    if (!inputs_.odds->known()) return 0.0;
    const std::uint64_t key = patch.hash();
    if (const auto found = known_.find(key); found != known_.end()) return found->second;
    if (inputs_.task.stop.stop_requested()) return 0.0;
    double credit = 0.0;
    std::vector<Patch> patches{patch};
    std::vector<double> credits{0.0};
    std::set<Element> met;
    for (const PatchElement& each : elementsOf(patch)) {
        const double over = -balanceOf(each.element, *inputs_.odds);
        if (over <= 0.0 || !met.insert(each.element).second) continue;
        if (!each.without) { // the only source is heard
            credit += over;
            continue;
        }
        patches.push_back(*each.without);
        credits.push_back(over);
    }
    if (patches.size() > 1) {
        const PreparedTarget& target = inputs_.targets.front();
        std::vector<Eigen::VectorXf> residuals(patches.size());
        renderEach(
            patches, target.performance, target.rateHz,
            [&](std::size_t i, Recording&& render) { residuals[i] = target.residual(render); }, Task{},
            inputs_.settings.threads);
        for (std::size_t i = 1; i < patches.size(); ++i)
            if (static_cast<double>((residuals[i] - residuals[0]).cwiseAbs().mean()) > unheardDb) credit += credits[i];
    }
    known_[key] = credit;
    return credit;
}

} // namespace facet
