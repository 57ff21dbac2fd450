#include "core/match/search/leaderboard.h"

#include <algorithm>
#include <utility>

namespace facet {

namespace {

const Candidate& bestIn(const std::vector<Leaderboard::Entry>& entries) {
    return std::min_element(entries.begin(), entries.end(),
                            [](const auto& a, const auto& b) { return better(a.candidate, b.candidate); })
        ->candidate;
}

} // namespace

void Leaderboard::record(const Candidate& candidate) {
    keep({structureKeyOf(candidate.patch), candidate});
    if (candidate.rank >= bestRank_) return;
    bestRank_ = candidate.rank;
    improved_ = improved_ || bestRank_ < earlierRank_;
}

void Leaderboard::keep(const Entry& entry) {
    const auto found = std::find_if(present_.begin(), present_.end(),
                                    [&](const Entry& each) { return each.structure == entry.structure; });
    if (found == present_.end())
        present_.push_back(entry);
    else if (better(entry.candidate, found->candidate))
        found->candidate = entry.candidate;
}

void Leaderboard::replace(const Candidate& candidate) {
    for (Entry& each : present_)
        if (each.structure == structureKeyOf(candidate.patch)) each.candidate = candidate;
}

void Leaderboard::lead(const Candidate& candidate) {
    std::erase_if(present_, [&](const Entry& each) { return each.candidate.rank <= candidate.rank; });
    bestRank_ = std::numeric_limits<double>::infinity();
    record(candidate);
}

void Leaderboard::beginAttempt() {
    earlier_.swap(present_);
    earlierRank_ = bestRank_;
    bestRank_ = std::numeric_limits<double>::infinity();
}

void Leaderboard::endAttempt() {
    for (const Entry& each : earlier_) keep(each);
    bestRank_ = std::min(bestRank_, earlierRank_);
    earlier_.clear();
    earlierRank_ = std::numeric_limits<double>::infinity();
}

void Leaderboard::sort() {
    std::stable_sort(present_.begin(), present_.end(),
                     [](const Entry& a, const Entry& b) { return better(a.candidate, b.candidate); });
}

const Candidate& Leaderboard::best() const { return bestIn(present_); }
const Candidate& Leaderboard::bestOfAll() const { return presentLeads() ? best() : bestIn(earlier_); }

std::vector<const Leaderboard::Entry*> Leaderboard::ranking() const {
    std::vector<const Entry*> order;
    for (const auto* entries : {&present_, &earlier_})
        for (const Entry& each : *entries) order.push_back(&each);
    std::stable_sort(order.begin(), order.end(),
                     [](const Entry* a, const Entry* b) { return better(a->candidate, b->candidate); });
    return order;
}

bool Leaderboard::takeImproved() { return std::exchange(improved_, false); }

} // namespace facet
