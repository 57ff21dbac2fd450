#include "core/recipe/plot.h"

#include "core/recipe/xml_text.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

double PlotAxis::place(double value) const {
    if (!(high > low)) return 0.0;
    const double share =
        logarithmic ? std::log(std::max(value, 1e-12) / low) / std::log(high / low) : (value - low) / (high - low);
    return std::clamp(share, 0.0, 1.0);
}

std::vector<double> PlotAxis::marks(std::size_t most) const {
    std::vector<double> all;
    if (!(high > low)) return all;
    if (logarithmic) {
        for (const bool halves : {true, false}) { // 1, 2, 5 of each decade; the decades alone where that is too many
            all.clear();
            for (double decade = std::pow(10.0, std::floor(std::log10(low))); decade <= high; decade *= 10.0)
                for (const double step : {1.0, 2.0, 5.0})
                    if (const double at = decade * step; at >= low && at <= high && (halves || step == 1.0))
                        all.push_back(at);
            if (all.size() <= most) break;
        }
        return all;
    }
    double step = std::pow(10.0, std::floor(std::log10(high - low)));
    while ((high - low) / step < 2.0) step /= 10.0;
    for (const double times : {1.0, 2.0, 2.5, 5.0, 10.0})
        if ((high - low) / (step * times) + 1.0 <= static_cast<double>(most)) {
            step *= times;
            break;
        }
    for (double at = std::ceil(low / step - 1e-9) * step; at <= high + 1e-9 * step; at += step)
        all.push_back(std::abs(at) < 1e-9 * step ? 0.0 : at);
    return all;
}

std::string PlotAxis::text(double value) {
    if (std::abs(value) >= 1000.0) return fmt::format("{:g}k", value / 1000.0);
    std::string text = fmt::format("{:g}", std::round(value * 1000.0) / 1000.0);
    if (text.starts_with('-')) text.replace(0, 1, "−");
    return text;
}

std::string plotSvg(const Plot& plot, int width, int height) {
    constexpr double left = 44.0, right = 10.0, top = 24.0, bottom = 34.0;
    const double w = width - left - right, h = height - top - bottom;
    const auto x = [&](double value) { return left + w * plot.x.place(value); };
    const auto y = [&](double value) { return top + h * (1.0 - plot.y.place(value)); };
    std::string svg = fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"plot\" width=\"{0}\" height=\"{1}\" viewBox=\"0 0 {0} {1}\" "
        "role=\"img\" aria-label=\"{2}\" font-family=\"sans-serif\" font-size=\"10\">\n",
        width, height, xmlText(plot.title));
    svg +=
        fmt::format("<text class=\"title\" x=\"{}\" y=\"14\" font-size=\"11\">{}</text>\n", left, xmlText(plot.title));
    for (const double at : plot.x.marks(7))
        svg += fmt::format("<path class=\"grid\" d=\"M{0:.1f} {1:.1f}V{2:.1f}\" stroke=\"#c8c8c8\"/>"
                           "<text class=\"mark\" x=\"{0:.1f}\" y=\"{3:.1f}\" text-anchor=\"middle\">{4}</text>\n",
                           x(at), top, top + h, top + h + 12.0, PlotAxis::text(at));
    for (const double at : plot.y.marks(5))
        svg += fmt::format("<path class=\"grid\" d=\"M{0:.1f} {1:.1f}H{2:.1f}\" stroke=\"#c8c8c8\"/>"
                           "<text class=\"mark\" x=\"{3:.1f}\" y=\"{4:.1f}\" text-anchor=\"end\">{5}</text>\n",
                           left, y(at), left + w, left - 4.0, y(at) + 3.5, PlotAxis::text(at));
    svg += fmt::format("<text class=\"mark\" x=\"{:.1f}\" y=\"{:.1f}\" text-anchor=\"end\">{}</text>\n", left + w,
                       height - 6.0, xmlText(plot.x.label));
    svg += fmt::format("<text class=\"mark\" x=\"2\" y=\"{:.1f}\">{}</text>\n", top - 8.0, xmlText(plot.y.label));
    double legend = left + w;
    for (auto line = plot.lines.rbegin(); line != plot.lines.rend(); ++line) {
        const char *color = line->second ? "#c0562b" : "#1f5f99", *name = line->second ? "second" : "first";
        std::string path;
        for (const auto& [at, value] : line->points)
            path += fmt::format("{}{:.1f} {:.1f}", path.empty() ? "M" : "L", x(at), y(value));
        if (!path.empty())
            svg += fmt::format("<path class=\"{}\" d=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"1.6\"{}/>\n",
                               name, path, color, line->second ? " stroke-dasharray=\"5 3\"" : "");
        if (line->name.empty()) continue;
        svg += fmt::format("<text class=\"{}\" x=\"{:.1f}\" y=\"14\" text-anchor=\"end\" fill=\"{}\">{}</text>\n", name,
                           legend, color, xmlText(line->name));
        legend -= 8.0 + 6.0 * static_cast<double>(line->name.size());
    }
    return svg + "</svg>\n";
}

} // namespace facet
