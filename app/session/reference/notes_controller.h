// The notes of the excerpt in view: imported, found, corrected, chosen; its tempo, bends and curves.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "core/performance/note_edit.h"

#include <QObject>
#include <filesystem>
#include <memory>
#include <optional>
#include <vector>

namespace facet {

/// Each edit is one step of undo; edits with equal `mergeKey` in a row become one. Without an excerpt nothing happens.
/// GUI thread only.
class NotesController : public QObject {
    Q_OBJECT

public:
    NotesController(DocumentStore& document, Messages& messages, QObject* parent = nullptr);

    /// From a MIDI file. A problem is reported.
    void importFile(const std::filesystem::path& midi);
    /// Finds the notes in the recording anew, in the background; corrections stay.
    void findAgain();

    /// The notes as another reading has them (an index into Excerpt::readings); corrections stay. Nothing happens where
    /// there is no such reading.
    void chooseReading(std::size_t index);
    /// The next of the readings, the first after the last.
    void chooseNextReading();
    /// The reading that is drawn beside the chosen one: that pointed at, otherwise the likeliest that is not chosen;
    /// nothing where there is no other.
    std::optional<std::size_t> outlined() const;
    /// Points at a reading; nothing: at none.
    void pointAt(std::optional<std::size_t> reading);

    /// Changes one note of the corrected performance; nothing as `to` deletes it.
    void correct(const QString& what, const Note& from, const std::optional<Note>& to, const QString& mergeKey = {});
    void add(const Note& note);
    /// Changes any number of notes of the corrected performance in one step; they are chosen then.
    void change(const QString& what, const std::vector<NoteChange>& changes, const QString& mergeKey = {});

    /// Quarter notes per minute, 10 … 1000.
    void setTempo(double beatsPerMinute);
    void setDownbeat(double seconds);
    void setBeatsPerBar(int beats);
    /// Replaces the bend curve (cents) or the curve of a controller or parameter.
    void setBends(const std::vector<CurvePoint>& points, const QString& mergeKey = {});
    void setCurve(const Curve& curve, const QString& mergeKey = {});

    /// Notes that edits are made to: indices into DocumentStore::performance().notes.
    const NoteChoice& chosen() const { return chosen_; }
    void choose(const NoteChoice& chosen);

    /// The grid of the excerpt in view, and whether edits snap to it: a matter of the window, not of the document.
    Grid grid() const;
    void setGridStep(double quarterNotes);
    void setSnapping(bool on);
    bool snapping() const { return snapping_; }

    bool busy() const { return finding_.busy(); }

signals:
    void chosenChanged();
    void outlinedChanged();
    /// Other notes are read now, which the producer wants to hear.
    void readingChosen();
    void gridChanged();

private:
    DocumentStore& document_;
    Messages& messages_;
    NoteChoice chosen_;
    std::optional<std::size_t> pointedAt_;
    double gridStep_ = 0.25;
    bool snapping_ = false;
    LatestJob<std::shared_ptr<const Excerpt>> finding_;
};

} // namespace facet
