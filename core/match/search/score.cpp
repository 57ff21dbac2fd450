#include "core/match/search/score.h"

#include "core/base/parallel.h"
#include "core/compare/loss.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/parameters/elements.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// As loud as the reference, as far as that is allowed.
Patch leveledWithin(const SearchLimits& limits, const Patch& patch, const PreparedTarget& target) {
    const Address level{"output", "level"};
    if (limits.locks.contains(level)) return patch;
    Patch leveled = withSolvedGain(patch, target.reference, target.performance, target.attention);
    if (const auto range = limits.ranges.find(level); range != limits.ranges.end())
        leveled.setNearest(level, std::clamp(leveled.value(level), range->second.first, range->second.second));
    return leveled;
}

} // namespace

Patch withSolvedGain(const Patch& patch, const Recording& reference48k, const Performance& performance,
                     const Attention& attention) {
    Performance at48k = performance;
    at48k.rateHz = analysisRateHz;
    at48k.frames = reference48k.frameCount();
    at48k.channelCount = reference48k.channelCount();
    const Recording rendered = std::move(renderAt48k({&patch, 1}, at48k).front());
    const auto loudness = [&](const Recording& sound) { return activeLoudness(attended(sound, attention).channels); };
    const double difference = loudness(reference48k) - loudness(rendered);
    constexpr double solvedDb = 1e-3; // what is solved already stays to the last bit
    const Address level{"output", "level"};
    Patch solved = patch;
    if (peakOf(rendered) > 0.0f && std::abs(difference) > solvedDb)
        solved.setNearest(level, patch.value(level) + difference);
    return solved;
}

ScoredPatch score(const Patch& patch, const Recording& reference48k, const Profile& profile,
                  const Performance& performance, int seeds, const Task& task, const ScoreSettings& settings) {
    ScoredPatch scored;
    scored.patch = patch;
    Performance played = performance;
    played.rateHz = analysisRateHz;
    played.frames = reference48k.frameCount();
    played.channelCount = reference48k.channelCount();
    const Loss loss(reference48k, played, 20.0, 20000.0, settings.attention);
    std::vector<Profile> profiles(static_cast<std::size_t>(seeds));
    std::vector<double> losses(profiles.size());
    std::vector<Comparison> comparisons(profiles.size());
    parallelFor(seeds, settings.threads, [&](int s) {
        const auto at = static_cast<std::size_t>(s);
        Performance seeded = played;
        seeded.seed += static_cast<std::uint64_t>(s);
        const Recording rendered = std::move(renderAt48k({&patch, 1}, seeded, task).front());
        losses[at] = Loss::value(loss.residual(rendered));
        profiles[at] = PreparedTarget::measure(rendered, seeded, settings.attention, &profile.source, 1, task);
        comparisons[at] = compare(profile, profiles[at], settings.weights);
    });
    for (std::size_t s = 0; s < profiles.size(); ++s) { // in order, so that sums are the same on any machine
        scored.loss += losses[s] / seeds;
        scored.likeness += comparisons[s].likeness / seeds;
    }
    scored.comparison = comparisons.front();
    scored.facetFloors.assign(scored.comparison.facets.size(), 100.0);
    if (seeds < 2) return scored;
    scored.floor = 0.0;
    std::fill(scored.facetFloors.begin(), scored.facetFloors.end(), 0.0);
    for (int s = 1; s < seeds; ++s) {
        const Comparison between = compare(profiles.front(), profiles[static_cast<std::size_t>(s)], settings.weights);
        scored.floor += between.likeness / (seeds - 1);
        for (std::size_t f = 0; f < between.facets.size(); ++f)
            scored.facetFloors[f] += between.facets[f].likeness / (seeds - 1);
    }
    return scored;
}

ScoredPatch scoreAll(const Patch& patch, const std::vector<PreparedTarget>& targets, int seeds,
                     const MatchSettings& settings) {
    const Patch leveled = leveledWithin(settings.limits, patch, targets.front());
    ScoredPatch all;
    for (const PreparedTarget& target : targets) {
        const ScoredPatch one = score(leveled, target.reference, target.profile, target.performance, seeds, {},
                                      {target.attention, settings.weights, settings.threads});
        if (&target == &targets.front()) {
            all.patch = leveled;
            all.comparison = one.comparison;
            all.floor = 0.0;
            all.facetFloors.assign(one.facetFloors.size(), 0.0);
        }
        all.loss += target.share * one.loss;
        all.likeness += target.share * one.likeness;
        all.floor += target.share * one.floor;
        for (std::size_t f = 0; f < all.facetFloors.size(); ++f)
            all.facetFloors[f] += target.share * one.facetFloors[f];
    }
    return all;
}

double priceOf(Element element) {
    constexpr double common = 0.7, rare = 1.5, opaque = 3.0, copied = 8.0;
    switch (element) {
    case Element::wavetable:
    case Element::sample: return copied;
    case Element::partials:
    case Element::response: return opaque;
    case Element::blend:
    case Element::ring:
    case Element::sync:
    case Element::notch:
    case Element::comb:
    case Element::allPass:
    case Element::folding:
    case Element::shifter:
    case Element::resonator:
    case Element::voiceDrive:
    case Element::equalizer:     // what colors stands in for sources and filters
    case Element::width:         // what chorus and rooms do besides
    case Element::keyTracking:   // what makes up for wrong sources
    case Element::pitchEnvelope: // what makes up for wrong attacks
        return rare;
    default: return common;
    }
}

double balanceOf(Element element, const ElementOdds& odds) {
    return priceOf(element) - perLogOdds * std::clamp(odds.of(element), -mostLogOdds, mostLogOdds);
}

double priceOf(Element element, const ElementOdds& odds) { return std::max(0.0, balanceOf(element, odds)); }

double storyCost(const Patch& patch, const Patch& start, const ElementOdds& odds) {
    double cost = 0.0;
    for (const PatchElement& each : elementsOf(patch)) cost += priceOf(each.element, odds);
    for (const PatchElement& each : elementsOf(start)) cost -= priceOf(each.element, odds);
    return std::max(0.0, cost);
}

double worthOf(const Patch& patch, double likeness, double loss, const Patch& start, const ElementOdds& odds) {
    return likeness - worthPerDb * loss - storyCost(patch, start, odds);
}

} // namespace facet
