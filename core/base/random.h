// Seeded, repeatable random numbers. Nothing in Facet draws from any other source.
#pragma once

#include <cstdint>
#include <string_view>

namespace facet {

/// One step of SplitMix64 (Steele, Lea, Flood, "Fast splittable pseudorandom number generators",
/// OOPSLA 2014): a bijection of 64 bits used both as generator and to combine seeds.
constexpr std::uint64_t splitMix64(std::uint64_t x) {
    x += 0x9e3779b97f4a7c15ULL;
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9ULL;
    x = (x ^ (x >> 27)) * 0x94d049bb133111ebULL;
    return x ^ (x >> 31);
}

/// A seed that depends on both arguments and their order.
constexpr std::uint64_t combineSeeds(std::uint64_t a, std::uint64_t b) { return splitMix64(splitMix64(a) ^ b); }

/// Uniform in [0, 1) from the upper 53 bits.
constexpr double unitFromBits(std::uint64_t bits) { return static_cast<double>(bits >> 11) * 0x1.0p-53; }

/// A sequence of uniform numbers; equal seeds give equal sequences on every machine. Seeds that follow each other give
/// the same sequence from another place on: for independent ones use combineSeeds().
class Random {
public:
    explicit constexpr Random(std::uint64_t seed) : state_(seed) {}
    constexpr std::uint64_t bits() { return splitMix64(state_++); }
    /// Uniform in [0, 1).
    constexpr double unit() { return unitFromBits(bits()); }
    /// Uniform in [low, high).
    constexpr double between(double low, double high) { return low + (high - low) * unit(); }

private:
    std::uint64_t state_;
};

} // namespace facet
