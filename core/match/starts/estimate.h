// Start values that follow from the measurements of a reference.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/patch.h"

#include <string>
#include <vector>

namespace facet {

/// `base` with everything set that can be measured without knowing the source: level envelope, glide, a low-pass with
/// its cutoff and envelope where the sound closes or is dark, and a delay for an echo that was heard.
Patch estimate(const Profile& profile, const Patch& base);

/// The patch with a delay for the echo that was heard, unless it has one already or none was heard.
Patch withMeasuredEcho(const Profile& profile, Patch patch);
/// Whether a room was heard without doubt: a long tail that no echo makes.
bool isInRoom(const Profile& profile);
/// The patch in the room that was heard after the notes, at a few mixes: its release need not stand for the tail any
/// more. Nothing where notes end as soon as they are let go, or the patch has a reverb.
std::vector<Patch> withMeasuredRoom(const Profile& profile, const Patch& patch);

/// The structure in words of any patch: "pulse 30 % + saw, low-pass 12 dB".
std::string structureText(const Patch& patch);

} // namespace facet
