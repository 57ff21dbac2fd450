// A parameter's place among those of its kind.
#pragma once

#include "core/parameters/table.h"

#include <cstddef>
#include <span>

namespace facet {

inline constexpr double curvePerPercent = 0.1; ///< of curves: 100 % bends by e^−10

/// Looked up once, at construction. Reads values that stand in the order of parametersOf(kind).
class Field {
public:
    Field(ModuleKind kind, std::string_view name) : index_(static_cast<std::size_t>(fieldIndex(kind, name))) {}
    double of(std::span<const double> values) const { return values[index_]; }
    float real(std::span<const double> values) const { return static_cast<float>(values[index_]); }
    int whole(std::span<const double> values) const { return static_cast<int>(values[index_]); }
    bool on(std::span<const double> values) const { return values[index_] >= 0.5; }

private:
    std::size_t index_;
};

} // namespace facet
