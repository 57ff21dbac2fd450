#include "app/views/common/plot_style.h"

#include "app/views/common/theme.h"

#include <qcustomplot.h>

namespace facet {

void stylePlot(QCustomPlot& plot) {
    const Theme& t = theme();
    plot.setBackground(t.paper);
    plot.axisRect()->setBackground(t.card);
    for (QCPAxis* axis : {plot.xAxis, plot.yAxis}) {
        axis->setBasePen(QPen(t.line));
        axis->setTickPen(QPen(t.line));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(t.quiet);
        axis->setLabelColor(t.quiet);
        axis->setTickLabelFont(interfaceFont(8.5));
        axis->setLabelFont(interfaceFont(8.5));
        axis->grid()->setPen(QPen(t.line, 1));
        axis->grid()->setZeroLinePen(QPen(t.line, 1));
    }
}

} // namespace facet
