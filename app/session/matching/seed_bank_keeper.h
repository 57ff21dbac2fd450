// The bank of patches that searches begin with, made in the background.
#pragma once

#include "app/session/jobs/latest_job.h"
#include "core/match/starts/seed_bank.h"

#include <QObject>

namespace facet {

/// Reads the bank from the user's cache and makes what is missing of it at low priority. GUI thread only.
class SeedBankKeeper : public QObject {
    Q_OBJECT

public:
    explicit SeedBankKeeper(QObject* parent = nullptr) : QObject(parent), growing_(JobQueue::Priority::low) {}

    /// Begins, unless it was asked for before.
    void prepare();
    /// Leaves the processor to something else; resume() goes on where it was left.
    void pause() { growing_.cancel(); }
    void resume();
    /// Null until so much of it is there that it helps.
    const SeedBankPtr& bank() const { return usable_; }
    /// How much of it there is, 0 … 1; negative when it was not asked for.
    double fraction() const { return fraction_; }

signals:
    void changed();

private:
    SeedBankPtr usable_;
    double fraction_ = -1.0;
    LatestJob<SeedBankPtr> growing_;
};

} // namespace facet
