// What the commands listen to: a recording with its notes, and a request to stop.
#pragma once

#include "core/analysis/notes/reading.h"
#include "core/audio/recording.h"
#include "core/compare/comparison.h"
#include "core/match/suggest/reference_score.h"
#include "core/match/targets/match_target.h"
#include "core/performance/performance.h"

#include <stop_token>
#include <string>
#include <thread>
#include <utility>
#include <vector>

namespace CLI {
class App;
}

namespace facet::cli {

/// A reference with its notes: imported, or found in the recording.
struct Heard {
    Recording recording;
    Performance performance;
    std::string problem;               ///< why found notes are not to be trusted
    std::string evidence;              ///< what was decided while finding them
    std::vector<ReadNotes> readings{}; ///< of the recording, that of `performance` first; empty where one was chosen
};

/// Options that say what to listen to; see --help.
struct Listening {
    std::string reference{};
    std::string notes{};
    std::string performance{}; ///< in place of `notes`: with curves, bends and tuning
    std::string region{};
    std::string channels = "both";
    double tempo = 0.0; ///< quarter notes per minute; 0: as found
    int reading = 0;    ///< which reading of the recording, counted from 1, where no notes are given; 0: the likeliest

    void addTo(CLI::App& command);
};

/// Reads the recording, and reads or finds its notes. Throws Error.
Heard hear(const Listening& options);
/// The readings of a recording alone, the likeliest first. Throws Error.
std::vector<Reading> readingsHeard(const Listening& options);

/// The same with its profile, as something to come closer to.
MoveTarget moveTargetOf(const Heard& heard, int threads);

/// "LOW:HIGH" as two increasing numbers. Throws CLI::ValidationError, which names the option.
std::pair<double, double> parsePair(const std::string& text, const char* option);
/// What is wrong with a pair, as CLI11 asks; empty when nothing is.
std::string problemOfPair(const std::string& text);
/// "brightness" → the facet. Throws Error for a name that is none.
Facet facetOfWord(std::string name);
/// "space,width" → those facets weigh nothing. Throws Error for a name that is no facet.
FacetWeights weightsWithout(const std::string& names);

/// Turns Ctrl-C into a stop request, so that the best so far is still written. One at a time.
class StopOnSignal {
public:
    StopOnSignal();
    std::stop_token token() const { return watcher_.get_stop_source().get_token(); }

private:
    mutable std::jthread watcher_;
};

} // namespace facet::cli
