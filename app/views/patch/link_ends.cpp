#include "app/views/patch/link_ends.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/views/common/words.h"
#include "core/parameters/reading.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QSignalBlocker>

namespace facet {

namespace {

/// What can be moved.
void fillDestinations(QComboBox& list, const Patch& patch, const std::string& self) {
    for (const auto& module : patch.modules()) {
        if (module.path == self || module.kind == ModuleKind::voicing) continue;
        for (const auto& d : parametersOf(module.kind)) {
            if (d.isDiscrete() || d.smoothing == Smoothing::graph) continue;
            list.addItem(QString::fromStdString(patch.labelOf(module)) + ": " + text(d.label),
                         QString::fromStdString(module.path + "/" + std::string(d.field)));
        }
    }
}

} // namespace

LinkEnds::LinkEnds(DocumentStore& document, PatchEditor& patchEditor, std::string path, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), path_(std::move(path)) {
    setObjectName(QString::fromStdString("ends " + path_));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(2);
    from_ = makeList(tr("Moves"), tr("What moves"));
    to_ = makeList(tr("What"), tr("The parameter that is moved"));
    by_ = makeList(tr("Scaled by"), tr("What scales the amount besides"));
    refresh();
}

QComboBox* LinkEnds::makeList(const QString& label, const QString& tip) {
    auto* grid = static_cast<QGridLayout*>(layout());
    const int row = grid->rowCount();
    auto* list = new QComboBox(this);
    list->setToolTip(tip);
    list->setAccessibleName(tip);
    list->setMinimumContentsLength(14);
    list->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(list, &QComboBox::activated, this, &LinkEnds::take);
    auto* name = new QLabel(label, this);
    name->setMinimumWidth(104);
    grid->addWidget(name, row, 0);
    grid->addWidget(list, row, 1);
    grid->setColumnStretch(1, 1);
    return list;
}

void LinkEnds::refresh() {
    if (!document_.cue()) return;
    const Patch& patch = document_.cue()->patch;
    const auto* module = patch.find(path_);
    if (!module) return;
    const ModuleData& link = module->contents();
    const auto fill = [](QComboBox* list, const std::string& chosen, auto&& items) {
        const QSignalBlocker quiet(list);
        list->clear();
        list->addItem(QObject::tr("–"), QString());
        items(*list);
        list->setCurrentIndex(std::max(0, list->findData(QString::fromStdString(chosen))));
    };
    // A link that begins in a layer stays in it; what scales it is no source.
    const Address to = link.to.empty() ? Address{} : Address::parse(link.to);
    const auto fillMovers = [&](QComboBox& list, bool sources) {
        for (const Mover& mover : moversFor(patch, to))
            if (sources || kindOfPath(mover.path) != ModuleKind::source)
                list.addItem(QString::fromStdString(mover.label), QString::fromStdString(mover.path));
    };
    fill(from_, link.from, [&](QComboBox& list) { fillMovers(list, true); });
    fill(to_, link.to, [&](QComboBox& list) { fillDestinations(list, patch, path_); });
    fill(by_, link.by, [&](QComboBox& list) { fillMovers(list, false); });
}

void LinkEnds::take() {
    if (!document_.cue()) return;
    const Patch& patch = document_.cue()->patch;
    ModuleData link = patch.find(path_)->contents();
    link.from = from_->currentData().toString().toStdString();
    link.to = to_->currentData().toString().toStdString();
    link.by = by_->currentData().toString().toStdString();
    patchEditor_.setModuleData(path_, link);
    refresh();
}

} // namespace facet

#include "moc_link_ends.cpp"
