// Readings of a recording side by side: which of them the search goes on with.
#pragma once

#include "core/match/search/state.h"
#include "core/match/targets/match_target.h"
#include "core/match/targets/prepared_target.h"

#include <cstddef>
#include <deque>
#include <memory>
#include <string>
#include <vector>

namespace facet {

/// How a reading fared.
struct ReadingTrial {
    std::size_t reading = 0; ///< index into MatchTarget::readings
    std::string words;       ///< what it takes the recording for
    std::size_t notes = 0;
    double probability = 1.0; ///< by the notes alone, against the other readings that were tried
    double loss = 0.0;        ///< of its best after the trial, dB, without what depends on the notes
    double likeness = 0.0;    ///< of the same, 0 … 100
    double worth = 0.0;       ///< what decides, see worthOfReading()
};

/// What a reading is worth after its trial: worthOf() its best, less 0.5 for each note, and 10 for each factor e of
/// probability. More notes must earn their keep, and what is unlikely by itself must sound better. Both constants were
/// fitted to the tuning half of the phrases that bench/readings/phrases.py makes.
double worthOfReading(double worthOfBest, std::size_t notes, double probability);

/// The search of one reading.
struct ReadingSearch {
    std::size_t reading;                  ///< index into MatchTarget::readings of the first target
    std::vector<PreparedTarget> prepared; ///< all targets, in full
    std::vector<PreparedTarget> searched; ///< what the search compares with
    MatchListener listener{};
    std::unique_ptr<SearchState> state{}; ///< refers to the three above
};

/// Shows the progress of several searches as that of one, whose best is the followed one's. The listener is called on
/// the search's thread; may be null.
class ReadingReports {
public:
    explicit ReadingReports(const MatchListener& listener) : listener_(listener) {}
    ReadingReports(const ReadingReports&) = delete;

    /// For the search of one reading; null where nobody listens.
    MatchListener listenerOf(std::size_t reading);
    /// At first that of reading 0.
    void follow(std::size_t reading);

private:
    void pass(std::size_t reading, MatchProgress now);

    const MatchListener& listener_;
    std::size_t followed_ = 0;
    bool fresh_ = true; ///< nothing of the followed search was shown yet
    MatchProgress shown_;
};

/// Runs a short trial of each of several searches, which share one budget, and returns the index of the one to go on
/// with; the trials say how each fared, in their order. A stop ends them early: the best of what was tried is gone on
/// with then.
std::size_t tryReadings(std::deque<ReadingSearch>& searches, const std::vector<ReadNotes>& readings,
                        std::vector<ReadingTrial>& trials);

} // namespace facet
