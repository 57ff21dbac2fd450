// A guided way to measure the scale of a control on the instrument itself.
#pragma once

#include "app/session/instruments/scale_measurer.h"
#include "app/session/reference/recorder.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTreeWidget;

namespace facet {

class KeyBox;
class ScalePlot;

/// Says how the instrument is to stand and what to play, records it or opens recordings, and shows what the positions
/// stand for. GUI thread only.
class MeasuringDialog : public QDialog {
    Q_OBJECT

public:
    /// Throws Error for a control that cannot be measured (see measuringSetup()).
    MeasuringDialog(const Instrument& instrument, std::size_t control, QWidget* parent = nullptr);
    /// As "Open recordings …" does.
    void measureFiles(const QStringList& paths);

signals:
    void taken(const ControlScale& scale);

protected:
    void reject() override;

private:
    QWidget* makeInstructions();
    QWidget* makeResults();
    ScaleMeasurer::Wanted wanted() const;
    /// What is typed into the field of positions; empty where it cannot be read.
    std::vector<double> positions() const;
    bool simulates() const;
    void listen();
    void toggle();
    void record();
    void askForFiles();
    void hear();
    void refresh();
    void showMeasured();
    const InstrumentControl& control() const { return instrument_.controls[control_]; }

    /// Notes that came in while recording, told apart by the silence between them.
    struct NoteCounter {
        int notes = 0;
        double highestDb = -120.0, silentSince = 0.0;
        bool sounds = false;
        void hear(double db, double seconds);
    };

    const Instrument instrument_;
    const std::size_t control_;
    const MeasuringSetup setup_;
    Recorder recorder_;
    ScaleMeasurer measurer_;
    NoteCounter counter_;
    KeyBox* key_;
    QLineEdit* positions_;
    QLabel* play_;
    QComboBox* inputs_;
    QProgressBar* level_;
    QPushButton* record_;
    QPushButton* openFiles_;
    QTreeWidget* table_;
    ScalePlot* plot_;
    QLabel* words_;
    QProgressBar* progress_;
    QPushButton* stop_;
    QPushButton* take_;
};

} // namespace facet
