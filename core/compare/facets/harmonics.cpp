#include "core/compare/facets/facet_comparisons.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double harmonicsScale = 7.0; ///< see docs/likeness.md

} // namespace

FacetComparison compareHarmonics(const Compared& sounds) {
    FacetComparison facet = begin(Facet::harmonics);
    facet.difference = sounds.distances.harmonicsDb();
    double leaning = 0.0;
    double weights = 0.0;
    std::vector<Remark> remarks;
    for (int n = 1; n <= partialCount; ++n) {
        const double a = std::max<double>(sounds.reference.partials[static_cast<std::size_t>(n - 1)], -60.0);
        const double b = std::max<double>(sounds.render.partials[static_cast<std::size_t>(n - 1)], -60.0);
        const double strength = std::max(a, b);
        if (strength <= -50.0) continue;
        const double weight = (1.0 + strength / 60.0) / std::sqrt(n);
        leaning += weight * (b - a);
        weights += weight;
        if (n <= 12 && std::abs(b - a) > 3.0)
            remarks.push_back(
                {std::abs(b - a) * weight / 3.0,
                 fmt::format("{} {:.0f} dB {}", ordinal(n), std::abs(b - a), b < a ? "weaker" : "stronger")});
    }
    if (weights > 0.0) {
        leaning /= weights;
        remarks.push_back({std::abs(leaning) / 3.0, fmt::format("upper partials {:.0f} dB {}", std::abs(leaning),
                                                                leaning < 0 ? "weaker" : "stronger")});
    }
    facet.values.push_back(
        {"Nearest waveform",
         doubted(nameOf(sounds.reference.source), confidenceOf(sounds.reference.source.errorDb, sourceHalfAtDb)),
         nameOf(sounds.render.source),
         nameOf(sounds.reference.source) == nameOf(sounds.render.source) ? "–" : "differs"});
    for (int n = 1; n <= 8; ++n) {
        const double a = sounds.reference.partials[static_cast<std::size_t>(n - 1)];
        const double b = sounds.render.partials[static_cast<std::size_t>(n - 1)];
        std::string name = ordinal(n);
        name[0] = static_cast<char>(std::toupper(name[0]));
        facet.values.push_back(
            {name, dbText(a), dbText(b),
             std::max(a, b) > -59.0 ? signedText(std::max(b, -60.0) - std::max(a, -60.0), 1, "dB") : "–"});
    }
    const Pair below = sounds.longestPair([](const NoteProfile& n) { return n.subOctaveDb; });
    const auto audible = [](double db) { return isMeasured(db) && db <= -59.0 ? std::string("none") : dbText(db); };
    if (below.measured())
        facet.values.push_back({"An octave below", audible(below.reference), audible(below.render),
                                apartDb(below.reference, below.render)});
    if (below.measured() && std::max(below.reference, below.render) > -40.0)
        remarks.push_back(
            {std::abs(below.difference()) / 4.0, fmt::format("octave below {:.0f} dB {}", std::abs(below.difference()),
                                                             below.difference() < 0 ? "weaker" : "stronger")});
    // How much faster the fourth partial fades than the first: a string or a closing filter, not the level alone.
    const Pair fading = sounds.longestPair([](const NoteProfile& n) {
        return static_cast<double>(n.partialSlopes[3]) - static_cast<double>(n.partialSlopes[0]);
    });
    if (fading.measured())
        addRow(facet, "4th partial fades, re 1st", fading.reference, fading.render,
               [](double v) { return signedText(v, 1, "dB/s"); });
    const Pair stretch = sounds.longestPair([](const NoteProfile& n) { return n.inharmonicity.tenthPartialCents(); });
    if (isMeasured(stretch.reference))
        addRow(facet, "Tenth partial off the series", stretch.reference, stretch.render,
               [](double v) { return isMeasured(v) ? signedText(v, 1, "ct") : std::string("–"); });
    finish(facet, harmonicsScale, remarks);
    return facet;
}

} // namespace facet::comparing
