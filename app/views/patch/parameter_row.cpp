#include "app/views/patch/parameter_row.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/messages.h"
#include "app/session/results/patch_comparisons.h"
#include "app/views/common/kind_box.h"
#include "app/views/patch/range_dialog.h"
#include "app/views/common/theme.h"
#include "app/views/common/value_slider.h"
#include "app/views/common/words.h"
#include "core/parameters/value_entry.h"
#include "core/parameters/value_text.h"

#include <QCheckBox>
#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QSignalBlocker>
#include <QStyle>
#include <QToolButton>
#include <algorithm>

namespace facet {

namespace {

bool isTied(const Patch& patch, const Address& address) {
    return std::any_of(patch.ties().begin(), patch.ties().end(), [&](const Tie& tie) {
        return std::find(tie.members.begin(), tie.members.end(), address) != tie.members.end();
    });
}

/// A drawn padlock, so that no icon theme is needed.
QIcon lockIcon(bool locked) {
    QPixmap picture(32, 32);
    picture.fill(Qt::transparent);
    QPainter painter(&picture);
    painter.setRenderHint(QPainter::Antialiasing);
    const QColor color = locked ? theme().ink : theme().quiet;
    painter.setPen(QPen(color, 2.6));
    painter.setBrush(Qt::NoBrush);
    painter.drawArc(QRectF(locked ? 10 : 14, 5, 12, 16), 0, 180 * 16);
    painter.setBrush(locked ? QBrush(color) : QBrush(Qt::NoBrush));
    painter.drawRoundedRect(QRectF(6, 14, 20, 13), 3, 3);
    return QIcon(picture);
}

} // namespace

ParameterRow::ParameterRow(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons,
                           Messages& messages, Address address, const Patch& patch, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), comparisons_(comparisons), messages_(messages),
      address_(std::move(address)) {
    const auto& d = patch.descriptor(address_);
    const QString name = name_ = text(d.label);
    setObjectName(QString::fromStdString("row " + address_.text()));
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    label_ = new QLabel(name, this);
    label_->setMinimumWidth(112);
    layout->addWidget(label_);
    QWidget* editor = makeEditor(d);
    layout->addWidget(editor, 1);
    if (slider_) {
        value_ = new QLineEdit(this);
        value_->setObjectName("value");
        value_->setAlignment(Qt::AlignRight);
        value_->setFixedWidth(76);
        value_->setFont(interfaceFont(10.0, QFont::DemiBold));
        value_->setAccessibleName(name);
        layout->addWidget(value_);
        connect(value_, &QLineEdit::editingFinished, this, &ParameterRow::commitText);
    }
    lock_ = new QToolButton(this);
    lock_->setObjectName("flat");
    lock_->setCheckable(true);
    lock_->setFixedSize(24, 22);
    lock_->setIconSize({18, 18});
    lock_->setAccessibleName(tr("Lock %1").arg(name));
    lock_->setToolTip(tr("Locked: a search leaves %1 alone").arg(name));
    layout->addWidget(lock_);
    connect(lock_, &QToolButton::clicked, this, [this](bool on) { patchEditor_.setLocked(address_, on); });
    help_ = QString("%1\n%2 · %3")
                .arg(text(d.help), QString::fromStdString(rangeText(d)), QString::fromStdString(address_.text()));
    setToolTip(help_);
    label_->setBuddy(editor);
    refresh();
}

void ParameterRow::setName(const QString& name) {
    name_ = name;
    label_->setText(name);
    for (QWidget* editor : {static_cast<QWidget*>(slider_), static_cast<QWidget*>(value_),
                            static_cast<QWidget*>(choice_), static_cast<QWidget*>(onOff_)})
        if (editor) editor->setAccessibleName(name);
    lock_->setAccessibleName(tr("Lock %1").arg(name));
}

void ParameterRow::setNarrow(bool bare) {
    label_->setMinimumWidth(bare ? 52 : 92);
    if (value_) value_->setFixedWidth(bare ? 52 : 64);
    if (slider_) slider_->setMinimumWidth(36);
    lock_->setHidden(bare);
}

void ParameterRow::setElastic() {
    label_->setMinimumWidth(84);
    label_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    auto* line = static_cast<QHBoxLayout*>(layout());
    line->setStretchFactor(label_, 3);
    if (slider_) {
        line->setStretchFactor(slider_, 2);
        slider_->setMinimumWidth(24);
    }
}

void ParameterRow::setHeard(bool heard) {
    if (held_ || label_->isEnabled() == heard) return;
    label_->setEnabled(heard);
    if (value_) value_->setProperty("unheard", !heard);
    const QString tip = heard ? help_ : help_ + "\n" + tr("Changing it makes no difference in this phrase");
    setToolTip(tip);
    setAccessibleDescription(heard ? QString() : tr("makes no difference in this phrase"));
    if (value_) {
        value_->style()->unpolish(value_);
        value_->style()->polish(value_);
    }
}

QWidget* ParameterRow::makeEditor(const ParameterDescriptor& d) {
    const QString name = text(d.label);
    if (d.unit == Unit::choice) {
        choice_ = new KindBox(this);
        for (std::string_view choice : d.choices) choice_->addItem(text(choice));
        choice_->setAccessibleName(name);
        connect(choice_, &QComboBox::activated, this,
                [this](int index) { patchEditor_.setParameter(address_, index); });
        connect(choice_, &KindBox::looked, this, [this] {
            choice_->forgetLikeness();
            weighTicket_ = comparisons_.weigh(comparisons_.withEachChoice(address_));
        });
        connect(&comparisons_, &PatchComparisons::weighed, this, [this](quint64 ticket, int index, double likeness) {
            if (ticket == weighTicket_) choice_->setLikeness(index, likeness);
        });
        return choice_;
    }
    if (d.unit == Unit::onOff) {
        onOff_ = new QCheckBox(this);
        onOff_->setAccessibleName(name);
        connect(onOff_, &QCheckBox::clicked, this,
                [this](bool on) { patchEditor_.setParameter(address_, on ? 1.0 : 0.0); });
        return onOff_;
    }
    slider_ = new ValueSlider(this);
    slider_->setAccessibleName(name);
    connect(slider_, &ValueSlider::moved, this,
            [this](double position) { patchEditor_.setParameter(address_, described().fromUnit(position)); });
    connect(slider_, &ValueSlider::defaultWanted, this,
            [this] { patchEditor_.setParameter(address_, defaultValue()); });
    return slider_;
}

ParameterDescriptor ParameterRow::described() const { return document_.cue()->patch.shownDescriptor(address_); }

void ParameterRow::refresh() {
    if (!document_.cue() || !document_.cue()->patch.has(address_)) return;
    const Patch& patch = document_.cue()->patch;
    const ParameterDescriptor d = described();
    const double value = patch.value(address_);
    const QString shown = QString::fromStdString(textOf(d, value));
    if (choice_) choice_->setCurrentIndex(static_cast<int>(value));
    if (onOff_) {
        onOff_->setChecked(value >= 0.5);
        onOff_->setText(shown);
    }
    if (slider_) {
        const QSignalBlocker quiet(slider_);
        slider_->setValue(static_cast<int>(std::lround(1000.0 * d.toUnit(value))));
        slider_->setAccessibleDescription(shown);
        const auto range = document_.cue()->ranges.find(address_);
        const bool ranged = range != document_.cue()->ranges.end();
        slider_->markRange(ranged ? d.toUnit(range->second.first) : 0.0, ranged ? d.toUnit(range->second.second) : 0.0);
    }
    if (value_ && !(value_->hasFocus() && value_->isModified())) {
        value_->setText(shown);
        value_->setCursorPosition(0);
    }
    label_->setText(isTied(patch, address_) ? tr("%1 =").arg(name_) : name_);
    const bool locked = document_.cue()->locks.contains(address_);
    lock_->setChecked(locked);
    lock_->setIcon(lockIcon(locked));
    const bool held = document_.cue()->isHeld(address_);
    if (held != held_) showHeld(held);
}

void ParameterRow::showHeld(bool held) {
    held_ = held;
    for (QWidget* each : std::initializer_list<QWidget*>{label_, slider_, value_, choice_, onOff_, lock_})
        if (each) each->setEnabled(!held);
    setToolTip(held ? tr("%1 has no control for this").arg(QString::fromStdString(document_.cue()->instrument->name))
                    : help_);
}

double ParameterRow::defaultValue() const {
    const Patch empty;
    return empty.has(address_) ? empty.value(address_) : described().defaultValue;
}

/// By mouse, or by the menu key wherever the keyboard is in the row.
void ParameterRow::contextMenuEvent(QContextMenuEvent* event) {
    if (!document_.cue() || !document_.cue()->patch.has(address_)) return;
    const Cue& cue = *document_.cue();
    const ParameterDescriptor d = described();
    QMenu menu(this);
    menu.addAction(tr("Back to default (%1)").arg(QString::fromStdString(textOf(d, defaultValue()))), this,
                   [this] { patchEditor_.setParameter(address_, defaultValue()); });
    if (!cue.takes.empty() && cue.takes.back()->patch.has(address_)) {
        const double before = cue.takes.back()->patch.value(address_);
        menu.addAction(tr("As in the last take (%1)").arg(QString::fromStdString(textOf(d, before))), this,
                       [this, before] { patchEditor_.setParameter(address_, before); });
    }
    if (!d.isDiscrete()) offerTies(menu);
    if (slider_) {
        menu.addAction(tr("Search range …"), this,
                       [this] { askSearchRange(document_, patchEditor_, messages_, address_, name_, this); });
        if (cue.ranges.contains(address_))
            menu.addAction(tr("Search wherever is plausible"), this,
                           [this] { patchEditor_.setSearchRange(address_, {}); });
    }
    menu.exec(event->globalPos());
}

void ParameterRow::offerTies(QMenu& menu) {
    const Patch& patch = document_.cue()->patch;
    if (isTied(patch, address_)) menu.addAction(tr("Untie"), this, [this] { patchEditor_.untie(address_); });
    // The same parameter of the other modules of the kind.
    QMenu* equal = menu.addMenu(tr("Tie, equal to"));
    QMenu* apart = menu.addMenu(tr("Tie, keeping its distance from"));
    for (const auto& module : patch.modules())
        for (const auto& d : parametersOf(module.kind)) {
            const Address other{module.path, std::string(d.field)};
            if (other == address_ || module.kind != patch.find(address_.module)->kind || d.field != address_.field)
                continue;
            const QString name = QString::fromStdString(patch.labelOf(module)) + " " + text(d.label).toLower();
            equal->addAction(name, this, [this, other] { patchEditor_.tie(address_, other, false); });
            apart->addAction(name, this, [this, other] { patchEditor_.tie(address_, other, true); });
        }
    equal->menuAction()->setVisible(!equal->isEmpty());
    apart->menuAction()->setVisible(!apart->isEmpty());
}

void ParameterRow::commitText() {
    if (!value_->isModified() || !document_.cue()) return;
    const ParameterDescriptor d = described();
    const Excerpt* excerpt = document_.cue()->excerpt();
    const EntryContext context{document_.cue()->patch.value(address_), excerpt ? excerpt->corrected().tempo : 120.0};
    const auto value = readEntry(d, value_->text().toStdString(), context);
    value_->setModified(false);
    const bool wrong = !value || *value < d.low || *value > d.high;
    value_->setProperty("wrong", wrong);
    value_->style()->unpolish(value_);
    value_->style()->polish(value_);
    if (wrong)
        messages_.say(tr("%1 takes %2").arg(text(d.label), QString::fromStdString(rangeText(d))));
    else
        patchEditor_.setParameter(address_, *value);
    refresh();
}

} // namespace facet

#include "moc_parameter_row.cpp"
