#include "app/session/results/results_controller.h"

#include "core/analysis/quality.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/compare/picture_difference.h"

#include <algorithm>
#include <array>

namespace facet {

ResultsController::ResultsController(DocumentStore& document, std::function<int()> playersRate, QObject* parent)
    : QObject(parent), document_(document), playersRate_(std::move(playersRate)), flooring_(JobQueue::Priority::low) {
    connect(&document_, &DocumentStore::replaced, this, [this] {
        state_ = {};
        shownAudio_.reset();
        referenceKey_ = renderKey_ = 0;
        previewing_ = false;
        likenesses_.clear();
    });
}

std::uint64_t ResultsController::profileKeyOf(const Cue& cue, const Excerpt& excerpt) {
    Hasher hash;
    hash.number(excerpt.soundHash()).number(excerpt.corrected().hash()).number(analysisVersion);
    hash.number(cue.focusLowHz).number(cue.focusHighHz);
    for (const TimeSpan& span : excerpt.leftOut) hash.number(span.begin).number(span.end);
    return hash.value();
}

std::uint64_t ResultsController::renderKeyOf(const Cue& cue, const Excerpt& excerpt) {
    Hasher hash;
    hash.number(profileKeyOf(cue, excerpt)).number(cue.patch.hash()).number(cue.id);
    for (double weight : cue.facetWeights) hash.number(weight);
    return hash.value();
}

ProfilePtr ResultsController::profileOf(std::uint64_t profileKey) const {
    const auto known = profiles_.find(profileKey);
    return known == profiles_.end() ? nullptr : known->second;
}

std::optional<double> ResultsController::currentLikeness() const {
    if (!state_.comparisonIsCurrent || !state_.comparison) return std::nullopt;
    return state_.likeness;
}

std::optional<ComparedPhrase> ResultsController::comparedPhrase() const {
    const Excerpt* excerpt = document_.excerpt();
    if (!excerpt || excerpt->corrected().notes.empty()) return std::nullopt;
    return ComparedPhrase::of(*document_.cue(), *excerpt, state_.reference.profile);
}

// ---- reference ----

void ResultsController::loadReference(const Cue& cue, const Excerpt& excerpt) {
    const std::uint64_t key = profileKeyOf(cue, excerpt);
    if (key == referenceKey_ && state_.cue == cue.id) return;
    referenceKey_ = key;
    if (state_.cue != cue.id || shownAudio_ != excerpt.audio) {
        state_ = {};
        state_.cue = cue.id;
        shownAudio_ = excerpt.audio;
        emit sidesGone();
        loading_.request(
            [audio = excerpt.audio, rate = playersRate_(), tuningCents = excerpt.performance.tuningCents](const Task&) {
                LoadedReference loaded;
                loaded.atPlayersRate = std::make_shared<const Recording>(atRate(*audio, rate));
                loaded.sound = soundOf(audio);
                loaded.warnings = warningsOf(measureQuality(*audio), audio->seconds(), tuningCents);
                return loaded;
            },
            [this](const LoadedReference& loaded) {
                if (loaded.sound.recording == shownAudio_) showReference(loaded);
            });
    } else {
        emit referenceKept();
    }
    state_.reference.profile = profileOf(key);
}

void ResultsController::showReference(const LoadedReference& loaded) {
    state_.warnings = loaded.warnings;
    const ProfilePtr profile = state_.reference.profile;
    state_.reference = loaded.sound;
    state_.reference.profile = profile;
    emit referenceShown(loaded.atPlayersRate);
    if (state_.render.recording) { // its gain depends on the reference's loudness
        const bool current = state_.renderIsCurrent;
        showRender(state_.render);
        state_.renderIsCurrent = current;
    }
    emit changed();
    makePictures();
}

void ResultsController::reload() {
    shownAudio_.reset();
    referenceKey_ = renderKey_ = 0;
}

// ---- render ----

void ResultsController::showRender(const MeasuredSound& render) {
    const ProfilePtr old = state_.render.profile;
    state_.render = render;
    state_.render.profile = old; // the curves stay until the new ones are measured
    state_.lacking = state_.excess = nullptr;
    state_.renderIsCurrent = true;
    emit renderShown();
    emit changed();
    makePictures();
}

void ResultsController::preview(const MeasuredSound& render) {
    previewing_ = true;
    showRender(render);
}

void ResultsController::endPreview() {
    if (!previewing_) return;
    previewing_ = false;
    renderKey_ = 0; // the patch itself is rendered and shown again
    refresh();
}

void ResultsController::refresh() {
    const Cue* cue = document_.cue();
    if (!cue) return;
    const Excerpt* excerpt = cue->excerpt();
    if (!excerpt) {
        if (shownAudio_ || state_.cue != cue->id) {
            shownAudio_.reset();
            state_ = {};
            state_.cue = cue->id;
            referenceKey_ = renderKey_ = 0;
            emit sidesGone();
        }
        emit changed();
        return;
    }
    loadReference(*cue, *excerpt);
    const std::uint64_t key = renderKeyOf(*cue, *excerpt);
    if (key == renderKey_) {
        compareOthers(); // a weight may have changed
        emit changed();
        emit compared(); // and so may a lock
        return;
    }
    renderKey_ = key;
    previewing_ = false;
    state_.renderIsCurrent = state_.comparisonIsCurrent = false;
    emit changed();
    if (excerpt->corrected().notes.empty()) {
        comparing_.cancel();
        state_.render = {};
        state_.comparison.reset();
        state_.reference.profile.reset();
        emit changed();
        return;
    }
    compareRender(*cue, *excerpt);
}

void ResultsController::compareRender(const Cue& cue, const Excerpt& excerpt) {
    const auto phrase = ComparedPhrase::of(cue, excerpt, state_.reference.profile);
    comparing_.request({[phrase, patch = cue.patch](const Task& task, const auto& publish) {
                            ComparedRender compared;
                            compared.render = soundOf(renderPhrase(patch, phrase, task));
                            publish(compared);
                            const int threads = hardwareThreads();
                            compared.reference = phrase.measuredProfile(threads, task);
                            task.check();
                            compared.render.profile =
                                measureRender(*compared.render.recording, *compared.reference, phrase, threads, task);
                            compared.comparison = std::make_shared<const Comparison>(
                                compare(*compared.reference, *compared.render.profile, phrase.weights));
                            publish(compared);
                        },
                        [this, key = renderKey_, profileKey = referenceKey_](const ComparedRender& compared) {
                            showCompared(key, profileKey, compared);
                        }});
}

void ResultsController::showCompared(std::uint64_t key, std::uint64_t profileKey, const ComparedRender& compared) {
    if (!compared.comparison) {
        if (key == renderKey_ && !previewing_) showRender(compared.render);
        return;
    }
    profiles_[profileKey] = compared.reference;
    if (profileKey == referenceKey_) state_.reference.profile = compared.reference;
    if (key != renderKey_) return;
    if (previewing_) { // what is previewed stays in view; the comparison is the patch's all the same
        state_.render.profile = compared.render.profile;
    } else {
        const SpectrogramPtr picture = state_.render.spectrogram;
        state_.render = compared.render;
        state_.render.spectrogram = picture; // of this render since it was first shown
    }
    state_.comparison = compared.comparison;
    state_.renderIsCurrent = state_.comparisonIsCurrent = true;
    state_.floor = -1.0;
    measureFloor();
    compareOthers();
    emit changed();
    emit this->compared();
}

void ResultsController::measureFloor() {
    const auto phrase = comparedPhrase();
    if (!phrase || !state_.render.profile) return;
    // No patch comes closer to a reference than to another realization of itself.
    flooring_.request(
        [phrase = *phrase, patch = document_.cue()->patch, own = state_.render.profile](const Task& task) {
            const RecordingPtr again = renderPhrase(patch, phrase, task, 1);
            return compare(*own, *measureRender(*again, *phrase.profile, phrase, 1, task), phrase.weights).likeness;
        },
        [this, key = renderKey_](double floor) {
            if (key != renderKey_) return;
            state_.floor = floor;
            emit changed();
        });
}

// ---- the cue's other excerpts ----

void ResultsController::compareOthers() {
    const Cue* cue = document_.cue();
    if (!cue || !cue->excerpt() || !state_.comparison || !state_.comparisonIsCurrent) return;
    const Excerpt& inView = *cue->excerpt();
    std::map<std::uint64_t, double> known;
    std::vector<std::shared_ptr<const Excerpt>> wanted;
    known[inView.id] = state_.comparison->likeness;
    for (const auto& each : cue->excerpts) {
        if (each.get() == &inView || each->weight <= 0.0 || each->corrected().notes.empty()) continue;
        const std::uint64_t key = renderKeyOf(*cue, *each);
        if (const auto found = likenesses_.find(key); found != likenesses_.end())
            known[each->id] = found->second;
        else
            wanted.push_back(each);
    }
    likenesses_[renderKey_] = state_.comparison->likeness;
    averageLikeness(*cue, known);
    if (wanted.empty()) return;
    const Excerpt& next = *wanted.front();
    const std::uint64_t profileKey = profileKeyOf(*cue, next);
    others_.request(
        [phrase = ComparedPhrase::of(*cue, next, profileOf(profileKey)), patch = cue->patch](const Task& task) {
            ComparedPhrase measured = phrase;
            measured.profile = phrase.measuredProfile(1, task);
            return OtherLikeness{measured.profile, renderAndCompare(patch, measured, 1, task).likeness};
        },
        [this, key = renderKeyOf(*cue, next), profileKey](const OtherLikeness& other) {
            profiles_[profileKey] = other.reference;
            likenesses_[key] = other.likeness;
            compareOthers();
            emit changed();
        });
}

void ResultsController::averageLikeness(const Cue& cue, const std::map<std::uint64_t, double>& known) {
    state_.excerptLikeness = known;
    double sum = 0.0, weights = 0.0;
    for (const auto& each : cue.excerpts) {
        const auto likeness = known.find(each->id);
        if (likeness == known.end()) continue;
        // One that is set aside still counts when nothing else does.
        const double weight = known.size() == 1 ? std::max(each->weight, 1e-6) : each->weight;
        sum += weight * likeness->second;
        weights += weight;
    }
    state_.likeness = weights > 0.0 ? sum / weights : state_.comparison->likeness;
}

// ---- pictures ----

void ResultsController::wantSpectrograms(bool wanted, bool difference) {
    spectrogramsWanted_ = wanted;
    differenceWanted_ = difference;
    makePictures();
}

void ResultsController::makePictures() {
    const MeasuredSound &reference = state_.reference, &rendered = state_.render;
    const bool both = reference.recording && rendered.recording;
    const bool difference = differenceWanted_ && both && !state_.lacking;
    const bool missing =
        (reference.recording && !reference.spectrogram) || (rendered.recording && !rendered.spectrogram);
    if (!spectrogramsWanted_ || (!missing && !difference)) return;
    picturing_.request({[sounds = std::array{reference, rendered}, difference,
                         gain = reference.loudness - rendered.loudness](const Task& task, const auto& publish) mutable {
                            for (MeasuredSound& sound : sounds) {
                                if (!sound.recording || sound.spectrogram) continue;
                                sound.spectrogram =
                                    std::make_shared<const Spectrogram>(measureSpectrogram(*sound.recording, task));
                                publish({sound, {}, {}, {}});
                            }
                            if (!difference) return;
                            const PictureDifference found =
                                differenceOf(*sounds[0].spectrogram, *sounds[1].spectrogram, gain);
                            publish({{},
                                     std::make_shared<const Spectrogram>(found.lacking),
                                     std::make_shared<const Spectrogram>(found.excess),
                                     sounds[1].recording});
                        },
                        [this](const Pictures& pictures) { showPictures(pictures); }});
}

void ResultsController::showPictures(const Pictures& pictures) {
    if (pictures.differenceOf) {
        if (state_.render.recording != pictures.differenceOf) return;
        state_.lacking = pictures.lacking;
        state_.excess = pictures.excess;
    } else {
        for (MeasuredSound* shown : {&state_.reference, &state_.render})
            if (shown->recording == pictures.sound.recording) shown->spectrogram = pictures.sound.spectrogram;
    }
    emit changed();
}

} // namespace facet

#include "moc_results_controller.cpp"
