#include "app/views/patch_view.h"

#include "app/session/session.h"
#include "app/views/link_ends.h"
#include "app/views/parameter_row.h"
#include "app/views/theme.h"
#include "core/parameters/relevance.h"

#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

QFrame* rule(QWidget* parent) {
    auto* line = new QFrame(parent);
    line->setObjectName("rule");
    line->setFixedHeight(1);
    return line;
}

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

namespace {

/// Signal order reads down the columns: sources; filters and what moves them; level and what is common; what else
/// moves.
std::size_t columnOf(const Patch::Module& module) {
    switch (module.kind) {
    case ModuleKind::source: return 0;
    case ModuleKind::filter: return 1;
    case ModuleKind::envelope: return module.path.ends_with(":filter") ? 1 : module.path.ends_with(":level") ? 2 : 3;
    case ModuleKind::lfo:
    case ModuleKind::link:
    case ModuleKind::macro: return 3;
    default: return 2;
    }
}

/// The level envelope stands above its layer, and the layer above what is common.
int placeInColumn(const Patch::Module& module) {
    switch (module.kind) {
    case ModuleKind::layer: return 1;
    case ModuleKind::voicing: return 2;
    case ModuleKind::output: return 3;
    case ModuleKind::link: return 4;
    case ModuleKind::macro: return 5;
    default: return 0;
    }
}

} // namespace

PatchView::PatchView(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), adder_(makeAdder()), area_(new QScrollArea(this)) {
    area_->setWidgetResizable(true);
    area_->setHorizontalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    auto* head = new QHBoxLayout;
    head->addWidget(adder_);
    head->addStretch(1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addLayout(head);
    layout->addWidget(area_, 1);
    refresh();
}

QToolButton* PatchView::makeAdder() {
    auto* button = new QToolButton(this);
    button->setText(tr("Add"));
    button->setObjectName("addModule");
    button->setToolTip(tr("Adds a source, filter, envelope, LFO, link, macro or layer to the patch"));
    button->setPopupMode(QToolButton::InstantPopup);
    button->setMenu(new QMenu(button));
    connect(button->menu(), &QMenu::aboutToShow, this, &PatchView::offerModules);
    return button;
}

void PatchView::offerModules() {
    QMenu& menu = *adder_->menu();
    menu.clear();
    if (!session_.cue()) return;
    const Patch& patch = session_.cue()->patch;
    const auto offer = [&](ModuleKind kind, const std::string& layer, const QString& name) {
        const auto there = std::count_if(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
            return m.kind == kind && layerOfPath(m.path) == layer;
        });
        QAction* action = menu.addAction(name, this, [this, kind, layer] { session_.addModule(kind, layer); });
        action->setEnabled(there < mostOf(kind));
    };
    const auto label = [](ModuleKind kind) {
        const auto word = labelOf(kind);
        return QString::fromUtf8(word.data(), static_cast<qsizetype>(word.size()));
    };
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::layer) continue;
        const bool alone = !patch.find("layer:b") && module.path == "layer:a";
        const QString where =
            alone ? QString() : tr(" in %1").arg(QString::fromStdString(patch.labelOf(module)).toLower());
        for (ModuleKind kind : {ModuleKind::source, ModuleKind::filter, ModuleKind::envelope, ModuleKind::lfo})
            offer(kind, module.path, label(kind) + where);
        menu.addSeparator();
    }
    for (ModuleKind kind : {ModuleKind::link, ModuleKind::macro, ModuleKind::layer}) offer(kind, {}, label(kind));
}

QWidget* PatchView::makeModule(const Patch& patch, const Patch::Module& module, QWidget* parent) {
    auto* box = new QWidget(parent);
    auto* stack = new QVBoxLayout(box);
    stack->setContentsMargins(0, 0, 0, 10);
    stack->setSpacing(2);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel(box);
    title->setObjectName("heading");
    title->setFont(interfaceFont(10.5, QFont::DemiBold));
    titles_.emplace_back(title, module.path);
    head->addWidget(title, 1);
    if (!Patch::isFixed(module.path)) {
        auto* remove = new QToolButton(box);
        remove->setText(QStringLiteral("×"));
        remove->setObjectName("flat");
        remove->setProperty("module", QString::fromStdString(module.path));
        remove->setToolTip(tr("Remove %1").arg(QString::fromStdString(patch.labelOf(module)).toLower()));
        remove->setAccessibleName(remove->toolTip());
        remove->setAutoRaise(true);
        connect(remove, &QToolButton::clicked, this, [this, path = module.path] { session_.removeModule(path); });
        head->addWidget(remove);
    }
    stack->addLayout(head);
    stack->addWidget(rule(box));
    if (module.kind == ModuleKind::link) {
        ends_.push_back(new LinkEnds(session_, module.path, box));
        stack->addWidget(ends_.back());
    }
    for (const auto& descriptor : parametersOf(module.kind)) {
        rows_.push_back(new ParameterRow(session_, {module.path, std::string(descriptor.field)}, patch, box));
        stack->addWidget(rows_.back());
    }
    return box;
}

void PatchView::rebuild(const Patch& patch) {
    rows_.clear();
    ends_.clear();
    titles_.clear();
    shown_.clear();
    auto* content = new QWidget;
    auto* columns = new QHBoxLayout(content);
    columns->setContentsMargins(4, 0, 8, 8);
    columns->setSpacing(28);
    std::vector<std::vector<const Patch::Module*>> places(4);
    for (const auto& module : patch.modules()) {
        shown_.push_back(module.path);
        places[columnOf(module)].push_back(&module);
    }
    for (auto& column : places) {
        if (column.empty()) continue;
        std::stable_sort(column.begin(), column.end(), [](const Patch::Module* x, const Patch::Module* y) {
            return placeInColumn(*x) < placeInColumn(*y);
        });
        auto* stack = new QVBoxLayout;
        stack->setSpacing(0);
        for (const auto* module : column) stack->addWidget(makeModule(patch, *module, content));
        stack->addStretch(1);
        columns->addLayout(stack, 1);
    }
    const int place = area_->verticalScrollBar()->value();
    area_->setWidget(content);
    area_->verticalScrollBar()->setValue(place);
}

void PatchView::refresh() {
    if (!session_.cue()) return;
    const Patch& patch = session_.cue()->patch;
    const bool same =
        std::equal(shown_.begin(), shown_.end(), patch.modules().begin(), patch.modules().end(),
                   [](const std::string& path, const Patch::Module& module) { return path == module.path; });
    if (!same) rebuild(patch);
    for (auto& [title, path] : titles_) {
        const auto* module = patch.find(path);
        QString name = QString::fromStdString(patch.labelOf(*module));
        if (!takesPart(patch, *module))
            name += module->kind == ModuleKind::lfo || module->kind == ModuleKind::macro ? tr(" — moves nothing yet")
                    : module->kind == ModuleKind::envelope && columnOf(*module) == 3     ? tr(" — moves nothing yet")
                                                                                         : tr(" — off");
        title->setText(name);
    }
    for (LinkEnds* ends : ends_) ends->refresh();
    for (ParameterRow* row : rows_) {
        row->refresh();
        const auto* module = patch.find(row->address().module);
        // A module that is off keeps its rows, grey; what its kind does not have is not shown.
        const bool part = takesPart(patch, *module);
        row->setEnabled(part || row->address().field == "on" || columnOf(*module) == 3);
        row->setVisible(!part || matters(patch, *module, patch.descriptor(row->address())));
    }
}

AnswerView::AnswerView(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), title_(new QLabel(this)), layout_(new QVBoxLayout(this)) {
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
    title_->setText(
        tr("Answers for %1").arg(QString::fromUtf8(facetName.data(), static_cast<qsizetype>(facetName.size()))));
    auto* content = new QWidget;
    auto* stack = new QVBoxLayout(content);
    stack->setContentsMargins(0, 0, 6, 0);
    stack->setSpacing(2);
    shownState_.clear();
    if (const Cue* cue = session_.cue()) {
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
                rows_.push_back(new ParameterRow(session_, {module.path, std::string(d.field)}, cue->patch, content));
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
    if (const Cue* cue = session_.cue())
        for (const auto& module : cue->patch.modules()) state += stateOf(cue->patch, module);
    if (state != shownState_) {
        rebuild();
        return;
    }
    for (ParameterRow* row : rows_) row->refresh();
}

} // namespace facet
