#include "core/analysis/notes/note_ends.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace facet {

namespace {

constexpr double fallDb = 20.0;
constexpr double mostMoved = 0.1; ///< seconds

/// How long after `end` the level has fallen, or nothing when it has not before the next note.
std::optional<double> fallAfter(double end, double next, const Track& level) {
    const double low = level.at(end) - fallDb;
    for (double t = end; t < next; t += level.stepSeconds)
        if (level.at(t) <= low) return t - end;
    return {};
}

} // namespace

namespace {

/// The knee near `guess`, or nothing where the level does not stand before it or does not fall as far.
std::optional<double> kneeNear(double guess, double start, double latest, double next, const Track& level) {
    constexpr double before = 0.2, gap = 0.02, sharp = 0.03; // seconds
    constexpr float begunDb = 2.5f, doneDb = 15.0f, leastDb = 8.0f, steadyDb = 2.0f, steeper = 6.0f;
    constexpr double mostErrorDb = 0.7, worstDb = 3.0; ///< of a line: what beats falls otherwise
    if (guess - before < start + gap) return {};
    const double step = level.stepSeconds, last = next - 0.01;
    std::vector<float> early, late;
    for (double t = guess - before; t < guess - gap; t += step)
        (t < guess - 0.5 * (before + gap) ? early : late).push_back(level.at(t));
    const float stood = medianOf(early), stands = medianOf(late);
    // What dies away by itself has no knee.
    if (!isMeasured(stood) || !isMeasured(stands) || std::abs(stood - stands) > steadyDb) return {};
    double from = std::min(last, latest);
    while (from > guess - before && !(level.at(from) > stands - begunDb)) from -= step;
    double to = from;
    while (to < last && level.at(to) > stands - doneDb) to += step;
    if (to - from < sharp || level.at(to) > stands - leastDb) return {};
    const double fell = (stood - stands) / (0.5 * (before - gap)), falls = (doneDb - begunDb) / (to - from);
    if (steeper * fell > falls) return {};
    // A line through a power of the amplitude: 1 falls in a line, nearly 0 as an exponential.
    double least = mostErrorDb;
    std::optional<double> knee;
    for (double power : {1.0, 0.5, 0.02}) {
        const auto height = [&](double t) { return std::pow(10.0, power * (level.at(t) - stands) / 20.0); };
        double n = 0.0, t1 = 0.0, t2 = 0.0, y1 = 0.0, ty = 0.0;
        for (double t = from; t < to; t += step) {
            const double at = t - from, y = height(t);
            n += 1.0;
            t1 += at;
            t2 += at * at;
            y1 += y;
            ty += at * y;
        }
        const double slope = (n * ty - t1 * y1) / (n * t2 - t1 * t1), offset = (y1 - slope * t1) / n;
        if (!(slope < 0.0)) continue;
        double error = 0.0, worst = 0.0;
        for (double t = from; t < to; t += step) {
            const double line = std::max(1e-6, offset + slope * (t - from));
            const double off = std::abs(20.0 / power * std::log10(line / height(t)));
            error += off / n;
            worst = std::max(worst, off);
        }
        if (error >= least || worst > worstDb) continue;
        least = error;
        knee = from + (1.0 - offset) / slope;
    }
    return knee;
}

} // namespace

double kneeOf(double end, double start, double next, const Track& level) {
    constexpr double farthest = 0.45, sharp = 0.03; // seconds
    constexpr float sharpDb = 6.0f, notYetDb = 2.5f;
    if (!isMeasured(end)) return end;
    const bool fallsAtOnce = level.at(end) - level.at(end + sharp) > sharpDb;
    if (fallsAtOnce && level.at(end - sharp) - level.at(end) < notYetDb) return end;
    const double latest = end + 2.0 * farthest;
    // From an end that is late, what stood before it has begun to fall already.
    for (double late : {0.0, 0.08, 0.16, 0.24, 0.32, 0.4}) {
        std::optional<double> knee = kneeNear(end - late, start, latest, next, level);
        for (int pass = 0; knee && pass < 3; ++pass)
            if (const auto again = kneeNear(*knee, start, latest, next, level)) knee = again;
        if (knee && std::abs(*knee - end) < farthest) return *knee;
    }
    return end;
}

void agreeOnEnds(std::vector<NoteEnd>& ends, const Track& level) {
    std::vector<double> falls;
    for (const NoteEnd& end : ends)
        if (isMeasured(end.seconds))
            if (const auto fall = fallAfter(end.seconds, end.next, level)) falls.push_back(*fall);
    if (falls.size() < 2) return;
    // The median, and the shorter of the middle two: a mean of two unlike ones would be nobody's.
    const auto middle = falls.begin() + static_cast<std::ptrdiff_t>((falls.size() - 1) / 2);
    std::nth_element(falls.begin(), middle, falls.end());
    const double typical = *middle;
    for (NoteEnd& end : ends) {
        if (!isMeasured(end.seconds)) continue;
        double agreed = end.seconds;
        // Twice: from a wrong end the fall is counted from a wrong level.
        for (int pass = 0; pass < 2; ++pass)
            if (const auto fall = fallAfter(agreed, end.next, level)) agreed += *fall - typical;
        if (std::abs(agreed - end.seconds) < mostMoved) end.seconds = agreed;
    }
}

} // namespace facet
