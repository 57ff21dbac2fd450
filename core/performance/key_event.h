// What somebody does on a keyboard while it sounds.
#pragma once

#include <cstdint>
#include <optional>
#include <span>

namespace facet {

/// Something that happens on a keyboard.
struct KeyEvent {
    enum class Kind : std::uint8_t { noteOn, noteOff, bend, wheel, pressure, pedal, allOff };
    Kind kind = Kind::allOff;
    int key = 0;        ///< 0…127, of noteOn and noteOff
    double value = 0.0; ///< velocity 1…127; bend −1…1; wheel, pressure and pedal 0…1
    friend bool operator==(const KeyEvent&, const KeyEvent&) = default;
};

/// The meaning of a channel message of any channel (MIDI 1.0 Detailed Specification 4.2, 1996, table 1: note on and
/// off, pitch bend, channel pressure, controllers 1, 64, 120 and 123; from memory); nothing: one that means nothing
/// here, or that is cut short. A note on with velocity 0 is a note off. Any thread.
std::optional<KeyEvent> keyEventOf(std::span<const std::uint8_t> message);

/// A controller that has no meaning of its own here and may be given one.
struct ControllerTurn {
    int number = 0;     ///< 2 … 119
    double value = 0.0; ///< 0 … 1
};

/// A control change of such a controller, of any channel; nothing for the wheel (1), the pedal (64), data entry and
/// parameter numbers (6, 38, 96 … 101), bank select (0, 32) and channel modes (from 120 on). Any thread.
std::optional<ControllerTurn> controllerTurnOf(std::span<const std::uint8_t> message);

} // namespace facet
