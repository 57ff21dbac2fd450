#include "core/match/prepared_target.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace facet {

PreparedTarget PreparedTarget::prepare(const MatchTarget& target, double weights, const MatchSettings& settings,
                                       const Task& task) {
    Recording at48k = atRate(target.reference, analysisRateHz);
    const double upper = std::min(settings.focusHighHz,
                                  std::max(2.0 * settings.focusLowHz, upperCutoffHz(at48k, target.reference.rateHz)));
    Performance performance = target.performance;
    performance.rateHz = analysisRateHz;
    performance.frames = at48k.frameCount();
    performance.channelCount = at48k.channelCount();
    performance.seed = settings.seed;
    Profile profile = measure(at48k, performance, target.leftOut, nullptr, settings.threads, task);
    auto loss = std::make_shared<const Loss>(at48k, performance, settings.focusLowHz, upper, target.leftOut);
    return {std::move(at48k),        std::move(performance), target.leftOut,
            target.weight / weights, std::move(profile),     upper,
            std::move(loss)};
}

std::optional<PreparedTarget> PreparedTarget::telling(double longest, const MatchSettings& settings) const {
    constexpr double before = 0.02;
    const TimeSpan span = tellingSpan(longest, before);
    if (span.end - span.begin > 0.7 * performance.seconds()) return std::nullopt;
    PreparedTarget part = *this;
    part.reference = excerpt(reference, span.begin, span.end);
    if (peakOf(part.reference) <= 0.0f) return std::nullopt;
    part.leftOut.clear();
    for (const TimeSpan& out : leftOut)
        if (out.end > span.begin && out.begin < span.end)
            part.leftOut.push_back({std::max(0.0, out.begin - span.begin), std::min(span.end, out.end) - span.begin});
    part.performance.frames = part.reference.frameCount();
    part.performance.notes.clear();
    for (Note each : performance.notes) {
        if (each.end <= span.begin + before || each.start >= span.end) continue;
        each.start = std::max(0.0, each.start - span.begin);
        each.end = each.end - span.begin;
        part.performance.notes.push_back(each);
    }
    const auto shift = [&](std::vector<CurvePoint>& points) {
        for (CurvePoint& point : points) point.seconds -= span.begin;
    };
    shift(part.performance.bends);
    for (Curve& curve : part.performance.curves) shift(curve.points);
    part.loss =
        std::make_shared<const Loss>(part.reference, part.performance, settings.focusLowHz, upperHz, part.leftOut);
    return part;
}

TimeSpan PreparedTarget::tellingSpan(double longest, double before) const {
    constexpr double behind = 0.3, perOther = 0.15; // seconds that another key or loudness is worth
    TimeSpan best{0.0, performance.seconds()};
    double most = -1.0;
    const Performance counted = attendedNotes(performance, leftOut);
    for (const Note& first : counted.notes) {
        const double from = std::max(0.0, first.start - before), to = from + longest;
        double sounding = 0.0, last = from;
        std::set<int> keys, loudnesses;
        for (const Note& note : counted.notes) {
            if (note.start < first.start || note.start > to - 0.1) continue;
            sounding += std::min(note.end, to) - note.start;
            last = std::max(last, std::min(note.end + behind, to));
            keys.insert(note.key);
            loudnesses.insert(static_cast<int>(note.velocity / 16.0));
        }
        const double tells = sounding + perOther * static_cast<double>(keys.size() + loudnesses.size());
        if (tells <= most) continue;
        most = tells;
        best = {from, std::min(last, performance.seconds())};
    }
    return best;
}

PreparedTarget PreparedTarget::searched(const MatchSettings& settings, const Task& task) const {
    constexpr double longPhrase = 7.0, enough = 4.0;
    if (performance.seconds() <= longPhrase) return *this;
    auto part = telling(enough, settings);
    if (!part) return *this;
    part->profile = measure(part->reference, part->performance, part->leftOut, nullptr, settings.threads, task);
    return *part;
}

Profile PreparedTarget::measure(const Recording& recording, const Performance& performance,
                                const std::vector<TimeSpan>& leftOut, const SourceFit* source, int threads,
                                const Task& task) {
    const Recording audible = leftOut.empty() ? recording : withoutSpans(recording, leftOut);
    return measureProfile(audible, attendedNotes(performance, leftOut), {.source = source, .threads = threads}, task);
}

Comparison PreparedTarget::compareWith(const Recording& render, int threads, const FacetWeights& weights,
                                       const Task& task) const {
    return compare(profile, measure(render, performance, leftOut, &profile.source, threads, task), weights);
}

} // namespace facet
