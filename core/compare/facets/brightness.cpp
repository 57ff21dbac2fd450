#include "core/compare/facets/facet_comparisons.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double brightnessScale = 0.75; ///< see docs/likeness.md

} // namespace

FacetComparison compareBrightness(const Compared& sounds) {
    FacetComparison facet = begin(Facet::brightness);
    facet.difference = sounds.distances.brightnessOctaves();
    std::vector<Remark> remarks;
    const auto addHz = [&](const char* label, const char* pattern,
                           const std::function<double(const NoteProfile&)>& value) {
        const Pair pair = sounds.longestPair(value);
        const double apart =
            pair.measured() ? std::log2(std::min(pair.render, openHz) / std::min(pair.reference, openHz)) : 0.0;
        facet.values.push_back(
            {label, hzText(pair.reference), hzText(pair.render), pair.measured() ? signedText(apart, 2, "oct") : "–"});
        if (pair.measured())
            remarks.push_back(
                {std::abs(apart) / 0.2, pair.render >= openHz
                                            ? fmt::format("stays open, reference {}",
                                                          fmt::format(fmt::runtime(pattern), hzText(pair.reference)))
                                            : fmt::format(fmt::runtime(pattern + std::string(", not {}")),
                                                          hzText(pair.render), hzText(pair.reference))});
    };
    addHz("Highest cutoff", "opens to {}", [](const NoteProfile& n) { return n.highestCutoffHz; });
    addHz("Resting cutoff", "closes to {}", [](const NoteProfile& n) { return n.restingCutoffHz; });
    addTimes(sounds, facet, remarks, "Time to close (63 %)", "closes", 0.02,
             sounds.longestPair([](const NoteProfile& n) { return n.closingTime; }));
    const Pair slope{medianOf(sounds.reference.filterSlope.values), medianOf(sounds.render.filterSlope.values)};
    addRow(
        facet, "Slope above the cutoff", slope.reference, slope.render,
        [](double v) { return isMeasured(v) ? signedText(v, 0, "dB/oct") : std::string("–"); },
        slope.measured() ? signedText(slope.difference(), 0, "dB/oct") : "–");
    if (slope.measured())
        remarks.push_back({std::abs(slope.difference()) / 8.0,
                           fmt::format("falls {:.0f} dB per octave, not {:.0f}", -slope.render, -slope.reference)});
    const Pair peak{medianOf(sounds.reference.resonanceDb.values), medianOf(sounds.render.resonanceDb.values)};
    addRow(facet, "Resonance", peak.reference, peak.render, dbText, apartDb(peak.reference, peak.render));
    if (peak.measured())
        remarks.push_back(
            {std::abs(peak.difference()) / 4.0, fmt::format("resonance {:.0f} dB {}", std::abs(peak.difference()),
                                                            peak.difference() > 0 ? "higher" : "lower")});
    const Pair middle{medianOf(sounds.reference.centroidHz.values), medianOf(sounds.render.centroidHz.values)};
    const Pair edge{medianOf(sounds.reference.rolloffHz.values), medianOf(sounds.render.rolloffHz.values)};
    const auto apart = [&](const Pair& p) {
        return p.measured() ? signedText(std::log2(p.render / p.reference), 2, "oct") : std::string("–");
    };
    facet.values.push_back({"Spectral centroid", hzText(middle.reference), hzText(middle.render), apart(middle)});
    const auto percent = [](double v) {
        return isMeasured(v) ? fmt::format("{}{:.0f} %", v < -0.005 ? "−" : "", 100.0 * std::abs(v)) : std::string("–");
    };
    if (isMeasured(sounds.reference.keyTracking))
        addRow(facet, "Cutoff follows the key", sounds.reference.keyTracking, sounds.render.keyTracking, percent);
    if (isMeasured(sounds.reference.velocityToCutoff))
        addRow(facet, "Cutoff for 10 dB louder", sounds.reference.velocityToCutoff, sounds.render.velocityToCutoff,
               [](double v) { return isMeasured(v) ? signedText(v, 2, "oct") : std::string("–"); });
    facet.values.push_back({"Roll-off (95 %)", hzText(edge.reference), hzText(edge.render), apart(edge)});
    if (middle.measured() && middle.reference > 0.0) {
        const double by = std::log2(middle.render / middle.reference);
        remarks.push_back(
            {std::abs(by) / 0.2, fmt::format("{:.1f} octaves {}", std::abs(by), by > 0 ? "brighter" : "darker")});
    }
    finish(facet, brightnessScale, remarks);
    return facet;
}

} // namespace facet::comparing
