// The build: the patch as a column of steps, the one looked at beside it.
#pragma once

#include <QWidget>
#include <vector>

class QLabel;
class QPushButton;
class QScrollArea;
class QStackedWidget;
class QVBoxLayout;

namespace facet {

class BuildController;
class HandPanel;
class StepDetail;
class StepRow;

/// Steps from the empty patch down to the whole; or, taken apart, from the whole to the empty patch, with what each
/// costs when it goes. Up and Down in the column go from step to step, Left and Right hear before and after. GUI thread
/// only.
class BuildPage : public QWidget {
    Q_OBJECT

public:
    explicit BuildPage(BuildController& build, QWidget* parent = nullptr);
    void refresh();
    /// Goes to a step, 1 for the first and 0 for the empty patch, as soon as the steps are known.
    void open(int step, bool byHand = false);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void refreshRows();
    void goAlong(int by);
    void focusCurrent();

    BuildController& build_;
    QLabel* state_;
    QPushButton* apart_;
    QPushButton* anew_;
    QScrollArea* scroll_;
    QVBoxLayout* column_;
    std::vector<StepRow*> rows_;
    int opens_ = -1; ///< a step that is gone to once the steps are known; −1: none
    bool opensByHand_ = false;
    std::vector<int> stepOf_; ///< of each row; −1: the empty patch
    QStackedWidget* side_;
    StepDetail* detail_;
    HandPanel* hand_;
};

} // namespace facet
