// The notes of a phrase that say most of how its sound was made.
#pragma once

#include "core/performance/performance.h"

#include <cstddef>
#include <vector>

namespace facet {

/// The notes of a phrase that say most of how it was made, at most `most` moments (numbers of notes that begin
/// together, or that are tied): one that is long and stands alone, the lowest and highest, the hardest and softest, and
/// one with a tie; two at least, and further ones until they last long enough together. By their beginnings.
std::vector<std::vector<std::size_t>> tellingMoments(const Performance& performance, std::size_t most);

/// How many moments a phrase has.
std::size_t momentCount(const Performance& performance);

/// How many seconds of a moment are looked at: the more, the fewer there are.
double momentLength(const Performance& performance);

/// Those notes alone, at their times; what lasts longer than `longest` seconds is cut. `seconds`, where given, receives
/// how long they sound.
Performance momentsOf(const Performance& performance, const std::vector<std::vector<std::size_t>>& moments,
                      double longest, double* seconds = nullptr);

} // namespace facet
