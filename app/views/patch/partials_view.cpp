#include "app/views/patch/partials_view.h"

#include "app/session/document/document_store.h"
#include "app/session/document/module_sounds.h"
#include "app/session/document/patch_editor.h"
#include "app/views/patch/flat_button.h"
#include "app/views/patch/partials_editor.h"

#include <QHBoxLayout>
#include <QToolButton>
#include <QVBoxLayout>

namespace facet {

PartialsView::PartialsView(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds,
                           const std::string& path, QWidget* parent)
    : QWidget(parent) {
    auto* stack = new QVBoxLayout(this);
    stack->setContentsMargins(0, 0, 0, 0);
    stack->setSpacing(3);
    bars_ = new PartialsEditor(document, path, this);
    stack->addWidget(bars_);
    auto* line = new QHBoxLayout;
    line->setSpacing(2);
    const auto add = [&](const QString& words, const QString& tip, auto&& change) {
        auto* button = makeFlatButton(words, tip, path, this);
        connect(button, &QToolButton::clicked, this, [&document, &patchEditor, path, change] {
            ModuleData held = document.cue()->patch.find(path)->contents();
            held.partialsDb = change(held.partialsDb);
            patchEditor.setModuleData(path, held);
        });
        line->addWidget(button);
    };
    auto* measured =
        makeFlatButton(tr("From reference"), tr("Takes the partials of the longest chosen note"), path, this);
    connect(measured, &QToolButton::clicked, this, [&sounds, path] { sounds.takePartials(path); });
    line->addWidget(measured);
    add(tr("All"), tr("All partials, as of a saw"), [](const PartialLevels&) { return sawPartials(); });
    add(tr("Odd"), tr("Odd partials alone"), [](const PartialLevels& all) { return everyOther(all, true); });
    add(tr("Even"), tr("Even partials alone"), [](const PartialLevels& all) { return everyOther(all, false); });
    add(tr("Darker"), tr("All partials further below the strongest"),
        [](const PartialLevels& all) { return scaled(all, 1.25); });
    add(tr("Brighter"), tr("All partials nearer to the strongest"),
        [](const PartialLevels& all) { return scaled(all, 0.8); });
    add(tr("Clear"), tr("The fundamental alone"), [](const PartialLevels&) { return PartialLevels{0.0}; });
    line->addStretch(1);
    stack->addLayout(line);
}

void PartialsView::refresh() { bars_->refresh(); }

} // namespace facet

#include "moc_partials_view.cpp"
