#include "app/views/patch/module_row.h"

#include "app/session/document/document_store.h"
#include "app/session/document/module_sounds.h"
#include "app/session/document/patch_editor.h"
#include "app/session/messages.h"
#include "app/session/results/module_readings.h"
#include "app/session/results/patch_comparisons.h"
#include "app/views/patch/flat_button.h"
#include "app/views/patch/link_ends.h"
#include "app/views/patch/module_curves.h"
#include "app/views/patch/module_links.h"
#include "app/views/patch/module_picture.h"
#include "app/views/patch/module_sound_view.h"
#include "app/views/patch/module_words.h"
#include "app/views/patch/parameter_row.h"
#include "app/views/patch/partials_view.h"
#include "app/views/patch/stage_view.h"
#include "app/views/common/theme.h"
#include "app/views/patch/path_strip.h"
#include "app/views/common/words.h"
#include "core/parameters/relevance.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
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

void ModuleRow::makeHead() {
    const Patch& patch = document_.cue()->patch;
    const Patch::Module& module = *patch.find(path_);
    const QString name = text(patch.labelOf(module)).toLower();
    head_ = new QWidget(this);
    auto* line = new QHBoxLayout(head_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(8);
    if (patch.has({path_, "on"})) {
        on_ = makeFlatButton(QString(), tr("Switch %1 on or off").arg(name), path_, head_);
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
    importantStrip_ = new PathStrip(head_);
    line->addWidget(importantStrip_, 1);
    words_ = new QLabel(head_);
    words_->setObjectName("pill");
    words_->setFont(interfaceFont(9.0));
    words_->setMaximumHeight(20);
    line->addWidget(words_, 0, Qt::AlignVCenter);
    if (isEffect(module.kind)) {
        auto* earlier = makeFlatButton(QStringLiteral("↑"), tr("Pass %1 earlier").arg(name), path_, head_);
        auto* later = makeFlatButton(QStringLiteral("↓"), tr("Pass %1 later").arg(name), path_, head_);
        connect(earlier, &QToolButton::clicked, this, [this] { moveBy(-1); });
        connect(later, &QToolButton::clicked, this, [this] { moveBy(1); });
        line->addWidget(earlier);
        line->addWidget(later);
    }
    if (!Patch::isFixed(path_)) {
        auto* remove = makeFlatButton(QStringLiteral("×"), tr("Remove %1").arg(name), path_, head_);
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
        body_ = nullptr;
        links_ = nullptr;
        sound_ = nullptr;
        partials_ = nullptr;
        stage_ = nullptr;
        name_ = nullptr;
        curve_ = nullptr;
        ends_ = nullptr;
        rows_.clear();
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
            tr("Takes the shape and rate by which the level of the longest chosen note goes up and down"), path_,
            body_);
        take->setObjectName("takeShape");
        connect(take, &QToolButton::clicked, this, [this] { sounds_.takeShape(path_); });
        left->addWidget(take, 0, Qt::AlignLeft);
    }
    if (module.kind == ModuleKind::link) {
        ends_ = new LinkEnds(document_, patchEditor_, path_, body_);
        left->addWidget(ends_);
    }
    if (module.kind == ModuleKind::source) {
        partials_ = new PartialsView(document_, patchEditor_, sounds_, path_, body_);
        left->addWidget(partials_);
    }
    stage_ = new StageView(body_);
    left->addWidget(stage_);
    if (module.kind == ModuleKind::source || module.kind == ModuleKind::response) {
        sound_ = new ModuleSoundView(document_, patchEditor_, sounds_, module, body_);
        connect(sound_, &ModuleSoundView::soundWanted, this, &ModuleRow::soundWanted);
        left->addWidget(sound_);
    }
    links_ = new ModuleLinks(document_, patchEditor_, comparisons_, messages_, path_, body_);
    left->addWidget(links_);
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

/// What arrives at a stage that depends on level; asked for whenever its line is looked at.
void ModuleRow::refreshStage(const Patch& patch, const Patch::Module& module) {
    const bool depends = dependsOnLevel(patch, module);
    if (depends && isVisible()) readings_.wantStage(path_); // not while another page is worked on
    if (!stage_) return;
    stage_->setVisible(depends);
    if (depends) stage_->show(readings_.stage(path_), !document_.performance().notes.empty());
}

void ModuleRow::refresh(const Patch& patch, const std::vector<Modulation>& movements) {
    const Patch::Module* found = patch.find(path_);
    if (!found) return; // about to go
    const Patch::Module& module = *found;
    const bool part = takesPart(patch, module);
    const bool slim = !isOpen() && (!part || isSlim(module.kind));
    head_->setFixedHeight(slim ? closedHeight : headHeight);
    const QString name = text(patch.labelOf(module));
    title_->setText(title_->fontMetrics().elidedText(titleOf(patch, module, movements), Qt::ElideRight, titleWidth));
    title_->setEnabled(part);
    if (on_) on_->setChecked(patch.value({path_, "on"}) >= 0.5);
    if (picture_) {
        picture_->setVisible(!slim);
        picture_->show(patch, module);
    }
    const auto important = importantValues(patch, module, mostImportant);
    importantStrip_->setVisible(!slim);
    importantStrip_->show(important);
    QString words = withoutLayerName(
        patch, path_, connectionsOf(patch, module, movements, document_.performance(), readings_.stage(path_)));
    if (const StageReading* reading = readings_.stage(path_); reading && module.kind == ModuleKind::filter)
        words = stageWords(*reading);
    if (!part && (on_ || words.isEmpty())) words = tr("off");
    QStringList values;
    for (const ImportantValue& value : important) values << text(value.label + " " + value.value);
    if (slim && part && !values.isEmpty()) {
        if (words.isEmpty())
            words = values.join(", ");
        else if (module.kind == ModuleKind::link)
            words += ", " + text(important.front().value);
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
    if (sound_) sound_->refresh(patch, module);
    if (partials_) {
        partials_->setVisible(part && static_cast<Wave>(patch.value({path_, "wave"})) == Wave::harmonics);
        partials_->refresh();
    }
    links_->refresh(patch, movements);
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

#include "moc_module_row.cpp"
