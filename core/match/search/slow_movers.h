// What moves once through a whole phrase: written as a curve of the performance.
#pragma once

#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// A patch without what moved once through the phrase, and the curves that stand for it.
struct Unwound {
    Patch patch{};
    std::vector<Curve> curves; ///< empty: nothing moves so
};

/// While it searches, a search lets a free LFO that rises or falls once stand for somebody who turns a knob through the
/// phrase, since all candidates play one performance. Here each such LFO whose links move continuous parameters becomes
/// curves of those. Parameters that the performance moves already are left to it.
Unwound unwound(const Patch& patch, const Performance& performance);

} // namespace facet
