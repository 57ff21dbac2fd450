#include "core/match/suggest/next_moves.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/match/suggest/move_search.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace facet {

namespace {

constexpr double roughSeconds = 3.0; ///< seconds of the reference that the first, rough look is at

MatchTarget searchTarget(const MoveTarget& target) {
    MatchTarget searched{*target.reference, target.performance};
    searched.leftOut = target.attention.leftOut;
    return searched;
}

} // namespace

struct MoveFinder::Impl {
    ReferenceScore score;
    Performance early; ///< what the rough look is at
    std::optional<Loss> loss;
    std::optional<MovePlan> measured, searched;

    explicit Impl(const std::vector<MoveTarget>& targets) : score(targets) {
        const MoveTarget& first = targets.front();
        const Attention& attention = first.attention;
        Recording rough = *first.reference;
        early = first.performance;
        const double begin = early.notes.empty() ? 0.0 : early.notes.front().start;
        const double seconds = std::min(early.seconds(), begin + roughSeconds);
        early.frames = static_cast<int>(std::lround(seconds * early.rateHz));
        for (auto& channel : rough.channels) channel.resize(static_cast<std::size_t>(early.frames), 0.0f);
        early.notes.erase(std::remove_if(early.notes.begin(), early.notes.end(),
                                         [&](const Note& note) { return note.start > seconds - 0.05; }),
                          early.notes.end());
        const double upper = upperCutoffHz(atRate(rough, analysisRateHz), first.reference->rateHz);
        const double low = std::max(20.0, attention.lowHz);
        const double high = attention.highHz > 0.0 ? std::min(attention.highHz, upper) : upper;
        const Recording at48k = atRate(rough, analysisRateHz);
        early.frames = at48k.frameCount();
        early.rateHz = analysisRateHz;
        loss.emplace(at48k, early, low, std::max(high, 2.0 * low), attention);
    }

    const MoveTarget& first() const { return score.first(); }

    const MovePlan& measure(int threads, const Task& task) {
        if (!measured) {
            const Recording heard = attended(atRate(*first().reference, analysisRateHz), first().attention);
            const auto losses = [&](const std::vector<Patch>& some) {
                const auto renders = renderAt48k(some, early, task, threads);
                std::vector<double> all(some.size());
                parallelFor(static_cast<int>(some.size()), threads, [&](int i) {
                    all[static_cast<std::size_t>(i)] =
                        Loss::value(loss->residual(renders[static_cast<std::size_t>(i)]));
                });
                return all;
            };
            measured = measuredPlan(*first().profile, heard, score.counted(), losses, threads, task);
        }
        return *measured;
    }

    const MovePlan& search(const MoveSettings& settings, const Task& task) {
        try {
            if (!searched)
                searched = searchedPlan(searchTarget(first()), first().attention, settings.weights,
                                        settings.planSeconds, settings.planEvaluations, settings.threads, task);
        } catch (const Error&) { // what cannot be searched for has been measured all the same
            searched = measure(settings.threads, task);
        }
        return *searched;
    }
};

MoveFinder::MoveFinder(const std::vector<MoveTarget>& targets) : impl_(std::make_unique<Impl>(targets)) {}
MoveFinder::~MoveFinder() = default;

void MoveFinder::prepare(int threads, const Task& task) const { impl_->measure(threads, task); }

NextMoves MoveFinder::find(const Patch& patch, const MoveSettings& settings, const Task& task,
                           const std::function<void(const NextMoves&)>& listener) const {
    Impl& known = *impl_;
    const MoveReference reference{
        *known.first().profile,
        known.early,
        *known.loss,
        [&](const Patch& one, int threads) { return known.score.of(one, settings.weights, threads, task); },
        [&]() -> const MovePlan& { return known.measure(settings.threads, task); },
        [&]() -> const MovePlan& { return known.search(settings, task); },
        known.searched.has_value()};
    return MoveSearch(reference, patch, settings, task).run(listener);
}

} // namespace facet
