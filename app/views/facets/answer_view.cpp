#include "app/views/facets/answer_view.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/messages.h"
#include "app/session/results/patch_comparisons.h"
#include "app/views/patch/parameter_row.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"
#include "core/parameters/relevance.h"

#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>

namespace facet {

namespace {

/// Changes when other rows of a module would be shown.
std::string stateOf(const Patch& patch, const Patch::Module& module) {
    std::string state = module.path;
    for (const auto& d : parametersOf(module.kind)) state += matters(patch, module, d) ? '1' : '0';
    return state;
}

QScrollArea* scrolling(QWidget* content, QWidget* parent) {
    auto* area = new QScrollArea(parent);
    area->setWidget(content);
    area->setWidgetResizable(true);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    return area;
}

} // namespace

AnswerView::AnswerView(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons,
                       Messages& messages, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), comparisons_(comparisons), messages_(messages),
      title_(new QLabel(this)), layout_(new QVBoxLayout(this)) {
    title_->setObjectName("heading");
    title_->setFont(interfaceFont(10.5, QFont::DemiBold));
    layout_->setContentsMargins(0, 0, 0, 0);
    layout_->setSpacing(4);
    layout_->addWidget(title_);
    rebuild();
}

void AnswerView::show(Facet facet) {
    facet_ = facet;
    rebuild();
}

void AnswerView::rebuild() {
    rows_.clear();
    if (list_) {
        layout_->removeWidget(list_);
        list_->deleteLater();
    }
    const std::string_view facetName = labelOf(facet_);
    title_->setText(tr("Answers for %1").arg(text(facetName)));
    auto* content = new QWidget;
    auto* stack = new QVBoxLayout(content);
    stack->setContentsMargins(0, 0, 6, 0);
    stack->setSpacing(2);
    shownState_.clear();
    if (const Cue* cue = document_.cue()) {
        for (const auto& module : cue->patch.modules()) {
            const bool on = takesPart(cue->patch, module);
            shownState_ += stateOf(cue->patch, module);
            if (facet_ != Facet::level && module.path.ends_with(":level")) continue;
            if (facet_ == Facet::level && module.path.ends_with("envelope:filter")) continue;
            bool titled = false;
            for (const auto& d : parametersOf(module.kind)) {
                // A module that is off offers to be switched on, and nothing else.
                if (!(d.facets & facetBit(facet_)) || (d.field == "on") == on) continue;
                if (on && !matters(cue->patch, module, d)) continue;
                if (!titled) {
                    auto* label = new QLabel(QString::fromStdString(cue->patch.labelOf(module)), content);
                    label->setObjectName("quiet");
                    stack->addWidget(label);
                    titled = true;
                }
                rows_.push_back(new ParameterRow(document_, patchEditor_, comparisons_, messages_,
                                                 {module.path, std::string(d.field)}, cue->patch, content));
                stack->addWidget(rows_.back());
            }
        }
    }
    if (rows_.empty()) {
        auto* none = new QLabel(tr("No parameter of the patch answers for this facet."), content);
        none->setObjectName("quiet");
        none->setWordWrap(true);
        stack->addWidget(none);
    }
    stack->addStretch(1);
    list_ = scrolling(content, this);
    layout_->addWidget(list_, 1);
}

void AnswerView::refresh() {
    std::string state;
    if (const Cue* cue = document_.cue())
        for (const auto& module : cue->patch.modules()) state += stateOf(cue->patch, module);
    if (state != shownState_) {
        rebuild();
        return;
    }
    for (ParameterRow* row : rows_) row->refresh();
}

} // namespace facet

#include "moc_answer_view.cpp"
