#include "core/compare/facets/facet_comparisons.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double motionScale = 8.0; ///< see docs/likeness.md

/// Rows and remarks of one kind of motion; returns its difference in easily heard steps.
double addMotion(FacetComparison& facet, std::vector<Remark>& remarks, const char* noun, const PeriodicChange& a,
                 const PeriodicChange& b, double depthStep,
                 const std::function<std::string(const PeriodicChange&)>& depthText) {
    if (!a.found() && !b.found()) return 0.0;
    const auto rate = [](double hz) { return isMeasured(hz) ? fmt::format("{:.2f} Hz", hz) : std::string("–"); };
    std::string label = noun;
    label[0] = static_cast<char>(std::toupper(label[0]));
    const double depthA = a.found() ? a.depth : 0.0;
    const double depthB = b.found() ? b.depth : 0.0;
    facet.values.push_back({label + " rate", rate(a.rateHz), rate(b.rateHz),
                            a.found() && b.found() ? signedText(b.rateHz - a.rateHz, 2, "Hz") : "–"});
    facet.values.push_back({label + " depth", depthText(a), depthText(b), "–"});
    facet.values.push_back({label + " shape", nameOfCycle(a), nameOfCycle(b),
                            std::string(nameOfCycle(a)) == nameOfCycle(b) ? "–" : "differs"});
    // What fluctuates irregularly can pass for a cycle; the less sure it is, the less it counts.
    const double sure = std::clamp((std::max(a.confidence, b.confidence) - 0.55) / 0.35, 0.0, 1.0);
    double steps = sure * std::abs(depthB - depthA) / depthStep;
    if (!b.found())
        remarks.push_back({2.0 * sure + steps, fmt::format("no {}, reference {:.1f} Hz", noun, a.rateHz)});
    else if (!a.found())
        remarks.push_back({2.0 * sure + steps, fmt::format("{} of {:.1f} Hz, reference has none", noun, b.rateHz)});
    else {
        const double apart = sure * std::abs(std::log2(b.rateHz / a.rateHz)) / 0.05;
        remarks.push_back({apart, fmt::format("{} {:.2f} Hz, not {:.2f}", noun, b.rateHz, a.rateHz)});
        remarks.push_back({steps, fmt::format("{} {}, not {}", noun, depthText(b), depthText(a))});
        steps += std::min(6.0, apart);
    }
    return std::min(12.0, steps);
}

/// Steps by which the irregular changes of the level within notes differ, in depth and in rate.
double irregularSteps(const Compared& sounds) {
    const Fluctuation a = fluctuationOf(sounds.reference), b = fluctuationOf(sounds.render);
    double steps = std::max(0.0, std::abs(a.depthDb - b.depthDb) - 0.5) / 1.0;
    if (a.depthDb > 1.0 && b.depthDb > 1.0 && a.rateHz > 0.0 && b.rateHz > 0.0)
        steps += std::max(0.0, std::abs(std::log2(b.rateHz / a.rateHz)) - 0.3) / 0.3;
    const double octaves = std::abs(a.octaves - b.octaves) - 0.05 - 0.35 * std::min(a.octaves, b.octaves);
    steps += std::max(0.0, octaves) / 0.1;
    if (a.octaves > 0.05 && b.octaves > 0.05 && a.octaveRateHz > 0.0 && b.octaveRateHz > 0.0)
        steps += std::max(0.0, std::abs(std::log2(b.octaveRateHz / a.octaveRateHz)) - 0.8) / 0.5;
    return std::min(12.0, steps);
}

} // namespace

FacetComparison compareMotion(const Compared& sounds) {
    FacetComparison facet = begin(Facet::motion);
    const MotionProfile& a = sounds.reference.motion;
    const MotionProfile& b = sounds.render.motion;
    std::vector<Remark> remarks;
    if (a.noteCount > 0 && b.noteCount > 0) {
        facet.difference =
            addMotion(facet, remarks, "vibrato", a.vibrato, b.vibrato, 5.0,
                      [](const PeriodicChange& c) {
                          return c.found() ? fmt::format("±{:.0f} ct", c.depth) : std::string("–");
                      }) +
            addMotion(facet, remarks, "filter movement", a.filter, b.filter, 0.2, [](const PeriodicChange& c) {
                return c.found() ? fmt::format("±{:.2f} oct", c.depth) : std::string("–");
            });
        // What beats can pass for a tremolo now and then; its depth and rate then say more.
        const double irregular = irregularSteps(sounds);
        const bool beats = isMeasured(a.detuneCents) || isMeasured(b.detuneCents) ||
                           (a.tremolo.found() != b.tremolo.found() && irregular < 2.0);
        std::vector<Remark> unused;
        const double tremolo = addMotion(
            facet, beats ? unused : remarks, "tremolo", a.tremolo, b.tremolo, 0.12, [](const PeriodicChange& c) {
                return c.found() ? fmt::format("{:.1f} dB", tremoloDb(c)) : std::string("–");
            });
        if (!beats) facet.difference += tremolo;
        // A rate that changes along the phrase is not one figure.
        const auto course = [](const std::vector<CurvePoint>& rates) {
            return rates.empty() ? std::string("–")
                                 : fmt::format("{:.1f} → {:.1f} Hz", rates.front().value, rates.back().value);
        };
        const auto changes = [](const std::vector<CurvePoint>& rates) {
            return !rates.empty() && std::abs(std::log2(rates.back().value / rates.front().value)) > 0.15;
        };
        if (changes(a.tremoloRate) || changes(b.tremoloRate))
            facet.values.push_back({"Tremolo rate along the note", course(a.tremoloRate), course(b.tremoloRate), "–"});
        const double apartA = isMeasured(a.detuneCents) ? a.detuneCents : 0.0;
        const double apartB = isMeasured(b.detuneCents) ? b.detuneCents : 0.0;
        const auto text = [](double v) { return isMeasured(v) ? fmt::format("{:.1f} ct", v) : std::string("none"); };
        facet.values.push_back({"Beating voices apart",
                                isMeasured(a.detuneCents) ? doubted(text(a.detuneCents), a.detuneConfidence) : "none",
                                isMeasured(b.detuneCents) ? doubted(text(b.detuneCents), b.detuneConfidence) : "none",
                                apartA + apartB > 0.0 ? signedText(apartB - apartA, 1, "ct") : "–"});
        const bool both = apartA > 0.0 && apartB > 0.0;
        const double steps = both ? std::min(12.0, std::abs(apartB - apartA) / 3.0) : irregular;
        facet.difference = std::max(0.0, facet.difference + std::max(steps, irregular) - noticedSteps);
        if (apartA + apartB <= 0.0)
            remarks.push_back({irregular, fmt::format("level fluctuates by {:.1f} dB, not {:.1f}",
                                                      fluctuationOf(sounds.render).depthDb,
                                                      fluctuationOf(sounds.reference).depthDb)});
        else if (apartB <= 0.0)
            remarks.push_back({steps, fmt::format("no beating, reference {:.0f} cents", apartA)});
        else if (apartA <= 0.0)
            remarks.push_back({steps, fmt::format("beats at {:.0f} cents, reference does not", apartB)});
        else
            remarks.push_back({steps, fmt::format("voices {:.0f} cents apart, not {:.0f}", apartB, apartA)});
        const auto drift = [](double v) { return isMeasured(v) ? fmt::format("{:.1f} ct", v) : std::string("–"); };
        addRow(facet, "Drift below 1 Hz", a.driftCents, b.driftCents, drift);
    } else {
        facet.difference = notMeasurable;
    }
    finish(facet, motionScale, remarks);
    if (!facet.measured) facet.words = "notes too short to measure";
    return facet;
}

} // namespace facet::comparing
