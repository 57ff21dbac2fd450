// Which voice plays which note.
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

using kernels::SourceJob;

Voice& freeVoice(std::vector<Voice>& voices) {
    Voice* best = nullptr;
    for (Voice& voice : voices)
        if (!voice.used) return voice;
    for (Voice& voice : voices)
        if (voice.fading && (!best || voice.order < best->order)) best = &voice;
    return best ? *best : voices.front();
}

Voice* monoVoice(std::vector<Voice>& voices) {
    for (Voice& voice : voices)
        if (voice.used && !voice.fading) return &voice;
    return nullptr;
}

bool plays(const LayerGraph& layer, double pitch, double velocity) {
    const double key = std::floor(pitch + 0.5);
    return key >= layer.lowKey && key <= layer.highKey && velocity >= layer.lowVelocity &&
           velocity <= layer.highVelocity;
}

} // namespace

Synthesis::Sounding Synthesis::sounding() const {
    const auto rank = [](const Voice& v) { return std::pair(v.held, v.held ? v.order : v.released); };
    // A note may sound in several layers; it counts once.
    std::array<std::uint64_t, 128> seen{};
    std::size_t count = 0;
    const Voice* next = nullptr;
    for (const Layer& layer : layers_)
        for (std::uint16_t v : layer.sounding) {
            const Voice& voice = layer.voices[v];
            if (voice.fading) continue;
            const auto end = seen.begin() + static_cast<std::ptrdiff_t>(count);
            if (std::find(seen.begin(), end, voice.order) == end && count < seen.size()) seen[count++] = voice.order;
            if (!next || rank(voice) < rank(*next)) next = &voice;
        }
    return {static_cast<int>(count), next};
}

void Synthesis::stealVoice() {
    const Sounding now = sounding();
    if (now.count < graphs_.front().voiceLimit || !now.next) return;
    ++notesStolen_;
    const std::uint64_t order = now.next->order;
    eachVoice([&](Voice& voice) {
        if (voice.order != order || voice.fading) return;
        voice.fading = true;
        voice.fadeSeconds = 0.0;
    });
}

void Synthesis::startPhases(Voice& voice, std::size_t l) {
    std::size_t place = 0;
    for (std::size_t c = 0; c < voiced_; ++c) {
        const LayerGraph& layer = valuesOf(voice.candidates[c], c, l);
        for (std::size_t s = 0; s < layer.sources.size(); ++s) {
            const SourceValues& source = layer.sources[s];
            const double per = incrementOf(voice.candidates[c], layer, s);
            for (int k = 0; k < source.voices; ++k) {
                kernels::Oscillator& o = voice.oscillators[place];
                o = kernels::Oscillator{};
                if (!voice.extras.empty()) o.extra = &(voice.extras[place] = {});
                ++place;
                const std::uint64_t bits = combineSeeds(combineSeeds(seed_, voice.number),
                                                        combineSeeds(source.key, static_cast<std::uint64_t>(k)));
                if (o.extra) o.extra->seed = bits;
                if (source.shape.wave == Wave::sample) continue; // from its beginning
                double start = source.phase + source.phaseRandom * unitFromBits(bits);
                if (!source.retrigger)
                    start = source.phase + stackedIncrement(source, k, per) * (layer.doubled ? 2.0 : 1.0) *
                                               static_cast<double>(framesSoFar_);
                o.phase = start - std::floor(start);
                o.high = o.phase < source.shape.width;
            }
        }
    }
}

void Synthesis::noteOnLayers(std::uint32_t number, double pitch, double velocity, bool overlapping) {
    stealVoice();
    const std::uint64_t order = ++clock_;
    ++notes_;
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        const LayerGraph& graph = graphs_.front().layers[l];
        // Ranges and offsets are the same for all candidates: the first one's.
        if (!plays(graph, pitch, velocity)) continue;
        double offset = graph.offsetSeconds;
        if (!graph.links.empty()) {
            std::array<float, signal::count> signals{};
            noteSignals(signals, pitch, velocity, 0);
            signals[signal::random] = noteRandom(number, 0, l);
            offset = offsetOf(graph, signals);
        }
        const int wait = static_cast<int>(std::lround(offset * rate_));
        const Pending start{l, wait, number, order, pitch, velocity, overlapping, lastPitch_, hasLastPitch_};
        if (wait == 0)
            startVoice(start);
        else if (pending_.size() < mostPending)
            pending_.push_back(start);
    }
    lastPitch_ = pitch;
    hasLastPitch_ = true;
}

void Synthesis::startVoice(const Pending& start) {
    Layer& layer = layers_[start.layer];
    Voice& voice = freeVoice(layer.voices);
    const auto place = static_cast<std::uint16_t>(&voice - layer.voices.data());
    std::erase(layer.sounding, place);
    layer.sounding.push_back(place);
    voice.used = true;
    voice.held = true;
    voice.fading = false;
    voice.number = start.number;
    voice.order = start.order;
    voice.slot = notes_;
    voice.pitch = start.pitch;
    voice.velocity = start.velocity;
    voice.glideSeconds = 0.0;
    voice.blocks = 0;
    for (std::size_t c = 0; c < voiced_; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        candidate.clear();
        const Graph& graph = graphs_[c];
        const bool glide = graph.glideSeconds > 0.0 && start.hasGlideFrom && (graph.glideAlways || start.overlapping);
        candidate.glideFrom = glide ? start.glideFrom - start.pitch : 0.0;
        strike(voice, c, start.layer);
        if (!voice.driven) continue;
        for (kernels::ShaperSide& side : voice.driven->sides) side.clear(c);
        voice.driven->drive.set(c, static_cast<double>(valuesOf(candidate, c, start.layer).drive), true);
    }
    startPhases(voice, start.layer);
    prime(voice, start.layer);
}

void Synthesis::strike(Voice& voice, std::size_t c, std::size_t l) {
    CandidateVoice& candidate = voice.candidates[c];
    for (Envelope& envelope : candidate.envelopes) envelope.start();
    for (Lfo& lfo : candidate.lfos) lfo.start();
    followMovers(voice, c, l);
    candidate.version = 0;
    candidate.velocityGain = velocityGainOf(valuesOf(candidate, c, l), voice.velocity);
}

void Synthesis::prime(Voice& voice, std::size_t l) {
    aimSources(voice, l);
    runSources(l, &voice, kernels::blockFrames);
    for (Halving& halving : voice.halvings) halving.clear();
    for (SourceJob& job : voice.jobs) job.started = false;
}

void Synthesis::moveVoice(Voice& voice, std::size_t l, std::uint32_t number, double pitch, double velocity,
                          bool overlapping, bool retrigger) {
    for (std::size_t c = 0; c < voiced_; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        const double now = voice.pitch + glideOffset(voice, c);
        candidate.glideFrom = glides(graphs_[c], overlapping) ? now - pitch : 0.0;
    }
    voice.number = number;
    voice.held = true;
    voice.pitch = pitch;
    voice.glideSeconds = 0.0;
    if (!retrigger) return;
    voice.velocity = velocity;
    for (std::size_t c = 0; c < voiced_; ++c) strike(voice, c, l);
}

void Synthesis::noteOn(std::uint32_t number, double pitch, double velocity) {
    if (graphs_.front().mode == VoiceMode::poly) {
        bool overlapping = false;
        eachVoice([&](const Voice& v) { overlapping = overlapping || v.held; });
        noteOnLayers(number, pitch, velocity, overlapping);
        return;
    }
    const bool overlapping = !heldNotes_.empty();
    if (heldNotes_.size() < heldNotes_.capacity()) heldNotes_.push_back({number, pitch, velocity});
    turnTo(number, pitch, velocity, overlapping, graphs_.front().mode == VoiceMode::mono || !overlapping);
}

void Synthesis::turnTo(std::uint32_t number, double pitch, double velocity, bool overlapping, bool retrigger) {
    bool any = false;
    for (Layer& layer : layers_) any = any || monoVoice(layer.voices);
    if (!any) {
        noteOnLayers(number, pitch, velocity, overlapping);
        return;
    }
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        Voice* voice = monoVoice(layers_[l].voices);
        const bool playing = plays(graphs_.front().layers[l], pitch, velocity);
        if (voice && playing)
            moveVoice(*voice, l, number, pitch, velocity, overlapping, retrigger);
        else if (voice)
            releaseVoice(*voice);
        else if (playing)
            startVoice({l, 0, number, ++clock_, pitch, velocity, overlapping, lastPitch_, hasLastPitch_});
    }
    lastPitch_ = pitch;
    hasLastPitch_ = true;
}

void Synthesis::releaseVoice(Voice& voice) {
    if (!voice.held) return;
    voice.held = false;
    voice.released = ++clock_;
    for (CandidateVoice& candidate : voice.candidates)
        for (Envelope& envelope : candidate.envelopes) envelope.release();
}

void Synthesis::noteOff(std::uint32_t number) {
    // A layer that would begin after the note's end does not.
    std::erase_if(pending_, [number](const Pending& p) { return p.number == number; });
    if (graphs_.front().mode == VoiceMode::poly) {
        eachVoice([&](Voice& voice) {
            if (voice.held && voice.number == number) releaseVoice(voice);
        });
        return;
    }
    std::erase_if(heldNotes_, [number](const Held& note) { return note.number == number; });
    bool sounding = false;
    eachVoice([&](const Voice& v) { sounding = sounding || (v.held && !v.fading && v.number == number); });
    if (!sounding) return;
    if (heldNotes_.empty()) {
        eachVoice([&](Voice& voice) {
            if (!voice.fading) releaseVoice(voice);
        });
    } else { // back to the newest note still held
        const Held note = heldNotes_.back();
        turnTo(note.number, note.pitch, note.velocity, true, graphs_.front().mode == VoiceMode::mono);
    }
}

} // namespace facet
