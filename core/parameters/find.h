// Finding a parameter by its name, or by another word that people use for it.
#pragma once

#include "core/parameters/patch.h"

#include <string_view>
#include <vector>

namespace facet {

/// Addresses whose parameter or module fits the words, best first, at most `most`: every word must begin a word of the
/// parameter's label, of its module's label, or of a common synonym of either ("brightness" finds cutoff, "unison"
/// stacked voices). Those that can be heard come before those that cannot. Nothing for no words.
std::vector<Address> findParameters(const Patch& patch, std::string_view words, std::size_t most);

} // namespace facet
