#include "app/views/patch/module_links.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/views/common/words.h"
#include "app/views/patch/flat_button.h"
#include "app/views/patch/parameter_row.h"
#include "core/parameters/relevance.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

ModuleLinks::ModuleLinks(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons,
                         Messages& messages, std::string path, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), comparisons_(comparisons), messages_(messages),
      path_(std::move(path)), layout_(new QVBoxLayout(this)) {
    layout_->setContentsMargins(0, 2, 0, 0);
    layout_->setSpacing(2);
}

void ModuleLinks::refresh(const Patch& patch, const std::vector<Modulation>& movements) {
    std::vector<const Modulation*> into, out;
    for (const Modulation& m : movements) {
        if (m.target.module == path_ && m.mover != path_) into.push_back(&m);
        if (m.mover == path_) out.push_back(&m);
    }
    std::string state;
    for (const auto* list : {&into, &out}) {
        state += '|';
        for (const Modulation* m : *list) state += m->mover + ">" + m->target.text() + " " + m->amount.text() + ";";
    }
    if (state != shown_) {
        shown_ = state;
        rebuild(patch, into, out);
    }
    for (ParameterRow* amount : amounts_) amount->refresh();
    for (auto* mute : findChildren<QToolButton*>())
        if (const QString link = mute->property("link").toString(); !link.isEmpty() && patch.find(link.toStdString()))
            mute->setChecked(patch.value({link.toStdString(), "on"}) < 0.5);
}

void ModuleLinks::clear() {
    amounts_.clear();
    while (QLayoutItem* item = layout_->takeAt(0)) {
        if (item->widget()) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
}

void ModuleLinks::rebuild(const Patch& patch, const std::vector<const Modulation*>& into,
                          const std::vector<const Modulation*>& out) {
    clear();
    if (!into.empty()) addHeading(tr("Moved by"));
    for (const Modulation* m : into)
        addLine(patch, *m, tr("%1 → %2").arg(text(moverLabel(patch, *m)), text(targetLabel(patch, *m, path_))));
    if (!out.empty()) addHeading(tr("Moves"));
    for (const Modulation* m : out) addLine(patch, *m, text(targetLabel(patch, *m, path_)));
    const ModuleKind kind = patch.find(path_)->kind;
    if (kind == ModuleKind::envelope || kind == ModuleKind::lfo || kind == ModuleKind::macro)
        addMenu(tr("Move something …"), tr("Lets this move a parameter"), "addTarget", &ModuleLinks::offerTargets);
    addMenu(tr("Add a mover …"), tr("Lets something move a parameter of this"), "addMover", &ModuleLinks::offerMovers);
    // What comes into a place that is in view already is shown by nobody else.
    for (auto* child : findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
        if (layout_->indexOf(child) >= 0) child->show();
}

void ModuleLinks::addHeading(const QString& words) {
    auto* label = new QLabel(words, this);
    label->setObjectName("quiet");
    layout_->addWidget(label);
}

void ModuleLinks::addLine(const Patch& patch, const Modulation& movement, const QString& words) {
    auto* line = new QWidget(this);
    auto* layout = new QHBoxLayout(line);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    if (movement.amount.field.empty()) {
        layout->addWidget(new QLabel(words, line));
    } else {
        auto* amount = new ParameterRow(document_, patchEditor_, comparisons_, messages_, movement.amount, patch, line);
        amount->setName(words);
        amount->setNarrow();
        amount->setElastic();
        amounts_.push_back(amount);
        layout->addWidget(amount, 1);
    }
    if (!movement.link.empty()) {
        auto* mute = makeFlatButton(tr("mute"), tr("Mute %1").arg(words), path_, line);
        mute->setCheckable(true);
        mute->setProperty("link", text(movement.link));
        connect(mute, &QToolButton::clicked, this, [this, link = movement.link](bool muted) {
            patchEditor_.setParameter({link, "on"}, muted ? 0.0 : 1.0);
        });
        layout->addWidget(mute);
    }
    layout_->addWidget(line);
}

/// A button whose menu is filled when it opens.
void ModuleLinks::addMenu(const QString& words, const QString& tip, const QString& name, void (ModuleLinks::*offer)()) {
    auto* button = makeFlatButton(words, tip, path_, this);
    button->setObjectName(name);
    button->setPopupMode(QToolButton::InstantPopup);
    button->setMenu(new QMenu(button));
    connect(button->menu(), &QMenu::aboutToShow, this, offer);
    layout_->addWidget(button, 0, Qt::AlignLeft);
}

void ModuleLinks::offerMovers() {
    QMenu& menu = *findChild<QToolButton*>("addMover")->menu();
    menu.clear();
    const Patch& patch = document_.cue()->patch;
    const Patch::Module& module = *patch.find(path_);
    for (const auto& d : parametersOf(module.kind)) {
        if (d.isDiscrete() || d.smoothing == Smoothing::graph || !matters(patch, module, d)) continue;
        const std::string to = path_ + "/" + std::string(d.field);
        QMenu* what = menu.addMenu(text(d.label));
        for (const Mover& mover : moversFor(patch, {path_, std::string(d.field)}))
            what->addAction(text(mover.label), this, [this, from = mover.path, to] { patchEditor_.addLink(from, to); });
    }
}

/// Everything that a link could lead to from here, module by module.
void ModuleLinks::offerTargets() {
    QMenu& menu = *findChild<QToolButton*>("addTarget")->menu();
    menu.clear();
    const Patch& patch = document_.cue()->patch;
    for (const auto& module : patch.modules()) {
        if (module.path == path_ || !takesPart(patch, module) || module.kind == ModuleKind::link) continue;
        QMenu* of = nullptr;
        for (const auto& d : parametersOf(module.kind)) {
            if (d.isDiscrete() || d.smoothing == Smoothing::graph || !matters(patch, module, d)) continue;
            const Address to{module.path, std::string(d.field)};
            const auto movers = moversFor(patch, to);
            if (std::none_of(movers.begin(), movers.end(), [&](const Mover& m) { return m.path == path_; })) continue;
            if (!of) of = menu.addMenu(text(patch.labelOf(module)));
            of->addAction(text(d.label), this, [this, to = to.text()] { patchEditor_.addLink(path_, to); });
        }
    }
}

} // namespace facet

#include "moc_module_links.cpp"
