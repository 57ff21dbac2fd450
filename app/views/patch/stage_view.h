// What arrives at a stage that depends on level, and what it does to it.
#pragma once

#include "core/engine/inspect/stage.h"

#include <QWidget>

namespace facet {

/// One sentence, and below it what a saturating stage adds to a sine: a bar for each partial.
class StageView : public QWidget {
    Q_OBJECT

public:
    explicit StageView(QWidget* parent = nullptr);
    /// Null: it is being read, or there is no phrase to read it with.
    void show(const StageReading* reading, bool hasPhrase);
    QString words() const { return words_; }
    QSize sizeHint() const override;

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QString words_;
    std::vector<double> added_;
};

/// In few words, for a line: "in −8 dB, holds down 6 dB".
QString stageWords(const StageReading& reading);

} // namespace facet
