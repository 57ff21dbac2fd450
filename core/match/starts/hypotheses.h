// What could have made a reference: kinds of source and filter, with every value that was measured set already.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/match/evidence/side_comb.h"
#include "core/match/starts/seed_bank.h"
#include "core/parameters/patch.h"
#include "core/prior/element_odds.h"

#include <string>
#include <vector>

namespace facet {

/// A structure that could have made the reference, with its values set as measured.
struct Hypothesis {
    std::string words; ///< "saw, low-pass 24 dB"
    Patch patch{};
    bool measured = false; ///< what sets it apart was measured, so a poor first render says little against it
};

/// Starts for a search, simple ones first: textbook waves behind either slope, resonant and saturating filters, stacked
/// and doubled voices, modulation of phase, amplitude and sync, noise, and the partials and cycles of the reference's
/// own longest note. `profile` is of the reference, at 48 kHz; what nothing measured determines comes from `start`.
/// `comb`: of the chorus or flanger that was heard; the partials are read without it. `odds`: what is known of
/// elements; what is likely is told first. `stories`: whether the partials are read at all. `afterwards`
/// takes what is known of elements once they have been.
std::vector<Hypothesis> hypothesesFor(const Profile& profile, const Recording& reference48k, const Patch& start,
                                      int threads = 1, const SideComb* comb = nullptr, const ElementOdds& odds = {},
                                      bool stories = true, ElementOdds* afterwards = nullptr);

/// Patches of the bank that sound most like the longest note that sounds alone, brought to its pitch, nearest first,
/// each as it stands (a gate that was measured is put in) and with the envelopes and the motion that were measured: its
/// structure may be right where its values are not. `pass` 1 gives the next `count` after the first, and so on. None
/// where notes only sound together.
std::vector<Hypothesis> hypothesesFrom(const SeedBank& bank, const Profile& profile, const Recording& reference48k,
                                       double upperHz, int count, int pass = 0);

} // namespace facet
