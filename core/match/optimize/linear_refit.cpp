#include "core/match/optimize/linear_refit.h"

#include "core/dsp/least_squares.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace facet {

namespace {

constexpr Eigen::Index everyRow = 7; ///< bands and instants lie in rows by powers of two, which this does not divide

Eigen::VectorXf thinned(const Eigen::VectorXf& residual) {
    return residual(Eigen::seq(0, residual.size() - 1, everyRow));
}

/// The amount of a link that `before` does not have.
std::optional<Address> newAmount(const Patch& changed, const Patch& before) {
    for (const auto& module : changed.modules())
        if (module.kind == ModuleKind::link && !before.find(module.path)) return Address{module.path, "amount"};
    return std::nullopt;
}

/// Whether a module is of the same kind in two patches.
bool isSameKind(const std::string& path, const Patch& a, const Patch& b) {
    if (!a.find(path) || !b.find(path)) return false;
    return std::ranges::all_of(a.addresses(), [&](const Address& each) {
        return each.module != path || a.descriptor(each).smoothing != Smoothing::graph ||
               a.value(each) == b.value(each);
    });
}

} // namespace

LinearRefit::LinearRefit(Patch at, SearchSpace space, const Eigen::VectorXf& residual, const Eigen::MatrixXf& jacobian)
    : at_(std::move(at)), space_(std::move(space)), position_(space_.positionOf(at_)), whole_(jacobian),
      residual_(thinned(residual)), jacobian_(jacobian(Eigen::seq(0, residual.size() - 1, everyRow), Eigen::all)) {}

bool LinearRefit::soundsAs(const Eigen::VectorXf& residual) const {
    constexpr float unheard = 1e-3f; // dB
    return residual.size() == whole_.rows() && (thinned(residual) - residual_).cwiseAbs().maxCoeff() < unheard;
}

Eigen::MatrixXf LinearRefit::jacobianFor(const Patch& other, const SearchSpace& space) const {
    Eigen::MatrixXf jacobian = Eigen::MatrixXf::Zero(whole_.rows(), space.size());
    const auto& own = space_.addresses();
    for (Eigen::Index i = 0; i < jacobian.cols(); ++i) {
        const Address& address = space.addresses()[static_cast<std::size_t>(i)];
        const auto known = std::find(own.begin(), own.end(), address);
        if (known != own.end() && isSameKind(address.module, other, at_))
            jacobian.col(i) = whole_.col(known - own.begin());
    }
    return jacobian;
}

LinearRefit::Estimate LinearRefit::of(const Patch& changed, const Eigen::VectorXf& residual) const {
    constexpr int weightings = 3;
    constexpr double damping = 0.03;   // the linearization holds nearby only
    constexpr double mostAmount = 3.0; // times what came in, to either side
    constexpr float floor = 0.5f;      // dB; less counts as squares
    const Eigen::VectorXf here = thinned(residual);
    const auto amount = newAmount(changed, at_);
    const Eigen::Index own = space_.size(), all = own + (amount ? 1 : 0);
    Eigen::VectorXd position(all), lower(all), upper(all);
    position.head(own) = position_;
    lower.head(own) = space_.lower();
    upper.head(own) = space_.upper();
    for (Eigen::Index i = 0; i < own; ++i) {
        const Address& address = space_.addresses()[static_cast<std::size_t>(i)];
        if (!changed.has(address) || changed.value(address) != at_.value(address))
            lower(i) = upper(i) = position(i); // that is the change
    }
    if (amount) {
        position(own) = 1.0;
        lower(own) = -mostAmount;
        upper(own) = mostAmount;
    }
    Eigen::MatrixXf jacobian(jacobian_.rows(), all);
    jacobian.leftCols(own) = jacobian_;
    if (amount) jacobian.col(own) = here - residual_;

    Eigen::VectorXf left = here;
    Eigen::VectorXd step = Eigen::VectorXd::Zero(all);
    double least = here.cwiseAbs().mean();
    const double asItCame = least;
    for (int i = 0; i < weightings; ++i) {
        const Eigen::VectorXf weight = left.cwiseAbs().cwiseMax(floor).cwiseInverse();
        const Eigen::MatrixXf weighted = weight.asDiagonal() * jacobian;
        const Eigen::VectorXd tried =
            boundedStep((jacobian.transpose() * weighted).cast<double>(), (weighted.transpose() * here).cast<double>(),
                        damping, position, lower, upper);
        left = here + jacobian * tried.cast<float>();
        const double loss = left.cwiseAbs().mean();
        if (!(loss < least)) continue; // nor where nothing could be solved
        least = loss;
        step = tried;
    }
    Estimate estimate{changed, 0.0};
    for (Eigen::Index i = 0; i < own; ++i) {
        const Address& address = space_.addresses()[static_cast<std::size_t>(i)];
        if (step(i) == 0.0) continue;
        const double unit = std::clamp(position(i) + step(i), lower(i), upper(i));
        estimate.patch.setNearest(address, changed.descriptor(address).fromUnit(unit));
    }
    if (amount) estimate.patch.setNearest(*amount, changed.value(*amount) * (1.0 + step(own)));
    // All rows of the change as it came are known; the thinned ones show by what share that falls.
    const double known = residual.cwiseAbs().mean();
    estimate.loss = asItCame > 0.0 ? known * least / asItCame : 0.0;
    return estimate;
}

} // namespace facet
