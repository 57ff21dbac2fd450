// What a move does, and why, in words of the trade.
#pragma once

#include "core/analysis/profile.h"
#include "core/compare/comparison.h"
#include "core/parameters/patch.h"
#include "core/parameters/signal_parts.h"
#include "core/prior/element_odds.h"

#include <set>
#include <string>

namespace facet {

/// Elements of a patch that another has not.
std::set<Element> elementsBeyond(const Patch& patch, const Patch& other);

/// "Filter cutoff 2.6 kHz → 900 Hz", "Vibrato 5.6 Hz, ±30 ct", "Close the filter: low-pass 24 dB, …". `asParts`: what
/// was changed is told by the parts it belongs to, also where it is a value or two.
std::string wordsOfMove(const Patch& before, const Patch& after, bool asParts = false);

/// What tells a change from others whatever its size: "filter:a/cutoff", "+chorus", "part filter".
std::string ideaOfMove(const Patch& before, const Patch& after);

/// What is known when moves are looked for.
struct MoveReasons {
    const Profile& reference;
    const Profile& render;   ///< of the patch before
    const Comparison& apart; ///< how the two compare
    const ElementOdds& odds;
};
/// "In each note the cutoff goes from 1.7 kHz to 166 Hz within 280 ms; the render holds still." From what was measured
/// of the elements that a change brings; else what differs in the facet that gains most.
std::string reasonOfMove(const std::set<Element>& brought, Facet gains, const MoveReasons& known);

} // namespace facet
