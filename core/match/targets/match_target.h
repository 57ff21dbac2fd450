// What a search is to come close to, before it is measured.
#pragma once

#include "core/audio/attention.h"
#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <cstdint>
#include <string>
#include <vector>

namespace facet {

/// One way to read the notes of a recording.
struct ReadNotes {
    Performance performance;  ///< states the reference's extent
    std::string words{};      ///< what it takes the recording for: "one held note behind a gate"
    double probability = 1.0; ///< > 0, against those of the other readings
};

/// One recording with its notes.
struct MatchTarget {
    Recording reference;
    Performance performance;         ///< states the reference's extent
    double weight = 1.0;             ///< > 0, against those of the other targets
    std::vector<TimeSpan> leftOut{}; ///< seconds of the reference that are not compared
    /// Ways to read the recording, that of `performance` first; with fewer than two that one is certain.
    std::vector<ReadNotes> readings{};
};

/// How targets are measured.
struct TargetSettings {
    double focusLowHz = 20.0;     ///< only the band from here …
    double focusHighHz = 20000.0; ///< … to here is compared
    std::uint64_t seed = 1;       ///< of the renders they are compared with
    int threads = 2;
};

} // namespace facet
