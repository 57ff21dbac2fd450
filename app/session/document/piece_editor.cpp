#include "app/session/document/piece_editor.h"

#include <algorithm>

namespace facet {

void PieceEditor::importBacking(const std::filesystem::path& path) {
    imports_.request([path](const Task&) { return std::make_shared<const Backing>(makeBacking(path)); },
                     [this, project = document_.projectNumber()](std::shared_ptr<const Backing> backing) {
                         if (project != document_.projectNumber()) return; // the producer has gone elsewhere meanwhile
                         Document after = document_.document();
                         after.backing = std::move(backing);
                         document_.push(tr("Choose backing"), std::move(after));
                     },
                     [this](const std::exception_ptr& failure) { messages_.report(failure); });
}

void PieceEditor::removeBacking() {
    if (!document_.document().backing) return;
    Document after = document_.document();
    after.backing.reset();
    document_.push(tr("Remove backing"), std::move(after));
}

void PieceEditor::setBackingLevel(double db) {
    if (db == document_.document().backingDb) return;
    Document after = document_.document();
    after.backingDb = db;
    document_.push(tr("Level of backing"), std::move(after), "backing level");
}

void PieceEditor::setPart(std::uint64_t cueId, const PiecePart& part) {
    const Cue* changing = document_.document().find(cueId);
    if (!changing || changing->part == part) return;
    PiecePart leveled = changing->part;
    leveled.levelDb = part.levelDb;
    // A level is turned in many steps, which are one; the rest is chosen.
    const QString mergeKey = leveled == part ? QString("level of part %1").arg(cueId) : QString();
    Cue changed = *changing;
    changed.part = part;
    document_.push(tr("Cue in the piece"), withCue(document_.document(), std::move(changed)), mergeKey);
}

void PieceEditor::placeExcerpt(std::uint64_t cueId, std::uint64_t excerptId, double seconds) {
    const Cue* placing = document_.document().find(cueId);
    if (!placing) return;
    Cue changed = *placing;
    std::shared_ptr<const Excerpt>* slot = changed.slot(excerptId);
    seconds = std::clamp(seconds, 0.0, longestBacking);
    if (!slot || (*slot)->placeInPiece() == seconds) return;
    Excerpt moved = **slot;
    moved.place = seconds;
    *slot = std::make_shared<const Excerpt>(std::move(moved));
    document_.push(tr("Place cue in the piece"), withCue(document_.document(), std::move(changed)),
                   QString("place %1").arg(excerptId));
}

} // namespace facet

#include "moc_piece_editor.cpp"
