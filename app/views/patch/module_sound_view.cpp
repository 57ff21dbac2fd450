#include "app/views/patch/module_sound_view.h"

#include "app/session/document/document_store.h"
#include "app/session/document/module_sounds.h"
#include "app/session/document/patch_editor.h"
#include "app/views/common/words.h"
#include "app/views/patch/flat_button.h"
#include "app/views/patch/table_frames.h"
#include "core/parameters/relevance.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

namespace facet {

ModuleSoundView::ModuleSoundView(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds,
                                 const Patch::Module& module, QWidget* parent)
    : QWidget(parent), path_(module.path) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    if (module.kind == ModuleKind::source) {
        cycles_ = new TableFrames(document, patchEditor, path_, this);
        column->addWidget(cycles_);
    }
    row_ = new QWidget(this);
    row_->setObjectName("sound " + text(path_));
    auto* layout = new QHBoxLayout(row_);
    layout->setContentsMargins(0, 0, 0, 0);
    text_ = new QLabel(row_);
    text_->setObjectName("quiet");
    layout->addWidget(text_, 1);
    if (module.kind == ModuleKind::source) {
        takeCycles_ =
            makeFlatButton(tr("From reference"), tr("Takes the cycles of the longest chosen note"), path_, row_);
        connect(takeCycles_, &QToolButton::clicked, this, [this, &sounds] { sounds.takeTable(path_); });
        layout->addWidget(takeCycles_);
    }
    if (cycles_) {
        removeCycle_ = makeFlatButton(tr("Remove"), tr("Takes the cycle at the position away (Delete)"), path_, row_);
        connect(removeCycle_, &QToolButton::clicked, this, [this] { cycles_->removeChosen(); });
        layout->addWidget(removeCycle_);
        reverseCycles_ = makeFlatButton(tr("Reverse"), tr("The last cycle first"), path_, row_);
        connect(reverseCycles_, &QToolButton::clicked, this, [this] { cycles_->reverse(); });
        layout->addWidget(reverseCycles_);
    }
    auto* load = makeFlatButton(tr("Load …"), tr("Reads a sound file into this module"), path_, row_);
    connect(load, &QToolButton::clicked, this, [this] { emit soundWanted(text(path_)); });
    layout->addWidget(load);
    column->addWidget(row_);
}

void ModuleSoundView::refresh(const Patch& patch, const Patch::Module& module) {
    const ModuleData& held = module.contents();
    const bool source = module.kind == ModuleKind::source;
    const auto wave = source ? static_cast<Wave>(patch.value({path_, "wave"})) : Wave::sample;
    const bool recorded = source || static_cast<ResponseKind>(patch.value({path_, "kind"})) == ResponseKind::recorded;
    setVisible(takesPart(patch, module) && recorded && (wave == Wave::wavetable || wave == Wave::sample));
    if (takeCycles_) takeCycles_->setVisible(wave == Wave::wavetable);
    if (cycles_) {
        const bool table = takesPart(patch, module) && wave == Wave::wavetable;
        cycles_->setVisible(table);
        cycles_->refresh();
        removeCycle_->setVisible(table && cycles_->count() > 1);
        reverseCycles_->setVisible(table && cycles_->count() > 1);
    }
    const auto cycles = static_cast<int>(held.frames.size() / tableFrameSamples);
    if (wave == Wave::wavetable)
        text_->setText(cycles == 0 ? tr("No cycles yet") : cycles == 1 ? tr("1 cycle") : tr("%1 cycles").arg(cycles));
    else
        text_->setText(held.sample.empty()
                           ? tr("No sound yet")
                           : tr("%1 s").arg(static_cast<double>(held.sample.size()) / held.sampleRateHz, 0, 'f', 2));
}

} // namespace facet

#include "moc_module_sound_view.cpp"
