// What sets one state of a patch apart from another, change by change.
#pragma once

#include "core/parameters/patch.h"

#include <string>
#include <vector>

namespace facet {

/// One difference between two patches, as people read it.
struct PatchChange {
    enum class Kind : std::uint8_t { value, contents, added, removed, order, ties };
    Kind kind = Kind::value;
    std::string path;   ///< of the module; empty where it is about several
    std::string field;  ///< of a value
    std::string what;   ///< "Filter cutoff", "Reverb"
    std::string before; ///< as people read it; may be empty
    std::string after;
    friend bool operator==(const PatchChange&, const PatchChange&) = default;
};

/// In signal order: modules that came or went, values and contents of those that stayed, the order of the effects,
/// ties.
std::vector<PatchChange> changesBetween(const Patch& before, const Patch& after);

/// `after` with one of these changes taken back, and everything else as it is. Throws Error, in one sentence, where
/// something else that changed stands in the way.
Patch withoutChange(const Patch& after, const Patch& before, const PatchChange& change);

} // namespace facet
