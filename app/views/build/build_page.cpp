#include "app/views/build/build_page.h"

#include "app/session/matching/build_controller.h"
#include "app/views/build/hand_panel.h"
#include "app/views/build/step_detail.h"
#include "app/views/build/step_row.h"
#include "app/views/common/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

BuildPage::BuildPage(BuildController& build, QWidget* parent) : QWidget(parent), build_(build) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(18);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    auto* head = new QHBoxLayout;
    state_ = new QLabel(this);
    state_->setObjectName("buildState");
    state_->setWordWrap(true);
    head->addWidget(state_, 1);
    apart_ = new QPushButton(tr("Take apart"), this);
    apart_->setObjectName("takeApart");
    apart_->setCheckable(true);
    apart_->setToolTip(tr("From the whole downwards: one step after another goes, and you hear what it gave"));
    connect(apart_, &QPushButton::toggled, this, [this](bool on) {
        if (build_.state() == BuildController::State::made)
            build_.goTo(on ? static_cast<int>(build_.build().steps.size()) - 1 : -1);
        refresh();
    });
    head->addWidget(apart_);
    anew_ = new QPushButton(tr("As found"), this);
    anew_->setObjectName("arrangeAnew");
    anew_->setToolTip(tr("Forget how the steps were arranged and named"));
    connect(anew_, &QPushButton::clicked, this, [this] { build_.arrangeAnew(); });
    head->addWidget(anew_);
    left->addLayout(head);
    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget(scroll_);
    column_ = new QVBoxLayout(inside);
    column_->setContentsMargins(0, 0, 8, 0);
    column_->setSpacing(2);
    column_->addStretch(1);
    scroll_->setWidget(inside);
    left->addWidget(scroll_, 1);
    layout->addLayout(left, 4);
    side_ = new QStackedWidget(this);
    detail_ = new StepDetail(build_, side_);
    hand_ = new HandPanel(build_, side_);
    side_->addWidget(detail_);
    side_->addWidget(hand_);
    layout->addWidget(side_, 5);
    connect(&build_, &BuildController::changed, this, &BuildPage::refresh);
    connect(&build_, &BuildController::moved, this, &BuildPage::refresh);
    connect(&build_, &BuildController::handChanged, this, [this] {
        side_->setCurrentWidget(build_.byHand() ? static_cast<QWidget*>(hand_) : detail_);
        hand_->refresh();
        detail_->refresh();
    });
    refresh();
}

void BuildPage::open(int step, bool byHand) {
    opens_ = step;
    opensByHand_ = byHand;
    refresh();
}

void BuildPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    build_.want(true);
}

void BuildPage::hideEvent(QHideEvent* event) {
    build_.want(false);
    QWidget::hideEvent(event);
}

void BuildPage::refresh() {
    const auto& steps = build_.build().steps;
    const auto state = build_.state();
    const auto shown = static_cast<int>(build_.shownSteps().size());
    state_->setText(state == BuildController::State::making ? tr("Finding the steps …")
                    : state == BuildController::State::failed
                        ? tr("These steps cannot be rendered; the Patch page says why.")
                    : state == BuildController::State::none
                        ? tr("Open a reference whose notes are known: the patch is then told step by step.")
                    : steps.empty() ? tr("The patch is still the empty one; match, or take a move, and come back.")
                                    : tr("%1 from the empty patch (%2) to the whole (%3)")
                                          .arg(shown == 1 ? tr("One step") : tr("%1 steps").arg(shown))
                                          .arg(std::lround(build_.build().empty))
                                          .arg(std::lround(steps.back().after)));
    if (opens_ >= 0 && state == BuildController::State::made) {
        build_.goTo(std::exchange(opens_, -1) - 1);
        if (std::exchange(opensByHand_, false)) build_.beginByHand();
        return; // comes again by what it says
    }
    const bool usable = state == BuildController::State::made && !steps.empty();
    apart_->setEnabled(usable);
    anew_->setVisible(build_.isArranged());
    refreshRows();
    detail_->refresh();
    hand_->refresh();
    side_->setCurrentWidget(build_.byHand() ? static_cast<QWidget*>(hand_) : detail_);
}

void BuildPage::refreshRows() {
    const auto& steps = build_.build().steps;
    const bool made = build_.state() == BuildController::State::made && !steps.empty();
    stepOf_.clear();
    if (made) {
        stepOf_.push_back(-1);
        for (int i = 0; i < static_cast<int>(steps.size()); ++i) stepOf_.push_back(i);
        if (apart_->isChecked()) std::reverse(stepOf_.begin(), stepOf_.end());
    }
    while (rows_.size() < stepOf_.size()) {
        auto* row = new StepRow(this);
        const std::size_t at = rows_.size();
        connect(row, &StepRow::chosen, this, [this, at] { build_.goTo(stepOf_[at]); });
        connect(row, &StepRow::stepWanted, this, &BuildPage::goAlong);
        connect(row, &StepRow::hearWanted, this, [this](bool before) {
            build_.hear(before ? BuildController::Heard::before : BuildController::Heard::step);
        });
        column_->insertWidget(static_cast<int>(at), row);
        rows_.push_back(row);
    }
    const std::vector<int> shown = build_.shownSteps();
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const bool used = i < stepOf_.size();
        if (used) {
            StepRowWords words;
            words.apart = apart_->isChecked();
            if (stepOf_[i] < 0) {
                words.title = tr("The empty patch");
                words.to = words.from = build_.build().empty;
            } else {
                const BuildStep& step = steps[static_cast<std::size_t>(stepOf_[i])];
                const auto place = std::find(shown.begin(), shown.end(), stepOf_[i]);
                words.number = step.hidden ? QString::fromUtf8("·") : QString::number(place - shown.begin() + 1);
                words.title = QString::fromStdString(step.title);
                words.from = words.apart ? step.after : step.before;
                words.to = words.apart ? step.before : step.after;
                words.hidden = step.hidden;
            }
            rows_[i]->show(words, stepOf_[i] == build_.current());
        }
        rows_[i]->setVisible(used);
    }
}

void BuildPage::goAlong(int by) {
    build_.step(apart_->isChecked() ? -by : by);
    focusCurrent();
}

void BuildPage::focusCurrent() {
    for (std::size_t i = 0; i < stepOf_.size(); ++i)
        if (stepOf_[i] == build_.current()) {
            rows_[i]->setFocus(Qt::TabFocusReason);
            scroll_->ensureWidgetVisible(rows_[i]);
        }
}

} // namespace facet

#include "moc_build_page.cpp"
