// Levels of the multiples and half multiples of a note's pitch, at instants that lie closer where envelopes move.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/match/evidence/side_comb.h"

#include <array>
#include <vector>

namespace facet {

inline constexpr int lineCount = 48;              ///< half multiples 1 … 48 of the pitch
inline constexpr std::size_t fundamentalLine = 1; ///< place of the pitch itself among them

/// What sounds at an instant of one note.
struct LineInstant {
    std::size_t note = 0;                  ///< of the profile
    double sinceNote = 0.0;                ///< seconds from its beginning
    double at = 0.0;                       ///< seconds from the recording's
    double hz = 0.0;                       ///< the note's pitch
    int frames = 1;                        ///< of which it is the mean
    double frameStep = 0.0;                ///< seconds from one to the next; the instant is their middle
    std::array<float, lineCount> levels{}; ///< dB re the strongest, at least −60
    /// How much each counts, 0 … 1: 0 where it lies beyond the band, belongs to another note, or sounded before this
    /// one.
    std::array<float, lineCount> weights{};
    std::array<bool, lineCount> heard{}; ///< whether it stands out of what lies beside it
    double worth = 1.0;                  ///< 0 … 1: what is far softer than the note's loudest instant tells little
};

/// Takes what a chorus or flanger makes of the partials out of their levels.
void takeOut(const SideComb& comb, std::vector<LineInstant>& instants);

/// At most `most` instants in at most twelve notes: those that sound alone, or, where none does, all, as far as their
/// lines lie clear of each other's.
std::vector<LineInstant> lineInstantsOf(const Profile& profile, const Recording& recording48k, double upperHz,
                                        std::size_t most = 48);

} // namespace facet
