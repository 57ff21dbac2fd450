// Where a search's time goes.
#pragma once

#include <chrono>
#include <ctime>
#include <string>
#include <vector>

namespace facet {

/// What one stage has taken so far.
struct StageTime {
    std::string stage;      ///< as in docs/search.md
    double seconds = 0.0;   ///< by the clock
    double processor = 0.0; ///< seconds of all threads of the process
    double renders = 0.0;   ///< of everything that is compared; one of a part counts by its part
    int candidates = 0;
    double comparing = 0.0; ///< seconds of all threads within losses
};

/// A stage that is entered again goes on. Used by the search's own thread.
class StageTimes {
public:
    StageTimes() { enter("measure"); }
    /// What follows belongs to this stage.
    void enter(const std::string& stage);
    /// Candidates of the present stage that were rendered and compared.
    void count(int candidates, double renders, double comparing);
    /// In the order in which they were first entered, the present one up to now.
    std::vector<StageTime> all();

private:
    void leave();

    std::vector<StageTime> stages_;
    std::size_t present_ = 0;
    std::chrono::steady_clock::time_point since_ = std::chrono::steady_clock::now();
    std::clock_t processorSince_ = std::clock();
};

} // namespace facet
