// Measures what the positions of an instrument's control stand for, in the background.
#pragma once

#include "app/session/jobs/latest_job.h"
#include "core/measuring/measured_scale.h"
#include "core/measuring/takes.h"

#include <QObject>
#include <QString>
#include <QStringList>
#include <optional>
#include <vector>

namespace facet {

/// One measurement at a time; a new one takes the place of the last. GUI thread only.
class ScaleMeasurer : public QObject {
    Q_OBJECT

public:
    /// A control, where it stood for each note, and the MIDI key that was played.
    struct Wanted {
        Instrument instrument;
        std::size_t control = 0;
        std::vector<double> positions;
        int key = 48;
    };

    explicit ScaleMeasurer(QObject* parent = nullptr) : QObject(parent) {}

    /// One recording with a note for each position, or one recording each.
    void measure(const Wanted& wanted, std::vector<NamedRecording> recordings);
    /// The same from audio files.
    void measureFiles(const Wanted& wanted, const QStringList& paths);
    /// Plays the notes on an invented instrument; played() brings them.
    void play(const Wanted& wanted);
    /// Stops; what was measured stays.
    void stop();
    void forget();

    bool busy() const { return running_; }
    double progress() const { return progress_; } ///< 0 … 1
    /// In the order of the positions asked for, as far as it has come.
    const std::vector<MeasuredPosition>& measured() const { return measured_; }
    /// Once all are measured and enough of them are identifiable.
    const std::optional<ControlScale>& scale() const { return scale_; }
    /// Why there is none, as a sentence; empty: nothing went wrong.
    const QString& problem() const { return problem_; }

signals:
    void changed();
    void played(const Recording& take);

private:
    struct News {
        std::vector<MeasuredPosition> measured;
        double done = 0.0;
        std::optional<ControlScale> scale;
    };
    using Sounds = std::function<std::vector<NamedRecording>(const Task&)>;
    void start(const Wanted& wanted, Sounds sounds);
    void end(const std::exception_ptr& failure);

    std::vector<MeasuredPosition> measured_;
    std::optional<ControlScale> scale_;
    QString problem_;
    bool running_ = false;
    double progress_ = 0.0;
    LatestJob<News> measuring_;
    LatestJob<Recording> playing_;
};

} // namespace facet
