// Which stretches of a recording are notes of their own.
#pragma once

#include <vector>

namespace facet {

/// A stretch with one pitch, from an onset on.
struct NoteSpan {
    double start;
    double end;
    double pitch;       ///< median, fractional key
    double topDb;       ///< highest level
    bool rises = true;  ///< begins with a rise of the level, not with another pitch alone
    double clear = 1.0; ///< share of its time in which its pitch is heard clearly and near to it, 0 … 1
};

/// Takes out what is no note of its own; spans are in order and not changed otherwise:
///  - the two halves of notes whose attack dips: where most notes of a phrase begin with a short burst of the same key
///    the two become one;
///  - what a release leaves: a short soft stretch at the end of a long note, or a much softer one of the same key or
///    without a rise of its own (what rings on at another pitch).
/// The limits are from trials with sampled and modeled instruments; no source.
void keepNotesOnly(std::vector<NoteSpan>& spans);

/// Joins spans that are one note: of one key without a pause and without a dip of 6 dB or more between them, as
/// vibrato, beating and effects break a held note; and short ones on the way from the key before to the key behind,
/// which is a glide into it. `dips`: by how many dB the level falls before each span, below its own top. Limits chosen
/// by hand.
void joinContinued(std::vector<NoteSpan>& spans, const std::vector<double>& dips);

} // namespace facet
