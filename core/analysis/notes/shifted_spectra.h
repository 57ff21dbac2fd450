// Keys of notes that one sound plays, by how far their spectra lie apart on a logarithmic axis.
#pragma once

#include "core/analysis/notes/heard_sound.h"
#include "core/analysis/notes/note_spans.h"

#include <cstddef>
#include <vector>

namespace facet {

/// Keys of spans that were played one after the other.
struct ShiftedKeys {
    std::vector<double> keys; ///< one for each span, fractional; a whole number of semitones apart
    /// How well each span's spectrum lies on the others' at these distances: the mean correlation, 0 … 1.
    std::vector<double> fits;
    double alike = 0.0; ///< mean of the fits; high where one sound was played at several keys
};

/// Of more spans there are too many pairs to compare.
inline constexpr std::size_t mostShiftedSpans = 160;

/// What begins with each span (its spectrum less what sounded just before it) is compared with what begins with each
/// other one on an axis of semitones: a sound that is played a key higher moves along it as a whole, whatever its
/// partials are, and what an echo or a room still plays of earlier notes is not compared. The keys are those at which
/// spectra correlate most (J. C. Brown, "Calculation of a constant Q spectral transform", JASA 89, 1991: a
/// transposition is a translation there), sums of harmonics are highest (D. J. Hermes, "Measurement of pitch by
/// subharmonic summation", JASA 83, 1988) and the tracked pitch of spans is met as far as it is clear. At least one
/// span. Throws Cancelled.
ShiftedKeys keysByShift(const HeardSound& sound, const std::vector<NoteSpan>& spans);

/// Gives spans whose pitch their spectra contradict, or that have none, the key that these say; takes out those without
/// a pitch that lie on no other. Nothing else happens where there is one span, or more than mostShiftedSpans. Throws
/// Cancelled.
void placeByShift(const HeardSound& sound, std::vector<NoteSpan>& spans);

} // namespace facet
