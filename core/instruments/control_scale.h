// How positions of a control stand for values.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace facet {

/// A control's way from one end to the other. Positions are numbers as the instrument writes them: 0 to 10, 0 to 127.
struct ControlScale {
    enum class Law { linear, logarithmic, power, points };
    static constexpr std::array<std::string_view, 4> lawNames{"linear", "logarithmic", "power", "points"};
    Law law = Law::linear;
    double first = 0.0, last = 10.0; ///< positions of the ends
    double low = 0.0, high = 1.0;    ///< values there, in the parameter's unit; high may be the lower one
    double exponent = 1.0;           ///< power: value = low + (high − low) · share^exponent
    /// points: position and value, at least two, both strictly one way; straight lines between, of positive values
    /// along their logarithm.
    std::vector<std::pair<double, double>> points{};
    double step = 0.0; ///< positions that it has, from `first` on; 0: any

    /// What is wrong with it, as a sentence; empty when nothing is.
    std::string problem() const;
    /// Of its ends: first and last, whatever its law.
    std::pair<double, double> positions() const;
    /// The lowest and the highest value.
    std::pair<double, double> ends() const;
    /// Positions beyond the ends count as the ends.
    double valueAt(double position) const;
    /// The nearest position that it has.
    double positionOf(double value) const;
    /// The nearest value that it can have.
    double nearest(double value) const { return valueAt(positionOf(value)); }
    /// Whether a value lies between its ends, or beyond by no more than a thousandth of the way.
    bool reaches(double value) const;
    friend bool operator==(const ControlScale&, const ControlScale&) = default;
};

} // namespace facet
