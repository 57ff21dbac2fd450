#include "core/base/parallel.h"
#include "core/compare/loss.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/match/match.h"
#include "core/match/prepared_target.h"

#include <algorithm>
#include <cmath>

namespace facet {

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
                  const Performance& performance, int seeds, const Task& task, const Attention& attention,
                  const FacetWeights& weights) {
    ScoredPatch scored;
    scored.patch = patch;
    Performance played = performance;
    played.rateHz = analysisRateHz;
    played.frames = reference48k.frameCount();
    played.channelCount = reference48k.channelCount();
    const Loss loss(reference48k, played, 20.0, 20000.0, attention);
    std::vector<Profile> profiles(static_cast<std::size_t>(seeds));
    std::vector<double> losses(profiles.size());
    std::vector<Comparison> comparisons(profiles.size());
    parallelFor(seeds, hardwareThreads(), [&](int s) {
        const auto at = static_cast<std::size_t>(s);
        Performance seeded = played;
        seeded.seed += static_cast<std::uint64_t>(s);
        const Recording rendered = std::move(renderAt48k({&patch, 1}, seeded, task).front());
        losses[at] = Loss::value(loss.residual(rendered));
        profiles[at] = PreparedTarget::measure(rendered, seeded, attention, &profile.source, 1, task);
        comparisons[at] = compare(profile, profiles[at], weights);
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
        const Comparison between = compare(profiles.front(), profiles[static_cast<std::size_t>(s)], weights);
        scored.floor += between.likeness / (seeds - 1);
        for (std::size_t f = 0; f < between.facets.size(); ++f)
            scored.facetFloors[f] += between.facets[f].likeness / (seeds - 1);
    }
    return scored;
}

} // namespace facet
