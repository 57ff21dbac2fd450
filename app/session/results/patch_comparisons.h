// Other patches compared with the reference, beside the one that is worked on.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/results/results_controller.h"

#include <QObject>
#include <memory>
#include <utility>
#include <vector>

namespace facet {

/// GUI thread only.
class PatchComparisons : public QObject {
    Q_OBJECT

public:
    PatchComparisons(DocumentStore& document, ResultsController& results, QObject* parent = nullptr);

    /// Tells by weighed() how alike the phrase would sound with other patches, one after the other, in the background.
    /// A further call and every edit end it. Returns what the answers go by.
    quint64 weigh(std::vector<Patch> patches);
    void stopWeighing();
    /// The active cue's patch with each choice of one of its parameters.
    std::vector<Patch> withEachChoice(const Address& address) const;
    /// Renders and measures two patches in the background; pairCompared() signals it, unless another call came since.
    quint64 comparePair(const Patch& a, const Patch& b);

signals:
    /// `likeness`: of the whole, 0 … 100. Nothing is signaled for what cannot be measured.
    void weighed(quint64 ticket, int index, double likeness);
    void pairCompared(quint64 ticket, std::shared_ptr<const PatchPair> pair);

private:
    DocumentStore& document_;
    ResultsController& results_;
    quint64 weighTicket_ = 0;
    quint64 pairTicket_ = 0;
    LatestJob<std::pair<int, double>> weighing_;
    LatestJob<std::shared_ptr<const PatchPair>> pairing_;
};

} // namespace facet
