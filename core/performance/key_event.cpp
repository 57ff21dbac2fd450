#include "core/performance/key_event.h"

#include <algorithm>

namespace facet {

std::optional<KeyEvent> keyEventOf(std::span<const std::uint8_t> message) {
    if (message.size() < 2 || message[0] < 0x80 || message[0] >= 0xf0) return std::nullopt;
    if (std::any_of(message.begin() + 1, message.end(), [](std::uint8_t byte) { return byte >= 0x80; }))
        return std::nullopt;
    using Kind = KeyEvent::Kind;
    const int first = message[1];
    const int kind = message[0] & 0xf0;
    if (kind == 0xd0) return KeyEvent{Kind::pressure, 0, first / 127.0};
    if (message.size() < 3) return std::nullopt;
    const int second = message[2];
    switch (kind) {
    case 0x80: return KeyEvent{Kind::noteOff, first, 0.0};
    case 0x90:
        if (second == 0) return KeyEvent{Kind::noteOff, first, 0.0};
        return KeyEvent{Kind::noteOn, first, static_cast<double>(second)};
    case 0xe0: { // 14 bits about a middle of 8192
        const int way = first + 128 * second - 8192;
        return KeyEvent{Kind::bend, 0, way < 0 ? way / 8192.0 : way / 8191.0};
    }
    case 0xb0:
        if (first == 1) return KeyEvent{Kind::wheel, 0, second / 127.0};
        if (first == 64) return KeyEvent{Kind::pedal, 0, second / 127.0};
        if (first == 120 || first == 123) return KeyEvent{Kind::allOff, 0, 0.0};
        return std::nullopt;
    default: return std::nullopt;
    }
}

std::optional<ControllerTurn> controllerTurnOf(std::span<const std::uint8_t> message) {
    if (message.size() < 3 || (message[0] & 0xf0) != 0xb0 || message[1] >= 120 || message[2] >= 0x80)
        return std::nullopt;
    const int number = message[1];
    for (const int taken : {0, 1, 6, 32, 38, 64})
        if (number == taken) return std::nullopt;
    if (number >= 96 && number <= 101) return std::nullopt;
    return ControllerTurn{number, message[2] / 127.0};
}

} // namespace facet
