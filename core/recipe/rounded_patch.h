// A patch in as few and as round values as sound alike.
#pragma once

#include "core/base/task.h"
#include "core/parameters/patch.h"

#include <functional>
#include <vector>

namespace facet {

/// Likeness of each of some patches to what is to be rebuilt, 0 … 100. Throws Cancelled.
using LikenessOf = std::function<std::vector<double>(const std::vector<Patch>&)>;

/// Between these values, in the parameter's unit, the sound stays as alike while all else stays.
struct AlikeRange {
    double low, high;
    bool open = false; ///< at either end because the parameter ends there
};

/// One value that has to be set.
struct RoundedValue {
    Address address;
    double costs = 0.0; ///< of likeness, where it is left as it is without setting it
};

/// Sets nothing but its values; everything else of its modules is as by default.
struct RoundedPatch {
    Patch patch{};
    std::vector<RoundedValue> values; ///< in signal order
    std::vector<Address> leftOut;     ///< what the exact patch sets besides, though it hardly matters
    double exact = 0.0;               ///< likeness of the exact patch
    double likeness = 0.0;            ///< of this one
    bool isAlike() const { return likeness >= exact - mostLost; }
    static constexpr double mostLost = 1.0; ///< likeness
};

/// Leaves out what hardly matters, then rounds as coarsely as sounds alike: what matters little to one digit, most to
/// two, what matters most to three. Where even that loses more than 1 likeness, it is what loses least; see isAlike().
/// Asks for about three likenesses for each value. Throws Cancelled.
RoundedPatch roundedPatch(const Patch& patch, const LikenessOf& likenessOf, const Task& task = {});

/// How far each value may be off before likeness falls by more than 1: of values without steps, in the order of
/// `rounded.values`; of others the value itself. Throws Cancelled.
std::vector<AlikeRange> alikeRanges(const RoundedPatch& rounded, const LikenessOf& likenessOf, const Task& task = {});

} // namespace facet
