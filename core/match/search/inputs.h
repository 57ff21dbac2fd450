// What a search is given, unchanged while it runs.
#pragma once

#include "core/base/task.h"
#include "core/match/optimize/search_space.h"
#include "core/prior/element_odds.h"
#include "core/match/search/match_settings.h"
#include "core/match/targets/prepared_target.h"

#include <memory>
#include <vector>

namespace facet {

/// References to what outlives the search.
struct SearchInputs {
    const std::vector<PreparedTarget>& targets; ///< what candidates are compared with; not empty
    const std::vector<PreparedTarget>& wholes;  ///< what they are parts of, at the full rate
    const MatchSettings& settings;
    const Task& task;
    Identifiable identifiable; ///< what the targets can determine at all
    /// What the recording's elements are likely to be. Known better once its partials have been read (race); searches
    /// on parts of it share it.
    std::shared_ptr<ElementOdds> odds = std::make_shared<ElementOdds>();

    /// What a refinement may move: what is identifiable, less what the recording is unlikely to have.
    Identifiable movable() const;
    const PreparedTarget& whole() const { return wholes.front(); }
    const Profile& profile() const { return whole().profile; }
    /// Whether a patch cannot be how the recording was made: noise alone, where a pitch is heard clearly. Shaped noise
    /// comes near any sound whose partials are a little off.
    bool isNoiseForTone(const Patch& patch) const;
    /// How unlikely the elements of a patch are together: the log odds against each that is less likely than not, of
    /// which mostLogOdds counts at most. 0 where nothing is known.
    double logOddsAgainst(const Patch& patch) const;
    /// worthOf() for what the search begins with and knows.
    double worthOf(const Patch& patch, double likeness, double loss) const;
};

/// What the notes of the targets and their channels can determine: key tracking needs at least 3 semitones between
/// their keys, velocity response at least 5 between their velocities (core/performance/spread.h), and
/// width two channels whose difference is heard (side level above −40 dB re the middle: common practice, no source).
Identifiable identifiableBy(const std::vector<PreparedTarget>& targets);

} // namespace facet
