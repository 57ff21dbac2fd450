// A line plot as a value, whoever paints it, and as SVG.
#pragma once

#include <string>
#include <utility>
#include <vector>

namespace facet {

/// One line.
struct PlotLine {
    std::string name;                              ///< for the legend; empty: none
    std::vector<std::pair<double, double>> points; ///< in the axes' units, by x
    bool second = false;                           ///< drawn in the second color: what is compared with the first
};

/// An axis with its unit.
struct PlotAxis {
    std::string label; ///< "Hz"
    double low = 0.0, high = 1.0;
    bool logarithmic = false;
    /// Where marks stand: round values inside, at most so many.
    std::vector<double> marks(std::size_t most) const;
    /// 0 … 1, clamped.
    double place(double value) const;
    /// As it stands at a mark: "500", "2k".
    static std::string text(double value);
};

/// A small picture.
struct Plot {
    std::string title;
    PlotAxis x{}, y{};
    std::vector<PlotLine> lines;
};

/// Scalable Vector Graphics 1.1, of so many pixels, without anything outside itself. Lines take the colors of classes
/// `first` and `second`, which a page may style.
std::string plotSvg(const Plot& plot, int width, int height);

} // namespace facet
