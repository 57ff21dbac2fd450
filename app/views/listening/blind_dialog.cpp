#include "app/views/listening/blind_dialog.h"

#include "app/session/document/take_keeper.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/results/results_controller.h"
#include "app/views/common/theme.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QRandomGenerator>
#include <QSpinBox>
#include <QVBoxLayout>

namespace facet {

namespace {

constexpr char letters[] = {'A', 'X', 'B'};
constexpr double convincing = 0.05; ///< of being guessed; the level that is usual in such tests

} // namespace

BlindDialog::BlindDialog(ResultsController& results, TakeKeeper& takes, Listening& listening, Playback& playback,
                         QWidget* parent)
    : QDialog(parent), results_(results), takes_(takes), listening_(listening), playback_(playback),
      wasLooping_(playback.looping()) {
    setObjectName("blindDialog");
    setWindowTitle(tr("Blind test"));
    resize(520, 280);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(12);
    explanation_ = new QLabel(this);
    explanation_->setWordWrap(true);
    explanation_->setMinimumHeight(64);
    layout->addWidget(explanation_);
    auto* line = new QHBoxLayout;
    const QString names[] = {tr("A: reference"), tr("X"), tr("B: render")};
    for (int i = 0; i < 3; ++i) {
        hearing_[i] = new QPushButton(names[i], this);
        hearing_[i]->setCheckable(true);
        hearing_[i]->setAutoDefault(false);
        hearing_[i]->setMinimumHeight(44);
        hearing_[i]->setAccessibleName(tr("Hear %1").arg(letters[i]));
        hearing_[i]->setToolTip(tr("Hear %1 (%1)").arg(letters[i]));
        connect(hearing_[i], &QPushButton::clicked, this, [this, i] { hear(letters[i]); });
        line->addWidget(hearing_[i], 1);
    }
    layout->addLayout(line);
    auto* saying = new QHBoxLayout;
    const QString says[] = {tr("← X is A"), tr("X is B →")};
    for (int i = 0; i < 2; ++i) {
        answers_[i] = new QPushButton(says[i], this);
        answers_[i]->setAutoDefault(false);
        answers_[i]->setMinimumHeight(34);
        connect(answers_[i], &QPushButton::clicked, this, [this, i] { answer(i == 1); });
        saying->addWidget(answers_[i], 1);
    }
    layout->addLayout(saying);
    layout->addStretch(1);
    auto* foot = new QHBoxLayout;
    count_ = new QLabel(this);
    count_->setObjectName("quiet");
    foot->addWidget(count_);
    foot->addStretch(1);
    auto* caption = new QLabel(tr("Trials"), this);
    foot->addWidget(caption);
    trials_ = new QSpinBox(this);
    trials_->setRange(5, 40);
    trials_->setValue(16);
    trials_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    trials_->setAlignment(Qt::AlignCenter);
    trials_->setFixedWidth(48);
    trials_->setAccessibleName(tr("Trials"));
    caption->setBuddy(trials_);
    foot->addWidget(trials_);
    begin_ = new QPushButton(tr("&Begin"), this);
    begin_->setDefault(true);
    connect(begin_, &QPushButton::clicked, this, &BlindDialog::begin);
    foot->addWidget(begin_);
    auto* close = new QPushButton(tr("&Close"), this);
    close->setAutoDefault(false);
    connect(close, &QPushButton::clicked, this, &QDialog::reject);
    foot->addWidget(close);
    layout->addLayout(foot);
    explanation_->setText(
        tr("You hear A, the reference, and B, the render, at one loudness; X is one of them, drawn anew in "
           "each trial. Say which. The result is shown when all trials are done, and kept with the take."));
    refresh();
}

BlindDialog::~BlindDialog() {
    playback_.player().stop();
    playback_.setLooping(wasLooping_);
    playback_.setBlind(false);
}

void BlindDialog::begin() {
    // Nothing but the two sounds as they are.
    listening_.hearDifference(false);
    listening_.hearModules(HeardModules::whole);
    listening_.hearOther({});
    playback_.setTogether(Together::swapped);
    playback_.setLooping(true);
    playback_.setBlind(true);
    test_.emplace(trials_->value(), QRandomGenerator::global()->generate64());
    explanation_->setText(tr("Listen with A, X and B as often as you like; ← says that X is A, → that X is B."));
    hear('X');
}

void BlindDialog::hear(char which) {
    if (!test()) return;
    heard_ = which;
    const bool render = which == 'B' || (which == 'X' && test_->xIsB());
    playback_.play(render ? Side::render : Side::reference);
    refresh();
}

void BlindDialog::answer(bool xIsB) {
    if (!test()) return;
    test_->answer(xIsB);
    if (!test_->finished()) {
        hear('X');
        return;
    }
    playback_.player().stop();
    playback_.setBlind(false);
    heard_ = 0;
    const int right = test_->right(), trials = test_->trials();
    const double chance = chanceOf(right, trials);
    const QString percent = chance < 0.001 ? tr("less than 0.1 %") : tr("%1 %").arg(100.0 * chance, 0, 'f', 1);
    explanation_->setText(tr("%1 of %2 right. By guessing, so many or more come out with a probability of %3. %4")
                              .arg(right)
                              .arg(trials)
                              .arg(percent, chance < convincing ? tr("You hear the two apart.")
                                                                : tr("There is no sign that you hear the two apart.")));
    takes_.keepBlindResult({trials, right});
    refresh();
}

void BlindDialog::refresh() {
    const bool running = test() != nullptr;
    for (int i = 0; i < 3; ++i) {
        hearing_[i]->setEnabled(running);
        hearing_[i]->setChecked(heard_ == letters[i]);
    }
    for (QPushButton* each : answers_) each->setEnabled(running);
    trials_->setEnabled(!running);
    const bool ready = results_.state().reference.recording && results_.state().render.recording;
    begin_->setEnabled(!running && ready);
    begin_->setText(test_ && !running ? tr("&Begin again") : tr("&Begin"));
    count_->setText(running ? tr("Trial %1 of %2").arg(test_->done() + 1).arg(test_->trials())
                    : ready ? QString()
                            : tr("There is no reference and render to compare yet."));
    if (running) setFocus();
}

void BlindDialog::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_A:
    case Qt::Key_B:
    case Qt::Key_X: hear(static_cast<char>(event->key())); break;
    case Qt::Key_Left:
    case Qt::Key_Right:
        if (test())
            answer(event->key() == Qt::Key_Right);
        else
            QDialog::keyPressEvent(event);
        break;
    default: QDialog::keyPressEvent(event);
    }
}

} // namespace facet

#include "moc_blind_dialog.cpp"
