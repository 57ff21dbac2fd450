#include "core/match/search/reading_trials.h"

#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/search/race.h"
#include "core/match/search/score.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

namespace {

/// Of the budget, for all trials together: enough to compare what measurements suggest, and little where one reading
/// is likely.
constexpr double shareOfTrials = 0.3;
/// No further reading is tried where that would take more than this, measuring included: what is known of the chosen
/// one serves the search, what is known of another only where it wins.
constexpr double mostOfTrials = 0.4;

/// How far a patch with a reading's notes lies from the recordings by what no reading has a say in: spectra and levels,
/// not the pitches of its own notes. dB.
double lossWithoutNotes(const ReadingSearch& search, const Patch& patch) {
    double loss = 0.0;
    for (const PreparedTarget& target : search.searched) {
        const Loss neutral(target.reference, Performance{}, search.state->inputs.settings.focusLowHz, target.upperHz,
                           target.attention);
        const Recording sound = std::move(renderAt48k({&patch, 1}, target.performance).front());
        loss += target.share * Loss::value(neutral.residual(sound));
    }
    return loss;
}

/// Runs the trial of one; false when it was stopped.
bool tryOne(SearchState& state, const Allowance& allowance) {
    try {
        state.budget.stages().enter("readings");
        tryReading(state, allowance);
    } catch (const BudgetSpent&) {
        // What was seen until then is what it is judged by.
    } catch (const Cancelled&) {
        return false;
    }
    return true;
}

} // namespace

double worthOfReading(double worthOfBest, std::size_t notes, double probability) {
    constexpr double perNote = 0.5, perLogProbability = 10.0;
    return worthOfBest - perNote * static_cast<double>(notes) + perLogProbability * std::log(probability);
}

MatchListener ReadingReports::listenerOf(std::size_t reading) {
    if (!listener_) return {};
    return [this, reading](const MatchProgress& now) { pass(reading, now); };
}

void ReadingReports::follow(std::size_t reading) {
    fresh_ = fresh_ || reading != followed_;
    followed_ = reading;
}

void ReadingReports::pass(std::size_t reading, MatchProgress now) {
    now.reading = reading;
    if (reading == followed_) {
        now.improved = now.improved || fresh_;
        fresh_ = false;
        shown_ = std::move(now);
        listener_(shown_);
        shown_.improved = false;
    } else if (!fresh_) {
        // What another reading comes to is compared with other notes: until it wins, only that it is tried is told.
        shown_.trying = now.trying;
        shown_.fraction = now.fraction;
        shown_.evaluations = now.evaluations;
        shown_.seconds = now.seconds;
        listener_(shown_);
    }
}

std::size_t tryReadings(std::deque<ReadingSearch>& searches, const std::vector<ReadNotes>& readings,
                        std::vector<ReadingTrial>& trials) {
    double known = 0.0;
    for (const ReadingSearch& each : searches) known += readings[each.reading].probability;
    std::size_t best = 0;
    double spent = searches.front().state->budget.fraction(), one = 0.0; // by one trial
    for (std::size_t i = 0; i < searches.size(); ++i) {
        SearchState& state = *searches[i].state;
        if (i > 0) one = std::max(one, state.budget.fraction() - std::exchange(spent, state.budget.fraction()));
        if (i > 0 && spent + one > mostOfTrials) break;
        const ReadNotes& reading = readings[searches[i].reading];
        const double share = shareOfTrials * static_cast<double>(i + 1) / static_cast<double>(searches.size());
        const bool finished = tryOne(state, {.share = share, .strict = true});
        if (state.leaderboard.empty()) break;
        const Candidate& found = state.leaderboard.best();
        const std::size_t notes = reading.performance.notes.size();
        ReadingTrial trial{searches[i].reading, reading.words, notes, reading.probability / known};
        trial.loss = lossWithoutNotes(searches[i], found.patch);
        try {
            trial.likeness = state.scores.of(found.patch).likeness;
        } catch (const Cancelled&) {
            break; // what is not compared says nothing
        }
        const double worth = state.inputs.worthOf(found.patch, trial.likeness, trial.loss);
        trial.worth = worthOfReading(worth, notes, trial.probability);
        trials.push_back(trial);
        if (trial.worth > trials[best].worth) best = i;
        if (!finished) break;
    }
    return best;
}

} // namespace facet
