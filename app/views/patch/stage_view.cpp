#include "app/views/patch/stage_view.h"

#include "app/views/common/theme.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double barsHeight = 82.0, lowestDb = -80.0;
constexpr int sentenceHeight = 32;

QString db(double value, int digits = 1) {
    return StageView::tr("%1 dB").arg(value, 0, 'f', digits).replace('-', QChar(0x2212));
}

} // namespace

QString stageWords(const StageReading& reading) {
    QString words = StageView::tr("in %1").arg(db(reading.peakDb, 0));
    if (reading.reduction) words += StageView::tr(", holds down %1").arg(db(reading.reduction->most, 0));
    return words;
}

StageView::StageView(QWidget* parent) : QWidget(parent) {
    setObjectName("stage");
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QSize StageView::sizeHint() const {
    return {240, sentenceHeight + (added_.empty() ? 0 : static_cast<int>(barsHeight))};
}

void StageView::show(const StageReading* reading, bool hasPhrase) {
    added_.clear();
    if (!hasPhrase) {
        words_ = tr("Shown once there is a phrase to play: open a reference, or write notes.");
    } else if (!reading) {
        words_ = tr("Measuring what arrives here …");
    } else if (reading->peakDb < -100.0) {
        words_ = tr("Nothing arrives here in this phrase.");
    } else {
        words_ = tr("Arrives with peaks of %1, at its loudest %2.").arg(db(reading->peakDb), db(reading->loudDb));
        if (reading->reduction)
            words_ += tr(" Held down by up to %1, %2 on average.")
                          .arg(db(reading->reduction->most), db(reading->reduction->mean));
        added_ = reading->addedDb;
    }
    setAccessibleName(words_);
    setFixedHeight(sizeHint().height());
    update();
}

void StageView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setFont(interfaceFont(9.0));
    painter.setPen(theme().quiet);
    painter.drawText(QRectF(0, 0, width(), sentenceHeight), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, words_);
    if (added_.empty()) return;
    const double top = sentenceHeight + 22.0, bottom = sentenceHeight + barsHeight - 14.0;
    painter.drawText(QRectF(0, sentenceHeight - 2, width(), 14), Qt::AlignLeft,
                     tr("Adds to a sine as high, dB below it"));
    const double left = 30.0, wide = (width() - left) / static_cast<double>(added_.size());
    painter.setFont(interfaceFont(7.5));
    for (const double level : {0.0, -40.0, lowestDb}) {
        const double y = top + (bottom - top) * level / lowestDb;
        painter.setPen(QPen(theme().line, 1.0));
        painter.drawLine(QPointF(left, y), QPointF(width(), y));
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(0, y - 6, left - 4, 12), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(-level, 'f', 0));
    }
    for (std::size_t i = 0; i < added_.size(); ++i) {
        const double share = std::clamp(1.0 - added_[i] / lowestDb, 0.0, 1.0);
        const double x = left + wide * static_cast<double>(i);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme().render);
        painter.drawRect(QRectF(x + 0.25 * wide, bottom - share * (bottom - top), 0.5 * wide, share * (bottom - top)));
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(x, bottom + 1, wide, 12), Qt::AlignCenter, QString::number(i + 2));
    }
}

} // namespace facet

#include "moc_stage_view.cpp"
