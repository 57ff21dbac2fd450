// What workers deliver to the window: finished, immutable values.
#pragma once

#include "core/analysis/profile.h"
#include "core/analysis/spectrogram.h"
#include "core/audio/peaks.h"
#include "core/audio/recording.h"
#include "core/compare/comparison.h"
#include "core/match/match.h"
#include "core/match/suggest/variations.h"
#include "core/project/excerpt.h"

#include <QString>
#include <cstdint>
#include <map>
#include <memory>
#include <vector>

namespace facet {

/// A sound with its picture and measurements. `profile` is null while it is being measured, and when it cannot be.
struct MeasuredSound {
    RecordingPtr recording;
    std::shared_ptr<const Peaks> peaks;
    ProfilePtr profile;
    SpectrogramPtr spectrogram; ///< null until somebody looks at it
    double loudness = 0.0;      ///< activeLoudness() at 48 kHz
};

/// Two patches in one phrase, each measured and compared with the reference.
struct PatchPair {
    MeasuredSound sounds[2];
    Comparison toReference[2];
};

/// Everything the views show of the active cue.
struct CueResults {
    std::uint64_t cue = 0;
    MeasuredSound reference;
    MeasuredSound render;
    std::shared_ptr<const Comparison> comparison;
    /// What each has beyond the other; null until somebody looks at it.
    SpectrogramPtr lacking, excess;
    std::vector<std::string> warnings; ///< what in the reference limits what can be measured
    /// Likeness of each excerpt of the cue that counts and was compared, by id; the one in view included.
    std::map<std::uint64_t, double> excerptLikeness;
    double likeness = 0.0; ///< mean over those, by weight
    /// Likeness between this render and one of the same patch with other random phases; below 0: not known yet.
    double floor = -1.0;
    bool renderIsCurrent = false;     ///< the render belongs to the patch as it stands
    bool comparisonIsCurrent = false; ///< so does the comparison
};

/// A running or finished search as the search view shows it.
struct MatchState {
    bool running = false;
    std::uint64_t cue = 0;
    QString trying;
    double fraction = 0.0;
    double likeness = 0.0;
    double loss = 0.0;
    int evaluations = 0;
    double seconds = 0.0;
    struct Point {
        double seconds;
        double likeness;
        std::array<double, facetCount> facets; ///< may be notMeasurable
    };
    std::vector<Point> history;
    /// The leading structures while it runs, best first, then what was found, with marks over several seeds.
    std::vector<ScoredPatch> found;
    std::vector<KnownRange> ranges;    ///< of the values of what was found, the surest first
    std::vector<Shortfall> shortfalls; ///< what it stays unlike in
    std::vector<Address> moving;       ///< parameters that no constant explains: their curves are in the excerpt
    /// Ways to read the notes that `ScoredPatch::reading` counts, and how those fared that were tried; empty where the
    /// notes were certain.
    std::vector<NoteReading> readings;
    std::vector<ReadingTrial> trials;
    std::uint64_t excerpt = 0; ///< that they are of
    bool taken = false;        ///< one of them was taken while it ran
    int heard = -1;            ///< index of the one that is heard in place of the patch
};

/// Patches near the one that is worked on.
struct VariationState {
    bool running = false;
    std::uint64_t cue = 0;
    Patch of{}; ///< what they vary
    std::vector<Variation> found;
    int heard = -1;
};

} // namespace facet
