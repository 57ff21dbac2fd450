// What moves in a reference, made in a patch.
#pragma once

#include "core/analysis/facets/onset_sweep.h"
#include "core/analysis/profile.h"
#include "core/compare/comparison.h"
#include "core/parameters/patch.h"

namespace facet {

enum class MeasuredModulation {
    vibrato, ///< of all sources that sound
    tremolo, ///< or a gate, of the layer
    sweep,   ///< an envelope of the pitch where notes begin away from it
    filter,
};
inline constexpr MeasuredModulation measuredModulations[] = {MeasuredModulation::vibrato, MeasuredModulation::tremolo, MeasuredModulation::sweep, MeasuredModulation::filter};

/// The median of the notes that begin off their pitch; nothing measured where fewer than half of them do.
OnsetSweep sweepOfNotes(const Profile& profile);
/// What the first note alone tells, which nothing rings into; nothing measured where it begins less than 100 cents off.
OnsetSweep sweepOfFirst(const Profile& profile);

/// The patch with an envelope that lets all its pitches begin off where they rest. As it is where one moves already, or
/// where there is no room for it.
Patch withSweep(const OnsetSweep& sweep, const Patch& patch);

/// The patch with one of the measured modulations, as an LFO that begins with the note or an envelope. The
/// patch as it is where none was, where it moves already, or where there is no room for it.
Patch withModulation(const Profile& profile, const Patch& patch, MeasuredModulation modulation);

/// The patch with all of them that nothing in it makes yet.
Patch withMotion(const Profile& profile, const Patch& patch);

} // namespace facet
