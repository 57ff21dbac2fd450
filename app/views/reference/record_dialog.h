// Recording a reference from a sound input.
#pragma once

#include "app/session/reference/recorder.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;

namespace facet {

/// Accepted with what was recorded; rejected when nothing is wanted.
class RecordDialog : public QDialog {
    Q_OBJECT

public:
    explicit RecordDialog(QWidget* parent = nullptr);
    Recording takeRecording() { return std::move(recorded_); }

private:
    void refresh();
    void toggle();

    Recorder recorder_;
    Recording recorded_;
    QComboBox* inputs_;
    QProgressBar* level_;
    QLabel* words_;
    QPushButton* record_;
};

} // namespace facet
