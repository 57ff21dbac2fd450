// How a patch compares with recordings, as people see it.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/attention.h"
#include "core/base/task.h"
#include "core/compare/comparison.h"
#include "core/parameters/patch.h"

#include <vector>

namespace facet {

/// One recording with its notes to come closer to.
struct MoveTarget {
    RecordingPtr reference;  ///< at any rate
    ProfilePtr profile;      ///< of what of it counts
    Performance performance; ///< states the reference's extent and rate
    Attention attention{};
    double weight = 1.0; ///< > 0, against those of the others
};

/// A patch compared: with the first recording, and the likeness as the mean over all.
struct ComparedPatch {
    Comparison comparison{};
    ProfilePtr render; ///< of its render of the first recording's notes
};

/// How alike a facet is before and after a change.
struct FacetGain {
    Facet facet = Facet::pitch;
    double before = 0.0, after = 0.0;
};

/// Of all facets that both measured, what gains most by its weight first.
std::vector<FacetGain> gainsBetween(const Comparison& before, const Comparison& after, const FacetWeights& weights);

/// Holds the recordings. Const functions may be called from several threads.
class ReferenceScore {
public:
    /// At least one target.
    explicit ReferenceScore(const std::vector<MoveTarget>& targets);
    const MoveTarget& first() const { return scorings_.front().target; }
    /// The notes of the first target without those that are left out.
    const Performance& counted() const { return scorings_.front().counted; }
    /// Throws Error for a render that cannot be measured, and Cancelled.
    ComparedPatch of(const Patch& patch, const FacetWeights& weights, int threads, const Task& task) const;

private:
    struct Scoring {
        MoveTarget target;
        Performance counted;
        double share; ///< of all weights
    };
    std::vector<Scoring> scorings_;
};

} // namespace facet
