#include "core/match/targets/prepared_target.h"

#include "core/match/targets/segment.h"
#include "core/match/targets/telling_moments.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// Banded only where the focus takes something away.
Attention attentionOf(const TargetSettings& settings, const std::vector<TimeSpan>& leftOut) {
    const TargetSettings unfocused;
    return {settings.focusLowHz > unfocused.focusLowHz ? settings.focusLowHz : 0.0,
            settings.focusHighHz < unfocused.focusHighHz ? settings.focusHighHz : 0.0, leftOut};
}

} // namespace

PreparedTarget PreparedTarget::prepare(const MatchTarget& target, double weights, const TargetSettings& settings,
                                       const Task& task) {
    Recording at48k = atRate(target.reference, analysisRateHz);
    const double upper = std::min(settings.focusHighHz,
                                  std::max(2.0 * settings.focusLowHz, upperCutoffHz(at48k, target.reference.rateHz)));
    Performance performance = target.performance;
    performance.rateHz = analysisRateHz;
    performance.frames = at48k.frameCount();
    performance.channelCount = at48k.channelCount();
    performance.seed = settings.seed;
    const Attention attention = attentionOf(settings, target.leftOut);
    Profile profile = measure(at48k, performance, attention, nullptr, settings.threads, task);
    auto loss = std::make_shared<const Loss>(at48k, performance, settings.focusLowHz, upper, attention);
    return {std::move(at48k), std::move(performance), attention, target.weight / weights, std::move(profile), upper,
            std::move(loss)};
}

PreparedTarget PreparedTarget::atHalfRate(const TargetSettings& settings) const {
    if (attention.banded() || notes) return *this;
    PreparedTarget half = *this;
    half.rateHz = analysisRateHz / 2;
    half.loss = std::make_shared<const Loss>(atRate(reference, half.rateHz), performance, settings.focusLowHz, upperHz,
                                             attention);
    return half;
}

std::optional<TimeSpan> PreparedTarget::span(double longest) const {
    const MatchTarget all{reference, performance, 1.0, attention.leftOut};
    const TimeSpan found = mostInformativeSpan(all, longest);
    if (found.end - found.begin > 0.7 * performance.seconds()) return std::nullopt;
    return found;
}

std::optional<PreparedTarget> PreparedTarget::part(const TimeSpan& span, const TargetSettings& settings) const {
    MatchTarget part = segmentOf({reference, performance, 1.0, attention.leftOut}, span);
    if (peakOf(part.reference) <= 0.0f || part.performance.notes.empty()) return std::nullopt;
    PreparedTarget prepared = *this;
    prepared.reference = std::move(part.reference);
    prepared.performance = std::move(part.performance);
    prepared.attention.leftOut = std::move(part.leftOut);
    prepared.loss = std::make_shared<const Loss>(atRate(prepared.reference, rateHz), prepared.performance,
                                                 settings.focusLowHz, upperHz, prepared.attention);
    return prepared;
}

PreparedTarget PreparedTarget::telling(std::size_t most, double longest, const TargetSettings& settings) const {
    const Performance counted = attendedNotes(performance, attention.leftOut);
    const auto moments = tellingMoments(counted, most);
    PreparedTarget some = *this;
    double seconds = 0.0;
    some.performance = momentsOf(counted, moments, longest, &seconds);
    const Recording heard = atRate(attended(reference, attention), rateHz);
    some.notes = std::make_shared<const NoteLoss>(heard, counted, moments, settings.focusLowHz, upperHz, longest);
    some.performance.frames =
        std::min(performance.frames, static_cast<int>(std::ceil(some.notes->until() * performance.rateHz)) + 1);
    some.shareHeard = std::clamp(seconds / std::max(0.1, performance.seconds()), 0.02, 1.0);
    return some;
}

std::optional<PreparedTarget> PreparedTarget::segment(double longest, const TargetSettings& settings) const {
    if (notes) return std::nullopt; // there is no less than a few notes
    const auto found = span(longest);
    return found ? part(*found, settings) : std::nullopt;
}

std::optional<TimeSpan> PreparedTarget::searchedSpan() const {
    constexpr double longPhrase = 7.0, enough = 4.0;
    return performance.seconds() > longPhrase ? span(enough) : std::nullopt;
}

PreparedTarget PreparedTarget::searched(const std::optional<TimeSpan>& span, const TargetSettings& settings,
                                        const Task& task) const {
    auto cut = span ? part(*span, settings) : std::nullopt;
    if (!cut) return *this;
    cut->profile = measure(cut->reference, cut->performance, cut->attention, nullptr, settings.threads, task);
    return *cut;
}

Profile PreparedTarget::measure(const Recording& recording, const Performance& performance, const Attention& attention,
                                const SourceFit* source, int threads, const Task& task) {
    return measureProfile(attended(recording, attention), attendedNotes(performance, attention.leftOut),
                          {.source = source, .threads = threads}, task);
}

Comparison PreparedTarget::compareWith(const Recording& render, int threads, const FacetWeights& weights,
                                       const Task& task) const {
    return compare(profile, measure(render, performance, attention, &profile.source, threads, task), weights);
}

} // namespace facet
