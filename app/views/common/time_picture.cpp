#include "app/views/common/time_picture.h"

#include "app/views/common/theme.h"

#include <QObject>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

QString placeText(double seconds, double length) {
    if (length < 100.0) return QObject::tr("%1 s").arg(seconds, 0, 'f', 2);
    const int minutes = static_cast<int>(seconds / 60.0);
    return QString("%1:%2").arg(minutes).arg(seconds - 60.0 * minutes, 4, 'f', 1, '0');
}

void paintTimes(QPainter& painter, const QRectF& plot, double begin, double end, const TimeToX& xAt) {
    const double span = end - begin;
    if (span <= 0.0) return;
    double step = std::pow(10.0, std::floor(std::log10(span / 5.0)));
    if (span / step > 12.0) step *= span / step > 25.0 ? 5.0 : 2.0;
    if (span > 100.0) { // whole parts of a minute
        step = 7200.0;
        for (double each : {10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 3600.0})
            if (span / each <= 12.0) {
                step = each;
                break;
            }
    }
    painter.setPen(theme().quiet);
    painter.setFont(interfaceFont(8));
    for (double s = std::ceil(begin / step) * step; s <= end + 1e-9; s += step) {
        const double x = xAt(s);
        if (x > plot.right() - 8) break;
        painter.drawLine(QPointF(x, plot.bottom()), QPointF(x, plot.bottom() + 3));
        const auto minutes = static_cast<int>(s / 60.0 + 1e-6);
        const QString label = span > 100.0   ? QString("%1:%2").arg(minutes).arg(std::lround(s) % 60, 2, 10, QChar('0'))
                              : step < 0.001 ? QObject::tr("%1 ms").arg(1000.0 * s, 0, 'f', step < 1e-4 ? 2 : 1)
                              : step < 0.01  ? QObject::tr("%1 ms").arg(1000.0 * s, 0, 'f', 0)
                                             : QObject::tr("%1 s").arg(s, 0, 'f', step < 0.1 ? 2 : 1);
        painter.drawText(QRectF(x + 3, plot.bottom() + 1, 80, timesHeight), Qt::AlignLeft | Qt::AlignVCenter, label);
    }
}

void paintGrid(QPainter& painter, const QRectF& plot, double begin, double end, const TimeToX& xAt, const Grid& grid,
               bool numbered) {
    if (end <= begin || grid.tempo <= 0.0) return;
    const double perSecond = plot.width() / (end - begin);
    const auto lines = [&](double step, const QColor& color, double fewestPixels) {
        if (step * perSecond < fewestPixels) return;
        painter.setPen(QPen(color, 1));
        for (double n = std::ceil((begin - grid.downbeat) / step); grid.downbeat + n * step <= end; n += 1.0) {
            const double x = std::round(xAt(grid.downbeat + n * step)) + 0.5;
            painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
        }
    };
    QColor faint = theme().line;
    faint.setAlphaF(0.5f);
    lines(grid.stepSeconds(), faint, 9.0);
    lines(60.0 / grid.tempo, theme().line, 9.0);
    QColor bar = theme().quiet;
    bar.setAlphaF(0.55f);
    lines(grid.barSeconds(), bar, 6.0);
    if (!numbered) return;
    const double step = grid.barSeconds();
    const int every = std::max(1, static_cast<int>(std::ceil(28.0 / (step * perSecond))));
    painter.setPen(theme().quiet);
    painter.setFont(interfaceFont(7.5));
    for (double n = std::ceil((begin - grid.downbeat) / step); grid.downbeat + n * step <= end; n += 1.0) {
        const int number = static_cast<int>(n) + (n < 0.0 ? 0 : 1); // there is no bar 0
        if ((number - 1) % every != 0) continue;
        painter.drawText(QRectF(xAt(grid.downbeat + n * step) + 3, plot.top() + 1, 40, 11), Qt::AlignLeft,
                         QString::number(number));
    }
}

QImage spectrogramImage(const Spectrogram& picture, const QColor& color, bool mirrored) {
    QRgb ramp[256];
    const auto mix = [](const QColor& a, const QColor& b, double share) {
        const auto part = [share](int x, int y) { return static_cast<int>(std::lround(x + share * (y - x))); };
        return qRgb(part(a.red(), b.red()), part(a.green(), b.green()), part(a.blue(), b.blue()));
    };
    for (int i = 0; i < 256; ++i) {
        const double level = std::max(0.0, (i - 60) / 195.0);
        ramp[i] = level < 0.7 ? mix(theme().card, color, level / 0.7) : mix(color, theme().ink, (level - 0.7) / 0.3);
    }
    QImage image(picture.columns, Spectrogram::rows, QImage::Format_RGB32);
    for (int row = 0; row < Spectrogram::rows; ++row) {
        auto* line = reinterpret_cast<QRgb*>(image.scanLine(mirrored ? row : Spectrogram::rows - 1 - row));
        for (int column = 0; column < picture.columns; ++column) line[column] = ramp[picture.at(column, row)];
    }
    return image;
}

} // namespace facet
