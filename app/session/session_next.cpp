// Next moves: after each edit, which change of the patch would bring it closer to the reference.
#include "app/session/session.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/match/suggest/next_moves.h"

#include <chrono>
#include <thread>

namespace facet {

namespace {

/// Who turns a parameter changes it again at once.
constexpr auto restBefore = std::chrono::milliseconds(250);
constexpr double leastWeight = 1e-6;

} // namespace

void Session::wantNextMoves(bool wanted) {
    if (wanted == nextWanted_) return;
    nextWanted_ = wanted;
    if (wanted)
        lookForMoves();
    else if (nextState_ == NextState::looking)
        dropMoves();
}

void Session::dropMoves() {
    ++nextTurn_;
    next_.cancel();
    nextMoves_ = {};
    nextState_ = NextState::none;
}

void Session::lookForMoves() {
    const Cue* current = cue();
    if (!nextWanted_ || nextState_ != NextState::none || match_.running || !results_.comparisonIsCurrent || !current ||
        !current->excerpt() || current->excerpt()->corrected().notes.empty() || !results_.reference.profile)
        return;
    nextState_ = NextState::looking;
    emit nextMovesChanged();
    MoveSettings settings;
    settings.limits = current->limits();
    settings.weights = current->facetWeights;
    settings.threads = hardwareThreads();
    // The one in view first; it is looked at even when it does not count.
    std::vector<MoveTarget> targets;
    Hasher key;
    const auto add = [&](const Excerpt& excerpt) {
        const std::uint64_t profileKey = profileKeyOf(*current, excerpt);
        targets.push_back({excerpt.audio, profileOf(profileKey), excerpt.corrected(), current->attentionTo(excerpt),
                           std::max(excerpt.weight, leastWeight)});
        key.number(profileKey).number(targets.back().weight);
    };
    add(*current->excerpt());
    for (const auto& each : current->excerpts)
        if (each.get() != current->excerpt() && each->weight > 0.0 && !each->corrected().notes.empty()) add(*each);
    next_.submit([this, turn = ++nextTurn_, settings, patch = current->patch, targets,
                  key = key.value()](const Task& task) mutable {
        const auto tell = [this, turn](const NextMoves& moves) {
            post([this, turn, moves] {
                if (turn != nextTurn_) return;
                nextMoves_ = moves;
                nextState_ = moves.complete ? NextState::complete : NextState::looking;
                emit nextMovesChanged();
            });
        };
        try {
            for (auto waited = restBefore; waited.count() > 0; waited -= std::chrono::milliseconds(10)) {
                task.check();
                std::this_thread::sleep_for(std::chrono::milliseconds(10));
            }
            // Only this queue's one thread uses it.
            if (!finder_ || finderKey_ != key) {
                for (MoveTarget& each : targets)
                    if (!each.profile)
                        each.profile = std::make_shared<const Profile>(
                            measureProfile(attended(*each.reference, each.attention),
                                           attendedNotes(each.performance, each.attention.leftOut), {}, task));
                finder_ = std::make_unique<MoveFinder>(targets);
                finderKey_ = key;
            }
            finder_->find(patch, settings, task, tell);
        } catch (const Cancelled&) {
        } catch (const Error&) {
            NextMoves none;
            none.complete = true;
            tell(none); // what cannot be rendered is told where it is rendered first
        }
    });
}

void Session::takeMove(int index) {
    if (index < 0 || index >= static_cast<int>(nextMoves_.best.size()) || !cue()) return;
    const Move move = nextMoves_.best[static_cast<std::size_t>(index)];
    setPatch(QString::fromStdString(move.what), move.patch);
}

void Session::hearMove(int index) {
    const bool known = index >= 0 && index < static_cast<int>(nextMoves_.best.size());
    hearOther(known ? std::optional(nextMoves_.best[static_cast<std::size_t>(index)].patch) : std::nullopt);
    if (known && !playback_.player().playing()) playback_.play(Side::render);
    if (known && playback_.player().side() == Side::reference) playback_.listenTo(Side::render);
}

} // namespace facet
