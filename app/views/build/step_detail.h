// The step of a build that is looked at: what to set, why, what to listen for.
#pragma once

#include <QWidget>

class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QPushButton;
class QToolButton;

namespace facet {

class BuildController;

/// Its title and text can be edited. Buttons hear the step, what is before it and the whole, take it, move it, merge
/// it, hide it. GUI thread only.
class StepDetail : public QWidget {
    Q_OBJECT

public:
    explicit StepDetail(BuildController& build, QWidget* parent = nullptr);
    void refresh();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    QToolButton* action(const QString& label, const char* name, const QString& tip);
    void keepText();

    BuildController& build_;
    int shown_ = -2; ///< the step whose words stand in the fields
    QLineEdit* title_;
    QPushButton* before_;
    QPushButton* step_;
    QPushButton* whole_;
    QPushButton* byHand_;
    QPushButton* take_;
    QToolButton *earlier_, *later_, *merge_, *hide_;
    QLabel* settings_;
    QLabel* why_;
    QPlainTextEdit* text_;
};

} // namespace facet
