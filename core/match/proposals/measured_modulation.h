// What moves in a reference, made in a patch.
#pragma once

#include "core/analysis/facets/onset_sweep.h"
#include "core/analysis/profile.h"
#include "core/compare/comparison.h"
#include "core/parameters/patch.h"

namespace facet {

/// Kinds of modulation that are measured in a reference and can be made in a patch.
enum class MeasuredModulation {
    vibrato, ///< of all sources that sound
    tremolo, ///< or a gate, of the layer
    sweep,   ///< an envelope of the pitch where notes begin away from it
    filter,
};
inline constexpr MeasuredModulation measuredModulations[] = {MeasuredModulation::vibrato, MeasuredModulation::tremolo,
                                                             MeasuredModulation::sweep, MeasuredModulation::filter};

/// The median of the notes that begin off their pitch; nothing measured where fewer than half of them do.
OnsetSweep sweepOfNotes(const Profile& profile);
/// The same of the first note alone, since nothing rings into it; nothing measured where it begins less than 100 cents
/// off.
OnsetSweep sweepOfFirst(const Profile& profile);

/// The patch with an envelope that sweeps all its pitches at the onset. Unchanged where one does so already, or where
/// there is no room for it.
Patch withSweep(const OnsetSweep& sweep, const Patch& patch);

/// The patch with one of the modulations that were measured, as an LFO that begins with the note or as an envelope. The
/// patch unchanged where none was measured, where the patch has it already, or where there is no room for it.
Patch withModulation(const Profile& profile, const Patch& patch, MeasuredModulation modulation);

/// The patch with all measured modulations that nothing in it makes yet.
Patch withMotion(const Profile& profile, const Patch& patch);
/// The same but for what moves the level: a width, a cutoff or beating voices may have moved it already.
Patch withMotionButTremolo(const Profile& profile, const Patch& patch);

} // namespace facet
