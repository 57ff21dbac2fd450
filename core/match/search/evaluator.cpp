#include "core/match/search/evaluator.h"

#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/proposals/simplifications.h"

#include <cmath>
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
    require(patches.size());
    return compared(patches, [&](const PreparedTarget& target, const Recording& render) {
        return difference(*target.loss, render);
    });
}

std::vector<Eigen::VectorXf>
Evaluator::compared(const std::vector<Patch>& patches,
                    const std::function<Eigen::VectorXf(const PreparedTarget&, const Recording&)>& with) const {
    const auto begun = std::chrono::steady_clock::now();
    std::vector<Eigen::VectorXf> result(patches.size());
    std::vector<double> comparing(patches.size(), 0.0);
    for (const PreparedTarget& target : targets_) {
        renderEach(
            patches, target.performance, target.rateHz,
            [&](std::size_t i, Recording&& render) {
                const auto compareBegun = std::chrono::steady_clock::now();
                append(result[i], with(target, render), target.share);
                comparing[i] += secondsSince(compareBegun);
            },
            allowance_.ignoreBudget ? Task{} : inputs_.task, inputs_.settings.threads);
    }
    // The mean magnitude of all residuals together is the weighted mean of the targets' losses.
    for (Eigen::VectorXf& all : result) all *= static_cast<float>(all.size());
    const double cost = costOf(patches.size());
    budget_.spend(cost);
    budget_.noteRenders(cost, secondsSince(begun));
    budget_.stages().count(static_cast<int>(patches.size()), cost,
                           std::accumulate(comparing.begin(), comparing.end(), 0.0));
    return result;
}

std::vector<Eigen::VectorXf> Evaluator::residuals(const std::vector<Patch>& patches) const {
    require(patches.size());
    std::vector<Eigen::VectorXf> all;
    // By and by, so that a limit in time is kept to; what was compared until then is recorded.
    while (all.size() < patches.size()) {
        if (!all.empty()) require(1);
        const auto first = patches.begin() + static_cast<std::ptrdiff_t>(all.size());
        const std::size_t part =
            allowance_.ignoreBudget
                ? patches.size()
                : static_cast<std::size_t>(static_cast<double>(budget_.rendersAtOnce()) / costOf(1));
        const std::size_t count = std::min(std::max<std::size_t>(16, part), patches.size() - all.size());
        const std::vector<Patch> some(first, first + static_cast<std::ptrdiff_t>(count));
        auto result = compared(
            some, [](const PreparedTarget& target, const Recording& render) { return target.residual(render); });
        for (std::size_t i = 0; i < some.size(); ++i) {
            if (records_) leaderboard_.record(ranked(some[i], Loss::value(result[i])));
            all.push_back(std::move(result[i]));
        }
    }
    return all;
}

std::vector<Candidate> Evaluator::evaluate(const std::vector<Patch>& patches) const {
    std::vector<Candidate> result;
    const auto all = residuals(patches);
    for (std::size_t i = 0; i < patches.size(); ++i) result.push_back(ranked(patches[i], Loss::value(all[i])));
    return result;
}

Candidate Evaluator::ranked(const Patch& patch, double loss) const {
    constexpr double ofNoiseForTone = 2.5, rankPerLogOdds = 0.02;
    const double handicap = inputs_.isNoiseForTone(patch) ? ofNoiseForTone : 1.0;
    const double unlikelihood = std::exp(rankPerLogOdds * inputs_.logOddsAgainst(patch));
    return {patch, loss, loss * handicap * handicapOf(patch, inputs_.settings.start) * unlikelihood};
}

} // namespace facet
