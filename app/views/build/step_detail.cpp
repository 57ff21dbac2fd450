#include "app/views/build/step_detail.h"

#include "app/session/matching/build_controller.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QScrollArea>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace facet {

namespace {

QPushButton* hearButton(const QString& label, const char* name, const QString& tip, QWidget* parent) {
    auto* button = new QPushButton(label, parent);
    button->setObjectName(name);
    button->setCheckable(true);
    button->setToolTip(tip);
    return button;
}

/// "Set" in bold, and the values after it.
QString settingsText(const BuildStep& step) {
    QStringList items;
    for (const PartSetting& each : step.settings)
        items << QStringLiteral("<span style=\"color:%1\">%2</span>&nbsp;<b>%3</b>")
                     .arg(theme().quiet.name(),
                          QString::fromStdString(each.label).toHtmlEscaped().replace(' ', "&nbsp;"),
                          QString::fromStdString(each.text).toHtmlEscaped().replace(' ', "&nbsp;"));
    return items.join(QStringLiteral(" &nbsp; "));
}

QString reasonText(const BuildStep& step) {
    QString words;
    const auto add = [&](const QString& head, const std::string& said) {
        if (said.empty()) return;
        words += QStringLiteral("<p style=\"margin:0 0 6px 0\"><b>%1</b> %2.</p>")
                     .arg(head, QString::fromStdString(said).toHtmlEscaped());
    };
    add(StepDetail::tr("Why"), step.why);
    add(StepDetail::tr("Listen to"), step.listen);
    QStringList facets;
    for (const FacetGain& each : step.facets)
        facets << StepDetail::tr("%1 %2 → %3")
                      .arg(text(labelOf(each.facet)))
                      .arg(std::lround(each.before))
                      .arg(std::lround(each.after));
    if (!facets.isEmpty())
        words += QStringLiteral("<p style=\"margin:0; color:%1\">%2</p>").arg(theme().quiet.name(), facets.join(", "));
    return words;
}

} // namespace

StepDetail::StepDetail(BuildController& build, QWidget* parent) : QWidget(parent), build_(build) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    title_ = new QLineEdit(this);
    title_->setObjectName("stepTitle");
    title_->setFont(interfaceFont(12, QFont::DemiBold));
    title_->setAccessibleName(tr("Title of the step"));
    title_->setToolTip(tr("Call it what you like; empty: as it was found"));
    connect(title_, &QLineEdit::editingFinished, this, [this] {
        if (title_->isModified() && shown_ >= 0) build_.rename(shown_, title_->text());
    });
    layout->addWidget(title_);

    auto* hearing = new QHBoxLayout;
    hearing->setSpacing(6);
    before_ = hearButton(tr("Before"), "hearBefore", tr("Hear what is there before this step (Left)"), this);
    step_ = hearButton(tr("This step"), "hearStep", tr("Hear what is there after this step (Right)"), this);
    whole_ = hearButton(tr("Whole"), "hearWhole", tr("Hear the whole patch; X swaps to the reference"), this);
    connect(before_, &QPushButton::clicked, this, [this] { build_.hear(BuildController::Heard::before); });
    connect(step_, &QPushButton::clicked, this, [this] { build_.hear(BuildController::Heard::step); });
    connect(whole_, &QPushButton::clicked, this, [this] { build_.hear(BuildController::Heard::whole); });
    for (QPushButton* button : {before_, step_, whole_}) hearing->addWidget(button);
    hearing->addSpacing(14);
    byHand_ = new QPushButton(tr("By hand"), this);
    byHand_->setObjectName("byHand");
    byHand_->setToolTip(tr("Hide these values and set them by ear; then see how near you came"));
    connect(byHand_, &QPushButton::clicked, this, [this] { build_.beginByHand(); });
    hearing->addWidget(byHand_);
    take_ = new QPushButton(tr("Take up to here"), this);
    take_->setObjectName("takeStep");
    take_->setToolTip(tr("Make the patch after this step the one you work on; one step of undo"));
    connect(take_, &QPushButton::clicked, this, [this] { build_.takeStep(build_.current()); });
    hearing->addWidget(take_);
    hearing->addStretch(1);
    auto* arranging = new QHBoxLayout;
    arranging->setSpacing(6);
    earlier_ = action(QString::fromUtf8("↑"), "stepEarlier", tr("Do this step earlier"));
    later_ = action(QString::fromUtf8("↓"), "stepLater", tr("Do this step later"));
    merge_ = action(tr("Merge"), "mergeStep", tr("Do this step and the next in one go"));
    hide_ = action(tr("Hide"), "hideStep", tr("Do this step silently, together with the one before"));
    connect(earlier_, &QToolButton::clicked, this, [this] { build_.move(build_.current(), -1); });
    connect(later_, &QToolButton::clicked, this, [this] { build_.move(build_.current(), 1); });
    connect(merge_, &QToolButton::clicked, this, [this] { build_.merge(build_.current()); });
    connect(hide_, &QToolButton::clicked, this, [this] {
        const auto at = static_cast<std::size_t>(build_.current());
        if (at < build_.build().steps.size()) build_.setHidden(build_.current(), !build_.build().steps[at].hidden);
    });
    for (QToolButton* button : {earlier_, later_, merge_, hide_}) arranging->addWidget(button);
    arranging->addStretch(1);
    layout->addLayout(hearing);

    const auto words = [&](const char* name) {
        auto* label = new QLabel(this);
        label->setObjectName(name);
        label->setWordWrap(true);
        label->setTextFormat(Qt::RichText);
        label->setTextInteractionFlags(Qt::TextSelectableByMouse);
        label->setAlignment(Qt::AlignTop | Qt::AlignLeft);
        return label;
    };
    auto* scroll = new QScrollArea(this); // a low window has no room for all that is said
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* said = new QWidget(scroll);
    auto* saying = new QVBoxLayout(said);
    saying->setContentsMargins(0, 0, 8, 0);
    settings_ = words("stepSettings");
    why_ = words("stepReasons");
    saying->addWidget(settings_);
    saying->addWidget(why_);
    saying->addStretch(1);
    scroll->setWidget(said);
    layout->addWidget(scroll, 1);
    text_ = new QPlainTextEdit(this);
    text_->setObjectName("stepText");
    text_->setAccessibleName(tr("What you say of the step"));
    text_->setPlaceholderText(tr("Your own words"));
    text_->setTabChangesFocus(true);
    text_->setMaximumHeight(58);
    text_->installEventFilter(this);
    layout->addWidget(text_);
    layout->addLayout(arranging);
}

QToolButton* StepDetail::action(const QString& label, const char* name, const QString& tip) {
    auto* button = new QToolButton(this);
    button->setText(label);
    button->setObjectName(name);
    button->setToolTip(tip);
    button->setAccessibleName(tip);
    return button;
}

bool StepDetail::eventFilter(QObject* watched, QEvent* event) {
    if (watched == text_ && event->type() == QEvent::FocusOut) keepText();
    return QWidget::eventFilter(watched, event);
}

void StepDetail::keepText() {
    if (shown_ >= 0 && text_->document()->isModified()) build_.setText(shown_, text_->toPlainText());
}

void StepDetail::refresh() {
    const auto& steps = build_.build().steps;
    const int at = build_.current();
    const bool made = build_.state() == BuildController::State::made;
    const bool isStep = made && at >= 0 && at < static_cast<int>(steps.size());
    const auto heard = build_.heard();
    before_->setChecked(isStep && heard == BuildController::Heard::before);
    step_->setChecked(made && heard == BuildController::Heard::step);
    whole_->setChecked(made && heard == BuildController::Heard::whole);
    for (QWidget* each : {static_cast<QWidget*>(before_), static_cast<QWidget*>(byHand_), static_cast<QWidget*>(text_)})
        each->setEnabled(isStep);
    step_->setEnabled(made);
    whole_->setEnabled(made);
    take_->setEnabled(made && at + 1 < static_cast<int>(steps.size()));
    earlier_->setEnabled(isStep && at > 0);
    later_->setEnabled(isStep && at + 1 < static_cast<int>(steps.size()));
    merge_->setEnabled(isStep && at + 1 < static_cast<int>(steps.size()));
    hide_->setEnabled(isStep);
    for (QWidget* each : {static_cast<QWidget*>(text_), static_cast<QWidget*>(earlier_), static_cast<QWidget*>(later_),
                          static_cast<QWidget*>(merge_), static_cast<QWidget*>(hide_)})
        each->setVisible(isStep);
    if (!isStep) {
        shown_ = -1;
        title_->setText(made && !steps.empty() ? tr("The empty patch") : QString());
        title_->setReadOnly(true);
        settings_->setText(made && !steps.empty() ? tr("One saw at the note, without filter, movement or effect: "
                                                       "here everything begins. Down goes to the first step.")
                                                  : QString());
        why_->clear();
        text_->clear();
        return;
    }
    const BuildStep& step = steps[static_cast<std::size_t>(at)];
    title_->setReadOnly(false);
    if (!title_->hasFocus() || shown_ != at) title_->setText(QString::fromStdString(step.title));
    byHand_->setEnabled(!step.settings.empty());
    hide_->setText(step.hidden ? tr("Show") : tr("Hide"));
    settings_->setText(settingsText(step));
    why_->setText(reasonText(step));
    if (!text_->hasFocus() || shown_ != at) text_->setPlainText(QString::fromStdString(step.text));
    text_->document()->setModified(false);
    shown_ = at;
}

} // namespace facet

#include "moc_step_detail.cpp"
