// Next moves: after each edit, which change of the patch would bring it closer to the reference.
#pragma once

#include "app/session/document/patch_editor.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/listening/listening.h"
#include "app/session/results/results_controller.h"
#include "core/match/suggest/next_moves.h"

#include <QObject>
#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace facet {

/// While moves are wanted they are looked for after each comparison, in the background and at low priority, but not
/// while a search runs: a first list, then a last one. The next edit drops them. GUI thread only.
class NextMovesController : public QObject {
    Q_OBJECT

public:
    enum class State { none, looking, complete };

    NextMovesController(DocumentStore& document, PatchEditor& patch, ResultsController& results, Listening& listening,
                        Playback& playback, std::function<bool()> searchRuns, QObject* parent = nullptr);

    void want(bool wanted);
    const NextMoves& moves() const { return moves_; }
    State state() const { return state_; }
    /// Lets the phrase be heard with a move, in place of the render; −1: the patch as it stands again.
    void hear(int index);
    /// Makes a move, as an edit.
    void take(int index);
    /// Does not propose the idea of a move any more for this cue, as an edit.
    void decline(int index);
    /// Proposes again what was declined, as an edit.
    void forgetDeclined();
    /// Moves for one facet, or that change one module or what moves it; nothing and empty: all.
    void setFocus(std::optional<Facet> facet, const std::string& module = {});
    std::optional<Facet> facet() const { return facet_; }
    const std::string& module() const { return module_; }

signals:
    void changed();

private:
    void look();
    void drop();
    void again();

    DocumentStore& document_;
    PatchEditor& patch_;
    ResultsController& results_;
    Listening& listening_;
    Playback& playback_;
    std::function<bool()> searchRuns_;
    bool wanted_ = false;
    std::optional<Facet> facet_;
    std::string module_;
    State state_ = State::none;
    NextMoves moves_;
    std::unique_ptr<MoveFinder> finder_; ///< used by the job's thread alone
    std::uint64_t finderKey_ = 0;        ///< of the targets it was made for; likewise
    LatestJob<NextMoves> finding_;
};

} // namespace facet
