// What the patch being worked on is made of, and what each of it contributes.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/listening/listening.h"
#include "app/session/results/results_controller.h"
#include "core/match/heard_elements.h"

#include <QObject>
#include <functional>
#include <map>
#include <string>
#include <vector>

namespace facet {

/// While it is wanted, follows the patch: its elements at once, their contributions as soon as they are measured, in
/// the background and not while a search runs. GUI thread only.
class ElementsController : public QObject {
    Q_OBJECT

public:
    ElementsController(DocumentStore& document, PatchEditor& patch, ResultsController& results, Listening& listening,
                       std::function<bool()> searchRuns, QObject* parent = nullptr);

    void want(bool wanted);
    const std::vector<HeardElement>& elements() const { return elements_; }
    /// Whether their costs are known.
    bool measured() const { return measured_; }
    bool busy() const { return measuring_.busy(); }
    /// What the recording says of elements, also of those that the patch has not; empty until it has been measured.
    const std::map<Element, std::string>& evidence() const { return evidence_; }
    /// How likely elements are in the recording.
    const ElementOdds& odds() const { return odds_; }
    /// Plays the phrase without one of them in place of the render; −1: with the patch as it stands again.
    void hearWithout(int index);
    int heard() const { return heard_; }
    /// Rules one of them out and takes it out of the patch, where it can be, in one step of undo.
    void ruleOut(int index);

signals:
    void changed();

private:
    void follow();
    void ask();
    void playWithout(const PatchElement& element);

    DocumentStore& document_;
    PatchEditor& patch_;
    ResultsController& results_;
    Listening& listening_;
    std::function<bool()> searchRuns_;
    bool wanted_ = false, measured_ = false;
    std::uint64_t key_ = 0;   ///< of the patch and the phrase that they are of; 0: none
    std::uint64_t asked_ = 0; ///< the key of what is being measured
    ProfilePtr evidenceOf_;
    std::vector<HeardElement> elements_;
    std::map<Element, std::string> evidence_;
    ElementOdds odds_;
    int heard_ = -1;
    LatestJob<std::vector<HeardElement>> measuring_;
    LatestJob<ElementOdds> asking_;
};

} // namespace facet
