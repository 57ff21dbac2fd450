// A step of a build to be set by ear.
#pragma once

#include "core/parameters/patch.h"

#include <QWidget>
#include <map>

class QComboBox;
class QGridLayout;
class QLabel;
class QPushButton;

namespace facet {

class BuildController;
class ValueSlider;

/// A slider or a list for each value of the step, from where the empty patch has it; the phrase follows what is set.
/// Then how near each came, and the likeness. GUI thread only.
class HandPanel : public QWidget {
    Q_OBJECT

public:
    explicit HandPanel(BuildController& build, QWidget* parent = nullptr);
    void refresh();

private:
    struct Row {
        ValueSlider* slider = nullptr; ///< one of these
        QComboBox* choice = nullptr;
        QLabel* yours = nullptr;
        QLabel* result = nullptr;
    };
    void makeRows();

    BuildController& build_;
    int madeFor_ = -1;
    QLabel* head_;
    QWidget* grid_;
    QGridLayout* gridLayout_;
    std::map<Address, Row> rows_;
    QLabel* likeness_;
    QPushButton* reveal_;
    QPushButton* done_;
};

} // namespace facet
