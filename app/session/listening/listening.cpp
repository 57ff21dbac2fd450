#include "app/session/listening/listening.h"

#include "core/analysis/separation.h"
#include "core/audio/time_stretch.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/compare/sound_difference.h"
#include "core/engine/render.h"
#include "core/parameters/audition.h"
#include "core/performance/slow_motion.h"

#include <algorithm>

namespace facet {

namespace {

constexpr double longestAudition = 120.0; // seconds
constexpr int heardNoteMs = 300;

Patch partOf(const Patch& patch, HeardModules heard, const std::string& path) {
    switch (heard) {
    case HeardModules::alone: return alone(patch, path);
    case HeardModules::upTo: return upTo(patch, path);
    case HeardModules::without: return without(patch, path);
    case HeardModules::dryFrom: return withoutEffectsFrom(patch, path);
    case HeardModules::whole: break;
    }
    return patch;
}

} // namespace

Listening::Listening(DocumentStore& document, ResultsController& results, ReferenceController& reference,
                     Playback& playback, Messages& messages, QObject* parent)
    : QObject(parent), document_(document), results_(results), reference_(reference), playback_(playback),
      messages_(messages), piece_(messages) {
    connect(&document_, &DocumentStore::cueEdited, this, [this] { other_.reset(); });
    connect(&document_, &DocumentStore::lookedElsewhere, this, [this] {
        other_.reset();
        playback_.player().stop();
    });
    connect(&document_, &DocumentStore::replaced, this, [this] {
        other_.reset();
        playback_.player().stop();
        hearPiece(false);
        auditionBegin_ = -1.0;
    });
    connect(&results_, &ResultsController::sidesGone, this, &Listening::clearSides);
    connect(&results_, &ResultsController::referenceShown, this, [this](const RecordingPtr& atPlayersRate) {
        referenceAtRate_ = atPlayersRate;
        giveReference();
    });
    connect(&results_, &ResultsController::referenceKept, this, &Listening::giveReference);
    connect(&results_, &ResultsController::renderShown, this, &Listening::giveRender);
    connect(&playback_, &Playback::slownessChanged, this, [this] {
        if (playback_.slowness() > 1) hearPiece(false);
        giveReference();
        giveRender();
    });
    connect(&piece_, &PieceMixing::given, this, &Listening::pieceChanged);
    noteEnd_.setSingleShot(true);
    connect(&noteEnd_, &QTimer::timeout, this, [this] {
        playback_.player().noteOff(heardKey_);
        heardKey_ = -1;
    });
}

void Listening::followDocument() {
    if (!document_.cue()) return;
    setLoop();
    givePiece();
    playback_.player().setPatch(compile(document_.cue()->patch));
}

void Listening::forgetGiven() { piece_.forget(); }

void Listening::clearSides() {
    if (hearingPiece_) return; // other cues are heard
    playback_.player().clearSound(Side::reference);
    playback_.player().clearSound(Side::render);
}

void Listening::give(Side side, const RecordingPtr& recording, double gainDb, bool slow) {
    if (auditioning()) return; // endAudition() gives everything again
    if (hearingPiece_) return;
    if (hearingDifference_) {
        giveDifference();
        return;
    }
    auto& job = sides_[static_cast<std::size_t>(side)];
    const Excerpt* excerpt = document_.excerpt();
    Attention attention = excerpt ? document_.cue()->attentionTo(*excerpt) : Attention{};
    const HeardPart part = side == Side::reference ? referencePart_ : HeardPart::all;
    const int slowness = slow ? 1 : playback_.slowness();
    for (TimeSpan& span : attention.leftOut)
        if (slow) span = {span.begin * playback_.slowness(), span.end * playback_.slowness()};
    if (slowness == 1 && attention.everything() && part == HeardPart::all) {
        job.cancel();
        playback_.player().setSound(side, *recording, gainDb);
        return;
    }
    job.request(
        [recording, attention, part, slowness](const Task& task) {
            Recording sound = *recording;
            if (part != HeardPart::all) {
                SeparatedSound parts = separated(sound, task);
                sound = std::move(part == HeardPart::tonal ? parts.tonal : parts.struck);
            }
            return std::make_shared<const Recording>(stretched(attended(sound, attention), slowness, task));
        },
        [this, side, gainDb](const RecordingPtr& ready) { playback_.player().setSound(side, *ready, gainDb); });
}

// ---- the reference ----

void Listening::giveReference() {
    if (auditioning() || !referenceAtRate_) return;
    give(Side::reference, referenceAtRate_, 0.0);
}

void Listening::hearReferencePart(HeardPart part) {
    if (part == referencePart_) return;
    referencePart_ = part;
    giveReference();
    emit changed();
}

void Listening::audition(double begin, double end) {
    SourceView& source = reference_.source();
    if (!source.overview()) return;
    end = std::min({end, begin + longestAudition, source.end()});
    if (!(end > begin)) return;
    hearPiece(false);
    sides_[0].request(
        [begin, end, rate = playback_.player().rateHz(), read = source.reader()](const Task&) {
            const Recording piece = read(begin, end);
            return std::make_shared<const Recording>(
                atRate(piece.channelCount() > 2 ? chosenChannels(piece, {}) : piece, rate));
        },
        [this, begin](const RecordingPtr& ready) {
            auditionBegin_ = begin;
            playback_.setLoop(0.0, 0.0);
            playback_.player().clearSound(Side::render);
            playback_.player().setSound(Side::reference, *ready, 0.0);
            playback_.seek(0.0);
            playback_.play(Side::reference);
            emit auditionChanged();
        },
        [this](const std::exception_ptr& failure) { messages_.report(failure); });
}

void Listening::endAudition() {
    sides_[0].cancel(); // what is still being read is not wanted any more
    if (!auditioning()) return;
    auditionBegin_ = -1.0;
    playback_.player().stop();
    playback_.player().clearSound(Side::reference);
    setLoop();
    playback_.seek(document_.cue() ? document_.cue()->loopBegin : 0.0);
    giveReference();
    giveRender();
    emit auditionChanged();
}

// ---- the render ----

/// At the reference's loudness; what is silent stays silent.
void Listening::giveMatched(const MeasuredSound& render, bool slow) {
    const MeasuredSound& reference = results_.state().reference;
    const bool silent = render.loudness < silenceDb + 1.0 || !reference.recording;
    give(Side::render, render.recording, silent ? 0.0 : reference.loudness - render.loudness, slow);
}

void Listening::giveRender() {
    const bool anew = slowAnew_ && playback_.slowness() > 1;
    givePiece(); // another patch may be tried out
    const MeasuredSound& render = results_.state().render;
    if (!render.recording || hearingPiece_) {
        parts_.cancel();
        return;
    }
    const bool whole = heardModules_ == HeardModules::whole || !canHear(heardModules_, heardModule_);
    if (!other_ && whole && !anew) {
        parts_.cancel();
        giveMatched(render, false);
        return;
    }
    const Patch& patch = document_.cue()->patch;
    const Patch part = other_ ? *other_ : whole ? patch : partOf(patch, heardModules_, heardModule_);
    Performance played = other_ && otherPlayed_ ? *otherPlayed_ : document_.performance();
    if (anew) played = slowed(played, playback_.slowness());
    parts_.request(
        [part, played](const Task& task) {
            return soundOf(std::make_shared<const Recording>(facet::render(part, played, task)));
        },
        [this, anew](const MeasuredSound& sound) { giveMatched(sound, anew); });
}

void Listening::hearModules(HeardModules heard, const std::string& path) {
    if (heard == heardModules_ && path == heardModule_) return;
    heardModules_ = heard;
    heardModule_ = path;
    giveRender();
    emit modulesChanged();
}

bool Listening::canHear(HeardModules heard, const std::string& path) const {
    if (heard == HeardModules::whole) return true;
    if (!document_.excerpt() || !document_.cue()->patch.find(path)) return false;
    try {
        partOf(document_.cue()->patch, heard, path);
        return true;
    } catch (const Error&) {
        return false; // what has no such place in the signal's way
    }
}

void Listening::hearOther(const std::optional<Patch>& patch, const std::optional<Performance>& played) {
    if (patch == other_ && played == otherPlayed_) return;
    other_ = patch;
    otherPlayed_ = played;
    giveRender();
}

void Listening::playOther(const Patch& patch, const std::optional<Performance>& played) {
    hearOther(patch, played);
    playback_.play(Side::render);
}

void Listening::setSlowAnew(bool on) {
    if (on == slowAnew_) return;
    slowAnew_ = on;
    giveRender();
}

void Listening::hearNote(const Note& note) {
    Player& player = playback_.player();
    if (heardKey_ >= 0) player.noteOff(heardKey_);
    heardKey_ = note.key;
    player.noteOn(note.key, note.velocity);
    noteEnd_.start(heardNoteMs);
}

// ---- both ----

void Listening::hearDifference(bool on) {
    if (on == hearingDifference_) return;
    if (on) hearPiece(false);
    hearingDifference_ = on;
    differing_.cancel();
    if (on) {
        giveDifference();
    } else {
        giveReference();
        giveRender();
    }
    emit changed();
    emit playback_.changed();
}

/// From the sounds as they are heard otherwise: the excerpt and the render of the whole patch, at full speed.
void Listening::giveDifference() {
    const Excerpt* excerpt = document_.excerpt();
    const CueResults& results = results_.state();
    const RecordingPtr rendered = results.render.recording;
    if (!hearingDifference_ || !referenceAtRate_ || !rendered || !excerpt || auditioning()) return;
    const double gain = results.reference.loudness - results.render.loudness;
    differing_.request(
        [reference = referenceAtRate_, rendered, gain, attention = document_.cue()->attentionTo(*excerpt),
         slowness = playback_.slowness(), rate = playback_.player().rateHz()](const Task& task) {
            SoundDifference parts = differenceBetween(attended(*reference, attention),
                                                      attended(atRate(*rendered, rate), attention), gain, task);
            return Difference{std::make_shared<const Recording>(stretched(parts.lacking, slowness, task)),
                              std::make_shared<const Recording>(stretched(parts.excess, slowness, task))};
        },
        [this, gain](const Difference& difference) {
            if (!hearingDifference_) return;
            playback_.player().setSound(Side::reference, *difference.lacking, 0.0);
            playback_.player().setSound(Side::render, *difference.excess, gain);
        });
}

// ---- the piece ----

double Listening::place() const { return document_.excerpt() ? document_.excerpt()->placeInPiece() : 0.0; }

double Listening::phrasePosition() const { return playback_.position() - (hearingPiece_ ? place() : 0.0); }

void Listening::seekInPhrase(double seconds) {
    playback_.seek(std::max(0.0, seconds + (hearingPiece_ ? place() : 0.0)));
}

void Listening::hearPiece(bool on) {
    if (on == hearingPiece_) return;
    const double at = phrasePosition();
    if (on) {
        endAudition();
        hearDifference(false);
        playback_.setSlowness(1);
    }
    hearingPiece_ = on;
    piece_.cancel();
    piece_.forget();
    for (Side side : {Side::reference, Side::render}) {
        sides_[static_cast<std::size_t>(side)].cancel();
        playback_.player().clearSound(side);
    }
    if (on) {
        parts_.cancel();
        givePiece();
    } else {
        playback_.player().setBacking(nullptr);
        giveReference();
        giveRender();
    }
    setLoop();
    const Excerpt* excerpt = document_.excerpt();
    seekInPhrase(excerpt ? std::clamp(at, 0.0, excerpt->audio->seconds()) : 0.0);
    emit pieceChanged();
    emit playback_.changed();
}

void Listening::loopWholePiece(bool whole) {
    if (whole == wholePiece_) return;
    wholePiece_ = whole;
    setLoop();
    emit pieceChanged();
}

/// The loop of the cue, in the piece too; without one, the piece goes from a bar before the excerpt to a beat behind
/// it.
void Listening::setLoop() {
    const Cue* cue = document_.cue();
    if (auditioning() || !cue) return;
    if (!hearingPiece_) {
        playback_.setLoop(cue->loopBegin, cue->loopEnd);
    } else if (wholePiece_ || !cue->excerpt()) {
        playback_.setLoop(0.0, 0.0);
    } else if (cue->loopEnd > cue->loopBegin) {
        playback_.setLoop(place() + cue->loopBegin, place() + cue->loopEnd);
    } else {
        const Performance& played = cue->excerpt()->performance;
        const double beat = 60.0 / std::max(1.0, played.tempo);
        playback_.setLoop(std::max(0.0, place() - played.beatsPerBar * beat),
                          place() + cue->excerpt()->audio->seconds() + beat);
    }
}

/// A patch that is tried out is heard in its place in the piece, too.
void Listening::givePiece() {
    if (!hearingPiece_ || auditioning()) return;
    playback_.player().setBackingLevel(document_.document().backingDb);
    Document heard = document_.document();
    if (other_ && document_.cue()) {
        Cue trying = *document_.cue();
        trying.patch = *other_;
        trying.part.take = 0;
        heard = withCue(heard, std::move(trying));
    }
    piece_.mix(heard, playback_.player());
}

} // namespace facet

#include "moc_listening.cpp"
