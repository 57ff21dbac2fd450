#include "core/compare/facets/facet_comparisons.h"

#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double pitchScale = 80.0; ///< see docs/likeness.md

/// Median of the render's interval from the reference, in octaves.
double medianInterval(const Compared& sounds) {
    std::vector<float> intervals;
    for (std::size_t i = 0; i < sounds.reference.pitchHz.values.size(); ++i) {
        const float other = sounds.render.pitchHz.at(static_cast<double>(i) * sounds.reference.pitchHz.stepSeconds +
                                                     sounds.distances.shift());
        if (isMeasured(sounds.reference.pitchHz.values[i]) && isMeasured(other))
            intervals.push_back(std::log2(other / sounds.reference.pitchHz.values[i]));
    }
    return medianOf(intervals);
}

} // namespace

FacetComparison comparePitch(const Compared& sounds) {
    FacetComparison facet = begin(Facet::pitch);
    facet.difference = sounds.distances.pitchCents();
    const Pair cents = sounds.medianPair([](const NoteProfile& n) { return n.cents; });
    std::vector<Remark> remarks;
    const double octaves = medianInterval(sounds);
    if (isMeasured(octaves) && std::abs(octaves) > 0.6)
        remarks.push_back({1000.0, fmt::format("{:.0f} semitones {}", std::abs(12.0 * octaves),
                                               octaves < 0 ? "too low" : "too high")});
    else if (cents.measured())
        remarks.push_back(
            {std::abs(cents.difference()) / 3.0,
             fmt::format("{:.0f} cents {}", std::abs(cents.difference()), cents.difference() < 0 ? "flat" : "sharp")});
    remarks.push_back(
        {facet.difference / 12.0, fmt::format("moves {:.0f} cents apart over the notes", facet.difference)});
    const auto text = [](double v) { return isMeasured(v) ? signedText(v, 1, "ct") : std::string("–"); };
    facet.values.push_back({"Against the note", text(cents.reference), text(cents.render),
                            cents.measured() ? text(cents.difference()) : "–"});
    addRareTimes(sounds, facet, remarks, "Glide to the note", "glide",
                 sounds.medianPair([](const NoteProfile& n) { return n.glide.seconds; }));
    const Pair sweep = sounds.medianPair([](const NoteProfile& n) { return n.sweepCents; });
    if (isMeasured(sweep.reference) || isMeasured(sweep.render)) {
        addRow(
            facet, "Sweep at the onset", sweep.reference, sweep.render,
            [](double v) { return isMeasured(v) ? signedText(v, 0, "ct") : std::string("–"); },
            sweep.measured() ? signedText(sweep.difference(), 0, "ct") : "–");
        addTimes(sounds, facet, remarks, "Sweep (63 %)", "sweep", 0.01,
                 sounds.medianPair([](const NoteProfile& n) { return n.sweepSeconds; }));
        if (sweep.measured())
            remarks.push_back({std::abs(sweep.difference()) / 100.0,
                               fmt::format("begins {:.0f} cents {}", std::abs(sweep.difference()),
                                           sweep.difference() > 0 ? "higher" : "lower")});
    }
    facet.values.push_back({"Tuning of the recording", signedText(sounds.reference.tuningCents, 1, "ct"),
                            signedText(sounds.render.tuningCents, 1, "ct"), "–"});
    facet.values.push_back({"Distance over time, beyond what is noticed", "–", "–",
                            isMeasured(facet.difference) ? fmt::format("{:.1f} ct", facet.difference) : "–"});
    finish(facet, pitchScale, remarks);
    return facet;
}

} // namespace facet::comparing
