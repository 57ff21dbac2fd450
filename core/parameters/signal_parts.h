// The parts of a patch that producers set in one go, in the order in which they work.
#pragma once

#include "core/parameters/patch.h"

#include <cstdint>
#include <set>
#include <string>
#include <vector>

namespace facet {

/// Where in the signal path a part belongs. The order is that in which sounds are built: what sounds, how it is
/// shaped, what answers to the player, what moves, what comes behind the voices.
enum class PartPlace : std::uint8_t {
    sources,    ///< waves, octaves, tunings and levels of the first layer's sources
    modulation, ///< sources that move other sources' phase or amplitude (FM, ring modulation)
    sync,
    noise, ///< beside other sources
    stack, ///< stacked voices of all sources
    filter,
    level, ///< level envelope
    touch, ///< what velocity, key, wheel and pressure do
    glide, ///< how notes join: mono, legato, glide
    drift,
    pitchMotion, ///< an LFO or envelope on pitches, and likewise
    shapeMotion, ///< on waveforms
    filterMotion,
    levelMotion,
    drive, ///< of each note by itself
    layer, ///< a further layer with all it holds
    effect,
    effectMotion,
    macros,
    output ///< overall level, and what is not heard at all
};

/// Level in dB at which a source is not heard itself, but may move others.
inline constexpr double silentSourceDb = -60.0;

/// A part of one patch.
struct SignalPart {
    PartPlace place = PartPlace::output;
    /// Tells it among the patch's parts; stays as long as its modules keep their keys.
    std::string id;
    std::vector<std::string> modules; ///< that belong to it as a whole, in signal order
    std::vector<Address> values;      ///< of modules that every patch has, or that several parts share
};

/// Everything that sets a patch apart from the empty one, each value and module in one part; in the order of places,
/// and of one place in signal order. Empty for the empty patch.
std::vector<SignalPart> partsOf(const Patch& patch);

/// Id of the part that a value of the patch belongs to, whether or not it stands as in the empty patch.
std::string partOf(const Patch& patch, const Address& address);

/// The patch with the parts of these ids only; everything else is as in the empty patch. With all of them the patch
/// itself. Modules keep their keys, and so their random phases. A link that loses an end goes too. Without ties, but
/// where it is whole.
Patch withParts(const Patch& patch, const std::set<std::string>& ids);

/// The patch with a part of another patch: its values in place of these, its modules under fresh keys. Throws Error
/// where there is no room for them.
Patch withPartOf(const Patch& patch, const Patch& other, const SignalPart& part);

} // namespace facet
