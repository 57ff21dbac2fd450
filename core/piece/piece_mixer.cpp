#include "core/piece/piece_mixer.h"

#include "core/base/hash.h"
#include "core/base/units.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

template <typename F> void forEachHeard(const Document& document, F&& f) {
    for (const auto& cue : document.cues)
        if (cue->part.heard)
            for (const auto& excerpt : cue->excerpts) f(*cue, *excerpt);
}

/// Of the first `seconds`.
double loudnessOf(const Recording& recording, double seconds) {
    return activeLoudness(atRate(excerpt(recording, 0.0, seconds), analysisRateHz).channels);
}

struct Placement {
    const Recording* sound;
    double begin;
    double gainDb;
};

PlacedSound sumOf(const std::vector<Placement>& placements, int rateHz) {
    PlacedSound sum;
    sum.sound.rateHz = rateHz;
    sum.sound.channels.resize(2);
    if (placements.empty()) return sum;
    const auto firstFrame = [&](const Placement& p) { return std::llround(std::max(0.0, p.begin) * rateHz); };
    long long first = firstFrame(placements.front());
    long long end = first;
    for (const Placement& p : placements) {
        first = std::min(first, firstFrame(p));
        end = std::max(end, firstFrame(p) + p.sound->frameCount());
    }
    sum.begin = static_cast<double>(first) / rateHz;
    for (std::size_t c = 0; c < 2; ++c) {
        auto& channel = sum.sound.channels[c];
        channel.assign(static_cast<std::size_t>(end - first), 0.0f);
        for (const Placement& p : placements) {
            const auto& from = p.sound->channels[std::min(c, p.sound->channels.size() - 1)];
            const auto gain = static_cast<float>(gainFromDb(p.gainDb));
            float* to = channel.data() + (firstFrame(p) - first);
            for (std::size_t i = 0; i < from.size(); ++i) to[i] += gain * from[i];
        }
    }
    return sum;
}

} // namespace

PieceMix PieceMixer::mix(const Document& document, const Task& task) {
    Phrases used;
    std::vector<Placement> references, renders;
    const auto phrase = [&](std::uint64_t key, double seconds, const auto& make) -> const Phrase& {
        auto found = used.find(key);
        if (found != used.end()) return found->second;
        Phrase made;
        if (const auto before = known_.find(key); before != known_.end()) {
            made = before->second;
        } else {
            const Recording sound = make();
            made = {std::make_shared<const Recording>(atRate(sound, rateHz_)), loudnessOf(sound, seconds)};
            known_[key] = made; // a cancelled mix has not been in vain
        }
        return used.emplace(key, made).first->second;
    };
    forEachHeard(document, [&](const Cue& cue, const Excerpt& excerpt) {
        task.check();
        const double seconds = excerpt.audio->seconds();
        const Phrase& reference = phrase(excerpt.soundHash(), seconds, [&] { return *excerpt.audio; });
        references.push_back({reference.sound.get(), excerpt.placeInPiece(), cue.part.levelDb});
        const Performance played = excerpt.corrected();
        if (played.notes.empty()) return;
        const Patch& patch = cue.patchInPiece();
        const std::uint64_t key = Hasher().number(patch.hash()).number(played.hash()).value();
        const Phrase& made = phrase(key, seconds, [&] {
            constexpr double longestTail = 8.0;
            return renderToSilence(patch, played, longestTail, task);
        });
        if (made.loudness < silenceDb + 1.0) return;
        renders.push_back(
            {made.sound.get(), excerpt.placeInPiece(), cue.part.levelDb + reference.loudness - made.loudness});
    });
    PieceMix mixed{sumOf(references, rateHz_), sumOf(renders, rateHz_)};
    known_ = std::move(used);
    return mixed;
}

RecordingPtr PieceMixer::backing(const Document& document) {
    const std::string key = document.backing ? document.backing->audioKey : "";
    if (key != backingKey_) {
        backing_ =
            document.backing ? std::make_shared<const Recording>(atRate(soundOf(*document.backing), rateHz_)) : nullptr;
        backingKey_ = key;
    }
    return backing_;
}

std::uint64_t hashOfPiece(const Document& document) {
    Hasher hash;
    hash.text(document.backing ? document.backing->audioKey : "");
    forEachHeard(document, [&](const Cue& cue, const Excerpt& excerpt) {
        hash.number(excerpt.soundHash()).number(excerpt.placeInPiece()).number(excerpt.corrected().hash());
        hash.number(cue.patchInPiece().hash()).number(cue.part.levelDb);
    });
    return hash.value();
}

double endOfPiece(const Document& document) {
    double end = document.backing ? document.backing->seconds : 0.0;
    forEachHeard(document, [&](const Cue&, const Excerpt& excerpt) {
        end = std::max(end, excerpt.placeInPiece() + excerpt.audio->seconds());
    });
    return end;
}

Recording pieceWithBacking(const PlacedSound& sounds, const Recording* backing, double backingDb) {
    std::vector<Placement> placements;
    if (sounds.sound.frameCount() > 0) placements.push_back({&sounds.sound, sounds.begin, 0.0});
    if (backing) placements.push_back({backing, 0.0, backingDb});
    PlacedSound whole = sumOf(placements, sounds.sound.rateHz);
    const auto before = static_cast<std::size_t>(std::llround(whole.begin * whole.sound.rateHz));
    for (auto& channel : whole.sound.channels) channel.insert(channel.begin(), before, 0.0f);
    return std::move(whole.sound);
}

} // namespace facet
