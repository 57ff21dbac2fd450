// A patch as recorded notes for samplers, written in the background.
#pragma once

#include "app/session/jobs/latest_job.h"
#include "app/session/messages.h"
#include "core/recipe/instrument_files.h"

#include <QObject>
#include <QString>

namespace facet {

/// One export at a time; nothing half is left where it is stopped or fails. GUI thread only.
class InstrumentExporter : public QObject {
    Q_OBJECT

public:
    enum class Kind { sfzFlac, sfzWav, soundFont };

    explicit InstrumentExporter(Messages& messages, QObject* parent = nullptr) : QObject(parent), messages_(messages) {}

    /// Records the notes and writes them: `path` is a folder that is not there yet, or a file. Says what came of it.
    void write(const Patch& patch, const QString& name, const SampledRange& range, Kind kind, const QString& path);
    void cancel();
    bool busy() const { return running_; }
    double progress() const { return progress_; } ///< 0 … 1

signals:
    void progressed();
    void finished(bool written);

private:
    struct News {
        double done = 0.0;
        std::size_t notes = 0, looped = 0;
    };
    void end(bool written);

    Messages& messages_;
    bool running_ = false;
    double progress_ = 0.0;
    LatestJob<News> writing_;
};

} // namespace facet
