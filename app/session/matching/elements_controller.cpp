#include "app/session/matching/elements_controller.h"

#include "app/session/results/measuring.h"
#include "core/base/parallel.h"
#include "core/match/element_evidence.h"

#include <utility>

namespace facet {

ElementsController::ElementsController(DocumentStore& document, PatchEditor& patch, ResultsController& results,
                                       Listening& listening, std::function<bool()> searchRuns, QObject* parent)
    : QObject(parent), document_(document), patch_(patch), results_(results), listening_(listening),
      searchRuns_(std::move(searchRuns)), measuring_(JobQueue::Priority::low), asking_(JobQueue::Priority::low) {
    connect(&results_, &ResultsController::changed, this, &ElementsController::follow);
    connect(&results_, &ResultsController::compared, this, &ElementsController::follow);
    for (auto outdated : {&DocumentStore::cueEdited, &DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, outdated, this, [this] {
            heard_ = -1;
            follow();
        });
}

void ElementsController::want(bool wanted) {
    wanted_ = wanted;
    if (!wanted) {
        measuring_.cancel();
        asked_ = 0; // begins anew when it is looked at again
    }
    follow();
}

void ElementsController::follow() {
    if (!wanted_) return;
    const Cue* cue = document_.cue();
    const Excerpt* excerpt = cue ? cue->excerpt() : nullptr;
    const ProfilePtr& profile = results_.state().reference.profile;
    if (profile != evidenceOf_) {
        evidenceOf_ = profile;
        odds_ = {};
        evidence_ = profile ? evidenceIn(*profile) : std::map<Element, std::string>();
        asking_.cancel();
        if (profile) ask();
        emit changed();
    }
    const std::uint64_t key = !cue ? 0 : excerpt ? ResultsController::renderKeyOf(*cue, *excerpt) : cue->patch.hash();
    if (key != key_) {
        key_ = key;
        measured_ = false;
        measuring_.cancel();
        elements_.clear();
        if (cue) {
            std::vector<std::string> curves;
            for (const Curve& curve : document_.performance().curves) curves.push_back(curve.target);
            for (PatchElement& each : elementsOf(cue->patch, curves)) elements_.push_back({std::move(each)});
        }
        emit changed();
    }
    // What the window needs comes first, and a search has all cores.
    const bool ready = excerpt && results_.state().comparisonIsCurrent && !searchRuns_();
    if (measured_ || !ready || asked_ == key || excerpt->corrected().notes.empty()) return;
    asked_ = key;
    measuring_.request(
        {[patch = cue->patch, performance = excerpt->corrected()](const Task& task, const auto& publish) {
             publish(heardElements(patch, performance, hardwareThreads(), task));
         },
         [this, key](const std::vector<HeardElement>& elements) {
             if (key != key_) return;
             elements_ = elements;
             measured_ = true;
             emit changed();
         },
         [](const std::exception_ptr&) {}}); // what cannot be rendered is reported where it is first
}

/// How likely each element is in the recording, in the background.
void ElementsController::ask() {
    const Cue* cue = document_.cue();
    const Excerpt* excerpt = cue ? cue->excerpt() : nullptr;
    if (!excerpt) return;
    asking_.request(
        [phrase = ComparedPhrase::of(*cue, *excerpt, evidenceOf_)](const Task&) {
            return elementOdds(attended(atRate(*phrase.reference, analysisRateHz), phrase.attention),
                               phrase.countedNotes());
        },
        [this](const ElementOdds& odds) {
            odds_ = odds;
            evidence_ = evidenceIn(*evidenceOf_, odds_);
            emit changed();
        },
        [](const std::exception_ptr&) {}); // what cannot be measured has no profile either
}

void ElementsController::hearWithout(int index) {
    const bool known = index >= 0 && index < static_cast<int>(elements_.size()) &&
                       elements_[static_cast<std::size_t>(index)].element.without;
    heard_ = known ? index : -1;
    if (known)
        playWithout(elements_[static_cast<std::size_t>(index)].element);
    else
        listening_.hearOther({});
    emit changed();
}

void ElementsController::playWithout(const PatchElement& element) {
    if (element.curve.empty())
        listening_.playOther(*element.without);
    else
        listening_.playOther(*element.without, withoutCurve(document_.performance(), element.curve));
}

void ElementsController::ruleOut(int index) {
    if (index < 0 || index >= static_cast<int>(elements_.size())) return;
    const PatchElement element = elements_[static_cast<std::size_t>(index)].element; // the edit makes them anew
    patch_.ruleOut(element.element, element.without);
}

} // namespace facet

#include "moc_elements_controller.cpp"
