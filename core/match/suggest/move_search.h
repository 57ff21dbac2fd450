// One search for moves from one patch.
#pragma once

#include "core/compare/loss.h"
#include "core/match/proposals/context.h"
#include "core/match/suggest/move_plan.h"
#include "core/match/suggest/next_moves.h"

#include <Eigen/Core>
#include <chrono>
#include <functional>
#include <limits>
#include <map>
#include <utility>
#include <vector>

namespace facet {

/// What a search for moves compares with; all that is referred to must outlive it.
struct MoveReference {
    const Profile& profile;
    const Performance& early; ///< what the rough look is at, at 48 kHz
    const Loss& loss;         ///< of that
    /// How a patch compares, and the profile of its render; the likeness is the mean over all references.
    std::function<ComparedPatch(const Patch&, int threads)> score;
    /// What the recording tells by measurements, and by a search; made when first asked for.
    std::function<const MovePlan&()> measured;
    std::function<const MovePlan&()> searched;
    bool isSearched = false; ///< the second is there already
};

/// Tries changes on a loss, which is quick to have, and scores the best of them.
class MoveSearch {
public:
    MoveSearch(MoveReference reference, const Patch& patch, const MoveSettings& settings, const Task& task)
        : reference_(std::move(reference)), patch_(patch), settings_(settings), task_(task) {}

    NextMoves run(const std::function<void(const NextMoves&)>& listener);

private:
    /// A change with its loss.
    struct Tried {
        Patch patch;
        double loss = std::numeric_limits<double>::infinity();
        std::size_t family = 0;
        std::size_t place = 0; ///< among the family's
    };
    struct Scored {
        Patch patch;
        Comparison comparison;
        std::size_t family;
        double onceAll = notMeasurable; ///< what it adds, in likeness, to the patch with the whole plan
    };
    struct Derivative {
        double step = 0.0;
        Eigen::VectorXf slope;
    };
    /// Of a family that a plan proposes: what it adds, in likeness, once the rest of the plan is done, and how soon
    /// producers do such a thing.
    struct Planned {
        std::string part; ///< its id in the plan
        double onceAll = 0.0;
        double eagerness = 1.0;
        bool heard = false; ///< also by itself, as the patch stands
    };
    /// A scored change with what decides whether it is shown.
    struct Ranked {
        const Scored* scored;
        std::string idea;
        double worth, onceAll;
    };
    using Clock = std::chrono::steady_clock;
    static double secondsSince(Clock::time_point begin) {
        return std::chrono::duration<double>(Clock::now() - begin).count();
    }
    static constexpr std::size_t noFamily = std::numeric_limits<std::size_t>::max();

    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches);
    std::vector<double> losses(const std::vector<Patch>& patches);
    void follow(const MovePlan& plan);
    void tryAll(const std::function<void(const NextMoves&)>& listener, std::size_t listed, double tellAfter);
    void judgeOnPlan();
    bool isPlayable(const Patch& changed) const;
    int urgency(const ProposalFamily& family, std::size_t place) const;
    double positionOf(const Address& address, double value) const;
    void keepDerivative(const Tried& one, const Eigen::VectorXf& residual);
    std::vector<Tried> bestOfFamilies() const;
    void scorePlanned(std::size_t most);
    void scoreBest(const std::vector<Tried>& sorted, std::size_t most);
    void scoreAll(const std::vector<std::pair<Patch, std::size_t>>& some);
    bool isScored(const Patch& patch) const;
    void lookCloser(std::vector<Tried>& leading);
    std::vector<Patch> between(const ProposalFamily& family, std::size_t place) const;
    bool inRange(const Address& address, double value) const;
    bool keepsLimits(const Patch& changed) const;
    bool isInFocus(const Patch& changed) const;
    bool reaches(std::size_t family, double step) const;
    std::pair<Eigen::MatrixXd, Eigen::VectorXd> normalEquations(const std::vector<std::size_t>& names) const;
    std::vector<Tried> pairs();
    std::vector<Tried> parts();
    void settleValues();
    double trustIn(const Patch& changed) const;
    std::optional<Patch> onPlan(const Patch& changed) const;
    Ranked ranked(const Scored& one) const;
    Move moveOf(const Ranked& one) const;
    void collect(bool complete);

    MoveReference reference_;
    const Patch& patch_;
    const MoveSettings& settings_;
    const Task& task_;
    Clock::time_point begun_;
    ComparedPatch now_;
    const MovePlan* plan_ = nullptr;
    Patch all_{};            ///< the patch with the whole plan
    double allCost_ = 0.0;   ///< dB: its loss, and how implausible it is
    double allLoss_ = 0.0;   ///< dB; of the patch itself where the plan leads nowhere
    double reach_ = 0.0;     ///< its likeness
    bool planLeads_ = false; ///< farther than any single move
    double share_ = 0.0;     ///< 0 … 1: of the loss, how much the plan explains
    NextMoves result_;
    std::vector<ProposalFamily> families_;   ///< of the catalogue, then of plans
    std::size_t catalogue_ = 0;              ///< how many of them are the catalogue's
    std::map<std::size_t, Planned> planned_; ///< by family
    std::set<std::size_t> compounds_;        ///< families that plans have proposed
    std::vector<Tried> tried_;
    std::vector<Scored> scored_;
    Eigen::VectorXf base_;
    std::map<std::size_t, Derivative> derivatives_;
};

} // namespace facet
