// An instrument that somebody owns, described: what it has, and how its controls are written.
#pragma once

#include "core/parameters/patch.h"
#include "core/recipe/scale.h"

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace facet {

/// A control of the instrument, which sets one value.
struct InstrumentControl {
    std::string name; ///< as it is written on the instrument: "Cutoff"
    Address address;  ///< of the instrument's patch
    /// Of a number.
    std::optional<ControlScale> scale{};
    /// Of a choice: what the instrument calls each value that it has.
    std::vector<std::pair<std::string, double>> choices{};

    /// The value of the nearest setting.
    double nearest(double value) const;
    /// Whether it can be set so, to a thousandth of its way.
    bool reaches(double value) const;
    /// "3.4 of 10", or what a choice is called.
    std::string textOf(double value) const;
    friend bool operator==(const InstrumentControl&, const InstrumentControl&) = default;
};

/// Everything that it has is one patch, in which everything stands that cannot be set: modules and their order, links,
/// voices. What can be set has a control.
struct Instrument {
    std::string name;
    std::string about;
    Patch patch{};
    std::vector<InstrumentControl> controls;

    const InstrumentControl* controlOf(const Address& address) const;
    friend bool operator==(const Instrument&, const Instrument&) = default;
};

/// `"format": "facet-instrument"`, version 1 (docs/formats.md). Throws Error with one sentence for what is no
/// description, contradicts itself, or has scales that cannot be.
Instrument instrumentFromJson(const std::string& text);
std::string instrumentToJson(const Instrument& instrument);
/// Likewise from a file.
Instrument readInstrument(const std::filesystem::path& path);

/// The patch that the instrument plays nearest to another one: the other's values where it has a control for them,
/// taken module by module (sources, filters and envelopes in their order, LFOs by what they move, effects by kind), at
/// the nearest settings. Everything else is as the instrument's patch has it.
Patch playedOn(const Instrument& instrument, const Patch& patch);

/// What the instrument cannot do of a patch, as words of its parts: "Reverb 1.2 s, mix 30 %".
std::vector<std::string> lackingOn(const Instrument& instrument, const Patch& patch);

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
