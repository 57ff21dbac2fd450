#include "app/session/listening/piece_mixing.h"

#include <utility>

namespace facet {

const MeasuredSound& PieceMixing::backing(const Document& document) const {
    static const MeasuredSound none;
    return document.backing && document.backing->audioKey == backingKey_ ? backing_ : none;
}

void PieceMixing::cancel() {
    mixing_.cancel();
    ready_ = false;
}

void PieceMixing::forget() {
    mixed_ = 0;
    ready_ = false;
}

void PieceMixing::mix(const Document& heard, Player& player) {
    const std::uint64_t key = hashOfPiece(heard);
    if (key == mixed_) return;
    mixed_ = key;
    mixing_.request(
        [this, heard, given = backing_.recording, peaks = backing_.peaks, anew = !ready_,
         rate = player.rateHz()](const Task& task) {
            if (!mixer_ || mixer_->rateHz() != rate) mixer_ = std::make_unique<PieceMixer>(rate);
            const auto playable = [rate](const PlacedSound& sound) {
                return std::make_shared<std::unique_ptr<const PlayableSound>>(
                    std::make_unique<const PlayableSound>(sound.sound, rate, 0.0, sound.begin));
            };
            const PieceMix mixed = mixer_->mix(heard, task);
            const RecordingPtr backing = mixer_->backing(heard);
            task.check();
            Mix mix;
            mix.references = playable(mixed.references);
            mix.renders = playable(mixed.renders);
            if (backing && (anew || backing != given)) mix.behind = playable({*backing, 0.0});
            mix.backing.recording = backing;
            if (backing) mix.backing.peaks = backing == given ? peaks : std::make_shared<const Peaks>(*backing);
            mix.backingKey = heard.backing ? heard.backing->audioKey : "";
            return mix;
        },
        [this, &player](const Mix& mix) {
            player.setSound(Side::reference, std::move(*mix.references));
            player.setSound(Side::render, std::move(*mix.renders));
            if (mix.behind || !mix.backing.recording) player.setBacking(mix.behind ? std::move(*mix.behind) : nullptr);
            backing_ = mix.backing;
            backingKey_ = mix.backingKey;
            ready_ = true;
            emit given();
        },
        [this](const std::exception_ptr& failure) { messages_.report(failure); });
}

} // namespace facet

#include "moc_piece_mixing.cpp"
