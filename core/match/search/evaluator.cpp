#include "core/match/search/evaluator.h"

#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/proposals/simplifications.h"

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
    budget_.require(renders, allowance_, !leaderboard_.empty());
}

std::vector<Eigen::VectorXf> Evaluator::differences(const std::vector<Patch>& patches,
                                                    const Difference& difference) const {
    require(patches.size());
    std::vector<Eigen::VectorXf> result(patches.size());
    for (const PreparedTarget& target : targets_) {
        renderEachAt48k(
            patches, target.performance,
            [&](std::size_t i, Recording&& render) {
                append(result[i], difference(*target.loss, render), target.share);
            },
            allowance_.ignoreBudget ? Task{} : inputs_.task, inputs_.settings.threads);
    }
    // The mean magnitude of all residuals together is the weighted mean of the targets' losses.
    for (Eigen::VectorXf& all : result) all *= static_cast<float>(all.size());
    budget_.spend(patches.size());
    return result;
}

std::vector<Eigen::VectorXf> Evaluator::residuals(const std::vector<Patch>& patches) const {
    auto result = differences(patches, [](const Loss& loss, const Recording& render) { return loss.residual(render); });
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
    return {patch, loss, loss * handicapOf(patch, inputs_.settings.start)};
}

} // namespace facet
