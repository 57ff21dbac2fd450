#include "core/match/search/evaluator.h"

#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/proposals/simplifications.h"

#include <numeric>

namespace facet {

namespace {

/// Puts one target's residuals after the others', each worth its share divided by how many numbers it has.
void append(Eigen::VectorXf& all, const Eigen::VectorXf& residual, double share) {
    const Eigen::Index before = all.size();
    all.conservativeResize(before + residual.size());
    all.tail(residual.size()) = static_cast<float>(share / static_cast<double>(residual.size())) * residual;
}

} // namespace

void Evaluator::require(std::size_t renders) const {
    if (allowance_.ignoreBudget) return;
    inputs_.task.check();
    budget_.require(costOf(renders), allowance_, !leaderboard_.empty());
}

double Evaluator::costOf(std::size_t patches) const {
    double part = 0.0;
    for (const PreparedTarget& target : targets_) part += target.share * target.shareHeard;
    return part * static_cast<double>(patches);
}

std::vector<Eigen::VectorXf> Evaluator::differences(const std::vector<Patch>& patches,
                                                    const Difference& difference) const {
    return compared(patches, [&](const PreparedTarget& target, const Recording& render) {
        return difference(*target.loss, render);
    });
}

std::vector<Eigen::VectorXf>
Evaluator::compared(const std::vector<Patch>& patches,
                    const std::function<Eigen::VectorXf(const PreparedTarget&, const Recording&)>& with) const {
    require(patches.size());
    std::vector<Eigen::VectorXf> result(patches.size());
    std::vector<double> comparing(patches.size(), 0.0);
    for (const PreparedTarget& target : targets_) {
        renderEachAt48k(
            patches, target.performance,
            [&](std::size_t i, Recording&& render) {
                const auto begun = std::chrono::steady_clock::now();
                append(result[i], with(target, render), target.share);
                comparing[i] += secondsSince(begun);
            },
            allowance_.ignoreBudget ? Task{} : inputs_.task, inputs_.settings.threads);
    }
    // The mean magnitude of all residuals together is the weighted mean of the targets' losses.
    for (Eigen::VectorXf& all : result) all *= static_cast<float>(all.size());
    budget_.spend(costOf(patches.size()));
    budget_.stages().count(static_cast<int>(patches.size()), costOf(patches.size()),
                           std::accumulate(comparing.begin(), comparing.end(), 0.0));
    return result;
}

std::vector<Eigen::VectorXf> Evaluator::residuals(const std::vector<Patch>& patches) const {
    auto result = compared(
        patches, [](const PreparedTarget& target, const Recording& render) { return target.residual(render); });
    if (records_)
        for (std::size_t i = 0; i < patches.size(); ++i)
            leaderboard_.record(ranked(patches[i], Loss::value(result[i])));
    return result;
}

std::vector<Candidate> Evaluator::evaluate(const std::vector<Patch>& patches) const {
    std::vector<Candidate> result;
    const auto all = residuals(patches);
    for (std::size_t i = 0; i < patches.size(); ++i) result.push_back(ranked(patches[i], Loss::value(all[i])));
    return result;
}

Candidate Evaluator::ranked(const Patch& patch, double loss) const {
    constexpr double ofNoiseForTone = 2.5;
    const double handicap = inputs_.isNoiseForTone(patch) ? ofNoiseForTone : 1.0;
    return {patch, loss, loss * handicap * handicapOf(patch, inputs_.settings.start)};
}

} // namespace facet
