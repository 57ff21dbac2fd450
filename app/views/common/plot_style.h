// How every plot of the window looks.
#pragma once

class QCustomPlot;

namespace facet {

/// Applies the theme in use: paper around, card inside, hairline grid, quiet labels, no subticks.
void stylePlot(QCustomPlot& plot);

} // namespace facet
