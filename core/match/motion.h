// What moves in a reference, made in a patch.
#pragma once

#include "core/analysis/onset_sweep.h"
#include "core/analysis/profile.h"
#include "core/compare/comparison.h"
#include "core/parameters/patch.h"

namespace facet {

enum class Movement {
    vibrato, ///< of all sources that sound
    tremolo, ///< or a gate, of the layer
    sweep,   ///< an envelope of the pitch where notes begin away from it
    filter,
};
inline constexpr Movement movements[] = {Movement::vibrato, Movement::tremolo, Movement::sweep, Movement::filter};

/// The median of the notes that begin off their pitch; nothing measured where fewer than half of them do.
OnsetSweep sweepOfNotes(const Profile& profile);
/// What the first note alone tells, which nothing rings into; nothing measured where it begins less than 100 cents off.
OnsetSweep sweepOfFirst(const Profile& profile);

/// The patch with an envelope that lets all its pitches begin off where they rest. As it is where one moves already, or
/// where there is no room for it.
Patch withSweep(const OnsetSweep& sweep, const Patch& patch);

/// The patch with one of the movements that were measured, as an LFO that begins with the note or an envelope. The
/// patch as it is where none was, where it moves already, or where there is no room for it.
Patch withMovement(const Profile& profile, const Patch& patch, Movement movement);

/// The patch with all of them that nothing in it makes yet.
Patch withMotion(const Profile& profile, const Patch& patch);

} // namespace facet
