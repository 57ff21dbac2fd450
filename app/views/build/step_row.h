// One step in the column of a build.
#pragma once

#include <QWidget>

namespace facet {

/// What a row shows.
struct StepRowWords {
    QString number; ///< "3"; empty: the empty patch
    QString title;
    double from = 0.0, to = 0.0; ///< likeness before and after, 0 … 100
    bool hidden = false;
    bool apart = false; ///< what is lost without it, in place of what it gains
};

/// Its number, its title on two lines at most, and its way along the scale of likeness. A click or Return goes to it;
/// Up and Down step through the column, Left hears what is before it, Right hears it. GUI thread only.
class StepRow : public QWidget {
    Q_OBJECT

public:
    explicit StepRow(QWidget* parent);
    void show(const StepRowWords& words, bool current);

signals:
    void chosen();
    void stepWanted(int by);
    /// What is before the step, or the step itself.
    void hearWanted(bool before);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    StepRowWords words_;
    bool current_ = false;
};

} // namespace facet
