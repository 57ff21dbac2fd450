// Next moves: after each edit, which change of the patch would bring it closer to the reference.
#include "app/session/session.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/match/moves.h"

#include <chrono>
#include <thread>

namespace facet {

namespace {

/// Who turns a parameter changes it again at once.
constexpr auto restBefore = std::chrono::milliseconds(250);

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
    next_.submit([this, turn = ++nextTurn_, settings, patch = current->patch, audio = current->excerpt()->audio,
                  played = current->excerpt()->corrected(), key = referenceKey_, profile = results_.reference.profile,
                  attention = current->attentionTo(*current->excerpt())](const Task& task) {
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
                finder_ = std::make_unique<MoveFinder>(*audio, profile, played, attention);
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
