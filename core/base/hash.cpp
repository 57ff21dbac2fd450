#include "core/base/hash.h"

#include <array>
#include <bit>
#include <fmt/format.h>

namespace facet {

Hasher& Hasher::samples(std::span<const float> values) {
    std::array<std::uint64_t, 8> states;
    for (std::size_t i = 0; i < states.size(); ++i) states[i] = state_ + i;
    for (std::size_t i = 0; i < values.size(); ++i) {
        auto& state = states[i % states.size()];
        state = (state ^ std::bit_cast<std::uint32_t>(values[i])) * 0x100000001b3ULL;
        state ^= state >> 29; // FNV moves bits only upward; whole words need a way down
    }
    for (std::uint64_t state : states) number(state);
    return number(values.size());
}

std::string Hasher::hex() const { return fmt::format("{:016x}", state_); }

} // namespace facet
