// The blind test: is X the reference or the render?
#pragma once

#include "core/compare/blind_test.h"

#include <QDialog>
#include <optional>

class QLabel;
class QPushButton;
class QSpinBox;

namespace facet {

class ResultsController;
class TakeKeeper;
class Listening;
class Playback;

/// Worked by keys alone: A, B and X are heard, Left says that X is A, Right that it is B. Whatever else shows which
/// side plays is blind meanwhile. The result is kept with the take.
class BlindDialog : public QDialog {
    Q_OBJECT

public:
    explicit BlindDialog(ResultsController& results, TakeKeeper& takes, Listening& listening, Playback& playback,
                         QWidget* parent = nullptr);
    ~BlindDialog() override;
    /// The running test; null before it begins and after it ended.
    const BlindTest* test() const { return test_ && !test_->finished() ? &*test_ : nullptr; }

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    void begin();
    void hear(char which);
    void answer(bool xIsB);
    void refresh();

    ResultsController& results_;
    TakeKeeper& takes_;
    Listening& listening_;
    Playback& playback_;
    std::optional<BlindTest> test_;
    char heard_ = 0;
    bool wasLooping_;
    QLabel* explanation_;
    QLabel* count_;
    QSpinBox* trials_;
    QPushButton* begin_;
    QPushButton* hearing_[3];
    QPushButton* answers_[2];
};

} // namespace facet
