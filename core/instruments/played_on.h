// A patch as a described instrument plays it.
#pragma once

#include "core/instruments/instrument.h"

#include <string>
#include <vector>

namespace facet {

/// The patch that the instrument plays nearest to another one: the other's values where it has a control for them,
/// taken module by module (sources, filters and envelopes in their order, LFOs by what they move, effects by kind), at
/// the nearest settings. Everything else is as the instrument's patch has it.
///
/// A patch that is one of the instrument's own already keeps what it has, at the nearest settings.
Patch playedOn(const Instrument& instrument, const Patch& patch);
/// The same between the steps of its scales: what a search moves through.
Patch withinReachOf(const Instrument& instrument, const Patch& patch);
/// A patch without what does nothing in it and is there all the same, as an instrument's own have much of: sources
/// that are silent and move nothing, links of no amount, effects that are not mixed in, LFOs and envelopes without
/// links.
Patch withoutSilent(Patch patch);
/// Whether a patch has exactly the modules and links that the instrument's has.
bool isOf(const Instrument& instrument, const Patch& patch);

/// A part of a patch that an instrument cannot play as it is.
struct Lack {
    std::string part;    ///< in words: "Reverb 1.2 s, mix 30 %"
    std::string instead; ///< the nearest that it can do, likewise: "Low-pass 24 dB 800 Hz"; empty: nothing
    Patch around;        ///< the patch with this part made so, and everything else as it is
};
/// In signal order.
std::vector<Lack> lackingOn(const Instrument& instrument, const Patch& patch);

/// A control as it is set.
struct ControlSetting {
    std::string control; ///< "Cutoff"
    std::string text;    ///< "3.4 of 10"
    std::string value;   ///< "420 Hz"; empty for choices
    Address address;
};
/// All controls of a patch that the instrument plays, in their order; those whose value is not heard are left out.
std::vector<ControlSetting> settingsOn(const Instrument& instrument, const Patch& played);

} // namespace facet
