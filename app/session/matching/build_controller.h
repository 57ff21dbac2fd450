// The build: the patch being worked on told step by step, to hear, arrange, and set by ear.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/listening/playback.h"
#include "app/session/results/results_controller.h"
#include "core/match/suggest/build.h"
#include "core/match/suggest/by_hand.h"

#include <QObject>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

namespace facet {

/// While it is wanted, follows the patch: its steps are found in the background once it has been compared, and not
/// while a search runs. Arranging them is an edit of the cue, kept with its takes. GUI thread only.
class BuildController : public QObject {
    Q_OBJECT

public:
    enum class State { none, making, made, failed };
    /// What of a step is heard and shown in the mirror.
    enum class Heard { step, before, whole };

    BuildController(DocumentStore& document, TakeKeeper& takes, ResultsController& results, Playback& playback,
                    std::function<bool()> searchRuns, QObject* parent = nullptr);

    void want(bool wanted);
    State state() const { return state_; }
    /// Whether steps are being found, rendered or compared.
    bool busy() const { return making_.busy() || rendering_.busy() || scoring_.busy(); }
    const Build& build() const { return build_; }
    /// Numbers of the steps that are not hidden.
    std::vector<int> shownSteps() const;

    // ---- listening ----

    /// −1: the empty patch.
    int current() const { return current_; }
    Heard heard() const { return heard_; }
    /// Goes to a step, whose sound plays.
    void goTo(int step);
    /// To the next shown step, or the one before.
    void step(int by);
    void hear(Heard heard);
    /// Makes the patch after a step the one being worked on; the present one becomes a take if it is none.
    void takeStep(int step);

    // ---- arranging; each is one step of undo ----

    /// A step earlier or later in the order.
    void move(int step, int by);
    /// With the one after it.
    void merge(int step);
    void rename(int step, const QString& title);
    void setText(int step, const QString& text);
    void setHidden(int step, bool hidden);
    /// As it is found again.
    void arrangeAnew();
    bool isArranged() const;

    // ---- by hand ----

    bool byHand() const { return hand_.has_value(); }
    /// The values of the current step are to be set by ear, from where the empty patch has them.
    void beginByHand();
    void setByHand(const Address& address, double value);
    const Patch& handPatch() const { return *hand_; }
    /// Shows how near the values came.
    void reveal();
    bool revealed() const { return revealed_; }
    std::vector<HandSetting> handResult() const;
    /// Likeness with the values set by ear; nothing while it is measured.
    std::optional<double> handLikeness() const { return handLikeness_; }
    void endByHand();

signals:
    void changed();
    /// Which step, and what of it, is heard.
    void moved();
    void handChanged();

private:
    void follow();
    void forget();
    void show(bool plays);
    void arrange(const QString& what, BuildPlan plan);
    void changeStep(int step, const QString& what, const std::function<void(PlannedStep&)>& change);
    const Patch& patchAfter(int step) const;

    DocumentStore& document_;
    TakeKeeper& takes_;
    ResultsController& results_;
    Playback& playback_;
    std::function<bool()> searchRuns_;
    bool wanted_ = false;
    State state_ = State::none;
    std::uint64_t key_ = 0;      ///< of what the build is of; 0: none
    std::uint64_t expected_ = 0; ///< of what it is to be of
    bool arranging_ = false;     ///< an edit that leaves the patch as it is, and what is heard
    Build build_;
    Patch empty_{};
    int current_ = -1;
    Heard heard_ = Heard::step;
    bool previewing_ = false;
    std::optional<Patch> hand_;
    bool revealed_ = false;
    std::optional<double> handLikeness_;
    std::unique_ptr<BuildMaker> maker_; ///< used by the job's thread alone
    std::uint64_t makerKey_ = 0;        ///< of the reference it was made for; likewise
    LatestJob<Build> making_;
    LatestJob<MeasuredSound> rendering_;
    LatestJob<double> scoring_;
};

} // namespace facet
