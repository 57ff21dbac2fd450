// What an engine gives for one candidate in one call.
#pragma once

#include <span>

namespace facet {

/// Samples of both sides, equally many; ±1 is full scale. A view of memory that belongs to the engine, valid until its
/// next call.
struct StereoBlock {
    std::span<const float> left;
    std::span<const float> right;
};

} // namespace facet
