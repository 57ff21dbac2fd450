// Recording from a sound input.
#pragma once

#include "core/audio/recording.h"
#include "core/devices/audio_input.h"

#include <QObject>
#include <QString>
#include <QTimer>
#include <memory>

namespace facet {

/// GUI thread only. What comes in crosses from the audio thread through a lock-free queue and is collected here.
class Recorder : public QObject {
    Q_OBJECT

public:
    static constexpr double longestSeconds = 600.0;

    explicit Recorder(QObject* parent = nullptr);
    ~Recorder() override;

    /// Listens to an input, showing its level, without keeping anything. Emits problem() when it does not open.
    void open(const std::string& inputName);
    void open(std::unique_ptr<AudioInput> input);
    void close();
    const AudioInput* input() const { return input_.get(); }

    void start();
    /// What was recorded since start().
    Recording stop();
    bool recording() const { return recording_; }
    double seconds() const;
    /// Highest magnitude since the last call.
    float takePeak();

signals:
    void changed(); ///< level or length, some 20 times a second
    void problem(const QString& sentence, const QString& detail);

private:
    struct Queue;
    void fetch();
    void collect();

    std::unique_ptr<Queue> queue_;
    std::unique_ptr<AudioInput> input_; ///< stops before the queue goes
    QTimer timer_;
    bool recording_ = false;
    float peak_ = 0.0f;
    Recording kept_;
};

} // namespace facet
