#include "app/views/patch/patch_view.h"

#include "app/session/document/document_store.h"
#include "app/session/document/module_sounds.h"
#include "app/session/document/patch_editor.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/messages.h"
#include "app/session/results/module_readings.h"
#include "app/session/results/patch_comparisons.h"
#include "app/views/patch/module_row.h"
#include "app/views/patch/parameter_row.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"
#include "core/engine/inspect/preview.h"
#include "core/parameters/find.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QRadioButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

constexpr int railWidth = 184;
constexpr std::size_t mostFound = 6;

/// Signal order, as it is read: a layer with its sources, filters and what moves them, then what all layers share.
int placeInLayer(const Patch::Module& module) {
    switch (module.kind) {
    case ModuleKind::layer: return 0;
    case ModuleKind::source: return 1;
    case ModuleKind::filter: return 2;
    case ModuleKind::envelope: return Patch::isFixed(module.path) ? 3 : 4;
    default: return 5;
    }
}

/// The modules in groups, each with its heading.
struct Group {
    QString heading;
    std::vector<const Patch::Module*> modules;
};
std::vector<Group> groupsOf(const Patch& patch) {
    std::vector<Group> groups;
    Group effects{QObject::tr("Effects, in order"), {}}, links{QObject::tr("Links and macros"), {}},
        common{QObject::tr("Voices and output"), {}};
    for (const auto& module : patch.modules()) {
        if (module.kind == ModuleKind::layer) {
            Group layer; // its own line heads it
            for (const auto& other : patch.modules())
                if (other.path == module.path || layerOfPath(other.path) == module.path)
                    layer.modules.push_back(&other);
            std::stable_sort(
                layer.modules.begin(), layer.modules.end(),
                [](const Patch::Module* a, const Patch::Module* b) { return placeInLayer(*a) < placeInLayer(*b); });
            groups.push_back(layer);
        } else if (isEffect(module.kind)) {
            effects.modules.push_back(&module);
        } else if (module.kind == ModuleKind::link || module.kind == ModuleKind::macro) {
            links.modules.push_back(&module);
        } else if (module.kind == ModuleKind::voicing || module.kind == ModuleKind::output) {
            common.modules.push_back(&module);
        }
    }
    for (const Group& group : {effects, links, common})
        if (!group.modules.empty()) groups.push_back(group);
    return groups;
}

QLabel* quietHeading(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setObjectName("quiet");
    label->setFont(interfaceFont(9.0, QFont::DemiBold));
    return label;
}

} // namespace

PatchView::PatchView(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds, ModuleReadings& readings,
                     PatchComparisons& comparisons, Listening& listening, Playback& playback, Messages& messages,
                     QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), sounds_(sounds), readings_(readings),
      comparisons_(comparisons), listening_(listening), playback_(playback), messages_(messages), adder_(makeAdder()),
      area_(new QScrollArea(this)) {
    area_->setWidgetResizable(true);
    area_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* railArea = new QScrollArea(this); // a short window has no room for all of it
    railArea->setObjectName("rail");
    railArea->setFrameShape(QFrame::NoFrame);
    railArea->setWidgetResizable(true);
    railArea->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    railArea->setWidget(makeRail());
    railArea->setFixedWidth(railWidth + 10);
    layout->addWidget(railArea);
    layout->addWidget(area_, 1);
    connect(&listening_, &Listening::modulesChanged, this, &PatchView::refreshHearing);
    const auto refreshLine = [this](const QString& path) {
        ModuleRow* row = document_.cue() ? rowOf(path.toStdString()) : nullptr;
        if (row) row->refresh(document_.cue()->patch, modulationsOf(document_.cue()->patch));
    };
    connect(&readings_, &ModuleReadings::stageRead, this, refreshLine);
    connect(&readings_, &ModuleReadings::unheardFound, this, refreshLine);
    refresh();
}

void PatchView::showEvent(QShowEvent*) { refresh(); }

QToolButton* PatchView::makeAdder() {
    auto* button = new QToolButton(this);
    button->setText(tr("Add …"));
    button->setObjectName("addModule");
    button->setToolTip(tr("Adds a source, filter, envelope, LFO, link, macro, layer or effect to the patch"));
    button->setPopupMode(QToolButton::InstantPopup);
    button->setMenu(new QMenu(button));
    connect(button->menu(), &QMenu::aboutToShow, this, &PatchView::offerModules);
    return button;
}

QWidget* PatchView::makeRail() {
    auto* rail = new QWidget(this);
    rail->setFixedWidth(railWidth);
    auto* stack = new QVBoxLayout(rail);
    stack->setContentsMargins(0, 0, 0, 0);
    stack->setSpacing(3);
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    head->addWidget(adder_);
    auto* start = new QToolButton(rail);
    start->setText(tr("Begin from …"));
    start->setObjectName("beginFrom");
    start->setToolTip(tr("The empty patch, your own, or a common kind of sound (Ctrl+G)"));
    connect(start, &QToolButton::clicked, this, &PatchView::startWanted);
    head->addWidget(start);
    head->addStretch(1);
    stack->addLayout(head);
    find_ = new QLineEdit(rail);
    find_->setPlaceholderText(tr("Find a parameter"));
    find_->setAccessibleName(tr("Find a parameter"));
    find_->setToolTip(tr("By its name, or another word for it (Ctrl+F); arrows choose, Return goes there"));
    find_->setClearButtonEnabled(true);
    find_->installEventFilter(this);
    stack->addWidget(find_);
    found_ = new QListWidget(rail);
    found_->setAccessibleName(tr("Parameters found"));
    found_->setMaximumHeight(168);
    found_->hide();
    stack->addWidget(found_);
    connect(find_, &QLineEdit::textChanged, this, &PatchView::find);
    const auto go = [this] {
        const QListWidgetItem* item = found_->currentItem();
        if (!item) return;
        const Address address = Address::parse(item->data(Qt::UserRole).toString().toStdString());
        find_->clear();
        goTo(address);
    };
    connect(find_, &QLineEdit::returnPressed, this, go);
    connect(found_, &QListWidget::itemClicked, this, go);
    connect(found_, &QListWidget::itemActivated, this, go);
    stack->addSpacing(6);
    stack->addWidget(quietHeading(tr("Listen to"), rail));
    hearing_ = new QButtonGroup(this);
    const std::pair<HeardModules, QString> ways[] = {{HeardModules::whole, tr("the whole patch")},
                                                     {HeardModules::alone, tr("this line alone")},
                                                     {HeardModules::upTo, tr("up to this line")},
                                                     {HeardModules::without, tr("without this line")},
                                                     {HeardModules::dryFrom, tr("without effects from here")}};
    for (const auto& [way, words] : ways) {
        auto* button = new QRadioButton(words, rail);
        button->setAccessibleName(tr("Listen to %1").arg(words));
        hearing_->addButton(button, static_cast<int>(way));
        stack->addWidget(button);
    }
    connect(hearing_, &QButtonGroup::idClicked, this, [this](int id) {
        listening_.hearModules(static_cast<HeardModules>(id), chosen_);
        if (!playback_.player().playing()) playback_.play(Side::render);
    });
    heardWords_ = new QLabel(rail);
    heardWords_->setObjectName("quiet");
    heardWords_->setWordWrap(true);
    stack->addWidget(heardWords_);
    stack->addSpacing(10);
    macrosTitle_ = quietHeading(tr("Macros"), rail);
    stack->addWidget(macrosTitle_);
    macrosLayout_ = new QVBoxLayout;
    macrosLayout_->setSpacing(4);
    stack->addLayout(macrosLayout_);
    stack->addStretch(1);
    return rail;
}

void PatchView::add(ModuleKind kind, const std::string& layer) {
    const std::string path = patchEditor_.addModule(kind, layer);
    if (!path.empty()) open(path);
}

void PatchView::offerModules() {
    QMenu& menu = *adder_->menu();
    menu.clear();
    if (!document_.cue()) return;
    const Patch& patch = document_.cue()->patch;
    const auto offer = [&](ModuleKind kind, const std::string& layer, const QString& name) {
        const auto there = std::count_if(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
            return m.kind == kind && layerOfPath(m.path) == layer;
        });
        QAction* action = menu.addAction(name, this, [this, kind, layer] { add(kind, layer); });
        action->setEnabled(there < mostOf(kind));
    };
    const auto label = [](ModuleKind kind) {
        const auto word = labelOf(kind);
        return text(word);
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
        menu.addAction(label(kind), this, [this, kind] { add(kind, {}); })->setEnabled(effects < mostEffects);
    }
}

ModuleRow* PatchView::rowOf(const std::string& path) const {
    const auto found = std::find_if(rows_.begin(), rows_.end(), [&](ModuleRow* row) { return row->path() == path; });
    return found == rows_.end() ? nullptr : *found;
}

void PatchView::open(const std::string& path) {
    if (!path.empty() && !rowOf(path)) return;
    if (!path.empty()) chosen_ = path;
    for (ModuleRow* row : rows_) row->setOpen(row->path() == path);
    if (listening_.heardModules() != HeardModules::whole) listening_.hearModules(listening_.heardModules(), chosen_);
    refreshHearing();
    revealing_ = true;
    if (ModuleRow* row = rowOf(path)) reveal(row);
}

/// All of a line, or if it is taller than the room its beginning.
void PatchView::reveal(ModuleRow* row) {
    area_->ensureVisible(0, row->geometry().bottom(), 0, 8);
    area_->ensureVisible(0, row->geometry().top(), 0, 8);
}

void PatchView::goTo(const Address& address) {
    open(address.module);
    ModuleRow* row = rowOf(address.module);
    if (!row) return;
    auto* wanted = row->findChild<ParameterRow*>("row " + QString::fromStdString(address.text()));
    if (!wanted) return;
    for (auto* editor : wanted->findChildren<QWidget*>())
        if (qobject_cast<QLineEdit*>(editor) || qobject_cast<QComboBox*>(editor) || qobject_cast<QCheckBox*>(editor)) {
            editor->setFocus(Qt::ShortcutFocusReason);
            if (auto* field = qobject_cast<QLineEdit*>(editor)) field->selectAll();
            return;
        }
}

void PatchView::startFinding() {
    find_->setFocus(Qt::ShortcutFocusReason);
    find_->selectAll();
}

void PatchView::find(const QString& words) {
    found_->clear();
    if (!document_.cue()) return;
    const Patch& patch = document_.cue()->patch;
    for (const Address& address : findParameters(patch, words.toStdString(), mostFound)) {
        const auto& d = patch.descriptor(address);
        auto* item = new QListWidgetItem(
            QString("%1 · %2").arg(text(d.label), QString::fromStdString(patch.labelOf(*patch.find(address.module)))),
            found_);
        item->setData(Qt::UserRole, QString::fromStdString(address.text()));
        item->setToolTip(item->text());
    }
    found_->setCurrentRow(0);
    found_->setVisible(found_->count() > 0);
}

bool PatchView::eventFilter(QObject* watched, QEvent* event) {
    if (watched == find_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            found_->setCurrentRow(
                std::clamp(found_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, std::max(0, found_->count() - 1)));
            return true;
        }
        if (key == Qt::Key_Escape) {
            find_->clear();
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void PatchView::choose(const std::string& path) {
    ModuleRow* row = rowOf(path);
    open(row && row->isOpen() ? std::string() : path);
}

void PatchView::step(const std::string& from, int by) {
    const auto found = std::find_if(rows_.begin(), rows_.end(), [&](ModuleRow* row) { return row->path() == from; });
    if (found == rows_.end()) return;
    const auto to =
        std::clamp<std::ptrdiff_t>((found - rows_.begin()) + by, 0, static_cast<std::ptrdiff_t>(rows_.size()) - 1);
    ModuleRow* row = rows_[static_cast<std::size_t>(to)];
    row->setFocus(Qt::TabFocusReason);
    area_->ensureWidgetVisible(row, 0, 8);
}

void PatchView::rebuild(const Patch& patch) {
    std::string opened, focused;
    for (ModuleRow* row : rows_) {
        if (row->isOpen()) opened = row->path();
        if (row->hasFocus()) focused = row->path();
    }
    rows_.clear();
    shown_.clear();
    for (const auto& module : patch.modules()) shown_.push_back(module.path);
    auto* content = new QWidget;
    auto* stack = new QVBoxLayout(content);
    stack->setContentsMargins(0, 0, 8, 8);
    stack->setSpacing(4);
    for (const Group& group : groupsOf(patch)) {
        if (!group.heading.isEmpty()) {
            stack->addSpacing(2);
            stack->addWidget(quietHeading(group.heading, content));
        }
        for (const auto* module : group.modules) {
            auto* row = new ModuleRow(document_, patchEditor_, sounds_, readings_, comparisons_, messages_,
                                      module->path, content);
            connect(row, &ModuleRow::chosen, this, [this](const QString& path) { choose(path.toStdString()); });
            connect(row, &ModuleRow::stepWanted, this, [this, row](int by) { step(row->path(), by); });
            connect(row, &ModuleRow::resized, this, [this, row] {
                if (revealing_ && row->isOpen()) reveal(row);
            });
            connect(row, &ModuleRow::soundWanted, this, &PatchView::soundWanted);
            connect(row, &ModuleRow::dragged, this,
                    [this, row](QPoint place, bool dropped) { dragEffect(row, place, dropped); });
            rows_.push_back(row);
            stack->addWidget(row);
        }
    }
    stack->addStretch(1);
    const int place = area_->verticalScrollBar()->value();
    // What was there may be in the middle of the event that changed the patch: it goes once that is over.
    if (QWidget* before = area_->takeWidget()) before->deleteLater();
    dropLine_ = nullptr;
    area_->setWidget(content);
    content->show();
    area_->verticalScrollBar()->setValue(place);
    if (ModuleRow* row = rowOf(opened)) row->setOpen(true);
    if (ModuleRow* row = rowOf(focused)) row->setFocus();
}

/// Shows between which lines a dragged effect would go, and puts it there.
void PatchView::dragEffect(ModuleRow* row, QPoint place, bool dropped) {
    const Patch& patch = document_.cue()->patch;
    int before = 0; // effects that would come before it
    int gap = 0;
    for (ModuleRow* other : rows_) {
        const auto* module = patch.find(other->path());
        if (!module || !isEffect(module->kind)) continue;
        if (gap == 0) gap = other->y() - 3;
        if (other->mapToGlobal(QPoint(0, other->height() / 2)).y() > place.y()) continue;
        gap = other->y() + other->height() + 1;
        before += other != row;
    }
    if (!dropLine_) {
        dropLine_ = new QWidget(area_->widget());
        dropLine_->setAttribute(Qt::WA_TransparentForMouseEvents);
        dropLine_->setAutoFillBackground(true);
        QPalette palette;
        palette.setColor(QPalette::Window, theme().ink);
        dropLine_->setPalette(palette);
    }
    dropLine_->setGeometry(row->x(), gap, row->width(), 2);
    dropLine_->setVisible(!dropped);
    dropLine_->raise();
    if (dropped) patchEditor_.moveEffect(row->path(), before);
}

void PatchView::refreshRail(const Patch& patch) {
    std::vector<std::string> wanted;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::macro) wanted.push_back(module.path + "=" + patch.labelOf(module));
    if (wanted != shownMacros_) {
        shownMacros_ = wanted;
        macros_.clear();
        while (QLayoutItem* item = macrosLayout_->takeAt(0)) {
            item->widget()->deleteLater();
            delete item;
        }
        for (const auto& module : patch.modules()) {
            if (module.kind != ModuleKind::macro) continue;
            auto* row =
                new ParameterRow(document_, patchEditor_, comparisons_, messages_, {module.path, "value"}, patch, this);
            row->setName(QString::fromStdString(patch.labelOf(module)));
            row->setNarrow(true);
            macros_.push_back(row);
            macrosLayout_->addWidget(row);
        }
    }
    macrosTitle_->setVisible(!macros_.empty());
    for (ParameterRow* row : macros_) row->refresh();
}

void PatchView::refreshHearing() {
    if (!document_.cue()) return;
    const Patch& patch = document_.cue()->patch;
    const auto* module = patch.find(chosen_);
    for (QAbstractButton* button : hearing_->buttons())
        button->setEnabled(listening_.canHear(static_cast<HeardModules>(hearing_->id(button)), chosen_));
    HeardModules now = listening_.heardModules();
    if (!listening_.canHear(now, listening_.heardModule())) now = HeardModules::whole;
    hearing_->button(static_cast<int>(now))->setChecked(true);
    const QString name = module ? QString::fromStdString(patch.labelOf(*module)) : QString();
    heardWords_->setText(name.isEmpty() ? tr("“This line” is the one you open.") : tr("This line: %1").arg(name));
}

void PatchView::refresh() {
    const Cue* cue = document_.cue();
    if (!cue) return;
    const Patch& patch = cue->patch;
    if (cue->id != cue_) { // another sound begins with nothing open
        cue_ = cue->id;
        chosen_.clear();
        rows_.clear();
        shown_.clear();
        listening_.hearModules(HeardModules::whole);
    }
    const bool same =
        std::equal(shown_.begin(), shown_.end(), patch.modules().begin(), patch.modules().end(),
                   [](const std::string& path, const Patch::Module& module) { return path == module.path; });
    if (!same) rebuild(patch);
    const auto movements = modulationsOf(patch);
    for (ModuleRow* row : rows_) row->refresh(patch, movements);
    refreshRail(patch);
    refreshHearing();
}

void PatchView::followPlayhead(double seconds) {
    const Cue* cue = document_.cue();
    ModuleRow* row = rowOf(chosen_);
    if (!cue || !row || !row->isOpen()) return;
    const auto* module = cue->patch.find(chosen_);
    if (!module || module->kind != ModuleKind::filter) return;
    const double semitones = cue->patch.value({chosen_, "envelope"});
    const Note* newest = nullptr;
    const Performance performance = document_.performance();
    for (const Note& note : performance.notes)
        if (seconds >= 0.0 && note.start <= seconds && (!newest || note.start > newest->start)) newest = &note;
    if (!newest || semitones == 0.0) {
        row->setMoved(0.0);
        return;
    }
    const EnvelopeShape shape = previewOfEnvelope(cue->patch, std::string(layerOfPath(chosen_)) + "/envelope:filter");
    Envelope envelope;
    envelope.start();
    envelope.advance(shape, std::min(seconds, newest->end) - newest->start, 1, nullptr);
    if (seconds > newest->end) {
        envelope.release();
        envelope.advance(shape, seconds - newest->end, 1, nullptr);
    }
    row->setMoved(semitones / 12.0 * envelope.value());
}

} // namespace facet

#include "moc_patch_view.cpp"
