// What a producer types over a value.
#pragma once

#include "core/parameters/table.h"

#include <optional>
#include <string_view>

namespace facet {

/// What an entry may refer to.
struct EntryContext {
    double present = 0.0; ///< the value that is typed over, in its unit
    double tempo = 120.0; ///< quarter notes per minute
};

/// Reads, besides all that parseValue() reads: "x2", "*1.5", "/2" of the present value; sums and products ("250+30",
/// "1.2 s / 4", from left to right, terms with or without unit); a note's name for a frequency ("C2", "F#3", "Bb1", C4
/// being middle C); a note value for a time, or as a cycle for a rate ("1/16", "1/8 dotted", "1/4 triplet"). Nothing
/// when it cannot be read; the value may be out of range.
std::optional<double> readEntry(const ParameterDescriptor& descriptor, std::string_view text,
                                const EntryContext& context);

} // namespace facet
