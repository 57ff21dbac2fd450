// Rounds: changes of the best patch tried, re-optimized and refined, until none gains any more.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// How much a round tries.
enum class Depth {
    quick,    ///< what gains most; no restarts
    usual,    ///< as many again, and restarts near the best
    thorough, ///< rejected proposals too, and each newly added module is fitted by itself first
};

/// Rounds of growing depth, with scoreBest() after each, until a thorough one and CMA-ES gain less than a hundredth.
/// Throws BudgetSpent and Cancelled.
void settle(SearchState& state, Allowance allowance);

/// One quick round. True while another is worth making. Throws likewise.
bool quickRound(SearchState& state, Allowance allowance);

/// Whether notes of the best start at one phase, as a bass's onset lets hear: sixteen phases are tried. Throws
/// likewise.
void fixPhases(SearchState& state, Allowance allowance);

} // namespace facet
