#include "core/compare/facets/facet_comparisons.h"

#include <cmath>
#include <fmt/format.h>
#include <vector>

namespace facet::comparing {

namespace {

constexpr double levelScale = 6.0; ///< see docs/likeness.md

} // namespace

FacetComparison compareLevel(const Compared& sounds) {
    FacetComparison facet = begin(Facet::level);
    facet.difference = sounds.distances.levelDb();
    std::vector<Remark> remarks;
    addRareTimes(sounds, facet, remarks, "Delay", "delay before the rise",
                 sounds.medianPair([](const NoteProfile& n) { return n.level.delay; }));
    addTimes(sounds, facet, remarks, "Attack", "attack", 0.004,
             sounds.medianPair([](const NoteProfile& n) { return n.level.attack; }));
    addRareTimes(sounds, facet, remarks, "Hold", "hold",
                 sounds.longestPair([](const NoteProfile& n) { return n.level.hold; }));
    addTimes(sounds, facet, remarks, "Decay (63 %)", "decay", 0.02,
             sounds.longestPair([](const NoteProfile& n) { return n.level.decayTime; }));
    const Pair sustain = sounds.longestPair([](const NoteProfile& n) { return n.level.sustainDb; });
    facet.values.push_back({"Sustain", doubted(dbText(sustain.reference), levelConfidence(sounds.reference)),
                            doubted(dbText(sustain.render), levelConfidence(sounds.render)),
                            sustain.measured() ? signedText(sustain.difference(), 1, "dB") : "–"});
    if (sustain.measured())
        remarks.push_back(
            {std::abs(sustain.difference()) / 2.5, fmt::format("sustain {:.1f} dB {}", std::abs(sustain.difference()),
                                                               sustain.difference() > 0 ? "louder" : "softer")});
    addTimes(sounds, facet, remarks, "Release", "release", 0.02,
             sounds.medianPair([](const NoteProfile& n) { return n.level.release; }));
    remarks.push_back({facet.difference / 6.0, fmt::format("envelope {:.1f} dB apart on average", facet.difference)});
    finish(facet, levelScale, remarks);
    return facet;
}

} // namespace facet::comparing
