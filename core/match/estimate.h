// Start values that the measurements of a reference already tell.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/patch.h"

namespace facet {

/// A hypothesis of structure: what sounds, before any value is known.
struct Structure {
    Wave wave = Wave::saw;
    FilterSlope slope = FilterSlope::fourPole;
    /// "saw, low-pass 24 dB"
    std::string text() const;
    friend bool operator==(const Structure&, const Structure&) = default;
};

/// Hypotheses for a reference, the likeliest first: every waveform behind either slope.
std::vector<Structure> structuresFor(const Profile& profile);

/// `base` with the structure's kinds and with level envelope, cutoff and its envelope set from what was measured.
Patch estimate(const Profile& profile, const Structure& structure, const Patch& base);

/// The structure in words of any patch: "pulse 30 % + saw, low-pass 12 dB".
std::string structureText(const Patch& patch);

} // namespace facet
