#include "core/compare/facets/facet_comparisons.h"

#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double noiseScale = 13.0; ///< see docs/likeness.md

} // namespace

FacetComparison compareNoise(const Compared& sounds) {
    FacetComparison facet = begin(Facet::noise);
    const double a = sounds.reference.noise.harmonicToNoiseDb;
    const double b = sounds.render.noise.harmonicToNoiseDb;
    const auto ratio = [](double db) {
        return isMeasured(db) && db >= cleanRatioDb - 0.1 ? std::string("clean") : dbText(db);
    };
    facet.difference = sounds.distances.noiseDb();
    std::vector<Remark> remarks;
    if (isMeasured(a) && isMeasured(b))
        remarks.push_back(
            {std::abs(b - a) / 4.0, fmt::format("{:.0f} dB {} noise", std::abs(b - a), b > a ? "less" : "more")});
    if (isMeasured(facet.difference))
        remarks.push_back(
            {facet.difference / 6.0, fmt::format("{:.0f} dB apart in noise over the notes", facet.difference)});
    addRow(facet, "Harmonics to noise", a, b, ratio, apartDb(a, b));
    for (std::size_t k = 0; k < noiseBandHz.size(); ++k) {
        const double x = sounds.reference.noise.bandNoiseDb[k];
        const double y = sounds.render.noise.bandNoiseDb[k];
        if (!isMeasured(x) && !isMeasured(y)) continue;
        const std::string label = noiseBandHz[k] >= 1000.0 ? fmt::format("Noise at {:.0f} kHz", noiseBandHz[k] / 1000.0)
                                                           : fmt::format("Noise at {:.0f} Hz", noiseBandHz[k]);
        addRow(facet, label.c_str(), x, y, dbText, apartDb(x, y));
    }
    addRow(facet, "Slope of the noise", sounds.reference.noise.slopeDbPerOctave, sounds.render.noise.slopeDbPerOctave,
           [](double v) { return isMeasured(v) ? signedText(v, 1, "dB/oct") : std::string("–"); });
    const double clickA = sounds.reference.noise.clickDb;
    const double clickB = sounds.render.noise.clickDb;
    addRow(facet, "Onset click", clickA, clickB, dbText, apartDb(clickA, clickB));
    finish(facet, noiseScale, remarks);
    return facet;
}

} // namespace facet::comparing
