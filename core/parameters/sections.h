// One module of a patch handled as a whole: copied, pasted, reset, drawn at random.
#pragma once

#include "core/parameters/search_limits.h"

#include <cstdint>
#include <string>
#include <string_view>

namespace facet {

/// JSON text of one module, `"format": "facet-section"`. Throws Error for a module that is not there.
std::string sectionToText(const Patch& patch, std::string_view path);

/// The patch with a module's values, and what it holds, as in such a text. The two must be of one kind; the ends of a
/// link stay its own. Throws Error, in one sentence, for a text that is no section, or one of another kind.
Patch withSection(const Patch& patch, std::string_view path, const std::string& text);

/// The patch with a module as it stands in another patch; unchanged when the other lacks it.
Patch withModuleOf(const Patch& patch, std::string_view path, const Patch& other);

/// The patch with a module's values where they stand in the empty patch, or else by default. What switches it on, and
/// what it holds, stays.
Patch withDefaults(const Patch& patch, std::string_view path);

/// The patch with new values for what a search would look for in a module, within the given ranges or plausible ones;
/// what is locked stays. Equal seeds draw alike.
Patch withRandomValues(const Patch& patch, std::string_view path, const SearchLimits& limits, std::uint64_t seed);

} // namespace facet
