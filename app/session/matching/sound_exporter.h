// A patch as recorded notes, cycles, a phrase in parts, or all that belongs to it, written in the background.
#pragma once

#include "app/session/jobs/latest_job.h"
#include "app/session/messages.h"
#include "core/performance/performance.h"
#include "core/recipe/bundle.h"
#include "core/recipe/phrase_files.h"
#include "core/recipe/sampled_notes.h"

#include <QObject>
#include <QString>

namespace facet {

/// One export at a time; nothing half is left where it is stopped or fails. GUI thread only.
class SoundExporter : public QObject {
    Q_OBJECT

public:
    enum class Kind { sfzFlac, sfzWav, soundFont, wavetable, phrase, bundle };
    struct Wanted {
        Patch patch;
        QString name; ///< what an instrument for samplers is called
        Kind kind = Kind::sfzFlac;
        SampledRange range{};      ///< of recorded notes
        Performance performance{}; ///< of a phrase
        PhraseParts parts{};       ///< likewise
        Bundle bundle{};
    };

    explicit SoundExporter(Messages& messages, QObject* parent = nullptr) : QObject(parent), messages_(messages) {}

    /// Writes it: `path` is a folder that is not there yet, or a file. Says what came of it.
    void write(const Wanted& wanted, const QString& path);
    void cancel();
    bool busy() const { return running_; }
    double progress() const { return progress_; } ///< 0 … 1

signals:
    void progressed();
    void finished(bool written);

private:
    struct News {
        double done = 0.0;
        std::size_t files = 0, looped = 0; ///< at the end
    };
    void end(bool written);

    Messages& messages_;
    bool running_ = false;
    double progress_ = 0.0;
    LatestJob<News> writing_;
};

} // namespace facet
