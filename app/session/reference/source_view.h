// The file that excerpts are cut from, seen whole: its picture, and its samples where one looks closely.
#pragma once

#include "app/session/jobs/latest_job.h"
#include "core/analysis/overview.h"
#include "core/audio/peaks.h"
#include "core/project/excerpt.h"

#include <QObject>
#include <QString>
#include <memory>

namespace facet {

/// A stretch of the source in full resolution.
struct SourceDetail {
    double begin = 0.0; ///< seconds into the source
    RecordingPtr recording;
    std::shared_ptr<const Peaks> peaks;
    SpectrogramPtr spectrogram;
};

/// GUI thread only; files are read by workers.
class SourceView : public QObject {
    Q_OBJECT

public:
    explicit SourceView(QObject* parent = nullptr);

    /// Shows a file, or what an excerpt keeps of one that is gone. Nothing happens when that is shown already.
    void show(const std::string& path, const std::shared_ptr<const Excerpt>& fallback);
    void clear();

    /// Null until the first sketch is there.
    const OverviewPtr& overview() const { return overview_; }
    /// Seconds into the source at which the picture begins: 0 but for what an excerpt keeps.
    double begin() const { return begin_; }
    double end() const { return begin_ + (overview_ ? overview_->seconds : 0.0); }
    bool whole() const { return !kept_; }
    const std::string& path() const { return path_; }
    const QString& problem() const { return problem_; }

    /// Asks for samples of what is in view; longer stretches than a minute are not read.
    void wantDetail(double begin, double end);
    const SourceDetail& detail() const { return detail_; }

    /// A stretch of the source, all channels. Any thread. Throws Error.
    using Reader = std::function<Recording(double begin, double end)>;
    Reader reader() const;

signals:
    void changed();

private:
    std::string path_;
    std::shared_ptr<const Excerpt> kept_;
    double begin_ = 0.0;
    OverviewPtr overview_;
    SourceDetail detail_;
    double wantedBegin_ = 0.0;
    double wantedEnd_ = 0.0;
    QString problem_;
    LatestJob<OverviewPtr> overviews_;
    LatestJob<SourceDetail> details_;
};

} // namespace facet
