// Play, swap, loop, volume and output.
#pragma once

#include <QWidget>

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

class TransportBar : public QWidget {
    Q_OBJECT

public:
    explicit TransportBar(DocumentStore& document, Listening& listening, Playback& playback,
                          AutomationRecorder& automation, QWidget* parent = nullptr);
    void refresh();
    void showPeak(float peak);

private:
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
