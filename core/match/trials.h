// What a search has tried so far: every render it compares goes through here.
#pragma once

#include "core/base/task.h"
#include "core/match/level_finish.h"
#include "core/match/match.h"
#include "core/match/prepared_target.h"

#include <Eigen/Core>
#include <array>
#include <chrono>
#include <functional>
#include <limits>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace facet {

/// Thrown by what would evaluate more than a search may; never leaves match().
struct BudgetSpent {};

constexpr double sameLoss = 2e-3; ///< two this near to each other sound the same

struct Candidate {
    Patch patch{};
    double loss = std::numeric_limits<double>::infinity();
    double rank = std::numeric_limits<double>::infinity(); ///< the loss with what the patch is handicapped by
};
bool better(const Candidate& a, const Candidate& b);

/// Tells structures apart by the kinds of what sounds, not by values.
std::string kindsOf(const Patch& patch);

double secondsSince(std::chrono::steady_clock::time_point start);

/// Renders patches and compares them with the targets as long as the limits allow, remembers the best of each
/// structure, and reports. What it refers to must outlive it. Used by one thread, whose work it spreads.
class Trials {
public:
    /// `first` is what the first of them is a stretch of.
    Trials(const std::vector<PreparedTarget>& all, const PreparedTarget& first, const MatchSettings& options,
           const Task& work, const std::function<void(const MatchProgress&)>& listener);

    struct Best {
        std::string structure;
        Candidate candidate;
    };
    std::vector<Best> bests;       ///< of each structure
    std::optional<Patch> favorite; ///< see markRound()
    /// Whether a patch lies within the limits as it is.
    bool allows(const Patch& patch) const { return constrained(patch).soundsLike(patch); }
    int evaluations = 0;
    std::chrono::steady_clock::time_point started = std::chrono::steady_clock::now();
    double markSeconds = 0.1; ///< what it takes to measure and mark one patch, about

protected:
    // ---- evaluation: all throw BudgetSpent and Cancelled ----

    /// So many renders.
    bool affords(std::size_t count) const;
    /// Throws when they may not, or when time is up and there is something to keep.
    void requireBudget(std::size_t count) const;
    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches);
    /// What a loss finds between the targets and each patch.
    std::vector<Eigen::VectorXf> differences(const std::vector<Patch>& patches, const Difference& difference);
    std::vector<Candidate> evaluate(const std::vector<Patch>& patches);
    Candidate ranked(const Patch& patch, double loss) const;
    void keep(const Best& one);
    /// Of this beginning.
    const Candidate& best() const;
    /// Of all beginnings.
    const Candidate& bestOfAll() const;
    /// With the search's own seed; the facets are those of the first target.
    double likenessOf(const Patch& patch, std::array<double, facetCount>* facets = nullptr) const;
    void report(const std::string& trying);
    /// Loss and likeness do not fall and rise together: of the best ones after each round, the one that is worth most
    /// stands at the end beside those that follow it.
    void markRound();

    // ---- limits ----

    /// In the middle, where the references have no sides: what differs between them is not searched there.
    Patch fitting(Patch patch) const;
    bool locked(const Address& address) const { return settings.limits.locks.contains(address); }
    /// Whether a patch that was not made from the start has all that is locked.
    bool holdsLocked(const Patch& patch) const;
    /// Ties what the start has tied, clips into the given ranges and puts back everything that is locked.
    Patch constrained(Patch patch) const;

    const std::vector<PreparedTarget>& targets;
    const std::vector<PreparedTarget>* looked = &targets; ///< what candidates are compared with now
    const PreparedTarget& whole;
    const Profile& profile; ///< of the whole of the first target
    const MatchSettings& settings;
    const Task& task;
    const Told told;
    bool insists = false; ///< neither a limit nor a stop counts
    double share = 0.82;  ///< of the budget that may be spent now
    double bestRank = std::numeric_limits<double>::infinity();
    std::vector<Best> earlier; ///< the best of each structure from earlier beginnings
    double earlierRank = std::numeric_limits<double>::infinity();

private:
    struct Mark {
        double likeness = 0.0;
        std::array<double, facetCount> facets{};
        bool complete = false; ///< with its facets
    };
    void remember(const Patch& patch, double value);
    /// The best of each leading structure. One of them is compared now and then: that takes as long as many renders.
    std::vector<Leader> leaders();
    const Mark& markOf(const Patch& patch);
    /// What people see from now on.
    void show(const Patch& patch);

    const std::function<void(const MatchProgress&)>& progress;
    Mark shown;
    std::map<std::uint64_t, Mark> marked; ///< patches by hash
    double favoriteWorth = -std::numeric_limits<double>::infinity();
    std::chrono::steady_clock::time_point lastMarked = std::chrono::steady_clock::now();
    bool improved = false; ///< the best, since the last report
    bool unmarked = false; ///< the best, as it is now
    double markedAt = -std::numeric_limits<double>::infinity();
};

} // namespace facet
