#include "app/session/reference/notes_controller.h"

#include "app/session/reference/excerpt_notes.h"
#include "core/analysis/notes/reading.h"
#include "core/analysis/notes/tuning.h"
#include "core/performance/midi_file.h"

#include <algorithm>

namespace facet {

NotesController::NotesController(DocumentStore& document, Messages& messages, QObject* parent)
    : QObject(parent), document_(document), messages_(messages) {
    connect(&document_, &DocumentStore::cueEdited, this, [this] {
        const int notes = static_cast<int>(document_.performance().notes.size());
        std::erase_if(chosen_, [notes](int i) { return i >= notes; });
    });
    for (auto elsewhere : {&DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, elsewhere, this, [this] {
            choose({});
            pointAt({});
        });
}

void NotesController::importFile(const std::filesystem::path& midi) {
    if (!document_.cue() || !document_.excerpt()) {
        messages_.say(tr("Open a reference first; then its notes can be imported."));
        return;
    }
    try {
        Performance imported = readMidi(midi);
        imported.tuningCents = tuningAgainst(monoMix(atRate(*document_.excerpt()->audio, analysisRateHz)), imported);
        document_.editExcerpt(tr("Import notes"), document_.excerpt()->id, [&](Excerpt& e) {
            e.performance.notes = imported.notes;
            e.performance.bends = imported.bends;
            // Curves of parameters were drawn here; a MIDI file knows nothing of them.
            std::erase_if(e.performance.curves, [](const Curve& c) { return !c.movesParameter(); });
            for (const Curve& curve : imported.curves) e.performance.setCurve(curve);
            e.performance.tempo = imported.tempo;
            e.performance.beatsPerBar = imported.beatsPerBar;
            e.performance.tuningCents = imported.tuningCents;
            e.imported = true;
            e.noteProblem.clear();
            e.noteEvidence.clear();
            e.corrections.clear();
            e.readings.clear();
            e.reading = 0;
        });
    } catch (const std::exception& failure) {
        messages_.report(failure);
    }
}

void NotesController::findAgain() {
    if (!document_.cue() || !document_.excerpt()) return;
    finding_.request(
        [source = document_.cue()->activePointer()](const Task& task) {
            Excerpt found = *source;
            findNotesOf(found, task);
            return std::make_shared<const Excerpt>(std::move(found));
        },
        [this, project = document_.projectNumber()](std::shared_ptr<const Excerpt> found) {
            if (project != document_.projectNumber()) return;
            document_.editExcerpt(tr("Find notes again"), found->id, [&](Excerpt& e) {
                e.performance = found->performance; // corrections stay
                e.imported = false;
                e.noteProblem = found->noteProblem;
                e.noteEvidence = found->noteEvidence;
                e.readings = found->readings;
                e.reading = found->reading;
            });
            if (!found->noteProblem.empty()) messages_.say(QString::fromStdString(found->noteProblem));
        },
        [this](const std::exception_ptr& failure) { messages_.report(failure); });
}

void NotesController::chooseReading(std::size_t index) {
    const Excerpt* excerpt = document_.cue() ? document_.excerpt() : nullptr;
    if (!excerpt || index >= excerpt->readings.size() || (index == excerpt->reading && !excerpt->imported)) return;
    const QString words = QString::fromStdString(excerpt->readings[index].words);
    choose({});
    document_.editExcerpt(tr("Read as %1").arg(words), excerpt->id, [&](Excerpt& e) { e.readAs(index); });
    emit readingChosen();
}

void NotesController::chooseNextReading() {
    const Excerpt* excerpt = document_.cue() ? document_.excerpt() : nullptr;
    if (!excerpt || excerpt->readings.size() < 2)
        return messages_.say(tr("The notes of this recording can be read in one way only."));
    chooseReading((excerpt->reading + 1) % excerpt->readings.size());
    messages_.say(tr("Read as %1")
                      .arg(QString::fromStdString(document_.excerpt()->readings[document_.excerpt()->reading].words)));
}

std::optional<std::size_t> NotesController::outlined() const {
    const Excerpt* excerpt = document_.cue() ? document_.excerpt() : nullptr;
    if (!excerpt || excerpt->readings.size() < 2) return {};
    if (pointedAt_ && *pointedAt_ < excerpt->readings.size() && *pointedAt_ != excerpt->reading) return pointedAt_;
    return excerpt->reading == 0 ? 1 : 0;
}

void NotesController::pointAt(std::optional<std::size_t> reading) {
    if (reading == pointedAt_) return;
    pointedAt_ = reading;
    emit outlinedChanged();
}

void NotesController::change(const QString& what, const std::vector<NoteChange>& changes, const QString& mergeKey) {
    if (changes.empty() || !document_.cue() || !document_.excerpt()) return;
    document_.editExcerpt(
        what, document_.excerpt()->id,
        [&](Excerpt& e) { e.corrections = correctedFurther(std::move(e.corrections), changes); }, mergeKey);
    // What was changed is what is edited next.
    NoteChoice chosen;
    const auto notes = document_.performance().notes;
    for (const NoteChange& change : changes) {
        const auto found = change.to ? std::find(notes.begin(), notes.end(), *change.to) : notes.end();
        if (found != notes.end()) chosen.insert(static_cast<int>(found - notes.begin()));
    }
    choose(chosen);
}

void NotesController::choose(const NoteChoice& chosen) {
    if (chosen == chosen_) return;
    chosen_ = chosen;
    emit chosenChanged();
}

void NotesController::correct(const QString& what, const Note& from, const std::optional<Note>& to,
                              const QString& mergeKey) {
    change(what, {{from, to}}, mergeKey);
}

void NotesController::add(const Note& note) { change(tr("Add note"), {{std::nullopt, note}}); }

void NotesController::setTempo(double beatsPerMinute) {
    if (!document_.cue() || !document_.excerpt()) return;
    document_.editExcerpt(
        tr("Set tempo"), document_.excerpt()->id,
        [&](Excerpt& e) { e.performance.tempo = std::clamp(beatsPerMinute, 10.0, 1000.0); }, "tempo");
    emit gridChanged();
}

void NotesController::setDownbeat(double seconds) {
    if (!document_.cue() || !document_.excerpt()) return;
    document_.editExcerpt(
        tr("Set bar 1"), document_.excerpt()->id, [&](Excerpt& e) { e.performance.downbeat = seconds; }, "downbeat");
    emit gridChanged();
}

void NotesController::setBeatsPerBar(int beats) {
    if (!document_.cue() || !document_.excerpt()) return;
    document_.editExcerpt(tr("Set meter"), document_.excerpt()->id,
                          [&](Excerpt& e) { e.performance.beatsPerBar = std::clamp(beats, 1, 32); });
    emit gridChanged();
}

void NotesController::setBends(const std::vector<CurvePoint>& points, const QString& mergeKey) {
    if (!document_.cue() || !document_.excerpt()) return;
    document_.editExcerpt(
        tr("Draw bend"), document_.excerpt()->id,
        [&](Excerpt& e) {
            e.performance.bends = points;
            e.performance.normalize();
        },
        mergeKey);
}

void NotesController::setCurve(const Curve& curve, const QString& mergeKey) {
    if (!document_.cue() || !document_.excerpt()) return;
    document_.editExcerpt(
        tr("Draw curve"), document_.excerpt()->id, [&](Excerpt& e) { e.performance.setCurve(curve); }, mergeKey);
}

Grid NotesController::grid() const {
    const Performance now = document_.performance();
    return {now.tempo, now.downbeat, now.beatsPerBar, gridStep_};
}

void NotesController::setGridStep(double quarterNotes) {
    gridStep_ = quarterNotes;
    emit gridChanged();
}

void NotesController::setSnapping(bool on) {
    snapping_ = on;
    emit gridChanged();
}

} // namespace facet

#include "moc_notes_controller.cpp"
