#include "app/session/matching/sheet_controller.h"

#include "app/session/matching/told_key.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/parameters/patch_json.h"

#include <algorithm>
#include <utility>
#include <vector>

namespace facet {

namespace {

/// Of everything that a sheet tells.
std::uint64_t sheetKeyOf(const Cue& cue, const Excerpt& excerpt) {
    Hasher hasher = toldKey(cue, excerpt);
    hasher.text(cue.name);
    for (const auto& take : cue.takes) hasher.text(take->name).number(take->patch.hash());
    if (cue.instrument) hasher.text(instrumentToJson(*cue.instrument));
    return hasher.value();
}

/// Takes that came nearest, which may be made otherwise.
std::vector<OtherWay> othersOf(const Cue& cue) {
    constexpr std::size_t most = 3;
    std::vector<std::shared_ptr<const Take>> takes(cue.takes.begin(), cue.takes.end());
    std::erase_if(takes, [&](const auto& each) { return each->patch.soundsLike(cue.patch); });
    std::stable_sort(takes.begin(), takes.end(), [](const auto& a, const auto& b) {
        return a->likeness.value_or(0.0) > b->likeness.value_or(0.0);
    });
    std::vector<OtherWay> others;
    for (std::size_t i = 0; i < std::min(most, takes.size()); ++i) others.push_back({takes[i]->name, takes[i]->patch});
    return others;
}

} // namespace

SheetController::SheetController(DocumentStore& document, TakeKeeper& takes, ResultsController& results,
                                 Messages& messages, std::function<bool()> searchRuns, QObject* parent)
    : QObject(parent), document_(document), takes_(takes), results_(results), messages_(messages),
      searchRuns_(std::move(searchRuns)), making_(JobQueue::Priority::low) {
    connect(&results_, &ResultsController::compared, this, &SheetController::follow);
    connect(&document_, &DocumentStore::changed, this, &SheetController::follow);
    for (auto outdated : {&DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, outdated, this, &SheetController::forget);
}

void SheetController::want(bool wanted) {
    if (wanted == wanted_) return;
    wanted_ = wanted;
    if (wanted) {
        follow();
        return;
    }
    making_.cancel();
    if (state_ != State::making) return;
    key_ = expected_ = 0;
    state_ = sheet_ ? State::made : State::none;
}

void SheetController::forget() {
    making_.cancel();
    key_ = expected_ = 0;
    sheet_.reset();
    state_ = State::none;
    emit changed();
    follow();
}

void SheetController::follow() {
    if (!wanted_) return;
    const Cue* cue = document_.cue();
    const Excerpt* excerpt = cue ? cue->excerpt() : nullptr;
    if (!excerpt || excerpt->corrected().notes.empty()) {
        if (state_ != State::none) forget();
        return;
    }
    const std::uint64_t key = sheetKeyOf(*cue, *excerpt);
    if (key == key_) return;
    if (state_ != State::making || key != expected_) {
        making_.cancel();
        expected_ = key;
        key_ = 0;
        state_ = State::making;
        progress_ = 0.0;
        doing_ = tr("waiting for the comparison");
        emit changed();
    }
    const ProfilePtr& profile = results_.state().reference.profile;
    if (!profile || !results_.state().comparisonIsCurrent || searchRuns_()) return; // comes again when it is compared
    key_ = key;
    SheetSubject subject;
    subject.name = cue->name;
    subject.patch = cue->patch;
    subject.patch.name = cue->name;
    subject.targets = {{excerpt->audio, profile, excerpt->corrected(), cue->attentionTo(*excerpt)}};
    subject.weights = cue->facetWeights;
    subject.plan = cue->build;
    subject.others = othersOf(*cue);
    if (cue->instrument) subject.instrument = *cue->instrument;
    making_.request(
        {[subject](const Task& task, const auto& publish) {
             Task told{task.stop, [&](double done, std::string_view what) {
                           publish(News{done, std::string(what), nullptr});
                       }};
             publish(News{1.0, {}, std::make_shared<const Sheet>(sheetOf(subject, hardwareThreads(), told))});
         },
         [this](const News& news) {
             progress_ = news.done;
             doing_ = QString::fromStdString(news.what);
             if (!news.sheet) {
                 emit progressed();
                 return;
             }
             sheet_ = news.sheet;
             state_ = State::made;
             emit changed();
         },
         [this](const std::exception_ptr& failure) {
             state_ = State::failed;
             messages_.report(failure);
             emit changed();
         }});
}

std::string SheetController::patchText() const { return sheet_ ? patchToJson(sheet_->recipe.patch) : std::string(); }

void SheetController::takeValues() {
    if (state_ == State::made && sheet_ && document_.cue())
        takes_.replacePatch(tr("Take rounded values"), sheet_->recipe.patch);
}

bool SheetController::write(const QString& path) {
    if (!sheet_) return false;
    try {
        const Page told = page();
        writeWholeFile(path.toStdString(), path.endsWith(".html") ? pageHtml(told, patchText())
                                           : path.endsWith(".md") ? pageMarkdown(told)
                                                                  : pageText(told));
        return true;
    } catch (const std::exception& failure) {
        messages_.report(failure);
        return false;
    }
}

} // namespace facet

#include "moc_sheet_controller.cpp"
