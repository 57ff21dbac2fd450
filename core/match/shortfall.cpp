#include "core/match/shortfall.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr double alikeEnough = 75.0; ///< of a facet
constexpr double belowFloor = 8.0;

double shareOfNotes(const Profile& reference, bool (*holds)(const NoteProfile&)) {
    if (reference.notes.empty()) return 0.0;
    return static_cast<double>(std::count_if(reference.notes.begin(), reference.notes.end(), holds)) /
           static_cast<double>(reference.notes.size());
}

bool isUnclear(const NoteProfile& note) { return note.pitchConfidence < 0.5; }
bool isInharmonic(const NoteProfile& note) {
    constexpr double stretched = 1e-4; // of B; strings of a piano's middle have about 4e-4
    return isMeasured(note.inharmonicity.coefficient) && note.inharmonicity.confidence > 0.5 &&
           std::abs(note.inharmonicity.coefficient) > stretched;
}

std::string pitchReason(const Profile& reference) {
    if (shareOfNotes(reference, isUnclear) > 0.4)
        return "Many notes have no clear pitch: look at the notes first, or choose an excerpt where one sounds alone.";
    if (reference.motion.vibrato.found())
        return "The pitch moves in a way that one LFO does not follow: a curve of the performance can.";
    return "The notes themselves may differ: look at their keys and where they begin, or bend them with a curve.";
}

std::string levelReason(const RecordingQuality& quality) {
    if (quality.clippedShare > 1e-5)
        return "The recording is clipped, which flattens its loudest moments; a limiter comes near that.";
    return "Notes may begin or end elsewhere than found, or the level follows a fader or compressor: correct the "
           "notes, "
           "or draw the level as a curve.";
}

std::string harmonicsReason(const Profile& reference, const RecordingQuality& quality) {
    if (shareOfNotes(reference, isInharmonic) > 0.4)
        return "Its partials are no multiples of the pitch, as on strings and bars: a sample or modulated sines come "
               "nearer than waves.";
    if (quality.clippedShare > 1e-5) return "Part of its partials are the clipping's, which no patch need have.";
    return "Its cycle is none of the waves: take its partials or cycles from the recording for the source.";
}

std::string brightnessReason(const RecordingQuality& quality) {
    if (isMeasured(quality.upperCutoffHz) && quality.upperCutoffHz < 16000.0)
        return fmt::format("Nothing lies above {:.1f} kHz in the recording: a lossy copy may have cut it.",
                           quality.upperCutoffHz / 1000.0);
    return "The filter moves otherwise than one envelope does, or an equalizer shaped the recording: draw the cutoff "
           "as "
           "a curve.";
}

std::string noiseReason(const RecordingQuality& quality) {
    if (isMeasured(quality.noiseFloorDb) && quality.noiseFloorDb > -60.0)
        return fmt::format(
            "The recording itself has noise {:.0f} dB below its loudest: leave it out, or take a cleaner "
            "copy.",
            -quality.noiseFloorDb);
    return "Its noise comes and goes in a way of its own, as breath and bow do: a sample as second source comes "
           "nearer.";
}

std::string spaceReason(const Profile& reference) {
    if (isMeasured(reference.space.tailSeconds) && reference.space.tailSeconds > 0.3)
        return "It was recorded in a room or with an effect of another kind: set Space aside, or load an impulse "
               "response.";
    return "Echoes or a room behind it differ: set Space aside to compare the sound alone.";
}

std::string reasonFor(Facet facet, const Profile& reference, const RecordingQuality& quality) {
    switch (facet) {
    case Facet::pitch: return pitchReason(reference);
    case Facet::level: return levelReason(quality);
    case Facet::harmonics: return harmonicsReason(reference, quality);
    case Facet::brightness: return brightnessReason(quality);
    case Facet::noise: return noiseReason(quality);
    case Facet::motion:
        return "It moves unevenly, or several things move at once: record the movement as a curve, or play the "
               "reference slowly and look for a second LFO.";
    case Facet::width:
        return quality.monoInStereo || quality.oneSideSilent
                   ? "The recording's sides show nothing of width: set Width aside."
                   : "Its sides were made by a stereo effect or by two microphones: set Width aside, or widen by "
                     "bands.";
    case Facet::space: return spaceReason(reference);
    }
    return {};
}

} // namespace

std::vector<Shortfall> shortfallsOf(const Comparison& comparison, const std::vector<double>& floors,
                                    const Profile& reference, const RecordingQuality& quality) {
    std::vector<Shortfall> found;
    for (std::size_t i = 0; i < comparison.facets.size(); ++i) {
        const FacetComparison& facet = comparison.facets[i];
        const double floor = i < floors.size() && isMeasured(floors[i]) ? floors[i] : 100.0;
        const bool setAside = comparison.weights[static_cast<std::size_t>(facet.facet)] <= 0.0;
        if (!facet.measured || setAside || facet.likeness > std::min(alikeEnough, floor - belowFloor)) continue;
        found.push_back({facet.facet, facet.likeness, facet.words, reasonFor(facet.facet, reference, quality)});
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const Shortfall& a, const Shortfall& b) { return a.likeness < b.likeness; });
    return found;
}

} // namespace facet
