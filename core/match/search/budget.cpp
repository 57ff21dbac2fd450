#include "core/match/search/budget.h"

#include <algorithm>

namespace facet {

double secondsSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

bool Budget::affords(double renders, const Allowance& allowance) const {
    return evaluations_ <= 0 || spent_ + renders <= allowance.share * evaluations_;
}

void Budget::require(double renders, const Allowance& allowance, bool anythingFound) const {
    if (!affords(renders, allowance)) throw BudgetSpent{};
    // Scoring the finalists takes a while too, and the best of them is scored over several seeds.
    constexpr double scores = 5.0, mostForScores = 0.3;
    const double left = seconds_ - std::min(scores * scoreSeconds_, mostForScores * seconds_);
    // Pruning is so many renders: of a long search it takes a smaller share.
    constexpr double pruningScores = 8.0, mostPruning = 0.18;
    const double keptBack =
        allowance.strict ? 1.0 : std::min(1.0, pruningScores * scoreSeconds_ / (mostPruning * std::max(1e-9, left)));
    const double allowed = left * (1.0 - (1.0 - allowance.share) * keptBack);
    if (seconds_ > 0.0 && secondsSoFar() > allowed && anythingFound) throw BudgetSpent{};
}

double Budget::fraction() const {
    return std::clamp(
        std::max(seconds_ > 0.0 ? secondsSoFar() / seconds_ : 0.0, evaluations_ > 0 ? spent_ / evaluations_ : 0.0), 0.0,
        1.0);
}

} // namespace facet
