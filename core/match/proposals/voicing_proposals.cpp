#include "core/match/proposals/voicing_proposals.h"

#include "core/parameters/table.h"

#include <algorithm>

namespace facet {

namespace {

/// What the notes of a phrase allow.
struct Line {
    bool oneVoice = true; ///< no two begin together
    bool tied = false;    ///< some overlap
};

Line lineOf(const Profile& reference) {
    constexpr double together = 0.03, overlapping = 0.005; // seconds
    std::vector<Note> notes;
    for (const NoteProfile& each : reference.notes) notes.push_back(each.note);
    std::sort(notes.begin(), notes.end(), [](const Note& a, const Note& b) { return a.start < b.start; });
    Line line{notes.size() > 1, false};
    for (std::size_t i = 1; i < notes.size(); ++i) {
        if (notes[i].start < notes[i - 1].start + together) line.oneVoice = false;
        if (notes[i].start < notes[i - 1].end - overlapping) line.tied = true;
    }
    return line;
}

} // namespace

void proposeVoicings(const ProposalContext& in, std::vector<Patch>& out) {
    const Line line = lineOf(in.reference);
    if (!line.oneVoice) return;
    const auto propose = [&](VoiceMode mode, double glideMs, bool always) {
        proposeValues(in,
                      {{{"voicing", "mode"}, static_cast<double>(mode)},
                       {{"voicing", "glide"}, glideMs},
                       {{"voicing", "glide_when"}, always ? 0.0 : 1.0}},
                      out);
    };
    propose(VoiceMode::poly, 0.0, false);
    if (line.tied)
        for (double ms : {0.0, 30.0, 60.0, 110.0}) propose(VoiceMode::legato, ms, false);
    for (double ms : {50.0, 120.0}) propose(VoiceMode::legato, ms, true);
}

} // namespace facet
