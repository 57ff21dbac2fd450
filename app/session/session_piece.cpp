// All cues at their places in the piece, together with its backing.
#include "app/session/session.h"

#include "core/base/error.h"

#include <algorithm>

namespace facet {

// ---- edits ----

void Session::importBacking(const std::filesystem::path& path) {
    imports_.submit([this, path, project = projectCount_](const Task&) {
        std::shared_ptr<const Backing> backing;
        std::exception_ptr failure;
        try {
            backing = std::make_shared<const Backing>(makeBacking(path));
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, backing, failure, project] {
            try {
                if (failure) std::rethrow_exception(failure);
                if (project != projectCount_) return; // the producer has gone elsewhere meanwhile
                Document after = *document_;
                after.backing = backing;
                push(tr("Choose backing"), std::move(after));
            } catch (const std::exception& problem) {
                report(problem);
            }
        });
    });
}

void Session::removeBacking() {
    if (!document_->backing) return;
    Document after = *document_;
    after.backing.reset();
    push(tr("Remove backing"), std::move(after));
}

void Session::setBackingLevel(double db) {
    if (db == document_->backingDb) return;
    Document after = *document_;
    after.backingDb = db;
    push(tr("Level of backing"), std::move(after), "backing level");
}

void Session::setPart(std::uint64_t cueId, const PiecePart& part) {
    const Cue* changing = document_->find(cueId);
    if (!changing || changing->part == part) return;
    PiecePart leveled = changing->part;
    leveled.levelDb = part.levelDb;
    // A level is turned in many steps, which are one; the rest is chosen.
    const QString mergeKey = leveled == part ? QString("level of part %1").arg(cueId) : QString();
    Cue changed = *changing;
    changed.part = part;
    push(tr("Cue in the piece"), withCue(*document_, std::move(changed)), mergeKey);
}

void Session::placeExcerpt(std::uint64_t cueId, std::uint64_t excerptId, double seconds) {
    const Cue* placing = document_->find(cueId);
    if (!placing) return;
    Cue changed = *placing;
    std::shared_ptr<const Excerpt>* slot = changed.slot(excerptId);
    seconds = std::clamp(seconds, 0.0, longestBacking);
    if (!slot || (*slot)->placeInPiece() == seconds) return;
    Excerpt moved = **slot;
    moved.place = seconds;
    *slot = std::make_shared<const Excerpt>(std::move(moved));
    push(tr("Place cue in the piece"), withCue(*document_, std::move(changed)), QString("place %1").arg(excerptId));
}

// ---- hearing ----

const MeasuredSound& Session::backingSound() const {
    static const MeasuredSound none;
    return document_->backing && document_->backing->audioKey == backingKey_ ? backing_ : none;
}

double Session::place() const { return cue() && cue()->excerpt() ? cue()->excerpt()->placeInPiece() : 0.0; }

double Session::phrasePosition() const { return playback_.position() - (hearingPiece_ ? place() : 0.0); }

void Session::seekInPhrase(double seconds) { playback_.seek(std::max(0.0, seconds + (hearingPiece_ ? place() : 0.0))); }

void Session::hearPiece(bool on) {
    if (on == hearingPiece_) return;
    const double at = phrasePosition();
    if (on) {
        endAudition();
        hearDifference(false);
        playback_.setSlowness(1);
    }
    hearingPiece_ = on;
    shownPiece_ = 0;
    ++pieceTurn_;
    for (Side side : {Side::reference, Side::render}) {
        ++heard_[static_cast<std::size_t>(side)]; // what is on its way is not wanted any more
        playback_.player().clearSound(side);
    }
    if (on) {
        ++partTurn_;
        givePiece();
    } else {
        piecing_.cancel();
        pieceReady_ = false;
        playback_.player().setBacking(nullptr);
        hearReference();
        hearRender();
    }
    loopAsChosen();
    seekInPhrase(cue() && cue()->excerpt() ? std::clamp(at, 0.0, cue()->excerpt()->audio->seconds()) : 0.0);
    emit pieceChanged();
    emit playback_.changed();
}

void Session::loopWholePiece(bool whole) {
    if (whole == wholePiece_) return;
    wholePiece_ = whole;
    loopAsChosen();
    emit pieceChanged();
}

/// The loop of the cue, in the piece too; without one, the piece goes from a bar before the excerpt to a beat behind
/// it.
void Session::loopAsChosen() {
    const Cue* current = cue();
    if (auditioning() || !current) return;
    if (!hearingPiece_) {
        playback_.setLoop(current->loopBegin, current->loopEnd);
    } else if (wholePiece_ || !current->excerpt()) {
        playback_.setLoop(0.0, 0.0);
    } else if (current->loopEnd > current->loopBegin) {
        playback_.setLoop(place() + current->loopBegin, place() + current->loopEnd);
    } else {
        const Performance& played = current->excerpt()->performance;
        const double beat = 60.0 / std::max(1.0, played.tempo);
        playback_.setLoop(std::max(0.0, place() - played.beatsPerBar * beat),
                          place() + current->excerpt()->audio->seconds() + beat);
    }
}

/// Mixes what changed in the background. A patch that is tried out is heard in its place in the piece, too.
void Session::givePiece() {
    if (!hearingPiece_ || auditioning()) return;
    playback_.player().setBackingLevel(document_->backingDb);
    Document heard = *document_;
    if (other_ && cue()) {
        Cue trying = *cue();
        trying.patch = *other_;
        trying.part.take = 0;
        heard = withCue(heard, std::move(trying));
    }
    const std::uint64_t key = hashOfPiece(heard);
    if (key == shownPiece_) return;
    shownPiece_ = key;
    piecing_.submit([this, heard, given = backing_.recording, peaks = backing_.peaks, anew = !pieceReady_,
                     turn = ++pieceTurn_, rate = playback_.player().rateHz()](const Task& task) {
        try {
            const std::string backingKey = heard.backing ? heard.backing->audioKey : "";
            if (!mixer_ || mixer_->rateHz() != rate) mixer_ = std::make_unique<PieceMixer>(rate);
            const auto ready = [rate](const PlacedSound& sound) {
                return std::make_shared<std::unique_ptr<const PlayableSound>>(
                    std::make_unique<const PlayableSound>(sound.sound, rate, 0.0, sound.begin));
            };
            const PieceMix mixed = mixer_->mix(heard, task);
            const RecordingPtr backing = mixer_->backing(heard);
            task.check();
            const auto references = ready(mixed.references), renders = ready(mixed.renders);
            const auto behind = backing && (anew || backing != given) ? ready({*backing, 0.0}) : nullptr;
            MeasuredSound shown;
            shown.recording = backing;
            if (backing) shown.peaks = backing == given ? peaks : std::make_shared<const Peaks>(*backing);
            post([this, turn, references, renders, shown, behind, backingKey] {
                if (turn != pieceTurn_ || !hearingPiece_) return;
                playback_.player().setSound(Side::reference, std::move(*references));
                playback_.player().setSound(Side::render, std::move(*renders));
                if (behind || !shown.recording) playback_.player().setBacking(behind ? std::move(*behind) : nullptr);
                backing_ = shown;
                backingKey_ = backingKey;
                pieceReady_ = true;
                emit pieceChanged();
            });
        } catch (const Cancelled&) {
        } catch (const std::exception& failure) {
            post([this, words = QString::fromUtf8(failure.what())] { emit problem(words, {}); });
        }
    });
}

} // namespace facet
