// One control of a described instrument: what it is called, and what its positions or choices stand for.
#pragma once

#include "core/instruments/instrument.h"

#include <QWidget>
#include <vector>

class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;
class QTableWidgetItem;

namespace facet {

class ScalePlot;

/// The plainest control that sets an address of a patch: of a choice all its values by their names, else 0 to 10 from
/// end to end of what is plausible.
InstrumentControl usualControl(const Patch& patch, const Address& address);

/// Edits a copy and says when it has changed; what is typed may contradict itself meanwhile. GUI thread only.
class ControlEditor : public QWidget {
    Q_OBJECT

public:
    explicit ControlEditor(QWidget* parent = nullptr);
    void show(const InstrumentControl& control, const Patch& patch);
    const InstrumentControl& control() const { return control_; }

signals:
    void changed();
    void measureWanted();

private:
    void fill();
    void fillPoints();
    void fillChoices();
    void readScale();
    void readPoints();
    void readChoices();
    void chooseLaw(int law);
    void addPoint();
    void removePoint();
    void tell();
    /// A value typed in the parameter's unit; not a number where it cannot be read.
    double typed(const QString& words) const;

    InstrumentControl control_;
    ParameterDescriptor descriptor_{};
    bool filling_ = false;
    QFormLayout* form_;
    QLineEdit* name_;
    QLabel* sets_;
    QComboBox* law_;
    QWidget* ends_;
    QLineEdit* first_;
    QLineEdit* last_;
    QLineEdit* low_;
    QLineEdit* high_;
    QDoubleSpinBox* exponent_;
    QDoubleSpinBox* step_;
    QTableWidget* points_;
    QWidget* pointButtons_;
    QTableWidget* choices_;
    ScalePlot* plot_;
    QPushButton* measure_;
};

} // namespace facet
