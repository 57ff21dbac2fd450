// What follows from the document: pictures, renders, profiles and comparisons, made in the background.
#include "app/session/session.h"

#include "core/analysis/quality.h"
#include "core/analysis/separation.h"
#include "core/audio/attention.h"
#include "core/audio/time_stretch.h"
#include "core/compare/picture_difference.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/performance/slow_motion.h"
#include "core/parameters/audition.h"

#include <algorithm>

namespace facet {

namespace {

Patch partOf(const Patch& patch, Session::Hearing hearing, const std::string& path) {
    switch (hearing) {
    case Session::Hearing::alone: return alone(patch, path);
    case Session::Hearing::upTo: return upTo(patch, path);
    case Session::Hearing::without: return without(patch, path);
    case Session::Hearing::dryFrom: return withoutEffectsFrom(patch, path);
    case Session::Hearing::whole: break;
    }
    return patch;
}

} // namespace

// ---- results ----

std::uint64_t Session::profileKeyOf(const Cue& cue, const Excerpt& excerpt) {
    Hasher hash;
    hash.number(excerpt.soundHash()).number(excerpt.corrected().hash()).number(analysisVersion);
    hash.number(cue.focusLowHz).number(cue.focusHighHz);
    for (const TimeSpan& span : excerpt.leftOut) hash.number(span.begin).number(span.end);
    return hash.value();
}

std::uint64_t Session::renderKeyOf(const Cue& cue, const Excerpt& excerpt) {
    Hasher hash;
    hash.number(profileKeyOf(cue, excerpt)).number(cue.patch.hash()).number(cue.id);
    for (double weight : cue.facetWeights) hash.number(weight);
    return hash.value();
}

MeasuredSound soundOf(RecordingPtr recording) {
    MeasuredSound sound;
    sound.loudness = activeLoudness(atRate(*recording, analysisRateHz).channels);
    sound.recording = std::move(recording);
    sound.peaks = std::make_shared<const Peaks>(*sound.recording);
    return sound;
}

bool Session::busy() const { return imports_.busy() || loader_.busy() || interactive_.busy() || match_.running; }

void Session::clearSides() {
    if (hearingPiece_) return; // other cues are heard
    playback_.player().clearSound(Side::reference);
    playback_.player().clearSound(Side::render);
}

void Session::loadReference() {
    const Cue& current = *cue();
    const Excerpt& excerpt = *current.excerpt();
    const std::uint64_t key = profileKeyOf(current, excerpt);
    if (key == referenceKey_ && results_.cue == current.id) return;
    referenceKey_ = key;
    if (results_.cue != current.id || shownAudio_ != excerpt.audio) {
        results_ = {};
        results_.cue = current.id;
        shownAudio_ = excerpt.audio;
        clearSides();
        loader_.submit([this, audio = excerpt.audio, rate = playback_.player().rateHz()](const Task&) {
            const auto converted = std::make_shared<const Recording>(atRate(*audio, rate));
            MeasuredSound sound = soundOf(audio);
            const RecordingQuality quality = measureQuality(*audio);
            post([this, sound, converted, quality] {
                if (sound.recording != shownAudio_) return;
                results_.warnings = warningsOf(quality, sound.recording->seconds(), performance().tuningCents);
                showReference(sound, converted);
                makeSpectrograms();
            });
        });
    } else {
        hearReference(); // its band may have changed
    }
    results_.reference.profile = profileOf(key);
}

void Session::showReference(const MeasuredSound& reference, RecordingPtr atPlayersRate) {
    const ProfilePtr profile = results_.reference.profile;
    results_.reference = reference;
    results_.reference.profile = profile;
    referenceAtRate_ = std::move(atPlayersRate);
    hearReference();
    if (results_.render.recording) { // its gain depends on the reference's loudness
        const bool current = results_.renderIsCurrent;
        showRender(results_.render);
        results_.renderIsCurrent = current;
    }
    emit resultsChanged();
}

/// The reference, or the part of it that is to be heard.
void Session::hearReference() {
    if (auditioning() || !referenceAtRate_) return;
    hear(Side::reference, referenceAtRate_, 0.0);
}

/// Gives a sound to the player: at once as it is, or from a worker when it must be cut, parted or stretched.
void Session::hear(Side side, const RecordingPtr& recording, double gainDb, bool slow) {
    if (auditioning()) return; // endAudition() gives everything again
    if (hearingPiece_) return;
    if (hearingDifference_) {
        giveDifference();
        return;
    }
    const auto index = static_cast<std::size_t>(side);
    const std::uint64_t turn = ++heard_[index];
    const Cue* current = cue();
    Attention attention = current && current->excerpt() ? current->attentionTo(*current->excerpt()) : Attention{};
    const Part part = side == Side::reference ? heardPart_ : Part::all;
    const int slowness = slow ? 1 : playback_.slowness();
    for (TimeSpan& span : attention.leftOut)
        if (slow) span = {span.begin * playback_.slowness(), span.end * playback_.slowness()};
    if (slowness == 1 && attention.everything() && part == Part::all) {
        hearing_[index].cancel();
        playback_.player().setSound(side, *recording, gainDb);
        return;
    }
    hearing_[index].submit([this, side, index, turn, recording, gainDb, attention, part, slowness](const Task& task) {
        RecordingPtr ready;
        try {
            Recording sound = *recording;
            if (part != Part::all) {
                SeparatedSound parts = separated(sound, task);
                sound = std::move(part == Part::tonal ? parts.tonal : parts.struck);
            }
            ready = std::make_shared<const Recording>(stretched(attended(sound, attention), slowness, task));
        } catch (const Cancelled&) {
            return;
        }
        post([this, side, index, turn, ready, gainDb] {
            if (turn == heard_[index]) playback_.player().setSound(side, *ready, gainDb);
        });
    });
}

void Session::wantSpectrograms(bool wanted, bool difference) {
    spectrogramsWanted_ = wanted;
    differenceWanted_ = difference;
    makeSpectrograms();
}

void Session::makeSpectrograms() {
    const MeasuredSound &reference = results_.reference, &rendered = results_.render;
    const bool both = reference.recording && rendered.recording;
    const bool difference = differenceWanted_ && both && !results_.lacking;
    const bool missing =
        (reference.recording && !reference.spectrogram) || (rendered.recording && !rendered.spectrogram);
    if (!spectrogramsWanted_ || (!missing && !difference)) return;
    pictures_.submit([this, sounds = std::array{reference, rendered}, difference,
                      gain = reference.loudness - rendered.loudness](const Task& task) mutable {
        try {
            for (MeasuredSound& sound : sounds) {
                if (!sound.recording || sound.spectrogram) continue;
                sound.spectrogram = std::make_shared<const Spectrogram>(measureSpectrogram(*sound.recording, task));
                post([this, sound] {
                    for (MeasuredSound* shown : {&results_.reference, &results_.render})
                        if (shown->recording == sound.recording) shown->spectrogram = sound.spectrogram;
                    emit resultsChanged();
                });
            }
            if (!difference) return;
            const PictureDifference found = differenceOf(*sounds[0].spectrogram, *sounds[1].spectrogram, gain);
            const auto lacking = std::make_shared<const Spectrogram>(found.lacking);
            const auto excess = std::make_shared<const Spectrogram>(found.excess);
            post([this, lacking, excess, of = sounds[1].recording] {
                if (results_.render.recording != of) return;
                results_.lacking = lacking;
                results_.excess = excess;
                emit resultsChanged();
            });
        } catch (const Cancelled&) {}
    });
}

/// Brings everything that follows from the document up to date, in the background.
void Session::refresh() {
    const Cue* current = cue();
    if (!current) return;
    loopAsChosen();
    givePiece();
    playback_.player().setPatch(compile(current->patch));
    if (!current->excerpt()) {
        if (shownAudio_ || results_.cue != current->id) {
            shownAudio_.reset();
            results_ = {};
            results_.cue = current->id;
            referenceKey_ = renderKey_ = 0;
            clearSides();
        }
        emit resultsChanged();
        return;
    }
    loadReference();
    const std::uint64_t key = renderKeyOf(*current, *current->excerpt());
    if (key == renderKey_) {
        compareOthers(); // a weight may have changed
        emit resultsChanged();
        lookForMoves(); // and so may a lock
        return;
    }
    renderKey_ = key;
    results_.renderIsCurrent = results_.comparisonIsCurrent = false;
    emit resultsChanged();

    const Performance played = current->excerpt()->corrected();
    if (played.notes.empty()) {
        interactive_.cancel();
        results_.render = {};
        results_.comparison.reset();
        results_.reference.profile.reset();
        emit resultsChanged();
        return;
    }
    interactive_.submit([this, key, played, weights = current->facetWeights, patch = current->patch,
                         audio = current->excerpt()->audio, attention = current->attentionTo(*current->excerpt()),
                         profileKey = referenceKey_, profile = results_.reference.profile](const Task& task) {
        MeasuredSound rendered = soundOf(std::make_shared<const Recording>(render(patch, played, task)));
        post([this, key, rendered] {
            if (key == renderKey_) showRender(rendered);
        });
        const int threads = hardwareThreads();
        const Performance counted = attendedNotes(played, attention.leftOut);
        ProfilePtr reference = profile;
        if (!reference)
            reference = std::make_shared<const Profile>(
                measureProfile(attended(*audio, attention), counted, {.source = nullptr, .threads = threads}, task));
        task.check();
        rendered.profile =
            std::make_shared<const Profile>(measureProfile(attended(*rendered.recording, attention), counted,
                                                           {.source = &reference->source, .threads = threads}, task));
        const auto comparison = std::make_shared<const Comparison>(compare(*reference, *rendered.profile, weights));
        post([this, key, profileKey, reference, rendered, comparison] {
            profiles_[profileKey] = reference;
            if (profileKey == referenceKey_) results_.reference.profile = reference;
            if (key != renderKey_) return;
            const SpectrogramPtr picture = results_.render.spectrogram;
            results_.render = rendered;
            results_.render.spectrogram = picture; // of this render since it was first shown
            results_.comparison = comparison;
            results_.renderIsCurrent = results_.comparisonIsCurrent = true;
            results_.floor = -1.0;
            measureFloor();
            compareOthers();
            emit resultsChanged();
            lookForMoves();
        });
    });
}

/// Brings the likeness of the whole cue up to date: the excerpt in view is compared, the others follow one by one.
void Session::compareOthers() {
    const Cue* current = cue();
    if (!current || !current->excerpt() || !results_.comparison || !results_.comparisonIsCurrent) return;
    const Excerpt& inView = *current->excerpt();
    std::map<std::uint64_t, double> known;
    std::vector<std::shared_ptr<const Excerpt>> wanted;
    known[inView.id] = results_.comparison->likeness;
    for (const auto& each : current->excerpts) {
        if (each.get() == &inView || each->weight <= 0.0 || each->corrected().notes.empty()) continue;
        const std::uint64_t key = renderKeyOf(*current, *each);
        if (const auto found = likenesses_.find(key); found != likenesses_.end())
            known[each->id] = found->second;
        else
            wanted.push_back(each);
    }
    likenesses_[renderKey_] = results_.comparison->likeness;
    results_.excerptLikeness = known;
    double sum = 0.0;
    double weights = 0.0;
    for (const auto& each : current->excerpts) {
        if (!known.contains(each->id)) continue;
        // One that is set aside still counts when nothing else does.
        const double weight = known.size() == 1 ? std::max(each->weight, 1e-6) : each->weight;
        sum += weight * known[each->id];
        weights += weight;
    }
    results_.likeness = weights > 0.0 ? sum / weights : results_.comparison->likeness;
    if (wanted.empty()) return;
    others_.submit([this, excerpt = wanted.front(), weights = current->facetWeights, patch = current->patch,
                    key = renderKeyOf(*current, *wanted.front()), profileKey = profileKeyOf(*current, *wanted.front()),
                    attention = current->attentionTo(*wanted.front()),
                    profile = profileOf(profileKeyOf(*current, *wanted.front()))](const Task& task) {
        try {
            const Performance played = excerpt->corrected();
            const Performance counted = attendedNotes(played, attention.leftOut);
            const Recording rendered = render(patch, played, task);
            ProfilePtr reference = profile;
            if (!reference)
                reference = std::make_shared<const Profile>(
                    measureProfile(attended(*excerpt->audio, attention), counted, {}, task));
            const Profile other = measureProfile(attended(rendered, attention), counted,
                                                 {.source = &reference->source, .threads = 1}, task);
            post([this, key, profileKey, reference, likeness = compare(*reference, other, weights).likeness] {
                profiles_[profileKey] = reference;
                likenesses_[key] = likeness;
                compareOthers();
                emit resultsChanged();
            });
        } catch (const Cancelled&) {}
    });
}

ProfilePtr Session::profileOf(std::uint64_t key) const {
    const auto known = profiles_.find(key);
    return known == profiles_.end() ? nullptr : known->second;
}

void Session::showRender(MeasuredSound rendered) {
    const ProfilePtr old = results_.render.profile;
    results_.render = rendered;
    results_.render.profile = old; // the curves stay until the new ones are measured
    results_.lacking = results_.excess = nullptr;
    results_.renderIsCurrent = true;
    hearRender();
    emit resultsChanged();
    makeSpectrograms();
}

/// The render, or what is to be heard of the patch, at the reference's loudness; what is silent stays silent.
void Session::hearRender() {
    const bool anew = slowAnew_ && playback_.slowness() > 1;
    const auto hearMatched = [this, anew](const MeasuredSound& sound) {
        const bool silent = sound.loudness < silenceDb + 1.0 || !results_.reference.recording;
        hear(Side::render, sound.recording, silent ? 0.0 : results_.reference.loudness - sound.loudness, anew);
    };
    const std::uint64_t turn = ++partTurn_;
    givePiece(); // another patch may be tried out
    if (!results_.render.recording || hearingPiece_) return;
    const bool whole = hearingPart_ == Hearing::whole || !canHear(hearingPart_, heardModule_);
    if (!other_ && whole && !anew) {
        parts_.cancel();
        hearMatched(results_.render);
        return;
    }
    const Patch part = other_ ? *other_ : whole ? cue()->patch : partOf(cue()->patch, hearingPart_, heardModule_);
    Performance played = cue()->excerpt()->corrected();
    if (anew) played = slowed(played, playback_.slowness());
    parts_.submit([this, turn, part, hearMatched, played](const Task& task) {
        try {
            const MeasuredSound sound = soundOf(std::make_shared<const Recording>(render(part, played, task)));
            post([this, turn, sound, hearMatched] {
                if (turn == partTurn_) hearMatched(sound);
            });
        } catch (const Cancelled&) {}
    });
}

void Session::hearPart(Hearing hearing, const std::string& path) {
    if (hearing == hearingPart_ && path == heardModule_) return;
    hearingPart_ = hearing;
    heardModule_ = path;
    hearRender();
    emit hearingChanged();
}

bool Session::canHear(Hearing hearing, const std::string& path) const {
    if (hearing == Hearing::whole) return true;
    if (!cue() || !cue()->excerpt() || !cue()->patch.find(path)) return false;
    try {
        partOf(cue()->patch, hearing, path);
        return true;
    } catch (const Error&) {
        return false; // what has no such place in the signal's way
    }
}

} // namespace facet
