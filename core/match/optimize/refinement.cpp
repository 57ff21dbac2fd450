#include "core/match/optimize/refinement.h"

#include "core/base/parallel.h"

#include <algorithm>

namespace facet {

namespace {

constexpr double differenceStep = 0.015; ///< of a parameter's range

LeastSquaresSettings settingsFor(int iterations) {
    LeastSquaresSettings settings;
    settings.iterations = iterations;
    settings.differenceStep = differenceStep;
    settings.absoluteValues = true;
    settings.absoluteFloor = 0.5;
    settings.tolerance = 2e-3;
    settings.updates = 3;
    return settings;
}

} // namespace

Refinement::Refinement(const Patch& from, const SearchLimits& limits, const Identifiable& identifiable, int iterations,
                       const LinearRefit* near)
    : from_(from), space_(from, limits, identifiable),
      walk_(space_.lower(), space_.upper(), space_.positionOf(from), settingsFor(iterations),
            near ? near->jacobianFor(from, space_) : Eigen::MatrixXf{}) {}

std::vector<Patch> Refinement::asked() const {
    std::vector<Patch> patches;
    for (const auto& point : walk_.asked()) patches.push_back(space_.patchAt(from_, point));
    return patches;
}

std::optional<LinearRefit> Refinement::jacobian() const {
    if (walk_.jacobian().size() == 0) return std::nullopt;
    return LinearRefit(patch(), space_, walk_.residual(), walk_.jacobian());
}

void refineTogether(std::vector<Refinement>& some,
                    const std::function<std::vector<Eigen::VectorXf>(const std::vector<Patch>&)>& residuals,
                    const std::function<bool(std::size_t)>& affords, int threads) {
    std::vector<Refinement*> going;
    for (Refinement& each : some) going.push_back(&each);
    for (;;) {
        std::vector<Patch> patches;
        std::vector<Refinement*> asking;
        std::vector<std::size_t> ends;
        for (Refinement* each : going) {
            const auto asked = each->asked();
            if (asked.empty()) continue;
            if (!asking.empty() && !affords(patches.size() + asked.size())) break;
            patches.insert(patches.end(), asked.begin(), asked.end());
            asking.push_back(each);
            ends.push_back(patches.size());
        }
        if (asking.empty()) return;
        going = asking;
        const auto answers = residuals(patches);
        std::vector<std::vector<Eigen::VectorXf>> ofEach;
        auto next = answers.begin();
        for (const std::size_t end : ends) {
            const auto until = answers.begin() + static_cast<std::ptrdiff_t>(end);
            ofEach.emplace_back(next, until);
            next = until;
        }
        parallelFor(static_cast<int>(going.size()), threads, [&](int i) {
            const auto at = static_cast<std::size_t>(i);
            going[at]->answer(ofEach[at]);
        });
    }
}

} // namespace facet
