// The search, from the cue's excerpts to a patch.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/listening/listening.h"
#include "app/session/matching/seed_bank_keeper.h"
#include "app/session/results/results_controller.h"
#include "core/match/match.h"

#include <QObject>
#include <memory>
#include <optional>
#include <variant>
#include <vector>

namespace facet {

/// One search at a time. While it runs, its best is heard and seen at once as long as the patch is not edited. GUI
/// thread only.
class MatchController : public QObject {
    Q_OBJECT

public:
    MatchController(DocumentStore& document, TakeKeeper& takes, ResultsController& results, Listening& listening,
                    SeedBankKeeper& bank, Messages& messages, QObject* parent = nullptr);

    const MatchState& state() const { return state_; }
    bool running() const { return state_.running; }

    /// For so many seconds. Anew, or going on from the patch and what else was found besides when it is what was found.
    void start(double seconds, bool goOn = false);
    /// Ends the search; the best so far is kept.
    void stop() { searching_.stop(); }
    /// Makes a patch that a search found the patch being worked on; while it runs, one of those that lead. The search
    /// then goes on, and what it ends with is kept as a take only.
    void take(int index);
    /// Plays the phrase with one of them in place of the render; −1: with the patch as it stands again.
    void hear(int index);

    /// The document with the best that a running search has found, which a crash would lose.
    Document withUnfinished(const Document& document) const;

signals:
    void changed();

private:
    struct Progress {
        MatchProgress now;
        MeasuredSound preview; ///< of the best, where it is new
    };
    using Delivery = std::variant<Progress, std::shared_ptr<const MatchResult>>;

    void showProgress(const Progress& progress, std::uint64_t cueId, const Patch& start);
    void showLeaders(const std::vector<Leader>& leaders, std::size_t reading);
    /// What a found patch plays where that is not the phrase as it is read now.
    std::optional<Performance> played(const ScoredPatch& found) const;
    void finish(const MatchResult& result, std::uint64_t cueId, const std::vector<std::uint64_t>& excerpts);
    void end();

    DocumentStore& document_;
    TakeKeeper& takes_;
    ResultsController& results_;
    Listening& listening_;
    SeedBankKeeper& bank_;
    Messages& messages_;
    MatchState state_;
    LatestJob<Delivery> searching_;
};

} // namespace facet
