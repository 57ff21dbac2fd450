#include "app/session/reference/excerpt_notes.h"

#include "core/analysis/notes/reading.h"

namespace facet {

namespace {

/// Longer excerpts are kept, but neither analyzed nor matched.
constexpr double longestAnalyzed = 120.0; // seconds

} // namespace

void findNotesOf(Excerpt& excerpt, const Task& task) {
    excerpt.imported = false;
    excerpt.performance.notes.clear();
    if (excerpt.audio->seconds() > longestAnalyzed) {
        excerpt.noteProblem = "This excerpt is longer than two minutes: drag over the sound you want and use the "
                              "selection as reference.";
        return;
    }
    const auto mono = monoMix(atRate(*excerpt.audio, analysisRateHz));
    FoundNotes found = findNotes(mono, task);
    excerpt.performance.notes = found.performance.notes;
    excerpt.performance.tuningCents = found.performance.tuningCents;
    if (found.tempoConfidence > 0.9) excerpt.performance.tempo = found.performance.tempo;
    excerpt.noteProblem = found.problem;
    excerpt.noteEvidence = found.evidence();
}

} // namespace facet
