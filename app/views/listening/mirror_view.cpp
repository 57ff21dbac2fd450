#include "app/views/listening/mirror_view.h"

#include "app/session/document/document_store.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/results/results_controller.h"
#include "app/views/common/time_picture.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

namespace {

constexpr double rightMargin = 8.0;
constexpr double plainRulerHeight = 22.0;
constexpr std::size_t mostRows = 7;

} // namespace

MirrorView::MirrorView(DocumentStore& document, NotesController& notes, ReferenceController& reference,
                       ResultsController& results, Listening& listening, QWidget* parent)
    : QWidget(parent), document_(document), notes_(notes), reference_(reference), results_(results),
      listening_(listening) {
    setObjectName("mirror");
    connect(&notes_, &NotesController::chosenChanged, this, qOverload<>(&QWidget::update));
    connect(&notes_, &NotesController::gridChanged, this, qOverload<>(&QWidget::update));
    connect(&notes_, &NotesController::outlinedChanged, this, qOverload<>(&QWidget::update));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Reference and render over time"));
    setAccessibleDescription(tr("Drag to loop a part; arrow keys step through the notes and repair the chosen one"));
    setToolTip(tr("Drag: loop a part · click: go there · double-click: loop all · wheel: zoom · Shift+wheel: scroll"));
}

double MirrorView::length() const {
    const auto& recording = results_.state().reference.recording;
    return recording ? recording->seconds() : 0.0;
}

QRectF MirrorView::plotRect() const {
    return {namesWidth, 4.0, std::max(10.0, width() - namesWidth - rightMargin), height() - 4.0 - timesHeight};
}

QRectF MirrorView::rulerRect() const {
    const QRectF plot = plotRect();
    return {plot.left(), plot.center().y() - rulerHeight_ / 2, plot.width(), rulerHeight_};
}

QString MirrorView::readingsText() const {
    const Excerpt* excerpt = document_.cue() ? document_.excerpt() : nullptr;
    if (!excerpt || excerpt->readings.size() < 2) return {};
    return tr("%1 of %2 ▾").arg(excerpt->reading + 1).arg(excerpt->readings.size());
}

QRectF MirrorView::readingsLink() const {
    if (readingsText().isEmpty() || length() <= 0.0) return {};
    // At the end of the ruler's caption; the picture of short mirrors has no room below it.
    constexpr double wide = 44.0;
    return {namesWidth - 6.0 - wide, rulerRect().top(), wide, rulerRect().height()};
}

double MirrorView::xAt(double seconds) const {
    const QRectF plot = plotRect();
    return plot.left() + (seconds - viewBegin_) / std::max(1e-6, viewEnd_ - viewBegin_) * plot.width();
}

double MirrorView::secondsAt(double x) const {
    const QRectF plot = plotRect();
    return viewBegin_ + (x - plot.left()) / plot.width() * (viewEnd_ - viewBegin_);
}

void MirrorView::clampView() {
    const double all = length();
    double span = std::clamp(viewEnd_ - viewBegin_, std::min(0.002, all), all);
    viewBegin_ = std::clamp(viewBegin_, 0.0, all - span);
    viewEnd_ = viewBegin_ + span;
}

void MirrorView::refresh() {
    const double all = length();
    if (document_.document().activeCue != shownCue_ || all != shownLength_) {
        shownCue_ = document_.document().activeCue;
        shownLength_ = all;
        viewBegin_ = 0.0;
        viewEnd_ = all;
        emit viewChanged();
    }
    const auto notes = document_.performance().notes;
    rows_.clear();
    for (std::size_t i = 0; i + 1 < notes.size(); ++i)
        if (notes[i + 1].start < notes[i].end - 0.02) // a chord, or at least an overlap
            for (const Note& note : notes) rows_.insert(note.key);
    if (rows_.size() > mostRows) rows_.clear();
    rulerHeight_ = rows_.empty() ? plainRulerHeight
                                 : std::max(plainRulerHeight, keyRowHeight * static_cast<double>(rows_.size()) + 2);
    update();
}

void MirrorView::setPicture(Picture picture) {
    picture_ = picture;
    const bool difference = picture == Picture::difference;
    results_.wantSpectrograms(picture == Picture::spectrum || difference, difference);
    update();
}

void MirrorView::setPlayhead(double seconds, bool playing) {
    if (seconds == playhead_ && playing == playing_) return;
    playhead_ = seconds;
    playing_ = playing;
    update();
}

int MirrorView::selectedNote() const { return notes_.chosen().empty() ? -1 : *notes_.chosen().begin(); }

void MirrorView::selectNote(int index) { notes_.choose(index < 0 ? NoteChoice{} : NoteChoice{index}); }

void MirrorView::zoom(double factor, double around) {
    const double span = (viewEnd_ - viewBegin_) / factor;
    const double share = (around - viewBegin_) / std::max(1e-9, viewEnd_ - viewBegin_);
    viewBegin_ = around - share * span;
    viewEnd_ = viewBegin_ + span;
    clampView();
    update();
    emit viewChanged();
}

void MirrorView::scroll(double share) {
    const double by = share * (viewEnd_ - viewBegin_);
    viewBegin_ += by;
    viewEnd_ += by;
    clampView();
    update();
    emit viewChanged();
}

void MirrorView::showAll() {
    viewBegin_ = 0.0;
    viewEnd_ = length();
    update();
    emit viewChanged();
}

} // namespace facet

#include "moc_mirror_view.cpp"
