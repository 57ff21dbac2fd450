// Patches near the one that is worked on.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/listening/listening.h"

#include <QObject>

namespace facet {

/// GUI thread only.
class VariationsController : public QObject {
    Q_OBJECT

public:
    VariationsController(DocumentStore& document, TakeKeeper& takes, Listening& listening, QObject* parent = nullptr);

    const VariationState& state() const { return state_; }
    /// Looks, in the background, for patches about so alike the one that is worked on, 0 … 100; locks and ranges are
    /// obeyed.
    void make(double likeness);
    /// Plays the phrase with one of them in place of the render; −1: with the patch as it stands again.
    void hear(int index);
    /// Makes one of them the patch being worked on.
    void take(int index);

signals:
    void changed();

private:
    DocumentStore& document_;
    TakeKeeper& takes_;
    Listening& listening_;
    VariationState state_;
    std::uint64_t made_ = 0; ///< seeds what is made next
    LatestJob<Variation> varying_;
};

} // namespace facet
