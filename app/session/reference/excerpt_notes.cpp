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
    excerpt.readings.clear();
    excerpt.reading = 0;
    if (excerpt.audio->seconds() > longestAnalyzed) {
        excerpt.noteProblem = "This excerpt is longer than two minutes: drag over the sound you want and use the "
                              "selection as reference.";
        return;
    }
    const auto mono = monoMix(atRate(*excerpt.audio, analysisRateHz));
    for (Reading& each : readingsOf(mono, task)) {
        NoteReading reading;
        reading.notes = std::move(each.found.performance.notes);
        reading.tuningCents = each.found.performance.tuningCents;
        if (each.found.tempoConfidence > 0.9) reading.tempo = each.found.performance.tempo;
        reading.probability = each.probability;
        reading.words = std::move(each.words);
        reading.evidence = each.found.evidence();
        reading.problem = std::move(each.found.problem);
        excerpt.readings.push_back(std::move(reading));
    }
    excerpt.readAs(0);
}

} // namespace facet
