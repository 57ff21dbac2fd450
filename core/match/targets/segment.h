// Parts of a recording with its notes that stand for the whole.
#pragma once

#include "core/match/targets/match_target.h"

namespace facet {

/// The most informative part of at most so many seconds: long notes, and notes of different keys and loudness. It
/// begins a moment before a note, or with the recording where a note soon follows, and ends behind its last.
TimeSpan mostInformativeSpan(const MatchTarget& target, double longest);

/// What lies between two instants, with the notes that sound there.
MatchTarget segmentOf(const MatchTarget& target, const TimeSpan& span);

} // namespace facet
