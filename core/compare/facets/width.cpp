#include "core/compare/facets/facet_comparisons.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double widthScale = 9.0; ///< see docs/likeness.md

} // namespace

FacetComparison compareWidth(const Compared& sounds) {
    FacetComparison facet = begin(Facet::width);
    const WidthProfile& a = sounds.reference.width;
    const WidthProfile& b = sounds.render.width;
    facet.difference = sounds.distances.widthDb();
    std::vector<Remark> remarks;
    if (sounds.reference.channelCount > 1 && sounds.render.channelCount > 1) {
        const auto heard = [](double db) { return std::max(-30.0, db); };
        const double apart = heard(b.sideDb) - heard(a.sideDb);
        remarks.push_back({std::abs(apart) / 2.0,
                           fmt::format("side {:.0f} dB {}", std::abs(apart), apart < 0 ? "weaker" : "stronger")});
        remarks.push_back({std::abs(b.balanceDb - a.balanceDb) / 1.5,
                           fmt::format("{:.1f} dB further {}", std::abs(b.balanceDb - a.balanceDb),
                                       b.balanceDb > a.balanceDb ? "right" : "left")});
        remarks.push_back(
            {facet.difference / 4.0, fmt::format("side {:.0f} dB apart over the bands", facet.difference)});
    }
    addRow(facet, "Side re mid", a.sideDb, b.sideDb, dbText, apartDb(a.sideDb, b.sideDb));
    addRow(facet, "Correlation of the sides", a.correlation, b.correlation, [](double v) {
        return isMeasured(v) ? fmt::format("{}{:.2f}", v < -0.005 ? "−" : "", std::abs(v)) : std::string("–");
    });
    addRow(facet, "Balance, right re left", a.balanceDb, b.balanceDb, dbText, apartDb(a.balanceDb, b.balanceDb));
    addRow(facet, "Mono below", a.monoBelowHz, b.monoBelowHz, hzText);
    finish(facet, widthScale, remarks);
    if (!facet.measured) facet.words = "mono recording";
    return facet;
}

} // namespace facet::comparing
