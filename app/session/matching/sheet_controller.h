// The sheet of the patch being worked on: made in the background, kept as files.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/messages.h"
#include "app/session/results/results_controller.h"
#include "core/recipe/sheet.h"

#include <QObject>
#include <functional>
#include <memory>

namespace facet {

/// While it is wanted, follows the patch: the sheet is made anew once the patch has been compared, and not while a
/// search runs. GUI thread only.
class SheetController : public QObject {
    Q_OBJECT

public:
    enum class State { none, making, made, failed };

    SheetController(DocumentStore& document, TakeKeeper& takes, ResultsController& results, Messages& messages,
                    std::function<bool()> searchRuns, QObject* parent = nullptr);

    void want(bool wanted);
    State state() const { return state_; }
    bool busy() const { return making_.busy(); }
    /// 0 … 1, and what is being done.
    double progress() const { return progress_; }
    const QString& doing() const { return doing_; }
    /// The sheet as a page; null while there is none. While another is made, the last one of this cue.
    const std::shared_ptr<const Sheet>& sheet() const { return sheet_; }
    Page page() const { return sheet_ ? pageOfSheet(*sheet_) : Page{}; }
    /// JSON of the patch that the sheet tells.
    std::string patchText() const;

    /// Makes the rounded patch the one being worked on; the present one becomes a take if it is none.
    void takeValues();

    /// Writes the page as HTML, Markdown or text, by the name's end. Says what went wrong, and then returns false.
    bool write(const QString& path);

signals:
    void changed();
    void progressed();

private:
    /// What the job says on its way.
    struct News {
        double done = 0.0;
        std::string what;
        std::shared_ptr<const Sheet> sheet;
    };
    void follow();
    void forget();

    DocumentStore& document_;
    TakeKeeper& takes_;
    ResultsController& results_;
    Messages& messages_;
    std::function<bool()> searchRuns_;
    bool wanted_ = false;
    State state_ = State::none;
    std::uint64_t key_ = 0;      ///< of what the sheet is of; 0: none
    std::uint64_t expected_ = 0; ///< of what it is to be of
    double progress_ = 0.0;
    QString doing_;
    std::shared_ptr<const Sheet> sheet_;
    LatestJob<News> making_;
};

} // namespace facet
