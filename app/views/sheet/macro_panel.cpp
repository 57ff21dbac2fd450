#include "app/views/sheet/macro_panel.h"

#include "app/session/automation/macro_controllers.h"
#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/matching/sheet_controller.h"
#include "app/views/common/theme.h"
#include "app/views/patch/parameter_row.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

void clear(QVBoxLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
}

std::vector<const Patch::Module*> macrosOf(const Patch& patch) {
    std::vector<const Patch::Module*> macros;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::macro) macros.push_back(&module);
    return macros;
}

} // namespace

MacroPanel::MacroPanel(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons,
                       Messages& messages, SheetController& sheet, MacroControllers& controllers, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), comparisons_(comparisons), messages_(messages),
      sheet_(sheet), controllers_(controllers) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* title = new QLabel(tr("Macros"), this);
    title->setFont(interfaceFont(11, QFont::DemiBold));
    layout->addWidget(title);
    none_ =
        new QLabel(tr("None yet. Each takes the sound in one direction; at rest the patch sounds as it does."), this);
    none_->setWordWrap(true);
    none_->setObjectName("quiet");
    layout->addWidget(none_);
    own_ = new QVBoxLayout;
    own_->setSpacing(2);
    layout->addLayout(own_);
    proposedTitle_ = new QLabel(tr("Worth playing"), this);
    proposedTitle_->setFont(interfaceFont(11, QFont::DemiBold));
    layout->addSpacing(8);
    layout->addWidget(proposedTitle_);
    proposed_ = new QVBoxLayout;
    proposed_->setSpacing(8);
    layout->addLayout(proposed_);
    layout->addStretch(1);
    connect(&document_, &DocumentStore::changed, this, &MacroPanel::refresh);
    connect(&sheet_, &SheetController::changed, this, &MacroPanel::refresh);
    connect(&controllers_, &MacroControllers::changed, this, &MacroPanel::refresh);
    refresh();
}

void MacroPanel::refresh() {
    fillOwn();
    fillProposed();
    for (ParameterRow* row : rows_) row->refresh();
}

QWidget* MacroPanel::learnButton(const std::string& path, const QString& label, QWidget* parent) {
    const int number = document_.cue()->patch.find(path)->contents().controller;
    const bool waits = controllers_.learning() == path;
    auto* button = new QToolButton(parent);
    button->setObjectName("learnController");
    button->setCheckable(true);
    button->setChecked(waits);
    button->setText(waits ? tr("turn it …") : number == 0 ? tr("MIDI") : tr("CC %1").arg(number));
    button->setToolTip(waits ? tr("Turn the knob of your MIDI keyboard that is to move this macro; a click: none")
                       : number == 0 ? tr("Have a knob of your MIDI keyboard move this macro: click, then turn it")
                                     : tr("Controller %1 moves this macro; a click: no more").arg(number));
    button->setAccessibleName(number == 0 ? tr("Learn a controller for %1").arg(label)
                                          : tr("Controller %1 moves %2").arg(number).arg(label));
    connect(button, &QToolButton::clicked, this, [this, path, waits, number] {
        if (number != 0)
            controllers_.forget(path);
        else
            controllers_.learn(waits ? std::string() : path);
    });
    return button;
}

void MacroPanel::fillOwn() {
    const Cue* cue = document_.cue();
    std::vector<std::string> wanted;
    if (cue)
        for (const auto* module : macrosOf(cue->patch))
            wanted.push_back(module->path + "=" + cue->patch.labelOf(*module) + "=" +
                             std::to_string(module->contents().controller) +
                             (controllers_.learning() == module->path ? " waits" : ""));
    none_->setVisible(wanted.empty());
    if (wanted == shownOwn_) return;
    shownOwn_ = wanted;
    rows_.clear();
    clear(own_);
    for (const auto* module : cue ? macrosOf(cue->patch) : std::vector<const Patch::Module*>()) {
        const std::string path = module->path;
        const QString label = QString::fromStdString(cue->patch.labelOf(*module));
        auto* box = new QWidget(this);
        auto* inside = new QVBoxLayout(box);
        inside->setContentsMargins(0, 0, 0, 4);
        inside->setSpacing(0);
        auto* head = new QHBoxLayout;
        auto* name = new QLineEdit(label, box);
        name->setObjectName("macroName");
        name->setAccessibleName(tr("Name of the macro"));
        connect(name, &QLineEdit::editingFinished, this, [this, name, path] {
            if (!name->isModified() || !document_.cue() || !document_.cue()->patch.find(path)) return;
            ModuleData named = document_.cue()->patch.find(path)->contents();
            named.label = name->text().trimmed().toStdString();
            patchEditor_.setModuleData(path, named);
        });
        head->addWidget(name, 1);
        head->addWidget(learnButton(path, label, box));
        auto* remove = new QToolButton(box);
        remove->setText(QString::fromUtf8("×"));
        remove->setObjectName("removeMacro");
        remove->setToolTip(tr("Remove this macro and its links"));
        remove->setAccessibleName(tr("Remove %1").arg(label));
        connect(remove, &QToolButton::clicked, this, [this, path] { patchEditor_.removeModule(path); });
        head->addWidget(remove);
        inside->addLayout(head);
        auto* row =
            new ParameterRow(document_, patchEditor_, comparisons_, messages_, {path, "value"}, cue->patch, box);
        row->setName(tr("moved by"));
        row->setNarrow(true);
        inside->addWidget(row);
        rows_.push_back(row);
        own_->addWidget(box);
    }
}

void MacroPanel::fillProposed() {
    const Cue* cue = document_.cue();
    const auto& sheet = sheet_.sheet();
    std::vector<std::string> has, wanted;
    if (cue)
        for (const auto* module : macrosOf(cue->patch)) has.push_back(cue->patch.labelOf(*module));
    std::vector<const ProposedMacro*> proposed;
    if (sheet)
        for (const ProposedMacro& each : sheet->macros) {
            if (std::find(has.begin(), has.end(), each.name) != has.end()) continue;
            proposed.push_back(&each);
            wanted.push_back(each.name + each.changes);
        }
    proposedTitle_->setVisible(!proposed.empty());
    if (wanted == shownProposed_) return;
    shownProposed_ = wanted;
    clear(proposed_);
    for (const ProposedMacro* macro : proposed) {
        auto* box = new QWidget(this);
        auto* inside = new QVBoxLayout(box);
        inside->setContentsMargins(0, 0, 0, 0);
        inside->setSpacing(1);
        auto* head = new QHBoxLayout;
        auto* name = new QLabel(
            tr("<b>%1</b>, %2")
                .arg(QString::fromStdString(macro->name), QString::fromStdString(macro->changes).toHtmlEscaped()),
            box);
        name->setWordWrap(true);
        head->addWidget(name, 1);
        auto* take = new QPushButton(tr("Take"), box);
        take->setObjectName("takeMacro");
        take->setAccessibleName(tr("Take %1").arg(QString::fromStdString(macro->name)));
        take->setToolTip(tr("Puts this control into the patch; turn it here or on the Patch page"));
        connect(take, &QPushButton::clicked, this, [this, taken = *macro] {
            patchEditor_.tryPatch(tr("Take macro"), [&](const Patch& patch) { return withMacro(patch, taken); });
        });
        head->addWidget(take, 0, Qt::AlignTop);
        inside->addLayout(head);
        QStringList moves;
        for (const auto& each : macro->moves) moves << QString::fromStdString(each.words);
        auto* words = new QLabel(moves.join(", "), box);
        words->setObjectName("quiet");
        words->setWordWrap(true);
        inside->addWidget(words);
        proposed_->addWidget(box);
    }
}

} // namespace facet

#include "moc_macro_panel.cpp"
