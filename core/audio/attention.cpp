#include "core/audio/attention.h"

#include "core/audio/time_stretch.h"

#include <algorithm>
#include <cmath>

namespace facet {

Recording withoutSpans(const Recording& recording, const std::vector<TimeSpan>& leftOut) {
    constexpr double edgeSeconds = 0.003;
    Recording result = recording;
    const int frames = recording.frameCount();
    for (const TimeSpan& span : leftOut) {
        const double begin = span.begin * recording.rateHz;
        const double end = span.end * recording.rateHz;
        const double edge = std::max(1.0, std::min(edgeSeconds * recording.rateHz, 0.5 * (end - begin)));
        const int first = std::max(0, static_cast<int>(std::ceil(begin)));
        for (int i = first; i < std::min<double>(frames, end); ++i) {
            // Silence within the span: the edges fade inside it, what lies outside stays untouched.
            const double inside = std::min(i - begin, end - i);
            const auto gain = static_cast<float>(std::max(0.0, 1.0 - inside / edge));
            for (auto& channel : result.channels) channel[static_cast<std::size_t>(i)] *= gain;
        }
    }
    return result;
}

Recording attended(const Recording& recording, const Attention& attention) {
    if (attention.leftOut.empty()) return withinBand(recording, attention.lowHz, attention.highHz);
    const Recording audible = withoutSpans(recording, attention.leftOut);
    return attention.banded() ? withinBand(audible, attention.lowHz, attention.highHz) : audible;
}

std::vector<TimeSpan> joinedSpans(std::vector<TimeSpan> spans) {
    std::erase_if(spans, [](const TimeSpan& span) { return !(span.end > span.begin); });
    std::sort(spans.begin(), spans.end(), [](const TimeSpan& a, const TimeSpan& b) { return a.begin < b.begin; });
    std::vector<TimeSpan> result;
    for (const TimeSpan& span : spans) {
        if (!result.empty() && span.begin <= result.back().end)
            result.back().end = std::max(result.back().end, span.end);
        else
            result.push_back(span);
    }
    return result;
}

double overlap(const std::vector<TimeSpan>& spans, double begin, double end) {
    double seconds = 0.0;
    for (const TimeSpan& span : joinedSpans(spans))
        seconds += std::max(0.0, std::min(end, span.end) - std::max(begin, span.begin));
    return seconds;
}

} // namespace facet
