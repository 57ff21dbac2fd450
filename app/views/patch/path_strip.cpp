#include "app/views/patch/path_strip.h"

#include "app/views/common/theme.h"

#include <QFontMetricsF>
#include <QPainter>
#include <algorithm>

namespace facet {

PathStrip::PathStrip(QWidget* parent) : QWidget(parent) {
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setMinimumWidth(60);
    setFixedHeight(sizeHint().height());
    setAttribute(Qt::WA_TransparentForMouseEvents);
}

void PathStrip::show(const std::vector<ImportantValue>& values) {
    values_ = values;
    update();
}

void PathStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const QFont nameFont = interfaceFont(8.0), valueFont = interfaceFont(9.5, QFont::DemiBold);
    const QFontMetricsF nameMetrics(nameFont), valueMetrics(valueFont);
    double x = 0.0;
    for (const ImportantValue& each : values_) {
        const QString name = QString::fromStdString(each.label), value = QString::fromStdString(each.value);
        const double wide = std::max(nameMetrics.horizontalAdvance(name), valueMetrics.horizontalAdvance(value));
        if (x + wide > width()) break;
        painter.setPen(theme().quiet);
        painter.setFont(nameFont);
        painter.drawText(QPointF(x, 12), name);
        painter.setPen(isEnabled() ? theme().ink : theme().quiet);
        painter.setFont(valueFont);
        painter.drawText(QPointF(x, 27), value);
        x += std::max(wide, 34.0) + 18.0;
    }
}

} // namespace facet

#include "moc_path_strip.cpp"
