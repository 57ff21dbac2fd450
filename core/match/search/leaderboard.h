// The best candidate of each structure that a search has tried.
#pragma once

#include "core/match/search/candidate.h"

#include <limits>
#include <string>
#include <vector>

namespace facet {

/// Keeps what was found in the present attempt apart from what earlier attempts have found, which would win every
/// comparison against a new beginning. Used by the search's own thread alone.
class Leaderboard {
public:
    struct Entry {
        std::string structure; ///< structureKeyOf()
        Candidate candidate;
    };

    void record(const Candidate& candidate);
    /// Puts a candidate in place of the best of its structure, though its rank be worse.
    void replace(const Candidate& candidate);
    /// Makes a candidate the best of the present attempt: what ranks before it goes.
    void lead(const Candidate& candidate);
    /// Sets what was found aside, for an attempt of its own.
    void beginAttempt();
    /// Joins what earlier attempts have found.
    void endAttempt();
    void sort();

    bool empty() const { return present_.empty() && earlier_.empty(); }
    /// Of the present attempt; there is one.
    const Candidate& best() const;
    double bestRank() const { return bestRank_; }
    double earlierRank() const { return earlierRank_; }
    /// Whether the present attempt has the best of all.
    bool presentLeads() const { return earlier_.empty() || bestRank_ < earlierRank_; }
    const Candidate& bestOfAll() const;
    const std::vector<Entry>& present() const { return present_; }
    /// Of all attempts, best first; valid until the next change.
    std::vector<const Entry*> ranking() const;

    /// Whether the best of all is new since the last call.
    bool takeImproved();
    bool improved() const { return improved_; }

private:
    void keep(const Entry& entry);

    std::vector<Entry> present_, earlier_;
    double bestRank_ = std::numeric_limits<double>::infinity();
    double earlierRank_ = std::numeric_limits<double>::infinity();
    bool improved_ = false;
};

} // namespace facet
