// Start values that the measurements of a reference already tell.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/patch.h"

namespace facet {

/// `base` with everything set that was measured whatever the source may be: level envelope, glide, a low-pass with its
/// cutoff and envelope where the sound closes or is dark, and a delay for an echo that was heard.
Patch estimate(const Profile& profile, const Patch& base);

/// The patch with what moves in the reference and nothing in the patch moves yet: vibrato of all sources that sound,
/// tremolo or a gate of the layer, movement of the filter, each an LFO that begins with the note; and an envelope of the
/// pitch where notes begin away from it.
Patch withMotion(const Profile& profile, const Patch& patch);

/// The structure in words of any patch: "pulse 30 % + saw, low-pass 12 dB".
std::string structureText(const Patch& patch);

} // namespace facet
