#include "app/print/sheet_document.h"

#include <QFont>
#include <QImage>
#include <QPainter>
#include <QPainterPath>
#include <QUrl>

namespace facet {

namespace {

constexpr double plotWidth = 330.0, plotHeight = 180.0;

QImage pictureOf(const Plot& plot, const QFont& base, const DocumentColors& colors, double pixels) {
    QImage image(static_cast<int>(plotWidth * pixels), static_cast<int>(plotHeight * pixels),
                 QImage::Format_ARGB32_Premultiplied);
    image.setDevicePixelRatio(pixels);
    image.fill(Qt::transparent);
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    QFont font(base);
    font.setPixelSize(10);
    painter.setFont(font);
    const QRectF frame(36.0, 22.0, plotWidth - 46.0, plotHeight - 54.0);
    const auto x = [&](double value) { return frame.left() + frame.width() * plot.x.place(value); };
    const auto y = [&](double value) { return frame.bottom() - frame.height() * plot.y.place(value); };
    const auto say = [&](QRectF where, Qt::Alignment align, const QColor& color, const std::string& text) {
        painter.setPen(color);
        painter.drawText(where, static_cast<int>(align), QString::fromStdString(text));
    };
    for (const double at : plot.x.marks(7)) {
        painter.setPen(colors.line);
        painter.drawLine(QPointF(x(at), frame.top()), QPointF(x(at), frame.bottom()));
        say({x(at) - 30.0, frame.bottom() + 2.0, 60.0, 14.0}, Qt::AlignHCenter, colors.quiet, PlotAxis::text(at));
    }
    for (const double at : plot.y.marks(5)) {
        painter.setPen(colors.line);
        painter.drawLine(QPointF(frame.left(), y(at)), QPointF(frame.right(), y(at)));
        say({0.0, y(at) - 7.0, frame.left() - 4.0, 14.0}, Qt::AlignRight | Qt::AlignVCenter, colors.quiet,
            PlotAxis::text(at));
    }
    say({frame.left(), frame.bottom() + 15.0, frame.width(), 14.0}, Qt::AlignRight, colors.quiet, plot.x.label);
    say({0.0, 4.0, frame.left() - 4.0, 14.0}, Qt::AlignRight, colors.quiet, plot.y.label);
    say({frame.left(), 4.0, frame.width(), 14.0}, Qt::AlignLeft, colors.ink, plot.title);
    double right = frame.right();
    for (auto line = plot.lines.rbegin(); line != plot.lines.rend(); ++line) {
        const QColor& color = line->second ? colors.second : colors.first;
        QPainterPath path;
        for (const auto& [at, value] : line->points)
            path.elementCount() == 0 ? path.moveTo(x(at), y(value)) : path.lineTo(x(at), y(value));
        painter.setPen(QPen(color, 1.6, line->second ? Qt::DashLine : Qt::SolidLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(path);
        if (line->name.empty()) continue;
        const double width = painter.fontMetrics().horizontalAdvance(QString::fromStdString(line->name));
        say({right - width - 2.0, 4.0, width + 2.0, 14.0}, Qt::AlignRight, color, line->name);
        right -= width + 10.0;
    }
    return image;
}

} // namespace

void fillDocument(QTextDocument& document, const Page& page, const QFont& font, const DocumentColors& colors,
                  double pixels) {
    document.clear();
    document.setDefaultFont(font);
    document.setDefaultStyleSheet(
        QString("body, p, li, td { color: %1; } h1, h2, h3 { color: %1; } h3 { margin-bottom: 2px; } "
                ".quiet { color: %2; } th { color: %2; font-weight: normal; } td, th { padding-right: 18px; }")
            .arg(colors.ink.name(), colors.quiet.name()));
    int number = 0;
    const std::string html = pageRichText(page, [&](const Plot& plot) {
        const QString name = QString("plot:%1").arg(number++);
        document.addResource(QTextDocument::ImageResource, QUrl(name), pictureOf(plot, font, colors, pixels));
        return QString("<img src=\"%1\" width=\"%2\" height=\"%3\"> ")
            .arg(name)
            .arg(plotWidth)
            .arg(plotHeight)
            .toStdString();
    });
    document.setHtml(QString::fromStdString(html));
}

} // namespace facet
