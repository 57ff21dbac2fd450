#include "core/match/targets/segment.h"

#include "core/analysis/profile.h"

#include <algorithm>
#include <set>

namespace facet {

namespace {

constexpr double beforeNote = 0.02; ///< seconds

} // namespace

TimeSpan mostInformativeSpan(const MatchTarget& target, double longest) {
    constexpr double behind = 0.3, perOther = 0.15; // seconds that another key or loudness is worth
    // What runs on through all notes, a gate, a slow filter, a chorus, stands where it is only from the beginning on.
    constexpr double soon = 0.4, ofBeginning = 0.5;
    TimeSpan best{0.0, target.performance.seconds()};
    double most = -1.0;
    const Performance counted = attendedNotes(target.performance, target.leftOut);
    for (const Note& first : counted.notes) {
        const bool fromBeginning = first.start < soon;
        const double from = fromBeginning ? 0.0 : first.start - beforeNote, to = from + longest;
        double sounding = fromBeginning ? ofBeginning : 0.0, last = from;
        std::set<int> keys, loudnesses;
        for (const Note& note : counted.notes) {
            if (note.start < from || note.start > to - 0.1) continue;
            sounding += std::min(note.end, to) - note.start;
            last = std::max(last, std::min(note.end + behind, to));
            keys.insert(note.key);
            loudnesses.insert(static_cast<int>(note.velocity / 16.0));
        }
        const double worth = sounding + perOther * static_cast<double>(keys.size() + loudnesses.size());
        if (worth <= most) continue;
        most = worth;
        best = {from, std::min(last, target.performance.seconds())};
    }
    return best;
}

MatchTarget segmentOf(const MatchTarget& target, const TimeSpan& span) {
    MatchTarget part{excerpt(target.reference, span.begin, span.end), target.performance, target.weight};
    for (const TimeSpan& out : target.leftOut)
        if (out.end > span.begin && out.begin < span.end)
            part.leftOut.push_back({std::max(0.0, out.begin - span.begin), std::min(span.end, out.end) - span.begin});
    part.performance.frames = part.reference.frameCount();
    part.performance.notes.clear();
    for (Note each : target.performance.notes) {
        if (each.end <= span.begin + beforeNote || each.start >= span.end) continue;
        each.start = std::max(0.0, each.start - span.begin);
        each.end = each.end - span.begin;
        part.performance.notes.push_back(each);
    }
    const auto shift = [&](std::vector<CurvePoint>& points) {
        for (CurvePoint& point : points) point.seconds -= span.begin;
    };
    shift(part.performance.bends);
    for (Curve& curve : part.performance.curves) shift(curve.points);
    return part;
}

} // namespace facet
