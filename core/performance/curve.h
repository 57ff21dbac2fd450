// A quantity over the time of a phrase, as breakpoints.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace facet {

/// A breakpoint; straight lines between points, held beyond the ends.
struct CurvePoint {
    double seconds = 0.0;
    double value = 0.0;
    friend bool operator==(const CurvePoint&, const CurvePoint&) = default;
};

/// Value of a curve at a time; `none` when it has no points. Points must be in order of time; two at one time are a
/// step.
double valueAt(std::span<const CurvePoint> points, double seconds, double none = 0.0);

/// What a curve moves, by name.
inline constexpr std::string_view wheelTarget = "wheel";       ///< modulation wheel, 0…1
inline constexpr std::string_view pressureTarget = "pressure"; ///< channel pressure, 0…1

/// A controller or a parameter over time.
struct Curve {
    std::string target; ///< wheelTarget, pressureTarget, or the text of a parameter's address
    /// Values in 0…1: of the controller's travel, or the parameter's place on its own scale (ParameterDescriptor),
    /// where a straight line is an even movement.
    std::vector<CurvePoint> points;

    bool movesParameter() const { return target != wheelTarget && target != pressureTarget; }
    friend bool operator==(const Curve&, const Curve&) = default;
};

/// The same curve with as few points as stay within `tolerance` of it everywhere (Ramer 1972, Douglas & Peucker 1973,
/// with the distance taken along the value axis).
std::vector<CurvePoint> simplified(std::span<const CurvePoint> points, double tolerance);

} // namespace facet
