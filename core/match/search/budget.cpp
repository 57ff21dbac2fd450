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
    const double left = seconds_ - std::min(scores * scoreSeconds_ + certaintySeconds(), mostForScores * seconds_);
    // Pruning is so many renders: of a long search it takes a smaller share.
    constexpr double pruningScores = 8.0, mostPruning = 0.18;
    const double keptBack =
        allowance.strict ? 1.0 : std::min(1.0, pruningScores * scoreSeconds_ / (mostPruning * std::max(1e-9, left)));
    const double allowed = left * (1.0 - (1.0 - allowance.share) * keptBack);
    if (seconds_ > 0.0 && secondsSoFar() > allowed && anythingFound) throw BudgetSpent{};
}

std::size_t Budget::rendersAtOnce() const {
    constexpr double moment = 0.3; // seconds
    constexpr double fewest = 16.0, most = 4096.0;
    if (seconds_ <= 0.0 || renderSeconds_ <= 0.0) return static_cast<std::size_t>(most);
    return static_cast<std::size_t>(std::clamp(moment / renderSeconds_, fewest, most));
}

void Budget::noteRenders(double renders, double seconds) {
    constexpr double share = 0.5; // of the last
    if (renders <= 0.0) return;
    renderSeconds_ = renderSeconds_ > 0.0 ? std::lerp(renderSeconds_, seconds / renders, share) : seconds / renders;
}

double Budget::fraction() const {
    return std::clamp(
        std::max(seconds_ > 0.0 ? secondsSoFar() / seconds_ : 0.0, evaluations_ > 0 ? spent_ / evaluations_ : 0.0), 0.0,
        1.0);
}

} // namespace facet
