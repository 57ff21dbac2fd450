// Content hashes for caches and for seeing whether a result still belongs to its inputs.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>

namespace facet {

/// 64-bit FNV-1a (Fowler, Noll, Vo; IETF draft "The FNV Non-Cryptographic Hash Algorithm").
/// Not for security; equal content gives equal values on every little-endian machine.
class Hasher {
public:
    Hasher& bytes(std::span<const std::byte> data) {
        for (std::byte b : data) state_ = (state_ ^ static_cast<std::uint64_t>(b)) * 0x100000001b3ULL;
        return *this;
    }
    Hasher& text(std::string_view value) {
        bytes(std::as_bytes(std::span(value.data(), value.size())));
        return number(value.size());
    }
    template <typename T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T> Hasher& number(T value) {
        return bytes(std::as_bytes(std::span(&value, 1)));
    }
    /// Hashes the numbers four bytes at a time in eight interleaved states: audio is long.
    Hasher& samples(std::span<const float> values);

    std::uint64_t value() const { return state_; }
    /// Sixteen lower-case hexadecimal digits.
    std::string hex() const;

private:
    std::uint64_t state_ = 0xcbf29ce484222325ULL;
};

} // namespace facet
