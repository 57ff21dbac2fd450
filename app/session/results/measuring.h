// A patch rendered and measured against a reference: what everything that compares in the background does.
#pragma once

#include "app/session/results/result_values.h"
#include "core/audio/attention.h"
#include "core/base/task.h"
#include "core/project/document.h"

#include <memory>

namespace facet {

/// The phrase that patches are compared in, and what is attended to. A value; any thread.
struct ComparedPhrase {
    RecordingPtr reference;
    Performance performance; ///< what is played
    Attention attention;
    FacetWeights weights;
    ProfilePtr profile; ///< of the reference; null while it is not measured

    static ComparedPhrase of(const Cue& cue, const Excerpt& excerpt, ProfilePtr profile);

    /// The notes that are attended to.
    Performance countedNotes() const;
    /// The reference's profile, measured where it is not known. Throws Error and Cancelled.
    ProfilePtr measuredProfile(int threads, const Task& task) const;
};

/// A sound with its picture and loudness, not yet measured. Any thread.
MeasuredSound soundOf(RecordingPtr recording);

/// The phrase rendered with a patch, with another seed of its random phases where one is given. Throws Error and
/// Cancelled.
RecordingPtr renderPhrase(const Patch& patch, const ComparedPhrase& phrase, const Task& task,
                          std::uint64_t seedOffset = 0);

/// The profile of a render, measured as the reference's was. Throws Error and Cancelled.
ProfilePtr measureRender(const Recording& render, const Profile& reference, const ComparedPhrase& phrase, int threads,
                         const Task& task);

/// Renders a patch, measures it and compares it with the reference, whose profile must be known. Throws Error and
/// Cancelled.
Comparison renderAndCompare(const Patch& patch, const ComparedPhrase& phrase, int threads, const Task& task);

} // namespace facet
