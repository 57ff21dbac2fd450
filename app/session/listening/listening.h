// What is heard: which sound is given to each side of the player.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/listening/piece_mixing.h"
#include "app/session/listening/playback.h"
#include "app/session/reference/reference_controller.h"
#include "app/session/results/results_controller.h"

#include <QObject>
#include <QTimer>
#include <optional>
#include <string>

namespace facet {

/// How much of the patch is heard, around one of its modules; comparison and search always take the whole.
enum class HeardModules { whole, alone, upTo, without, dryFrom };

/// Normally the reference and the render of the active cue, at equal loudness. In their place can be heard: a part of
/// the reference, another patch or a part of this one, the difference of the two sounds, a passage of the source, or
/// all cues in the piece. What must be rendered, cut or stretched first comes from a worker. GUI thread only.
class Listening : public QObject {
    Q_OBJECT

public:
    Listening(DocumentStore& document, ResultsController& results, ReferenceController& reference, Playback& playback,
              Messages& messages, QObject* parent = nullptr);

    /// The loop, the live keyboard's patch and the piece follow the document. Call after it has changed.
    void followDocument();
    /// The player is a new one and has heard nothing yet.
    void forgetGiven();

    // ---- the reference ----

    void hearReferencePart(HeardPart part);
    HeardPart heardPart() const { return referencePart_; }
    /// Plays a part of the source, seconds, in place of the reference, until endAudition().
    void audition(double begin, double end);
    void endAudition();
    bool auditioning() const { return auditionBegin_ >= 0.0; }
    /// Place in the source while auditioning, seconds.
    double auditionPosition() const { return auditionBegin_ + playback_.position(); }

    // ---- the render ----

    void hearModules(HeardModules heard, const std::string& path = {});
    HeardModules heardModules() const { return heardModules_; }
    const std::string& heardModule() const { return heardModule_; }
    /// Whether a module can be heard so.
    bool canHear(HeardModules heard, const std::string& path) const;
    /// Another patch is heard as the render, at the reference's loudness; nothing: the patch itself again, as after an
    /// edit. `played`: it plays these notes in place of the phrase's.
    void hearOther(const std::optional<Patch>& patch, const std::optional<Performance>& played = {});
    /// The same, and plays it.
    void playOther(const Patch& patch, const std::optional<Performance>& played = {});
    /// Whether slow listening plays the render anew at the lower tempo, its envelopes at full speed, in place of
    /// stretching it.
    void setSlowAnew(bool on);
    bool slowAnew() const { return slowAnew_; }
    /// Plays a note with the patch for a moment, while it is being edited.
    void hearNote(const Note& note);

    // ---- both ----

    /// In place of the reference what the render lacks of it is heard, in place of the render what it has too much.
    void hearDifference(bool on);
    bool hearingDifference() const { return hearingDifference_; }

    // ---- the piece ----

    /// In place of one reference and its render all of them are heard at their places, with the backing, at full speed.
    void hearPiece(bool on);
    bool hearingPiece() const { return hearingPiece_; }
    /// Whether all that is heard then has been rendered for the first time.
    bool pieceReady() const { return piece_.ready(); }
    /// The backing as it is heard, with its picture; empty before.
    const MeasuredSound& backingSound() const { return piece_.backing(document_.document()); }
    /// Loops all of it, not only the cue being worked on and what comes just before.
    void loopWholePiece(bool whole);
    bool loopsWholePiece() const { return wholePiece_; }
    /// Where the player is in the phrase of the excerpt in view, seconds; outside of it while the piece is heard.
    double phrasePosition() const;
    void seekInPhrase(double seconds);

    /// Whether something that is to be heard is still being cut, stretched or rendered.
    bool busy() const { return sides_[0].busy() || sides_[1].busy() || parts_.busy() || differing_.busy(); }

signals:
    /// What is heard of the cue: parts, difference.
    void changed();
    void auditionChanged();
    void modulesChanged();
    void pieceChanged();

private:
    struct Difference {
        RecordingPtr lacking, excess; ///< at the player's rate
    };

    /// Gives a sound to the player: at once as it is, or from a worker when it must be cut, parted or stretched.
    /// `slow`: it is as slow already as it is to be heard.
    void give(Side side, const RecordingPtr& recording, double gainDb, bool slow = false);
    void giveReference();
    void giveRender();
    void giveMatched(const MeasuredSound& render, bool slow);
    void giveDifference();
    void givePiece();
    void clearSides();
    void setLoop();
    /// Seconds into the piece at which the excerpt in view stands.
    double place() const;

    DocumentStore& document_;
    ResultsController& results_;
    ReferenceController& reference_;
    Playback& playback_;
    Messages& messages_;

    RecordingPtr referenceAtRate_; ///< at the player's rate
    HeardPart referencePart_ = HeardPart::all;
    double auditionBegin_ = -1.0; ///< seconds into the source; < 0: the reference is heard
    HeardModules heardModules_ = HeardModules::whole;
    std::string heardModule_;
    std::optional<Patch> other_;             ///< heard in place of the patch
    std::optional<Performance> otherPlayed_; ///< what that plays; nothing: the phrase
    bool slowAnew_ = false;
    bool hearingDifference_ = false;
    bool hearingPiece_ = false;
    bool wholePiece_ = false;
    QTimer noteEnd_; ///< of what hearNote() plays
    int heardKey_ = -1;

    PieceMixing piece_;
    LatestJob<RecordingPtr> sides_[2]; ///< band, parts and slow listening
    LatestJob<MeasuredSound> parts_;   ///< renders of other patches and of parts
    LatestJob<Difference> differing_;
};

} // namespace facet
