// The course of a search: kinds of sound raced, the best refined, changed, polished and pruned.
#pragma once

#include "core/base/random.h"
#include "core/match/hypotheses.h"
#include "core/match/linear_refit.h"
#include "core/match/trials.h"

#include <set>

namespace facet {

class Search : public Trials {
public:
    Search(const std::vector<PreparedTarget>& all, const PreparedTarget& first, const MatchSettings& options,
           const Task& work, const std::function<void(const MatchProgress&)>& listener);

    /// Leaves the best of each structure in `bests`, best first.
    void run();
    /// Of a patch that was found; neither limit counts.
    std::vector<KnownRange> rangesOf(const Patch& patch);
    /// What of it no target tells, so that a search leaves it alone.
    std::vector<Address> untoldOf(const Patch& patch) const;

    std::vector<Patch> goneOnWith; ///< what an earlier search had found, within the limits
    bool complete = true;          ///< whether it came to rest

private:
    enum class Depth { quick, usual, thorough };

    Candidate refine(const Candidate& from, int iterations);
    /// Improves each where it stands, within limits of its own or the one that is given for all. `near`: slopes at a
    /// patch that all of them are changes of, see Refinement; then more go side by side, as each asks for few.
    void refineEach(std::vector<Candidate>& candidates, const std::vector<SearchLimits>& limits, int iterations,
                    const LinearRefit* near = nullptr);
    /// Keeps the best so many, of each kind at most so many: what is alike gets stuck alike.
    static void keepDifferent(std::vector<Candidate>& candidates, std::size_t most, int ofEach);
    /// The same, and the best of some kinds where it is not far behind: what was measured gets a second look.
    static void keepDifferentAnd(const std::set<std::string>& kinds, std::vector<Candidate>& candidates,
                                 std::size_t most, int ofEach);
    /// Keeps the best so many, and improves each of them where it stands.
    void refineAll(std::vector<Candidate>& candidates, std::size_t keep, int iterations,
                   const LinearRefit* near = nullptr);
    /// Nearby patches: every continuous parameter moved by a normal deviate.
    std::vector<Patch> scattered(const Patch& patch, double deviation, int count);
    /// Every hypothesis from its estimate, fewer and fewer of them, longer and longer: at first the longest note alone.
    void race();
    /// Until no change gains any more.
    void settle();
    /// Whether what is left of the limits may find something better from other beginnings.
    bool mayBeginAnew() const;
    /// The same from the hypotheses that came next and other patches of the bank. What it comes to lies apart from what
    /// is there already, which would win every comparison, and goes on only while it is not far behind.
    void beginAnew();
    void joinEarlier();
    /// From where an earlier search was.
    void goOn();
    /// Each replaced by the best of what lies near it.
    void varyEach(std::vector<Candidate>& entrants);
    /// The same with every LFO beginning at other places of its cycle, which a search finds no way to.
    std::vector<Patch> otherPhases(const Patch& patch) const;
    /// Whether notes of the best start at one place of the cycle, which a bass shows and an onset lets hear.
    void fixPhases();
    /// Echoes and rooms, of which only those that lie right promise anything, fitted by themselves.
    void addSpace();
    /// A module that has come into a patch, as it comes, seldom does what it could: the best of each kind is first
    /// fitted by itself, which costs little, and competes as that.
    void fitNewcomers(std::vector<Candidate>& moved, const Candidate& before);
    /// So that slopes at the best are known, or at what is as good.
    void measureSlopes();
    void forgetSlopes();
    const LinearRefit* known() const { return slopes ? &*slopes : nullptr; }
    struct Changes {
        std::vector<Candidate> tried; ///< each as it comes, and those that promise most with the rest having given way
        std::vector<Candidate> promising; ///< what should gain, best first, each in the better of both
    };
    Changes evaluateGivingWay(const std::vector<Patch>& patches);
    /// By the slopes from before they came, so many that promise something first: a large change is often far from what
    /// it promises as it comes, and gets there in a few steps. Then the best of them by their own.
    void refineChanges(Changes changes, std::size_t promising);
    /// Structural moves and parts of other patches, without what was in vain.
    std::vector<Patch> changesOf(const Patch& from, Depth depth);
    /// Structural moves around the best, and restarts near it. True while it is worth going on. Quick: what gains most
    /// comes first, and restarts wait. Thorough: what comes in is fitted by itself first, for when nothing gains as it
    /// comes.
    bool round(Depth depth);
    /// Where steps along slopes find nothing more, a cloud of patches about the best still may. True when it gained
    /// enough to go on from there.
    bool polish();
    /// Switches off what does not earn its place: what costs least first, until nothing more may go.
    void prune();
    void pruneFurther();
    /// The levels of the notes to the decibel, as far as the loss hardly grows.
    void finishLevels();
    /// Structures that the pruned one replaces go: they are no better and more complicated.
    void preferSimpler();

    Random random;
    std::optional<LinearRefit> slopes{}; ///< at what was the best when they were measured
    double slopesRank = std::numeric_limits<double>::infinity();
    int attempt = 0;                    ///< how often the search has begun anew
    std::size_t entered = 0;            ///< ways to begin that the last one had
    std::set<std::string> vain;         ///< changes that promised nothing at an earlier round, until a thorough one
    std::set<std::string> followed;     ///< structures that a beginning was made with
    std::vector<Hypothesis> hypotheses; ///< from measurements, once made
    std::vector<Patch> donors;          ///< all that raced, best first
    Candidate pruned;
};

} // namespace facet
