#include "app/views/instruments/instrument_editor.h"

#include "app/views/common/theme.h"
#include "app/views/common/words.h"
#include "app/views/instruments/control_editor.h"
#include "app/views/instruments/measuring_dialog.h"
#include "core/base/error.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/part_words.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QSignalBlocker>
#include <QToolButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <utility>

namespace facet {

namespace {

/// What a control's positions or choices stand for, in a few words.
QString rangeOf(const InstrumentControl& control, const Patch& patch) {
    const ParameterDescriptor d = patch.shownDescriptor(control.address);
    const auto words = [&](double value) { return QString::fromStdString(roundedText(d, value)); };
    if (!control.scale) {
        QStringList names;
        for (const auto& [name, value] : control.choices) names.append(QString::fromStdString(name));
        return names.join(", ");
    }
    if (!control.scale->problem().empty()) return QObject::tr("not yet");
    const auto [first, last] = control.scale->positions();
    return QObject::tr("%1 to %2: %3 to %4")
        .arg(QString::number(first), QString::number(last), words(control.scale->valueAt(first)),
             words(control.scale->valueAt(last)));
}

/// The modules in signal order, by their names.
QString structureOf(const Patch& patch) {
    QStringList names;
    for (const Patch::Module& each : patch.modules())
        if (each.kind != ModuleKind::link && each.kind != ModuleKind::output && each.kind != ModuleKind::voicing &&
            each.kind != ModuleKind::layer)
            names.append(QString::fromStdString(patch.labelOf(each)));
    QStringList links;
    for (const Patch::Module& each : patch.modules())
        if (each.kind == ModuleKind::link && !each.contents().to.empty())
            links.append(QString::fromStdString(settingLabel(patch, {each.path, "amount"})));
    return links.isEmpty() ? names.join(", ") : names.join(", ") + " · " + links.join(", ");
}

} // namespace

InstrumentEditor::InstrumentEditor(const Instrument& instrument, const Patch& inView, Keep keep, QWidget* parent)
    : QDialog(parent), draft_(instrument), before_(instrument), inView_(inView), keep_(std::move(keep)) {
    setObjectName("instrumentEditor");
    setWindowTitle(tr("Describe an instrument"));
    resize(1040, 680);
    auto* layout = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    name_ = new QLineEdit(QString::fromStdString(draft_.name), this);
    name_->setObjectName("instrumentName");
    connect(name_, &QLineEdit::textEdited, this, [this](const QString& words) {
        draft_.name = words.trimmed().toStdString();
        refresh();
    });
    form->addRow(tr("Name"), name_);
    about_ = new QLineEdit(QString::fromStdString(draft_.about), this);
    about_->setObjectName("instrumentAbout");
    about_->setPlaceholderText(tr("What it is, in a sentence"));
    connect(about_, &QLineEdit::textEdited, this,
            [this](const QString& words) { draft_.about = words.trimmed().toStdString(); });
    form->addRow(tr("About"), about_);
    layout->addLayout(form);
    auto* body = new QHBoxLayout;
    body->setSpacing(20);
    body->addWidget(makeList(), 5);
    auto* side = new QVBoxLayout;
    noControl_ =
        new QLabel(tr("A control is a knob, slider or switch of the instrument.\nWhat has none stands as it is "
                      "in the patch."),
                   this);
    noControl_->setObjectName("quiet");
    noControl_->setWordWrap(true);
    noControl_->setAlignment(Qt::AlignTop);
    side->addWidget(noControl_, 1);
    editor_ = new ControlEditor(this);
    side->addWidget(editor_, 1);
    body->addLayout(side, 4);
    layout->addLayout(body, 1);
    problem_ = new QLabel(this);
    problem_->setObjectName("editorProblem");
    problem_->setStyleSheet(QString("color: %1").arg(theme().warning.name()));
    problem_->setWordWrap(true);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    save_ = buttons->addButton(tr("Keep it"), QDialogButtonBox::ActionRole);
    save_->setObjectName("keepInstrument");
    save_->setToolTip(tr("Among your instruments, and chosen for this cue"));
    connect(save_, &QPushButton::clicked, this, [this] {
        if (keep_(draft_)) accept();
    });
    connect(buttons, &QDialogButtonBox::rejected, this, &InstrumentEditor::reject);
    auto* foot = new QHBoxLayout;
    foot->addWidget(problem_, 1);
    foot->addWidget(buttons);
    layout->addLayout(foot);
    connect(editor_, &ControlEditor::changed, this, [this] {
        const int row = chosen();
        if (row < 0) return;
        draft_.controls[static_cast<std::size_t>(row)] = editor_->control();
        showControls();
        refresh();
    });
    connect(editor_, &ControlEditor::measureWanted, this, &InstrumentEditor::measure);
    showControls();
    choose(draft_.controls.empty() ? -1 : 0);
}

QWidget* InstrumentEditor::makeList() {
    auto* side = new QWidget(this);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    controls_ = new QTreeWidget(side);
    controls_->setObjectName("controls");
    controls_->setAccessibleName(tr("Controls of the instrument"));
    controls_->setRootIsDecorated(false);
    controls_->setHeaderLabels({tr("Control"), tr("Sets"), tr("From … to")});
    controls_->header()->setSectionResizeMode(QHeaderView::ResizeToContents);
    controls_->header()->setStretchLastSection(true);
    connect(controls_, &QTreeWidget::currentItemChanged, this, [this] { choose(chosen()); });
    column->addWidget(controls_, 1);
    auto* buttons = new QHBoxLayout;
    add_ = new QToolButton(side);
    add_->setObjectName("addControl");
    add_->setText(tr("Add a control …"));
    add_->setPopupMode(QToolButton::InstantPopup);
    add_->setMenu(new QMenu(add_));
    connect(add_->menu(), &QMenu::aboutToShow, this, &InstrumentEditor::fillAddMenu);
    buttons->addWidget(add_);
    const auto button = [&](const QString& words, const char* name, const QString& tip, auto&& what) {
        auto* made = new QPushButton(words, side);
        made->setObjectName(name);
        made->setToolTip(tip);
        connect(made, &QPushButton::clicked, this, what);
        buttons->addWidget(made);
        return made;
    };
    remove_ = button(tr("Remove"), "removeControl", tr("What it set stands then as it is"), [this] { remove(); });
    earlier_ = button(tr("Up"), "controlUp", tr("Told earlier on the sheet"), [this] { move(-1); });
    later_ = button(tr("Down"), "controlDown", tr("Told later on the sheet"), [this] { move(1); });
    buttons->addStretch(1);
    column->addLayout(buttons);
    column->addSpacing(8);
    auto* title = new QLabel(tr("What it is made of"), side);
    title->setObjectName("heading");
    column->addWidget(title);
    structure_ = new QLabel(side);
    structure_->setWordWrap(true);
    structure_->setObjectName("structure");
    column->addWidget(structure_);
    auto* take = new QPushButton(tr("Take the patch in view"), side);
    take->setObjectName("takeStructure");
    take->setToolTip(tr("Sources, filters, envelopes, LFOs, links and effects as they stand on the Patch page"));
    connect(take, &QPushButton::clicked, this, &InstrumentEditor::takePatch);
    auto* row = new QHBoxLayout;
    row->addWidget(take);
    row->addStretch(1);
    column->addLayout(row);
    return side;
}

void InstrumentEditor::fillAddMenu() {
    QMenu& menu = *add_->menu();
    menu.clear();
    menu.addAction(tr("All that is set in this patch"), this, &InstrumentEditor::addAllThatIsSet);
    menu.addSeparator();
    for (const Patch::Module& module : draft_.patch.modules()) {
        QMenu* within = nullptr;
        for (const ParameterDescriptor& d : parametersOf(module.kind)) {
            const Address address{module.path, std::string(d.field)};
            if (draft_.controlOf(address) || address == Address{"output", "level"}) continue;
            if (module.kind == ModuleKind::link && module.contents().to.empty()) continue;
            const bool isLink = module.kind == ModuleKind::link;
            if (!within)
                within = menu.addMenu(QString::fromStdString(
                    isLink ? settingLabel(draft_.patch, {module.path, "amount"}) : draft_.patch.labelOf(module)));
            within->addAction(text(d.label), this, [this, address] { add(address); });
        }
    }
}

void InstrumentEditor::add(const Address& address) {
    draft_.controls.push_back(usualControl(draft_.patch, address));
    showControls();
    choose(static_cast<int>(draft_.controls.size()) - 1);
}

void InstrumentEditor::addAllThatIsSet() {
    for (const SignalPart& part : partsOf(draft_.patch))
        for (const PartSetting& each : settingsOf(part, draft_.patch))
            if (!draft_.controlOf(each.address) && each.address != Address{"output", "level"})
                draft_.controls.push_back(usualControl(draft_.patch, each.address));
    showControls();
    choose(draft_.controls.empty() ? -1 : 0);
}

void InstrumentEditor::remove() {
    const int row = chosen();
    if (row < 0) return;
    draft_.controls.erase(draft_.controls.begin() + row);
    showControls();
    choose(std::min(row, static_cast<int>(draft_.controls.size()) - 1));
}

void InstrumentEditor::move(int by) {
    const int row = chosen(), to = row + by;
    if (row < 0 || to < 0 || to >= static_cast<int>(draft_.controls.size())) return;
    std::swap(draft_.controls[static_cast<std::size_t>(row)], draft_.controls[static_cast<std::size_t>(to)]);
    showControls();
    choose(to);
}

void InstrumentEditor::takePatch() {
    draft_.patch = inView_;
    std::erase_if(draft_.controls, [&](const InstrumentControl& each) { return !draft_.patch.has(each.address); });
    showControls();
    choose(draft_.controls.empty() ? -1 : 0);
}

void InstrumentEditor::measure() {
    const int row = chosen();
    if (row < 0) return;
    try {
        auto* dialog = new MeasuringDialog(draft_, static_cast<std::size_t>(row), this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &MeasuringDialog::taken, this, [this, row](const ControlScale& scale) {
            draft_.controls[static_cast<std::size_t>(row)].scale = scale;
            showControls();
            choose(row);
        });
        dialog->open();
    } catch (const Error& problem) {
        problem_->setText(QString::fromUtf8(problem.what()));
    }
}

int InstrumentEditor::chosen() const { return controls_->indexOfTopLevelItem(controls_->currentItem()); }

void InstrumentEditor::choose(int row) {
    const bool any = row >= 0 && row < static_cast<int>(draft_.controls.size());
    {
        const QSignalBlocker quiet(controls_);
        controls_->setCurrentItem(any ? controls_->topLevelItem(row) : nullptr);
    }
    noControl_->setVisible(!any);
    editor_->setVisible(any);
    if (any) editor_->show(draft_.controls[static_cast<std::size_t>(row)], draft_.patch);
    refresh();
}

void InstrumentEditor::showControls() {
    const QSignalBlocker quiet(controls_);
    const int row = chosen();
    controls_->clear();
    for (const InstrumentControl& each : draft_.controls)
        new QTreeWidgetItem(controls_, {QString::fromStdString(each.name),
                                        QString::fromStdString(settingLabel(draft_.patch, each.address)),
                                        rangeOf(each, draft_.patch)});
    controls_->setCurrentItem(controls_->topLevelItem(row));
}

void InstrumentEditor::refresh() {
    const int row = chosen(), count = static_cast<int>(draft_.controls.size());
    remove_->setEnabled(row >= 0);
    earlier_->setEnabled(row > 0);
    later_->setEnabled(row >= 0 && row + 1 < count);
    structure_->setText(structureOf(draft_.patch));
    const std::string problem = draft_.controls.empty()
                                    ? tr("The instrument has no control: add what can be set on it.").toStdString()
                                    : problemOf(draft_);
    problem_->setText(QString::fromStdString(problem));
    save_->setEnabled(problem.empty());
}

void InstrumentEditor::reject() {
    if (!(draft_ == before_) &&
        QMessageBox::question(this, tr("Describe an instrument"), tr("Forget the changes to this description?"),
                              QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Cancel) != QMessageBox::Discard)
        return;
    QDialog::reject();
}

} // namespace facet

#include "moc_instrument_editor.cpp"
