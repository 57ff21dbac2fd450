// An instrument that somebody owns, described: what it has, and how its controls are written.
#pragma once

#include "core/parameters/patch.h"
#include "core/instruments/control_scale.h"

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

    /// The value of the nearest setting: a position that it has, of a scale without steps one that is told exactly
    /// ("3.4 of 10").
    double nearest(double value) const;
    /// The nearest value between its ends; of a choice, of the nearest setting.
    double within(double value) const;
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
    /// Whether a value of its patches stands as it is, since no control sets it. The level of the output never does:
    /// every instrument has a volume.
    bool holds(const Address& address) const;
    friend bool operator==(const Instrument&, const Instrument&) = default;
};

/// What is wrong with a description, as a sentence; empty where it can be used.
std::string problemOf(const Instrument& instrument);

/// `"format": "facet-instrument"`, version 1 (docs/formats.md). Throws Error with one sentence for what is no
/// description, contradicts itself, or has scales that cannot be.
Instrument instrumentFromJson(const std::string& text);
std::string instrumentToJson(const Instrument& instrument);
/// Likewise from a file.
Instrument readInstrument(const std::filesystem::path& path);

} // namespace facet
