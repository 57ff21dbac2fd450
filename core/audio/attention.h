// What of a sound counts, applied alike to reference and render.
#pragma once

#include "core/audio/recording.h"

#include <vector>

namespace facet {

/// Seconds [begin, end).
struct TimeSpan {
    double begin = 0.0;
    double end = 0.0;
    friend bool operator==(const TimeSpan&, const TimeSpan&) = default;
};

/// A band of frequencies and times that are left out.
struct Attention {
    double lowHz = 0.0;  ///< 0: from the bottom
    double highHz = 0.0; ///< 0: to the top
    std::vector<TimeSpan> leftOut{};

    bool banded() const { return lowHz > 0.0 || highHz > 0.0; }
    bool everything() const { return !banded() && leftOut.empty(); }
    friend bool operator==(const Attention&, const Attention&) = default;
};

/// The sound with everything else taken away: the band as withinBand() cuts it, left-out times silent with edges of 3
/// ms.
Recording attended(const Recording& recording, const Attention& attention);

/// Only the left-out times silenced.
Recording withoutSpans(const Recording& recording, const std::vector<TimeSpan>& leftOut);

/// `spans` with another left out: sorted, overlapping ones joined.
std::vector<TimeSpan> joinedSpans(std::vector<TimeSpan> spans);

/// Seconds of [begin, end) that lie in any of the spans.
double overlap(const std::vector<TimeSpan>& spans, double begin, double end);

} // namespace facet
