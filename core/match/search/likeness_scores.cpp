#include "core/match/search/likeness_scores.h"

#include "core/base/parallel.h"
#include "core/engine/render.h"

#include <utility>

namespace facet {

double LikenessScores::likenessOf(const Patch& patch, std::array<double, facetCount>* facets, int threads) const {
    double likeness = 0.0;
    const MatchSettings& settings = inputs_.settings;
    for (const PreparedTarget& target : inputs_.targets) {
        const Recording render = std::move(renderAt48k({&patch, 1}, target.performance, inputs_.task).front());
        const Comparison comparison = target.compareWith(render, threads, settings.weights, inputs_.task);
        likeness += target.share * comparison.likeness;
        if (!facets || &target != &inputs_.targets.front()) continue;
        facets->fill(notMeasurable);
        for (const auto& each : comparison.facets)
            if (each.measured) (*facets)[static_cast<std::size_t>(each.facet)] = each.likeness;
    }
    return likeness;
}

const LikenessScore& LikenessScores::of(const Patch& patch) {
    const std::uint64_t key = patch.hash();
    auto known = known_.find(key);
    if (known == known_.end() || !known->second.complete) {
        const auto begun = std::chrono::steady_clock::now();
        LikenessScore score;
        score.likeness = likenessOf(patch, &score.facets, inputs_.settings.threads);
        score.complete = true;
        budget_.setScoreSeconds(secondsSince(begun)); // the targets' own measurement took longer
        known = known_.insert_or_assign(key, score).first;
    }
    return known->second;
}

std::vector<double> LikenessScores::measureAll(const std::vector<Patch>& patches) {
    std::vector<double> likenesses(patches.size());
    std::vector<std::size_t> unknown;
    for (std::size_t i = 0; i < patches.size(); ++i) {
        const auto known = known_.find(patches[i].hash());
        if (known == known_.end())
            unknown.push_back(i);
        else
            likenesses[i] = known->second.likeness;
    }
    parallelFor(static_cast<int>(unknown.size()), inputs_.settings.threads, [&](int k) {
        const std::size_t i = unknown[static_cast<std::size_t>(k)];
        likenesses[i] = likenessOf(patches[i], nullptr, 1);
    });
    for (std::size_t i : unknown) known_[patches[i].hash()] = {likenesses[i], {}, false};
    return likenesses;
}

std::optional<double> LikenessScores::nowAndThen(const Patch& patch) {
    constexpr double every = 1.5; // seconds
    const std::uint64_t key = patch.hash();
    if (!known_.contains(key) && secondsSince(lastMeasured_) > every) {
        known_[key] = {measure(patch), {}, false};
        lastMeasured_ = std::chrono::steady_clock::now();
    }
    const auto known = known_.find(key);
    return known == known_.end() ? std::nullopt : std::optional(known->second.likeness);
}

} // namespace facet
