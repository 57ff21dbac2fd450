// A parameter's place among those of its kind.
#pragma once

#include "core/parameters/table.h"

#include <cstddef>
#include <span>
#include <stdexcept>
#include <string>
#include <string_view>

namespace facet {

inline constexpr double curvePerPercent = 0.1; ///< of curves: 100 % bends by e^−10

/// Looked up once, at construction. Reads values that stand in the order of parametersOf(kind).
class Field {
public:
    /// Throws std::logic_error for a name that the table does not have.
    Field(ModuleKind kind, std::string_view name) : index_(indexOf(kind, name)) {}
    double of(std::span<const double> values) const { return values[index_]; }
    float real(std::span<const double> values) const { return static_cast<float>(values[index_]); }
    int whole(std::span<const double> values) const { return static_cast<int>(values[index_]); }
    bool on(std::span<const double> values) const { return values[index_] >= 0.5; }

private:
    static std::size_t indexOf(ModuleKind kind, std::string_view name) {
        const int index = fieldIndex(kind, name);
        if (index < 0) throw std::logic_error("No parameter is called " + std::string(name));
        return static_cast<std::size_t>(index);
    }
    std::size_t index_;
};

} // namespace facet
