#include "core/match/optimize/certainty.h"

#include "core/dsp/linear_algebra.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double scaleStep = 0.015;    ///< of a parameter's scale, as in the search
constexpr double lossRise = 0.05;      ///< of the loss
constexpr float absoluteFloor = 0.5f;  ///< dB; smaller residuals count as in least squares
constexpr double leastDiagonal = 1e-9; ///< of the greatest: what moves nothing is not known at all

} // namespace

std::vector<KnownRange>
certaintyOf(const Patch& patch, const SearchSpace& space,
            const std::function<std::vector<Eigen::VectorXf>(const std::vector<Patch>&)>& residuals) {
    const int count = space.size();
    std::vector<KnownRange> ranges;
    if (count == 0) return ranges;
    const Eigen::VectorXd here = space.positionOf(patch);
    std::vector<Patch> patches{space.patchAt(patch, here)};
    Eigen::VectorXd steps(count);
    for (int i = 0; i < count; ++i) {
        steps(i) = here(i) + scaleStep <= space.upper()(i) ? scaleStep : -scaleStep;
        Eigen::VectorXd moved = here;
        moved(i) += steps(i);
        patches.push_back(space.patchAt(patch, moved));
    }
    const auto found = residuals(patches);
    const Eigen::VectorXf& base = found.front();
    // Magnitudes are weighed squares (iteratively reweighted least squares).
    const Eigen::VectorXf roots = base.cwiseAbs().cwiseMax(absoluteFloor).cwiseSqrt().cwiseInverse();
    Eigen::MatrixXf jacobian(base.size(), count);
    for (int i = 0; i < count; ++i)
        jacobian.col(i) =
            ((found[static_cast<std::size_t>(i) + 1] - base) / static_cast<float>(steps(i))).cwiseProduct(roots);
    Eigen::MatrixXd normal = (jacobian.transpose() * jacobian).cast<double>();
    const double greatest = std::max(1e-12, normal.diagonal().maxCoeff());
    normal.diagonal().array() += leastDiagonal * greatest;
    const Eigen::MatrixXd inverse = inverseOfSymmetric(normal);
    const double allowed = lossRise * std::max(static_cast<double>(base.cwiseProduct(roots).squaredNorm()),
                                               1e-3 * static_cast<double>(base.size()));
    for (int i = 0; i < count; ++i) {
        const double reach = std::sqrt(std::max(0.0, allowed * inverse(i, i)));
        const double low = std::max(space.lower()(i), here(i) - reach);
        const double high = std::min(space.upper()(i), here(i) + reach);
        const Address& address = space.addresses()[static_cast<std::size_t>(i)];
        const ParameterDescriptor& d = patch.descriptor(address);
        const double width = space.upper()(i) - space.lower()(i);
        ranges.push_back({address, patch.value(address), d.fromUnit(low), d.fromUnit(high),
                          width > 0.0 ? std::clamp((high - low) / width, 0.0, 1.0) : 0.0});
    }
    std::stable_sort(ranges.begin(), ranges.end(),
                     [](const KnownRange& a, const KnownRange& b) { return a.share < b.share; });
    return ranges;
}

} // namespace facet
