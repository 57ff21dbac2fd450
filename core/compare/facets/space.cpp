#include "core/compare/facets/facet_comparisons.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double spaceScale = 7.0; ///< see docs/likeness.md

/// Whether two recordings repeat alike where an echo was found in one of them, at least: then that it was found in one
/// only, or at another time in the other, is a lapse of the measurement and says nothing.
bool repeatAlike(const Echo& a, const Echo& b) {
    constexpr double alike = 0.6, audible = 0.02; // as gains
    const auto alikeAt = [&](double seconds) {
        const double x = a.strengthAt(seconds), y = b.strengthAt(seconds);
        return std::min(x, y) > std::max(audible, alike * std::max(x, y));
    };
    return (!a.found() || alikeAt(a.seconds)) && (!b.found() || alikeAt(b.seconds));
}

bool sameTime(const Echo& a, const Echo& b) {
    constexpr double apart = 0.02; // share
    return a.found() && b.found() && std::abs(std::log2(b.seconds / a.seconds)) < apart;
}

} // namespace

FacetComparison compareSpace(const Compared& sounds) {
    FacetComparison facet = begin(Facet::space);
    const SpaceProfile& a = sounds.reference.space;
    const SpaceProfile& b = sounds.render.space;
    std::vector<Remark> remarks;
    double steps = 0.0;
    facet.difference = notMeasurable;
    const bool lapse = !sameTime(a.echo, b.echo) && repeatAlike(a.echo, b.echo);
    if ((a.echo.found() || b.echo.found()) && !lapse) {
        // Below −40 dB an echo counts as none.
        const auto levelOf = [](const Echo& e) { return e.found() ? std::max(-40.0, e.levelDb) : -40.0; };
        const double apart = std::abs(levelOf(b.echo) - levelOf(a.echo)) / 4.0;
        steps += apart;
        if (!b.echo.found())
            remarks.push_back({10.0, fmt::format("no echo, reference {}", msText(a.echo.seconds))});
        else if (!a.echo.found())
            remarks.push_back({10.0, fmt::format("echo of {}, reference has none", msText(b.echo.seconds))});
        else {
            const double by = std::abs(std::log2(b.echo.seconds / a.echo.seconds)) / 0.02;
            steps += std::min(8.0, by);
            remarks.push_back({by, fmt::format("echo {}, not {}", msText(b.echo.seconds), msText(a.echo.seconds))});
            remarks.push_back({apart, fmt::format("echo {:.0f} dB {}", 4.0 * apart,
                                                  b.echo.levelDb < a.echo.levelDb ? "weaker" : "stronger")});
        }
    }
    addRow(facet, "Echo time", a.echo.seconds, b.echo.seconds, msText);
    addRow(facet, "Echo level", a.echo.levelDb, b.echo.levelDb, dbText, apartDb(a.echo.levelDb, b.echo.levelDb));
    addRow(facet, "Echo feedback", a.echo.feedbackDb, b.echo.feedbackDb, dbText,
           apartDb(a.echo.feedbackDb, b.echo.feedbackDb));
    const auto side = [](double v) {
        return std::abs(v) < 0.2 ? std::string("middle")
                                 : fmt::format("{:.0f} % {}", 100.0 * std::abs(v), v < 0 ? "left" : "right");
    };
    facet.values.push_back(
        {"Echo side", a.echo.found() ? side(a.echo.side) : "–", b.echo.found() ? side(b.echo.side) : "–", "–"});
    // What rings on behind echoes is the echoes.
    if (!a.echo.found() && !b.echo.found() && (isMeasured(a.tailSeconds) || isMeasured(b.tailSeconds))) {
        const double tailA = isMeasured(a.tailSeconds) ? a.tailSeconds : 0.0;
        const double tailB = isMeasured(b.tailSeconds) ? b.tailSeconds : 0.0;
        const double by = std::abs(std::log2((tailB + 0.1) / (tailA + 0.1))) / 0.25;
        remarks.push_back(
            {by, fmt::format("decay {} {}", msText(std::abs(tailB - tailA)), tailB > tailA ? "longer" : "shorter")});
    }
    if (isMeasured(a.preDelay) || isMeasured(b.preDelay)) addRow(facet, "Pre-delay", a.preDelay, b.preDelay, msText);
    const double tail = sounds.distances.tailDb();
    if (isMeasured(tail)) {
        steps += std::min(10.0, tail / 2.5);
        remarks.push_back({tail / 5.0, fmt::format("tail {:.0f} dB apart", tail)});
    }
    if (a.gapSeconds > 0.0) facet.difference = std::max(0.0, steps - noticedSteps);
    for (std::size_t k = 0; k < std::min(a.decays.size(), b.decays.size()); ++k) {
        const double hz = a.decays[k].centerHz;
        if (!isMeasured(a.decays[k].t20) && !isMeasured(b.decays[k].t20)) continue;
        const std::string label = hz >= 1000.0 ? fmt::format("Decay (T20) at {:.0f} kHz", hz / 1000.0)
                                               : fmt::format("Decay (T20) at {:.0f} Hz", hz);
        addRow(facet, label.c_str(), a.decays[k].t20, b.decays[k].t20, msText);
    }
    finish(facet, spaceScale, remarks);
    if (!facet.measured) facet.words = "no pause to hear a tail in";
    return facet;
}

} // namespace facet::comparing
