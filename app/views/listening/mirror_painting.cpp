// What the mirror draws.
#include "app/views/listening/mirror_view.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/reference/reference_controller.h"
#include "app/session/results/results_controller.h"
#include "app/views/common/theme.h"
#include "app/views/common/time_picture.h"
#include "core/base/units.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

namespace {

constexpr double levelRangeDb = 60.0;

} // namespace

void MirrorView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF plot = plotRect();
    const QRectF ruler = rulerRect();
    painter.setPen(QPen(t.line, 1));
    painter.setBrush(t.card);
    painter.drawRoundedRect(plot, 5, 5);
    if (!results_.state().reference.recording) {
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(11));
        const QString words = results_.busy() || reference_.busy()
                                  ? tr("Listening …")
                                  : tr("Drop a recording here, or open one with Ctrl+R");
        painter.drawText(plot, Qt::AlignCenter, words);
        return;
    }
    const Cue* cue = document_.cue();
    const bool dragging = looping_;
    const double loopBegin = dragging ? std::min(dragFrom_, dragTo_) : cue->loopBegin;
    const double loopEnd = dragging ? std::max(dragFrom_, dragTo_) : cue->loopEnd;
    painter.setClipRect(plot);
    if (loopEnd > loopBegin)
        painter.fillRect(QRectF(xAt(loopBegin), plot.top() + 1, xAt(loopEnd) - xAt(loopBegin), plot.height() - 2),
                         t.selected);
    const QRectF upper(plot.left(), plot.top() + 3, plot.width(), ruler.top() - plot.top() - 3);
    const QRectF lower(plot.left(), ruler.bottom(), plot.width(), plot.bottom() - ruler.bottom() - 3);
    const TimeToX toX = [this](double s) { return xAt(s); };
    paintGrid(painter, plot, viewBegin_, viewEnd_, toX, notes_.grid(), true);
    paintSide(painter, true, upper);
    paintSide(painter, false, lower);
    if (const Excerpt* excerpt = cue->excerpt())
        for (const TimeSpan& span : excerpt->leftOut)
            painter.fillRect(
                QRectF(QPointF(xAt(span.begin), plot.top() + 1), QPointF(xAt(span.end), plot.bottom() - 1)),
                QBrush(t.quiet, Qt::BDiagPattern));
    paintNotes(painter);
    painter.setPen(QPen(t.ink, playing_ ? 1.5 : 1));
    painter.drawLine(QPointF(xAt(playhead_), plot.top()), QPointF(xAt(playhead_), plot.bottom()));
    paintCursor(painter, plot);
    painter.setClipping(false);
    paintTimes(painter, plot, viewBegin_, viewEnd_, toX);

    const auto& results = results_.state();
    const auto caption = [&](double y, const QString& name, const QColor& color, const QString& below) {
        painter.setPen(color);
        painter.setFont(interfaceFont(10.5, QFont::DemiBold));
        painter.drawText(QRectF(0, y, namesWidth - 10, 18), Qt::AlignLeft | Qt::AlignVCenter, name);
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(8.5));
        painter.drawText(QRectF(0, y + 17, namesWidth - 6, 16), Qt::AlignLeft | Qt::AlignVCenter, below);
    };
    const auto loudness = [](double lufs) {
        return lufs < -100.0 ? QObject::tr("silent")
                             : QString("%1%2 LUFS").arg(lufs < 0 ? "−" : "").arg(std::abs(lufs), 0, 'f', 1);
    };
    const bool difference = picture_ == Picture::difference;
    caption(upper.center().y() - 18, tr("Reference"), t.reference,
            difference ? tr("has more here") : loudness(results.reference.loudness));
    const QString renderState = !results.render.recording  ? tr("no notes yet")
                                : !results.renderIsCurrent ? tr("rendering …")
                                : difference               ? tr("has more here")
                                                           : loudness(results.render.loudness);
    caption(lower.center().y() - 18, tr("Render"), t.render, renderState);
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8.5));
    painter.drawText(
        QRectF(0, ruler.top(), namesWidth - 6, ruler.height()), Qt::AlignLeft | Qt::AlignVCenter,
        tr("%1 bpm").arg(
            document_.performance().tempo, 0, 'f',
            std::abs(document_.performance().tempo - std::round(document_.performance().tempo)) < 0.05 ? 0 : 1));
    paintReadingsLink(painter);
    if (hasFocus()) {
        painter.setPen(QPen(t.reference, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(plot, 5, 5);
    }
}

/// Says that the notes may be read in other ways, and opens them.
void MirrorView::paintReadingsLink(QPainter& painter) {
    const QRectF link = readingsLink();
    if (link.isEmpty()) return;
    QFont font = interfaceFont(8.5);
    font.setUnderline(true);
    painter.setFont(font);
    painter.setPen(theme().ink);
    painter.drawText(link, Qt::AlignRight | Qt::AlignVCenter, readingsText());
}

void MirrorView::paintSide(QPainter& painter, bool reference, const QRectF& area) {
    switch (picture_) {
    case Picture::wave: return paintWave(painter, reference, area);
    case Picture::spectrum:
    case Picture::difference: return paintSpectrum(painter, reference, area);
    case Picture::level: return paintLevel(painter, reference, area);
    case Picture::pitch: return paintPitch(painter, reference, area);
    }
}

QString MirrorView::measured() const {
    if (!cursor_ || !results_.state().reference.recording) return {};
    const double at = *cursor_;
    QStringList parts{tr("%1 s").arg(at, 0, 'f', 3)};
    if (looping_) { // what is being chosen
        const double seconds = std::abs(dragTo_ - dragFrom_);
        parts = {tr("%1 ms").arg(1000.0 * seconds, 0, 'f', 0),
                 tr("%1 beats").arg(seconds * document_.performance().tempo / 60.0, 0, 'f', 2)};
        return parts.join(" · ");
    }
    const CueResults& results = results_.state();
    const auto number = [](double value, int decimals) {
        return QString::number(value, 'f', decimals).replace('-', "−");
    };
    if (picture_ == Picture::spectrum || picture_ == Picture::difference) {
        const QRectF plot = plotRect(), ruler = rulerRect();
        const bool above = cursorY_ < ruler.top();
        const double high = above ? ruler.top() - plot.top() - 3 : plot.bottom() - 3 - ruler.bottom();
        const double share = above ? (ruler.top() - cursorY_) / high : (cursorY_ - ruler.bottom()) / high;
        if (cursorY_ >= 0.0 && share > 0.0 && share < 1.0)
            parts << tr("%1 Hz").arg(number(Spectrogram::hzOfRow(share * (Spectrogram::rows - 1)), 0));
    }
    if (!results.reference.profile || !results.render.profile) return parts.join(" · ");
    const Profile &a = *results.reference.profile, &b = *results.render.profile;
    if (picture_ == Picture::pitch) {
        const double x = a.pitchHz.at(at), y = b.pitchHz.at(at);
        if (isMeasured(x) && isMeasured(y))
            parts << tr("%1 | %2 Hz").arg(number(x, 1), number(y, 1))
                  << tr("%1 ct apart").arg(number(centsBetween(x, y), 0));
    } else if (picture_ == Picture::wave || picture_ == Picture::level) {
        const double x = a.levelDb.at(at), y = b.levelDb.at(at) + a.loudness - b.loudness;
        if (isMeasured(x) && isMeasured(y) && std::max(x, y) > -90.0)
            parts << tr("%1 | %2 dB").arg(number(x, 1), number(y, 1)) << tr("%1 dB apart").arg(number(y - x, 1));
    }
    return parts.join(" · ");
}

/// A hairline through both sounds, and what they are there.
void MirrorView::paintCursor(QPainter& painter, const QRectF& plot) {
    const QString words = measured();
    if (words.isEmpty()) return;
    const Theme& t = theme();
    const double x = xAt(*cursor_);
    painter.setPen(QPen(t.quiet, 1, Qt::DashLine));
    painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
    painter.setFont(interfaceFont(8.5));
    const double wide = painter.fontMetrics().horizontalAdvance(words) + 12.0;
    const double left = x + 8.0 + wide < plot.right() ? x + 8.0 : x - 8.0 - wide;
    const QRectF box(left, plot.top() + 4, wide, 18);
    painter.setPen(QPen(t.line, 1));
    painter.setBrush(t.card);
    painter.drawRoundedRect(box, 3, 3);
    painter.setPen(t.ink);
    painter.drawText(box, Qt::AlignCenter, words);
}

/// Low frequencies at the ruler, high ones away from it; the darker the louder (on dark paper: the lighter). Of a
/// difference each side shows what it has beyond the other.
void MirrorView::paintSpectrum(QPainter& painter, bool reference, const QRectF& area) {
    const MeasuredSound& sound = reference ? results_.state().reference : results_.state().render;
    const CueResults& results = results_.state();
    const SpectrogramPtr& picture = picture_ != Picture::difference ? sound.spectrogram
                                    : reference                     ? results.lacking
                                                                    : results.excess;
    const QColor color = reference ? theme().reference : theme().render;
    if (picture && picture->columns > 0) {
        Painted& painted = painted_[reference ? 0 : 1];
        if (painted.of != picture || painted.color != color) {
            painted = {picture, color, spectrogramImage(*picture, color, !reference)};
        }
        const double perColumn = picture->secondsPerColumn;
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(area, painted.image,
                          QRectF(viewBegin_ / perColumn, 0, (viewEnd_ - viewBegin_) / perColumn, Spectrogram::rows));
    }
    painter.setFont(interfaceFont(7.5));
    for (double hz : {100.0, 1000.0, 10000.0}) {
        const double share =
            std::log(hz / Spectrogram::lowestHz) / std::log(Spectrogram::highestHz / Spectrogram::lowestHz);
        const double y = reference ? area.bottom() - share * area.height() : area.top() + share * area.height();
        painter.setPen(QPen(theme().line, 1, Qt::DotLine));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(area.right() - 50, y - 12, 46, 11), Qt::AlignRight,
                         hz < 1000.0 ? tr("%1 Hz").arg(hz) : tr("%1 kHz").arg(hz / 1000.0));
    }
}

void MirrorView::paintWave(QPainter& painter, bool reference, const QRectF& area) {
    const MeasuredSound& sound = reference ? results_.state().reference : results_.state().render;
    if (!sound.recording || !sound.peaks) return;
    // Both at equal loudness, scaled by the louder peak, so that the pictures compare as the ears do.
    const auto& other = results_.state();
    const double gain = reference || other.render.loudness < silenceDb + 1
                            ? 1.0
                            : gainFromDb(other.reference.loudness - other.render.loudness);
    const auto loudestOf = [](const MeasuredSound& each) {
        const auto [low, high] = each.peaks->range(*each.recording, 0, each.recording->frameCount());
        return static_cast<double>(std::max(std::abs(low), std::abs(high)));
    };
    double top = loudestOf(other.reference);
    if (other.render.recording && other.render.loudness > silenceDb + 1)
        top = std::max(top, loudestOf(other.render) * gainFromDb(other.reference.loudness - other.render.loudness));
    top = std::max(top, 1e-4);
    const double rate = sound.recording->rateHz;
    const double base = reference ? area.bottom() : area.top();
    QColor color = reference ? theme().reference : theme().render;
    if (!reference && !results_.state().renderIsCurrent) color.setAlphaF(0.45f);
    // A bar for each column of the screen: a smooth outline of so many corners takes ten times as long.
    const double step = 1.0 / devicePixelRatioF();
    painter.setRenderHint(QPainter::Antialiasing, false);
    for (double x = area.left(); x < area.right(); x += step) {
        const int begin = static_cast<int>(secondsAt(x) * rate);
        const int end = std::max(begin + 1, static_cast<int>(secondsAt(x + step) * rate));
        const auto [low, high] = sound.peaks->range(*sound.recording, begin, end);
        const double magnitude = gain * static_cast<double>(std::max(std::abs(low), std::abs(high)));
        const double tall = std::min(1.0, magnitude / top) * (area.height() - 2);
        painter.fillRect(QRectF(x, reference ? base - tall : base, step, tall), color);
    }
    painter.setRenderHint(QPainter::Antialiasing);
}

void MirrorView::paintLevel(QPainter& painter, bool reference, const QRectF& area) {
    const auto& results = results_.state();
    const ProfilePtr& profile = reference ? results.reference.profile : results.render.profile;
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    painter.setFont(interfaceFont(7.5));
    double top = silenceDb;
    if (results.reference.profile)
        for (float v : results.reference.profile->levelDb.values) top = std::max(top, static_cast<double>(v));
    for (double db : {0.0, -20.0, -40.0}) {
        const double y = base + direction * (1.0 + db / levelRangeDb) * (area.height() - 2);
        painter.setPen(QPen(theme().line, 1));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(theme().quiet);
        if (db < 0.0)
            painter.drawText(QRectF(area.right() - 50, y - 12, 46, 11), Qt::AlignRight, tr("−%1 dB").arg(-db));
    }
    if (!profile || profile->levelDb.values.empty()) return;
    const double gain =
        reference || !results.reference.profile ? 0.0 : results.reference.profile->loudness - profile->loudness;
    paintTrack(painter, reference, area, [&](double seconds) {
        const float db = profile->levelDb.at(seconds);
        return isMeasured(db) ? std::clamp(1.0 + (db + gain - top) / levelRangeDb, 0.0, 1.0) : notMeasurable;
    });
}

void MirrorView::paintPitch(QPainter& painter, bool reference, const QRectF& area) {
    const auto& results = results_.state();
    // One range of keys for both, a third of an octave around all notes.
    double lowest = 200.0;
    double highest = -1.0;
    for (const Note& note : document_.performance().notes) {
        lowest = std::min<double>(lowest, note.key - 4);
        highest = std::max<double>(highest, note.key + 4);
    }
    if (highest < lowest) return;
    painter.setFont(interfaceFont(7.5));
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    for (int key = static_cast<int>(std::ceil(lowest / 12.0)) * 12; key <= highest; key += 12) {
        const double y = base + direction * (key - lowest) / (highest - lowest) * (area.height() - 2);
        painter.setPen(QPen(theme().line, 1));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(area.right() - 50, y - 12, 46, 11), Qt::AlignRight,
                         QString::fromStdString(nameOfKey(key)));
    }
    const ProfilePtr& profile = reference ? results.reference.profile : results.render.profile;
    if (!profile) return;
    paintTrack(painter, reference, area, [&](double seconds) {
        const float hz = profile->pitchHz.at(seconds);
        return isMeasured(hz) ? std::clamp((keyFromHz(hz) - lowest) / (highest - lowest), 0.0, 1.0) : notMeasurable;
    });
}

/// A curve from the ruler outward; `shareAt` gives its height from 0 to 1, or notMeasurable.
void MirrorView::paintTrack(QPainter& painter, bool reference, const QRectF& area,
                            const std::function<double(double)>& shareAt) {
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    QPainterPath path;
    bool begun = false;
    for (int x = 0; x < static_cast<int>(area.width()); ++x) {
        const double share = shareAt(secondsAt(area.left() + x));
        if (!isMeasured(share)) {
            begun = false;
            continue;
        }
        const QPointF point(area.left() + x, base + direction * share * (area.height() - 2));
        begun ? path.lineTo(point) : path.moveTo(point);
        begun = true;
    }
    QPen pen(reference ? theme().reference : theme().render, 2);
    if (!reference) pen.setStyle(Qt::DashLine);
    painter.setPen(pen);
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(path);
}

/// Where a note is drawn: higher keys higher up.
QRectF MirrorView::noteBar(const Note& note, int lowest, int highest) const {
    const QRectF ruler = rulerRect();
    const double left = xAt(note.start);
    const double width = std::max(3.0, xAt(note.end) - left);
    if (rows_.empty()) {
        const double rise = highest > lowest ? static_cast<double>(note.key - lowest) / (highest - lowest) : 0.5;
        return {left, ruler.top() + 2 + (1.0 - rise) * (ruler.height() - 16), width, 12};
    }
    const auto above = std::distance(rows_.upper_bound(note.key), rows_.end());
    return {left, ruler.top() + 1 + keyRowHeight * static_cast<double>(above), width, keyRowHeight - 1};
}

void MirrorView::paintNotes(QPainter& painter) {
    const Theme& t = theme();
    const QRectF ruler = rulerRect();
    painter.fillRect(ruler, t.paper);
    Performance performance = document_.performance();
    if (noteDrag_) performance.notes = changed(noteDrag_->notes, dragChanges_);
    painter.setFont(interfaceFont(rows_.empty() ? 8 : 7, QFont::DemiBold));
    int lowest = 127, highest = 0;
    for (const Note& note : performance.notes) {
        lowest = std::min(lowest, note.key);
        highest = std::max(highest, note.key);
    }
    paintOutlined(painter, lowest, highest, t.ink);
    QPainterPath bars;
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        const Note& note = performance.notes[i];
        const QRectF bar = noteBar(note, lowest, highest);
        const bool chosen = noteDrag_ ? std::any_of(dragChanges_.begin(), dragChanges_.end(),
                                                    [&](const auto& c) { return c.to == note; })
                                      : notes_.chosen().contains(static_cast<int>(i));
        painter.setPen(chosen ? QPen(t.ink, 1.5) : QPen(Qt::NoPen));
        painter.setBrush(chosen ? t.selected : t.note);
        painter.drawRoundedRect(bar, 2.5, 2.5);
        if (!chosen) bars.addRect(bar);
    }
    painter.save();
    painter.setClipPath(bars, Qt::IntersectClip); // on the bars in the color of paper
    paintOutlined(painter, lowest, highest, t.card);
    painter.restore();
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        const QRectF bar = noteBar(performance.notes[i], lowest, highest);
        if (bar.width() <= 20) continue;
        painter.setPen(notes_.chosen().contains(static_cast<int>(i)) ? t.ink : t.card);
        painter.drawText(bar.adjusted(4, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::fromStdString(nameOfKey(performance.notes[i].key)));
    }
}

/// The notes as another reading has them.
void MirrorView::paintOutlined(QPainter& painter, int lowest, int highest, const QColor& color) {
    const auto outlined = notes_.outlined();
    if (!outlined || noteDrag_) return;
    painter.setPen(QPen(color, 1, Qt::DotLine));
    painter.setBrush(Qt::NoBrush);
    for (Note note : document_.excerpt()->readings[*outlined].notes) {
        note.key = std::clamp(note.key, std::min(lowest, highest), std::max(lowest, highest));
        painter.drawRoundedRect(noteBar(note, lowest, highest).adjusted(0.5, 0.5, -0.5, -0.5), 2.5, 2.5);
    }
}

} // namespace facet
