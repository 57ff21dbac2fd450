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

constexpr std::size_t moversColumn = 4;

/// Signal order reads down the columns: sources; filters and what moves them; level and what is common; effects; what
/// else moves.
std::size_t columnOf(const Patch::Module& module) {
    if (isEffect(module.kind)) return 3;
    switch (module.kind) {
    case ModuleKind::source: return 0;
    case ModuleKind::filter: return 1;
    case ModuleKind::envelope:
        return module.path.ends_with(":filter") ? 1 : module.path.ends_with(":level") ? 2 : moversColumn;
    case ModuleKind::lfo:
    case ModuleKind::link:
    case ModuleKind::macro: return moversColumn;
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
    button->setToolTip(tr("Adds a source, filter, envelope, LFO, link, macro, layer or effect to the patch"));
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
    menu.addSeparator();
    const auto effects = std::count_if(patch.modules().begin(), patch.modules().end(),
                                       [](const Patch::Module& m) { return isEffect(m.kind); });
    for (int k = 0; k < moduleKindCount; ++k) {
        const auto kind = static_cast<ModuleKind>(k);
        if (!isEffect(kind)) continue;
        menu.addAction(label(kind), this, [this, kind] { session_.addModule(kind, {}); })
            ->setEnabled(effects < mostEffects);
    }
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
    const QString name = QString::fromStdString(patch.labelOf(module)).toLower();
    if (isEffect(module.kind)) {
        const auto move = [&](const QString& text, const QString& tip, int by) {
            auto* button = makeHeadButton(text, tip.arg(name), module.path, box);
            connect(button, &QToolButton::clicked, this, [this, path = module.path, by] {
                int place = 0;
                for (const auto& other : session_.cue()->patch.modules()) {
                    if (other.path == path) break;
                    place += isEffect(other.kind);
                }
                session_.moveEffect(path, place + by);
            });
            head->addWidget(button);
        };
        move(QStringLiteral("↑"), tr("Pass %1 earlier"), -1);
        move(QStringLiteral("↓"), tr("Pass %1 later"), 1);
    }
    if (!Patch::isFixed(module.path)) {
        auto* remove = makeHeadButton(QStringLiteral("×"), tr("Remove %1").arg(name), module.path, box);
        connect(remove, &QToolButton::clicked, this, [this, path = module.path] { session_.removeModule(path); });
        head->addWidget(remove);
    }
    stack->addLayout(head);
    stack->addWidget(rule(box));
    if (module.kind == ModuleKind::link) {
        ends_.push_back(new LinkEnds(session_, module.path, box));
        stack->addWidget(ends_.back());
    }
    if (module.kind == ModuleKind::source || module.kind == ModuleKind::response)
        stack->addWidget(makeSoundRow(module, box));
    for (const auto& descriptor : parametersOf(module.kind)) {
        rows_.push_back(new ParameterRow(session_, {module.path, std::string(descriptor.field)}, patch, box));
        stack->addWidget(rows_.back());
    }
    return box;
}

QToolButton* PatchView::makeHeadButton(const QString& text, const QString& tip, const std::string& module,
                                       QWidget* parent) {
    auto* button = new QToolButton(parent);
    button->setText(text);
    button->setObjectName("flat");
    button->setProperty("module", QString::fromStdString(module));
    button->setToolTip(tip);
    button->setAccessibleName(tip);
    button->setAutoRaise(true);
    button->setMaximumHeight(20); // no higher than the heading beside it
    return button;
}

/// What sound the module holds, and ways to another.
QWidget* PatchView::makeSoundRow(const Patch::Module& module, QWidget* parent) {
    auto* row = new QWidget(parent);
    row->setObjectName(QString::fromStdString("sound " + module.path));
    auto* layout = new QHBoxLayout(row);
    layout->setContentsMargins(0, 0, 0, 0);
    auto* text = new QLabel(row);
    text->setObjectName("quiet");
    layout->addWidget(text, 1);
    QToolButton* take = nullptr;
    if (module.kind == ModuleKind::source) {
        take =
            makeHeadButton(tr("From reference"), tr("Takes the cycles of the longest chosen note"), module.path, row);
        connect(take, &QToolButton::clicked, this, [this, path = module.path] { session_.takeTable(path); });
        layout->addWidget(take);
    }
    auto* load = makeHeadButton(tr("Load …"), tr("Reads a sound file into this module"), module.path, row);
    connect(load, &QToolButton::clicked, this,
            [this, path = module.path] { emit soundWanted(QString::fromStdString(path)); });
    layout->addWidget(load);
    sounds_.push_back({row, text, take, module.path});
    return row;
}

void PatchView::refreshSounds(const Patch& patch) {
    for (const SoundRow& sound : sounds_) {
        const auto* module = patch.find(sound.module);
        const ModuleData& held = module->contents();
        const bool source = module->kind == ModuleKind::source;
        const auto wave = source ? static_cast<Wave>(patch.value({sound.module, "wave"})) : Wave::sample;
        const bool recorded =
            source || static_cast<ResponseKind>(patch.value({sound.module, "kind"})) == ResponseKind::recorded;
        sound.row->setVisible(takesPart(patch, *module) && recorded &&
                              (wave == Wave::wavetable || wave == Wave::sample));
        if (sound.take) sound.take->setVisible(wave == Wave::wavetable);
        const auto cycles = static_cast<int>(held.frames.size() / tableFrameSamples);
        if (wave == Wave::wavetable)
            sound.text->setText(cycles == 0   ? tr("No cycles yet")
                                : cycles == 1 ? tr("1 cycle")
                                              : tr("%1 cycles").arg(cycles));
        else
            sound.text->setText(
                held.sample.empty()
                    ? tr("No sound yet")
                    : tr("%1 s").arg(static_cast<double>(held.sample.size()) / held.sampleRateHz, 0, 'f', 2));
    }
}

void PatchView::rebuild(const Patch& patch) {
    sounds_.clear();
    rows_.clear();
    ends_.clear();
    titles_.clear();
    shown_.clear();
    auto* content = new QWidget;
    auto* columns = new QHBoxLayout(content);
    columns->setContentsMargins(4, 0, 8, 8);
    columns->setSpacing(16);
    std::vector<std::vector<const Patch::Module*>> places(moversColumn + 1);
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
                    : module->kind == ModuleKind::envelope && columnOf(*module) == moversColumn
                        ? tr(" — moves nothing yet")
                        : tr(" — off");
        title->setText(name);
    }
    refreshSounds(patch);
    for (LinkEnds* ends : ends_) ends->refresh();
    for (ParameterRow* row : rows_) {
        row->refresh();
        const auto* module = patch.find(row->address().module);
        // A module that is off keeps its rows, grey; what its kind does not have is not shown.
        const bool part = takesPart(patch, *module);
        row->setEnabled(part || row->address().field == "on" || columnOf(*module) == moversColumn);
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
