// Play, swap, loop, volume and output.
#pragma once

#include <QWidget>

class QHBoxLayout;
class QLabel;
class QProgressBar;
class QPushButton;
class QSlider;
class QToolButton;

namespace facet {

class DocumentStore;
class Listening;
class Playback;
class AutomationRecorder;

/// Controls Playback and Listening, and shows what they play: side, loop, level and output device. GUI thread only.
class TransportBar : public QWidget {
    Q_OBJECT

public:
    explicit TransportBar(DocumentStore& document, Listening& listening, Playback& playback,
                          AutomationRecorder& automation, QWidget* parent = nullptr);
    /// Shows what plays, loops and records as it stands.
    void refresh();
    /// Shows the level played since the last call, a magnitude; 1 is full scale.
    void showPeak(float peak);

private:
    void makeLevel(QHBoxLayout* layout);
    void makeOutput(QHBoxLayout* layout);
    void chooseOutputMenu();

    DocumentStore& document_;
    Listening& listening_;
    Playback& playback_;
    AutomationRecorder& automation_;
    QToolButton* play_;
    QPushButton* reference_;
    QPushButton* render_;
    QToolButton* loop_;
    QToolButton* record_;
    QLabel* loopText_;
    QLabel* level_;
    QProgressBar* meter_;
    QSlider* volume_;
    QToolButton* output_;
    float shownPeak_ = 0.0f;
};

} // namespace facet
