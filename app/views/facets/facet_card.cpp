#include "app/views/facets/facet_card.h"

#include "app/views/facets/facet_weights.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// The values a card sketches; any common scale will do.
std::vector<float> sketch(Facet facet, const Profile& profile) {
    std::vector<float> values;
    switch (facet) {
    case Facet::pitch: return profile.pitchCents.values;
    case Facet::harmonics:
        for (int i = 0; i < 16; ++i) values.push_back(std::max(-60.0f, profile.partials[static_cast<std::size_t>(i)]));
        return values;
    case Facet::brightness:
        for (float hz : profile.centroidHz.values) values.push_back(std::log2(hz));
        return values;
    case Facet::noise: return profile.noise.ratioDb.values;
    case Facet::motion: {
        const PeriodicChange& change = profile.motion.strongest().change;
        for (int turn = 0; turn < 3; ++turn) values.insert(values.end(), change.cycle.begin(), change.cycle.end());
        return values;
    }
    case Facet::width:
        for (const WidthBand& band : profile.width.thirdOctaves) values.push_back(static_cast<float>(band.sideDb));
        return values;
    case Facet::space:
        for (const Decay& decay : profile.space.decays) values.push_back(static_cast<float>(decay.t20));
        return values;
    default:
        for (std::size_t i = 0; i < profile.levelDb.values.size(); i += 8)
            values.push_back(std::max(profile.levelDb.values[i] - static_cast<float>(profile.loudness), -45.0f));
        return values;
    }
}

} // namespace

QString nameOf(Facet facet) {
    const std::string_view label = labelOf(facet);
    return text(label);
}

FacetCard::FacetCard(Facet facet, QWidget* parent) : QAbstractButton(parent), facet_(facet) {
    setCheckable(true);
    setAutoExclusive(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(41);
    setObjectName("facet " + nameOf(facet));
    setAccessibleName(nameOf(facet));
}

void FacetCard::show(const CueResults& results, double weight) {
    weight_ = weight;
    const FacetComparison* found = results.comparison ? results.comparison->find(facet_) : nullptr;
    likeness_ = found && found->measured ? QString::number(std::lround(found->likeness)) : "–";
    words_ = found ? QString::fromStdString(found->words) : results.reference.recording ? tr("measuring …") : QString();
    current_ = results.comparisonIsCurrent;
    reference_ = results.reference.profile ? sketch(facet_, *results.reference.profile) : std::vector<float>{};
    render_ = results.render.profile ? sketch(facet_, *results.render.profile) : std::vector<float>{};
    if (weight_ <= 0.0)
        words_ = tr("set aside");
    else if (weight_ != 1.0)
        words_ = tr("counts %1 times · %2").arg(weight_).arg(words_);
    setAccessibleDescription(tr("likeness %1, %2").arg(likeness_, words_));
    setToolTip(tr("%1: likeness %2 of 100\n%3\nRight-click or menu key: how much it counts; 0: set aside")
                   .arg(nameOf(facet_), likeness_, words_));
    update();
}

void FacetCard::contextMenuEvent(QContextMenuEvent* event) {
    QMenu menu(this);
    for (const auto& [name, weight] : facetWeightChoices()) {
        QAction* action = menu.addAction(FacetWeightsView::tr(name), this, [this, w = weight] { emit weighed(w); });
        action->setCheckable(true);
        action->setChecked(weight == weight_);
    }
    menu.exec(event->globalPos());
}

void FacetCard::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_0 && event->modifiers() == Qt::NoModifier)
        emit weighed(weight_ > 0.0 ? 0.0 : 1.0);
    else
        QAbstractButton::keyPressEvent(event);
}

void FacetCard::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF box = QRectF(rect()).adjusted(1, 1, -1, -2);
    painter.setPen(QPen(hasFocus() ? t.reference : isChecked() ? t.ink : t.line, hasFocus() || isChecked() ? 1.4 : 1));
    painter.setBrush(isChecked() ? t.selected : t.card);
    painter.drawRoundedRect(box, 5, 5);
    painter.setPen(weight_ > 0.0 ? t.ink : t.quiet);
    painter.setFont(interfaceFont(10.5, QFont::DemiBold));
    painter.drawText(QRectF(12, 4, 110, 18), Qt::AlignLeft | Qt::AlignVCenter, nameOf(facet_));
    painter.setFont(interfaceFont(14, QFont::DemiBold));
    painter.setPen(current_ && weight_ > 0.0 ? t.ink : t.quiet);
    painter.drawText(QRectF(box.right() - 46, box.top(), 36, box.height()), Qt::AlignRight | Qt::AlignVCenter,
                     likeness_);
    const QRectF plot(112, 6, std::max(40.0, box.right() - 46 - 112 - 6), 14);
    drawCurve(painter, plot, reference_, QPen(t.reference, 1.6));
    drawCurve(painter, plot, render_, QPen(t.render, 1.6, Qt::DashLine));
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8.5));
    const QRectF line(12, 21, box.right() - 46 - 16, 16);
    painter.drawText(line, Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(words_, Qt::ElideRight, static_cast<int>(line.width())));
}

void FacetCard::drawCurve(QPainter& painter, const QRectF& area, const std::vector<float>& values,
                          const QPen& pen) const {
    float low = 1e9f;
    float high = -1e9f;
    for (const auto* both : {&reference_, &render_})
        for (float v : *both)
            if (std::isfinite(v)) {
                low = std::min(low, v);
                high = std::max(high, v);
            }
    const float least = facet_ == Facet::pitch        ? 20.0f
                        : facet_ == Facet::brightness ? 0.5f
                        : facet_ == Facet::space      ? 0.2f
                        : facet_ == Facet::motion     ? 0.05f
                                                      : 6.0f;
    if (high - low < least) {
        const float middle = 0.5f * (low + high);
        low = middle - 0.5f * least;
        high = middle + 0.5f * least;
    }
    QPainterPath path;
    bool begun = false;
    for (std::size_t i = 0; i < values.size(); ++i) {
        if (!std::isfinite(values[i])) {
            begun = false;
            continue;
        }
        const QPointF point(area.left() + area.width() * static_cast<double>(i) /
                                              std::max<double>(1.0, static_cast<double>(values.size() - 1)),
                            area.bottom() - area.height() * (values[i] - low) / (high - low));
        begun ? path.lineTo(point) : path.moveTo(point);
        begun = true;
    }
    painter.setPen(pen);
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(path);
}

} // namespace facet

#include "moc_facet_card.cpp"
