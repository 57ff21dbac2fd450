#include "app/views/patch/module_row.h"

#include "app/session/document/document_store.h"
#include "app/session/document/module_sounds.h"
#include "app/session/document/patch_editor.h"
#include "app/session/messages.h"
#include "app/session/results/module_readings.h"
#include "app/session/results/patch_comparisons.h"
#include "app/views/patch/link_ends.h"
#include "app/views/patch/module_curves.h"
#include "app/views/patch/module_picture.h"
#include "app/views/patch/parameter_row.h"
#include "app/views/patch/partials_editor.h"
#include "app/views/patch/stage_view.h"
#include "app/views/patch/table_frames.h"
#include "app/views/common/theme.h"
#include "app/views/patch/path_strip.h"
#include "app/views/common/words.h"
#include "core/parameters/relevance.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

constexpr std::size_t mostImportant = 7;
constexpr int titleWidth = 136, headHeight = 34, closedHeight = 22;

/// What stands in one line even when it works: there is little to say of it.
bool isSlim(ModuleKind kind) {
    return kind == ModuleKind::link || kind == ModuleKind::macro || kind == ModuleKind::output ||
           kind == ModuleKind::voicing || kind == ModuleKind::layer;
}

void polish(QWidget* widget) {
    widget->style()->unpolish(widget);
    widget->style()->polish(widget);
}

} // namespace

ModuleRow::ModuleRow(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds, ModuleReadings& readings,
                     PatchComparisons& comparisons, Messages& messages, std::string path, QWidget* parent)
    : QFrame(parent), document_(document), patchEditor_(patchEditor), sounds_(sounds), readings_(readings),
      comparisons_(comparisons), messages_(messages), path_(std::move(path)), stack_(new QVBoxLayout(this)) {
    setObjectName("module");
    setProperty("path", text(path_));
    setFocusPolicy(Qt::StrongFocus);
    stack_->setContentsMargins(10, 2, 8, 2);
    stack_->setSpacing(4);
    makeHead();
}

QToolButton* ModuleRow::makeFlatButton(const QString& words, const QString& tip, QWidget* parent) {
    auto* button = new QToolButton(parent);
    button->setText(words);
    button->setObjectName("flat");
    button->setProperty("module", text(path_));
    button->setToolTip(tip);
    button->setAccessibleName(tip);
    button->setAutoRaise(true);
    button->setMaximumHeight(20);
    return button;
}

void ModuleRow::makeHead() {
    const Patch& patch = document_.cue()->patch;
    const Patch::Module& module = *patch.find(path_);
    const QString name = text(patch.labelOf(module)).toLower();
    head_ = new QWidget(this);
    auto* line = new QHBoxLayout(head_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(8);
    if (patch.has({path_, "on"})) {
        on_ = makeFlatButton(QString(), tr("Switch %1 on or off").arg(name), head_);
        on_->setCheckable(true);
        on_->setObjectName("dot");
        on_->setFixedSize(14, 14);
        connect(on_, &QToolButton::clicked, this, [this](bool on) {
            patchEditor_.setParameter({path_, "on"}, on ? 1.0 : 0.0);
        });
        line->addWidget(on_);
    } else {
        line->addSpacing(22);
    }
    title_ = new QLabel(head_);
    title_->setFont(interfaceFont(10.0, QFont::DemiBold));
    title_->setFixedWidth(titleWidth);
    line->addWidget(title_);
    if (ModulePicture::draws(module.kind)) {
        picture_ = new ModulePicture(head_);
        line->addWidget(picture_);
    } else if (isEffect(module.kind)) {
        line->addSpacing(ModulePicture::fixedSize.width() + line->spacing()); // values stand below each other
    }
    told_ = new PathStrip(head_);
    line->addWidget(told_, 1);
    words_ = new QLabel(head_);
    words_->setObjectName("pill");
    words_->setFont(interfaceFont(9.0));
    words_->setMaximumHeight(20);
    line->addWidget(words_, 0, Qt::AlignVCenter);
    if (isEffect(module.kind)) {
        auto* earlier = makeFlatButton(QStringLiteral("↑"), tr("Pass %1 earlier").arg(name), head_);
        auto* later = makeFlatButton(QStringLiteral("↓"), tr("Pass %1 later").arg(name), head_);
        connect(earlier, &QToolButton::clicked, this, [this] { moveBy(-1); });
        connect(later, &QToolButton::clicked, this, [this] { moveBy(1); });
        line->addWidget(earlier);
        line->addWidget(later);
    }
    if (!Patch::isFixed(path_)) {
        auto* remove = makeFlatButton(QStringLiteral("×"), tr("Remove %1").arg(name), head_);
        connect(remove, &QToolButton::clicked, this, [this] { patchEditor_.removeModule(path_); });
        line->addWidget(remove);
    }
    stack_->addWidget(head_);
}

void ModuleRow::moveBy(int places) {
    int place = 0;
    for (const auto& other : document_.cue()->patch.modules()) {
        if (other.path == path_) break;
        place += isEffect(other.kind);
    }
    patchEditor_.moveEffect(path_, place + places);
}

void ModuleRow::setOpen(bool open) {
    if (open == isOpen() || !document_.cue()) return;
    if (open) {
        makeBody(document_.cue()->patch);
    } else {
        stack_->removeWidget(body_);
        body_->hide(); // it goes once the event that closed it is over
        body_->deleteLater();
        body_ = movers_ = sound_ = partials_ = nullptr;
        bars_ = nullptr;
        stage_ = nullptr;
        name_ = nullptr;
        cycles_ = nullptr;
        curve_ = nullptr;
        ends_ = nullptr;
        rows_.clear();
        amounts_.clear();
        shownMovers_.clear();
    }
    setProperty("open", open);
    polish(this);
    refresh(document_.cue()->patch, modulationsOf(document_.cue()->patch));
}

void ModuleRow::makeBody(const Patch& patch) {
    const Patch::Module& module = *patch.find(path_);
    body_ = new QWidget(this);
    auto* columns = new QHBoxLayout(body_);
    columns->setContentsMargins(0, 2, 0, 8);
    columns->setSpacing(12);
    auto* left = new QVBoxLayout;
    left->setSpacing(4);
    curve_ = makeCurve(document_, patchEditor_, path_, body_);
    if (curve_) {
        curve_->setAccessibleName(tr("Curve of %1").arg(text(patch.labelOf(module)).toLower()));
        left->addWidget(curve_);
    }
    if (module.kind == ModuleKind::macro) makeName(left);
    if (module.kind == ModuleKind::lfo) {
        auto* take = makeFlatButton(
            tr("Shape from reference"),
            tr("Takes the shape and rate by which the level of the longest chosen note goes up and down"), body_);
        take->setObjectName("takeShape");
        connect(take, &QToolButton::clicked, this, [this] { sounds_.takeShape(path_); });
        left->addWidget(take, 0, Qt::AlignLeft);
    }
    if (module.kind == ModuleKind::link) {
        ends_ = new LinkEnds(document_, patchEditor_, path_, body_);
        left->addWidget(ends_);
    }
    if (module.kind == ModuleKind::source) makePartials(left);
    stage_ = new StageView(body_);
    left->addWidget(stage_);
    if (module.kind == ModuleKind::source || module.kind == ModuleKind::response) makeSoundRow(left, module);
    movers_ = new QWidget(body_);
    moversLayout_ = new QVBoxLayout(movers_);
    moversLayout_->setContentsMargins(0, 2, 0, 0);
    moversLayout_->setSpacing(2);
    left->addWidget(movers_);
    left->addStretch(1);
    columns->addLayout(left, 4);
    // Two columns of parameters, read downwards.
    auto* grid = new QHBoxLayout;
    grid->setSpacing(12);
    QVBoxLayout* halves[2];
    for (QVBoxLayout*& half : halves) {
        half = new QVBoxLayout;
        half->setSpacing(1);
        grid->addLayout(half, 1);
    }
    std::vector<const ParameterDescriptor*> shown;
    for (const auto& d : parametersOf(module.kind))
        if (d.field != "on") shown.push_back(&d);
    const auto counted = static_cast<std::size_t>(std::count_if(
        shown.begin(), shown.end(), [&](const ParameterDescriptor* d) { return matters(patch, module, *d); }));
    std::size_t done = 0;
    for (const ParameterDescriptor* d : shown) {
        rows_.push_back(new ParameterRow(document_, patchEditor_, comparisons_, messages_,
                                         {path_, std::string(d->field)}, patch, body_));
        rows_.back()->setNarrow();
        halves[2 * done < counted ? 0 : 1]->addWidget(rows_.back());
        done += matters(patch, module, *d);
    }
    for (QVBoxLayout* half : halves) half->addStretch(1);
    columns->addLayout(grid, 8);
    stack_->addWidget(body_);
    body_->show();
}

/// What people call a macro.
void ModuleRow::makeName(QVBoxLayout* column) {
    auto* line = new QHBoxLayout;
    auto* caption = new QLabel(tr("Name"), body_);
    line->addWidget(caption);
    name_ = new QLineEdit(body_);
    name_->setObjectName("macroName");
    name_->setAccessibleName(tr("Name of the macro"));
    name_->setMaxLength(40);
    caption->setBuddy(name_);
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (!name_->isModified() || !document_.cue()->patch.find(path_)) return;
        ModuleData held = document_.cue()->patch.find(path_)->contents();
        held.label = name_->text().trimmed().toStdString();
        name_->setModified(false);
        patchEditor_.setModuleData(path_, held);
    });
    line->addWidget(name_, 1);
    column->addLayout(line);
}

/// The partials of a harmonic table, and ways to change them all.
void ModuleRow::makePartials(QVBoxLayout* column) {
    partials_ = new QWidget(body_);
    auto* stack = new QVBoxLayout(partials_);
    stack->setContentsMargins(0, 0, 0, 0);
    stack->setSpacing(3);
    bars_ = new PartialsEditor(document_, path_, partials_);
    stack->addWidget(bars_);
    auto* line = new QHBoxLayout;
    line->setSpacing(2);
    const auto add = [&](const QString& words, const QString& tip, auto&& change) {
        auto* button = makeFlatButton(words, tip, partials_);
        connect(button, &QToolButton::clicked, this, [this, change] {
            ModuleData held = document_.cue()->patch.find(path_)->contents();
            held.partialsDb = change(held.partialsDb);
            patchEditor_.setModuleData(path_, held);
        });
        line->addWidget(button);
    };
    auto* measured =
        makeFlatButton(tr("From reference"), tr("Takes the partials of the longest chosen note"), partials_);
    connect(measured, &QToolButton::clicked, this, [this] { sounds_.takePartials(path_); });
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
    column->addWidget(partials_);
}

/// What sound the module holds, and ways to another.
void ModuleRow::makeSoundRow(QVBoxLayout* column, const Patch::Module& module) {
    if (module.kind == ModuleKind::source) {
        cycles_ = new TableFrames(document_, patchEditor_, path_, body_);
        column->addWidget(cycles_);
    }
    sound_ = new QWidget(body_);
    sound_->setObjectName("sound " + text(path_));
    auto* layout = new QHBoxLayout(sound_);
    layout->setContentsMargins(0, 0, 0, 0);
    soundText_ = new QLabel(sound_);
    soundText_->setObjectName("quiet");
    layout->addWidget(soundText_, 1);
    soundTake_ = nullptr;
    if (module.kind == ModuleKind::source) {
        soundTake_ = makeFlatButton(tr("From reference"), tr("Takes the cycles of the longest chosen note"), sound_);
        connect(soundTake_, &QToolButton::clicked, this, [this] { sounds_.takeTable(path_); });
        layout->addWidget(soundTake_);
    }
    if (cycles_) {
        removeCycle_ = makeFlatButton(tr("Remove"), tr("Takes the cycle at the position away (Delete)"), sound_);
        connect(removeCycle_, &QToolButton::clicked, this, [this] { cycles_->removeChosen(); });
        layout->addWidget(removeCycle_);
        reverseCycles_ = makeFlatButton(tr("Turn round"), tr("The last cycle first"), sound_);
        connect(reverseCycles_, &QToolButton::clicked, this, [this] { cycles_->reverse(); });
        layout->addWidget(reverseCycles_);
    }
    auto* load = makeFlatButton(tr("Load …"), tr("Reads a sound file into this module"), sound_);
    connect(load, &QToolButton::clicked, this, [this] { emit soundWanted(text(path_)); });
    layout->addWidget(load);
    column->addWidget(sound_);
}

/// What arrives at a stage that depends on level; asked for whenever its line is looked at.
void ModuleRow::refreshStage(const Patch& patch, const Patch::Module& module) {
    const bool depends = dependsOnLevel(patch, module);
    if (depends && isVisible()) readings_.wantStage(path_); // not while another page is worked on
    if (!stage_) return;
    stage_->setVisible(depends);
    if (depends) stage_->show(readings_.stage(path_), !document_.performance().notes.empty());
}

void ModuleRow::refreshSound(const Patch& patch, const Patch::Module& module) {
    if (!sound_) return;
    const ModuleData& held = module.contents();
    const bool source = module.kind == ModuleKind::source;
    const auto wave = source ? static_cast<Wave>(patch.value({path_, "wave"})) : Wave::sample;
    const bool recorded = source || static_cast<ResponseKind>(patch.value({path_, "kind"})) == ResponseKind::recorded;
    sound_->setVisible(takesPart(patch, module) && recorded && (wave == Wave::wavetable || wave == Wave::sample));
    if (soundTake_) soundTake_->setVisible(wave == Wave::wavetable);
    if (cycles_) {
        const bool table = takesPart(patch, module) && wave == Wave::wavetable;
        cycles_->setVisible(table);
        cycles_->refresh();
        removeCycle_->setVisible(table && cycles_->count() > 1);
        reverseCycles_->setVisible(table && cycles_->count() > 1);
    }
    const auto cycles = static_cast<int>(held.frames.size() / tableFrameSamples);
    if (wave == Wave::wavetable)
        soundText_->setText(cycles == 0   ? tr("No cycles yet")
                            : cycles == 1 ? tr("1 cycle")
                                          : tr("%1 cycles").arg(cycles));
    else
        soundText_->setText(
            held.sample.empty()
                ? tr("No sound yet")
                : tr("%1 s").arg(static_cast<double>(held.sample.size()) / held.sampleRateHz, 0, 'f', 2));
}

QString ModuleRow::wordsFor(const Patch& patch, const Patch::Module& module,
                            const std::vector<Modulation>& movements) const {
    if (module.kind == ModuleKind::source && !takesPart(patch, module)) return {};
    if (module.kind == ModuleKind::source) {
        // One that only moves others has no way of its own.
        QStringList moves;
        for (const Modulation& m : movements)
            if (m.mover == path_ && !m.muted) moves << tr("moves %1").arg(text(targetLabel(patch, m, path_)));
        const bool silent = patch.value({path_, "level"}) <= -60.0;
        if (!silent) moves.prepend(text(destinationOf(patch, module)));
        return moves.join(", ");
    }
    if (module.kind == ModuleKind::link) {
        for (const Modulation& m : movements)
            if (m.link == path_) return tr("%1 moves %2").arg(text(moverLabel(patch, m)), text(targetLabel(patch, m)));
        return tr("moves nothing yet");
    }
    if (isEffect(module.kind) && takesPart(patch, module)) {
        QStringList words;
        if (static_cast<Chain>(patch.value({path_, "chain"})) == Chain::send) words << tr("on the send bus");
        if (const StageReading* reading = readings_.stage(path_)) words << stageWords(*reading);
        return words.join(" · ");
    }
    QStringList moved;
    for (const Modulation& m : movements) {
        if (m.mover != path_ || m.muted) continue;
        const std::string amount = amountLabel(patch, m);
        moved << text(targetLabel(patch, m)) + (amount.empty() ? QString() : " " + text(amount));
    }
    if (module.kind == ModuleKind::voicing && matters(patch, module, patch.descriptor({path_, "voices"}))) {
        const int needed = mostNotesTogether(document_.performance());
        if (needed > patch.value({path_, "voices"})) return tr("the phrase needs %1 voices").arg(needed);
    }
    const bool mover =
        module.kind == ModuleKind::envelope || module.kind == ModuleKind::lfo || module.kind == ModuleKind::macro;
    if (!mover) return {};
    if (moved.isEmpty()) return tr("moves nothing yet");
    if (moved.size() > 2) return tr("moves %1 and %2 more").arg(moved.first()).arg(moved.size() - 1);
    return tr("moves %1").arg(moved.join(tr(" and ")));
}

/// Envelopes and LFOs are known by what they move first: "LFO → cutoff".
QString ModuleRow::titleFor(const Patch& patch, const Patch::Module& module,
                            const std::vector<Modulation>& movements) const {
    const QString name = within(patch, text(patch.labelOf(module)));
    const bool named =
        module.kind == ModuleKind::lfo || (module.kind == ModuleKind::envelope && !Patch::isFixed(path_));
    const auto first = std::find_if(movements.begin(), movements.end(),
                                    [this](const Modulation& m) { return m.mover == path_ && !m.muted; });
    if (!named || first == movements.end() || !patch.has(first->target)) return name;
    const std::string_view field = patch.descriptor(first->target).label;
    return tr("%1 → %2").arg(name, text(field).toLower());
}

/// Without the name of the layer whose lines these are.
QString ModuleRow::within(const Patch& patch, const QString& words) const {
    const auto* layer = patch.find(layerOfPath(path_));
    if (!layer) return words;
    const QString name = text(patch.labelOf(*layer));
    QString shorter = words;
    return shorter.remove(" (" + name + ")").replace(name + " layer", "layer");
}

/// What moves this and what this moves, with how far; and a way to add to it.
void ModuleRow::fillMovers(const Patch& patch, const std::vector<Modulation>& movements) {
    std::string state;
    std::vector<const Modulation*> into, out;
    for (const Modulation& m : movements) {
        if (m.target.module == path_ && m.mover != path_) into.push_back(&m);
        if (m.mover == path_) out.push_back(&m);
    }
    for (const auto* list : {&into, &out}) {
        state += '|';
        for (const Modulation* m : *list) state += m->mover + ">" + m->target.text() + " " + m->amount.text() + ";";
    }
    if (state != shownMovers_) {
        shownMovers_ = state;
        amounts_.clear();
        while (QLayoutItem* item = moversLayout_->takeAt(0)) {
            if (item->widget()) {
                item->widget()->hide();
                item->widget()->deleteLater();
            }
            delete item;
        }
        const auto heading = [&](const QString& words) {
            auto* label = new QLabel(words, movers_);
            label->setObjectName("quiet");
            moversLayout_->addWidget(label);
        };
        const auto addLine = [&](const Modulation& m, const QString& words) {
            auto* line = new QWidget(movers_);
            auto* layout = new QHBoxLayout(line);
            layout->setContentsMargins(0, 0, 0, 0);
            layout->setSpacing(4);
            if (m.amount.field.empty()) {
                auto* label = new QLabel(words, line);
                layout->addWidget(label);
            } else {
                auto* amount =
                    new ParameterRow(document_, patchEditor_, comparisons_, messages_, m.amount, patch, line);
                amount->setName(words);
                amount->setNarrow();
                amount->setElastic();
                amounts_.push_back(amount);
                layout->addWidget(amount, 1);
            }
            if (!m.link.empty()) {
                auto* mute = makeFlatButton(tr("mute"), tr("Mute %1").arg(words), line);
                mute->setCheckable(true);
                mute->setProperty("link", text(m.link));
                connect(mute, &QToolButton::clicked, this, [this, link = m.link](bool muted) {
                    patchEditor_.setParameter({link, "on"}, muted ? 0.0 : 1.0);
                });
                layout->addWidget(mute);
            }
            moversLayout_->addWidget(line);
        };
        if (!into.empty()) heading(tr("Moved by"));
        for (const Modulation* m : into)
            addLine(*m, tr("%1 → %2").arg(text(moverLabel(patch, *m)), text(targetLabel(patch, *m, path_))));
        if (!out.empty()) heading(tr("Moves"));
        for (const Modulation* m : out) addLine(*m, text(targetLabel(patch, *m, path_)));
        const ModuleKind kind = patch.find(path_)->kind;
        if (kind == ModuleKind::envelope || kind == ModuleKind::lfo || kind == ModuleKind::macro) {
            auto* target = makeFlatButton(tr("Move something …"), tr("Lets this move a parameter"), movers_);
            target->setObjectName("addTarget");
            target->setPopupMode(QToolButton::InstantPopup);
            target->setMenu(new QMenu(target));
            connect(target->menu(), &QMenu::aboutToShow, this, &ModuleRow::offerTargets);
            moversLayout_->addWidget(target, 0, Qt::AlignLeft);
        }
        auto* add = makeFlatButton(tr("Add a mover …"), tr("Lets something move a parameter of this"), movers_);
        add->setObjectName("addMover");
        add->setPopupMode(QToolButton::InstantPopup);
        auto* menu = new QMenu(add);
        add->setMenu(menu);
        connect(menu, &QMenu::aboutToShow, this, &ModuleRow::offerMovers);
        moversLayout_->addWidget(add, 0, Qt::AlignLeft);
        // What comes into a place that is in view already is shown by nobody else.
        for (auto* child : movers_->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
            if (moversLayout_->indexOf(child) >= 0) child->show();
    }
    for (ParameterRow* amount : amounts_) amount->refresh();
    for (auto* mute : movers_->findChildren<QToolButton*>())
        if (const QString link = mute->property("link").toString(); !link.isEmpty() && patch.find(link.toStdString()))
            mute->setChecked(patch.value({link.toStdString(), "on"}) < 0.5);
}

void ModuleRow::offerMovers() {
    QMenu& menu = *movers_->findChild<QToolButton*>("addMover")->menu();
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
void ModuleRow::offerTargets() {
    QMenu& menu = *movers_->findChild<QToolButton*>("addTarget")->menu();
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

void ModuleRow::refresh(const Patch& patch, const std::vector<Modulation>& movements) {
    const Patch::Module* found = patch.find(path_);
    if (!found) return; // about to go
    const Patch::Module& module = *found;
    const bool part = takesPart(patch, module);
    const bool slim = !isOpen() && (!part || isSlim(module.kind));
    head_->setFixedHeight(slim ? closedHeight : headHeight);
    const QString name = text(patch.labelOf(module));
    title_->setText(title_->fontMetrics().elidedText(titleFor(patch, module, movements), Qt::ElideRight, titleWidth));
    title_->setEnabled(part);
    if (on_) on_->setChecked(patch.value({path_, "on"}) >= 0.5);
    if (picture_) {
        picture_->setVisible(!slim);
        picture_->show(patch, module);
    }
    const auto told = importantValues(patch, module, mostImportant);
    told_->setVisible(!slim);
    told_->show(told);
    QString words = within(patch, wordsFor(patch, module, movements));
    if (const StageReading* reading = readings_.stage(path_); reading && module.kind == ModuleKind::filter)
        words = stageWords(*reading);
    if (!part && (on_ || words.isEmpty())) words = tr("off");
    QStringList values;
    for (const ImportantValue& value : told) values << text(value.label + " " + value.value);
    if (slim && part && !values.isEmpty()) {
        if (words.isEmpty())
            words = values.join(", ");
        else if (module.kind == ModuleKind::link)
            words += ", " + text(told.front().value);
    }
    words_->setText(words);
    words_->setVisible(!words.isEmpty());
    if (words_->property("plain") != QVariant(slim)) { // styling anew is slow
        words_->setProperty("plain", slim);
        polish(words_);
    }
    setAccessibleName(name);
    setAccessibleDescription((values.isEmpty() ? QString() : values.join(", ") + "; ") + words);
    refreshStage(patch, module);
    if (!isOpen()) return;
    if (curve_) curve_->refresh();
    if (ends_) ends_->refresh();
    if (name_ && !name_->isModified()) name_->setText(text(module.contents().label));
    refreshSound(patch, module);
    if (partials_) {
        partials_->setVisible(part && static_cast<Wave>(patch.value({path_, "wave"})) == Wave::harmonics);
        bars_->refresh();
    }
    fillMovers(patch, movements);
    for (ParameterRow* row : rows_) {
        row->refresh();
        row->setEnabled(part || !patch.has({path_, "on"}));
        row->setVisible(!part || matters(patch, module, patch.descriptor(row->address())));
    }
    // Until it is known anew, what was known stays shown.
    if (part && isVisible()) readings_.wantUnheard(path_);
    if (const auto* unheard = readings_.unheard(path_))
        for (ParameterRow* row : rows_) row->setHeard(!unheard->contains(row->address()));
}

void ModuleRow::setMoved(double octaves) {
    if (auto* filter = qobject_cast<FilterCurve*>(curve_)) filter->setMoved(octaves);
}

void ModuleRow::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || event->position().y() > head_->geometry().bottom() + 4) return;
    setFocus(Qt::MouseFocusReason);
    // An effect may be about to be dragged.
    held_ = kindOfPath(path_) && isEffect(*kindOfPath(path_));
    dragging_ = false;
    pressed_ = event->globalPosition().toPoint();
    if (!held_) emit chosen(text(path_));
}

void ModuleRow::mouseMoveEvent(QMouseEvent* event) {
    if (!held_) return;
    const QPoint place = event->globalPosition().toPoint();
    if (!dragging_ && (place - pressed_).manhattanLength() < QApplication::startDragDistance()) return;
    dragging_ = true;
    setCursor(Qt::ClosedHandCursor);
    emit dragged(place, false);
}

void ModuleRow::mouseReleaseEvent(QMouseEvent* event) {
    if (!std::exchange(held_, false)) return;
    unsetCursor();
    if (std::exchange(dragging_, false))
        emit dragged(event->globalPosition().toPoint(), true);
    else
        emit chosen(text(path_));
}

void ModuleRow::keyPressEvent(QKeyEvent* event) {
    if (!hasFocus()) { // what a field within does not want is not for the line either
        QFrame::keyPressEvent(event);
        return;
    }
    if (event->matches(QKeySequence::Copy)) {
        QApplication::clipboard()->setText(text(patchEditor_.copiedModule(path_)));
        return;
    }
    if (event->matches(QKeySequence::Paste)) {
        patchEditor_.pasteModule(path_, QApplication::clipboard()->text().toStdString());
        return;
    }
    const bool alt = event->modifiers() & Qt::AltModifier;
    const bool effect = isEffect(document_.cue()->patch.find(path_)->kind);
    switch (event->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter: emit chosen(text(path_)); break;
    case Qt::Key_Up:
        if (alt && effect)
            moveBy(-1);
        else
            emit stepWanted(-1);
        break;
    case Qt::Key_Down:
        if (alt && effect)
            moveBy(1);
        else
            emit stepWanted(1);
        break;
    case Qt::Key_Delete:
        if (!Patch::isFixed(path_)) patchEditor_.removeModule(path_);
        break;
    default: QFrame::keyPressEvent(event);
    }
}

void ModuleRow::contextMenuEvent(QContextMenuEvent* event) {
    QMenu menu(this);
    menu.setObjectName("sectionMenu");
    menu.addAction(tr("Copy"), QKeySequence::Copy, this,
                   [this] { QApplication::clipboard()->setText(text(patchEditor_.copiedModule(path_))); });
    menu.addAction(tr("Paste"), QKeySequence::Paste, this,
                   [this] { patchEditor_.pasteModule(path_, QApplication::clipboard()->text().toStdString()); });
    menu.addSeparator();
    menu.addAction(tr("Back to defaults"), this, [this] { patchEditor_.resetModule(path_); });
    menu.addAction(tr("As in the last take"), this, [this] { patchEditor_.takeModuleBack(path_); })
        ->setEnabled(!document_.cue()->takes.empty());
    menu.addAction(tr("Random values"), this, [this] { patchEditor_.randomizeModule(path_); });
    if (!Patch::isFixed(path_)) {
        menu.addSeparator();
        menu.addAction(tr("Remove"), this, [this] { patchEditor_.removeModule(path_); });
    }
    menu.exec(event->globalPos());
}

void ModuleRow::resizeEvent(QResizeEvent* event) {
    QFrame::resizeEvent(event);
    emit resized();
}

void ModuleRow::showFocus() {
    setProperty("focused", hasFocus());
    polish(this);
}
void ModuleRow::focusInEvent(QFocusEvent* event) {
    QFrame::focusInEvent(event);
    showFocus();
}
void ModuleRow::focusOutEvent(QFocusEvent* event) {
    QFrame::focusOutEvent(event);
    showFocus();
}

} // namespace facet
