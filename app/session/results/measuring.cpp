#include "app/session/results/measuring.h"

#include "core/dsp/loudness.h"
#include "core/engine/render.h"

#include <utility>

namespace facet {

ComparedPhrase ComparedPhrase::of(const Cue& cue, const Excerpt& excerpt, ProfilePtr profile) {
    return {excerpt.audio, excerpt.corrected(), cue.attentionTo(excerpt), cue.facetWeights, std::move(profile)};
}

Performance ComparedPhrase::countedNotes() const { return attendedNotes(performance, attention.leftOut); }

ProfilePtr ComparedPhrase::measuredProfile(int threads, const Task& task) const {
    if (profile) return profile;
    return std::make_shared<const Profile>(
        measureProfile(attended(*reference, attention), countedNotes(), {.source = nullptr, .threads = threads}, task));
}

MeasuredSound soundOf(RecordingPtr recording) {
    MeasuredSound sound;
    sound.loudness = activeLoudness(atRate(*recording, analysisRateHz).channels);
    sound.recording = std::move(recording);
    sound.peaks = std::make_shared<const Peaks>(*sound.recording);
    return sound;
}

RecordingPtr renderPhrase(const Patch& patch, const ComparedPhrase& phrase, const Task& task,
                          std::uint64_t seedOffset) {
    Performance played = phrase.performance;
    played.seed += seedOffset;
    return std::make_shared<const Recording>(render(patch, played, task));
}

ProfilePtr measureRender(const Recording& render, const Profile& reference, const ComparedPhrase& phrase, int threads,
                         const Task& task) {
    return std::make_shared<const Profile>(measureProfile(attended(render, phrase.attention), phrase.countedNotes(),
                                                          {.source = &reference.source, .threads = threads}, task));
}

Comparison renderAndCompare(const Patch& patch, const ComparedPhrase& phrase, int threads, const Task& task) {
    const RecordingPtr rendered = renderPhrase(patch, phrase, task);
    return compare(*phrase.profile, *measureRender(*rendered, *phrase.profile, phrase, threads, task), phrase.weights);
}

} // namespace facet
