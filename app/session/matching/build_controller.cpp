#include "app/session/matching/build_controller.h"

#include "app/session/matching/told_key.h"
#include "app/session/results/measuring.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <utility>

namespace facet {

BuildController::BuildController(DocumentStore& document, TakeKeeper& takes, ResultsController& results,
                                 Playback& playback, std::function<bool()> searchRuns, QObject* parent)
    : QObject(parent), document_(document), takes_(takes), results_(results), playback_(playback),
      searchRuns_(std::move(searchRuns)), making_(JobQueue::Priority::low), scoring_(JobQueue::Priority::low) {
    connect(&results_, &ResultsController::compared, this, &BuildController::follow);
    connect(&document_, &DocumentStore::changed, this, &BuildController::follow);
    for (auto outdated : {&DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, outdated, this, &BuildController::forget);
}

void BuildController::want(bool wanted) {
    if (wanted == wanted_) return;
    wanted_ = wanted;
    if (wanted) {
        follow();
        return;
    }
    making_.cancel();
    if (state_ == State::making) forget();
    endByHand();
    rendering_.cancel();
    if (std::exchange(previewing_, false)) results_.endPreview();
}

void BuildController::forget() {
    making_.cancel();
    rendering_.cancel();
    scoring_.cancel();
    previewing_ = false;
    hand_.reset();
    key_ = expected_ = 0;
    build_ = {};
    current_ = -1;
    heard_ = Heard::step;
    state_ = State::none;
    emit changed();
}

void BuildController::follow() {
    if (!wanted_) return;
    const Cue* cue = document_.cue();
    const Excerpt* excerpt = cue ? cue->excerpt() : nullptr;
    if (!excerpt || excerpt->corrected().notes.empty()) {
        if (state_ != State::none) forget();
        return;
    }
    const std::uint64_t key = toldKey(*cue, *excerpt).value();
    if (key == key_) return;
    if (state_ != State::making || key != expected_) { // what is shown is of something else already
        making_.cancel();
        expected_ = key;
        key_ = 0; // also where an undo brings back what was made
        state_ = State::making;
        if (!arranging_) previewing_ = false;
        endByHand();
        emit changed();
    }
    const ProfilePtr& profile = results_.state().reference.profile;
    if (!profile || !results_.state().comparisonIsCurrent || searchRuns_()) return; // comes again when it is compared
    key_ = key;
    const std::uint64_t reference = ResultsController::profileKeyOf(*cue, *excerpt);
    const MoveTarget target{excerpt->audio, profile, excerpt->corrected(), cue->attentionTo(*excerpt)};
    making_.request({[this, target, reference, patch = cue->patch, plan = cue->build,
                      weights = cue->facetWeights](const Task& task, const auto& publish) {
                         if (!maker_ || makerKey_ != reference) {
                             maker_ = std::make_unique<BuildMaker>(std::vector{target});
                             makerKey_ = reference;
                         }
                         publish(plan.steps.empty() ? maker_->make(patch, weights, hardwareThreads(), task)
                                                    : maker_->follow(patch, plan, weights, hardwareThreads(), task));
                     },
                     [this](const Build& build) {
                         build_ = build;
                         state_ = State::made;
                         current_ = std::min(current_, static_cast<int>(build_.steps.size()) - 1);
                         emit changed();
                         if (previewing_) show(false); // an edit has brought the whole back
                     },
                     [this](const std::exception_ptr&) { // what cannot be rendered is reported where it is first
                         build_ = {};
                         state_ = State::failed;
                         emit changed();
                     }});
}

std::vector<int> BuildController::shownSteps() const {
    std::vector<int> shown;
    for (int i = 0; i < static_cast<int>(build_.steps.size()); ++i)
        if (!build_.steps[static_cast<std::size_t>(i)].hidden) shown.push_back(i);
    return shown;
}

const Patch& BuildController::patchAfter(int step) const {
    return step < 0 || build_.steps.empty() ? empty_ : build_.steps[static_cast<std::size_t>(step)].patch;
}

// ---- listening ----

void BuildController::goTo(int step) {
    if (state_ != State::made) return;
    endByHand();
    current_ = std::clamp(step, -1, static_cast<int>(build_.steps.size()) - 1);
    heard_ = Heard::step;
    show(true);
    emit moved();
}

void BuildController::step(int by) {
    const std::vector<int> shown = shownSteps();
    int place = -1; // among the shown ones; the empty patch stands before them
    for (std::size_t i = 0; i < shown.size(); ++i)
        if (shown[i] <= current_) place = static_cast<int>(i);
    const int to = std::clamp(place + by, -1, static_cast<int>(shown.size()) - 1);
    goTo(to < 0 ? -1 : shown[static_cast<std::size_t>(to)]);
}

void BuildController::hear(Heard heard) {
    if (state_ != State::made) return;
    heard_ = heard;
    show(true);
    emit moved();
}

/// Renders what is to be heard; the mirror shows it, and the player has it in place of the patch.
void BuildController::show(bool plays) {
    const Cue* cue = document_.cue();
    const Excerpt* excerpt = cue ? cue->excerpt() : nullptr;
    if (!excerpt) return;
    // Before a step the last shown one stands: what is hidden is done with it.
    int before = current_ - 1;
    while (before >= 0 && build_.steps[static_cast<std::size_t>(before)].hidden) --before;
    const Patch patch = heard_ == Heard::whole    ? cue->patch
                        : heard_ == Heard::before ? patchAfter(std::max(before, -1))
                        : hand_                   ? *hand_
                                                  : patchAfter(current_);
    rendering_.request(
        {[patch, phrase = ComparedPhrase::of(*cue, *excerpt, {})](const Task& task, const auto& publish) {
             publish(soundOf(renderPhrase(patch, phrase, task)));
         },
         [this, plays](const MeasuredSound& sound) {
             previewing_ = true;
             results_.preview(sound);
             if (!plays) return;
             if (!playback_.player().playing()) playback_.play(Side::render);
             if (playback_.player().side() == Side::reference) playback_.listenTo(Side::render);
         },
         [](const std::exception_ptr&) {}});
}

void BuildController::takeStep(int step) {
    if (state_ != State::made || !document_.cue()) return;
    const Patch patch = patchAfter(step);
    takes_.replacePatch(tr("Take step %1 of the build").arg(step + 1), patch);
}

// ---- arranging ----

void BuildController::arrange(const QString& what, BuildPlan plan) {
    arranging_ = true;
    document_.editCue(what, [&](Cue& cue) {
        cue.build = plan;
        for (auto& take : cue.takes)
            if (take->patch.soundsLike(cue.patch)) {
                Take copy = *take;
                copy.build = plan;
                take = std::make_shared<const Take>(std::move(copy));
            }
    });
    arranging_ = false;
}

void BuildController::move(int step, int by) {
    const int to = step + by, count = static_cast<int>(build_.steps.size());
    if (state_ != State::made || step < 0 || step >= count || to < 0 || to >= count || !document_.cue()) return;
    BuildPlan plan = planOf(build_);
    std::swap(plan.steps[static_cast<std::size_t>(step)], plan.steps[static_cast<std::size_t>(to)]);
    current_ = to;
    arrange(tr("Reorder build"), std::move(plan));
}

void BuildController::merge(int step) {
    if (state_ != State::made || step < 0 || step + 1 >= static_cast<int>(build_.steps.size()) || !document_.cue())
        return;
    BuildPlan plan = planOf(build_);
    PlannedStep& into = plan.steps[static_cast<std::size_t>(step)];
    const PlannedStep gone = plan.steps[static_cast<std::size_t>(step) + 1];
    into.parts.insert(into.parts.end(), gone.parts.begin(), gone.parts.end());
    into.title.clear(); // of both, as found
    if (!gone.text.empty()) into.text += (into.text.empty() ? "" : "\n") + gone.text;
    plan.steps.erase(plan.steps.begin() + step + 1);
    arrange(tr("Merge steps"), std::move(plan));
}

void BuildController::changeStep(int step, const QString& what, const std::function<void(PlannedStep&)>& change) {
    if (state_ != State::made || step < 0 || step >= static_cast<int>(build_.steps.size()) || !document_.cue()) return;
    const BuildPlan before = planOf(build_);
    BuildPlan plan = before;
    change(plan.steps[static_cast<std::size_t>(step)]);
    if (plan != before) arrange(what, std::move(plan));
}

void BuildController::rename(int step, const QString& title) {
    changeStep(step, tr("Rename step"), [&](PlannedStep& each) {
        const std::string words = title.trimmed().toStdString();
        each.title = words == build_.steps[static_cast<std::size_t>(step)].title ? each.title : words;
    });
}

void BuildController::setText(int step, const QString& text) {
    changeStep(step, tr("Text of a step"), [&](PlannedStep& each) { each.text = text.trimmed().toStdString(); });
}

void BuildController::setHidden(int step, bool hidden) {
    changeStep(step, hidden ? tr("Hide step") : tr("Show step"), [&](PlannedStep& each) { each.hidden = hidden; });
}

void BuildController::arrangeAnew() {
    if (document_.cue()) arrange(tr("Arrange build anew"), {});
}

bool BuildController::isArranged() const { return document_.cue() && !document_.cue()->build.steps.empty(); }

// ---- by hand ----

void BuildController::beginByHand() {
    if (state_ != State::made || current_ < 0) return;
    hand_ = beginningByHand(build_.steps[static_cast<std::size_t>(current_)]);
    revealed_ = false;
    handLikeness_.reset();
    heard_ = Heard::step;
    show(true);
    emit handChanged();
}

void BuildController::setByHand(const Address& address, double value) {
    if (!hand_ || !hand_->has(address)) return;
    hand_->setNearest(address, value);
    handLikeness_.reset();
    if (revealed_) reveal();
    heard_ = Heard::step;
    show(true);
    emit handChanged();
}

void BuildController::reveal() {
    const std::optional<ComparedPhrase> phrase = results_.comparedPhrase();
    if (!hand_ || !phrase) return;
    revealed_ = true;
    scoring_.request(
        [patch = *hand_, compared = *phrase](const Task& task) {
            return renderAndCompare(patch, compared, hardwareThreads(), task).likeness;
        },
        [this](double likeness) {
            handLikeness_ = likeness;
            emit handChanged();
        },
        [](const std::exception_ptr&) {});
    emit handChanged();
}

std::vector<HandSetting> BuildController::handResult() const {
    if (!hand_ || current_ < 0) return {};
    return comparedByHand(build_.steps[static_cast<std::size_t>(current_)], *hand_);
}

void BuildController::endByHand() {
    if (!hand_) return;
    hand_.reset();
    revealed_ = false;
    scoring_.cancel();
    emit handChanged();
}

} // namespace facet

#include "moc_build_controller.cpp"
