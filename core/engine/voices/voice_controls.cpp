// Where the values of sounding voices stand now.
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double highestIncrement = kernels::highestIncrement;

/// Words that keep what is drawn for different things apart.
constexpr std::uint64_t randomWord = 0x72616e64, noiseWord = 0x6e6f6973;

/// −1…1, by the seed, for one thing of one note.
float drawn(std::uint64_t seed_, std::uint32_t number, std::uint64_t word, std::uint64_t count) {
    return static_cast<float>(2.0 * unitFromBits(combineSeeds(combineSeeds(seed_, number), combineSeeds(word, count))) -
                              1.0);
}

} // namespace

float Synthesis::noteRandom(std::uint32_t number, std::size_t c, std::size_t l) const {
    return drawn(seed_, number, randomWord, graphs_[c].layers[l].key);
}

void Synthesis::noteSignals(std::array<float, signal::count>& signals, double pitch, double velocity,
                            std::size_t c) const {
    signals[signal::velocity] = static_cast<float>(velocity / 127.0);
    signals[signal::key] = static_cast<float>((pitch - 60.0) / 12.0);
    signals[signal::wheel] = wheel_;
    signals[signal::pressure] = pressure_;
    for (std::size_t m = 0; m < graphs_[c].macros.size(); ++m) signals[signal::macros + m] = graphs_[c].macros[m];
}

void Synthesis::updateSignals(Voice& voice, std::size_t c, std::size_t l) {
    CandidateVoice& candidate = voice.candidates[c];
    auto& signals = candidate.signals;
    noteSignals(signals, voice.pitch, voice.velocity, c);
    if (candidate.drawnFor != voice.number) signals[signal::random] = noteRandom(voice.number, c, l);
    candidate.drawnFor = voice.number;
    if (layers_[l].noisy) signals[signal::noise] = drawn(seed_, voice.number, noiseWord, voice.blocks);
    for (std::size_t e = 0; e < candidate.envelopes.size(); ++e)
        signals[signal::envelopes + e] = static_cast<float>(candidate.envelopes[e].value());
    const LayerGraph& values = valuesOf(candidate, c, l);
    for (std::size_t i = 0; i < candidate.lfos.size(); ++i) {
        const LfoValues& lfo = values.lfos[i];
        const bool free = lfo.mode == LfoMode::free;
        const std::uint64_t lfoSeed =
            free ? combineSeeds(seed_, lfo.key) : combineSeeds(combineSeeds(seed_, lfo.key), voice.number);
        const Lfo& running = free ? layers_[l].freeLfos[c][i] : candidate.lfos[i];
        signals[signal::lfos + i] = static_cast<float>(running.value(lfo, lfoSeed));
    }
}

double Synthesis::deviation(const Voice& voice, std::uint64_t word) const {
    const auto slot = voice.slot % static_cast<std::uint64_t>(std::max(2, graphs_.front().voiceLimit));
    return 2.0 * unitFromBits(combineSeeds(word, slot)) - 1.0;
}

bool Synthesis::updatePitch(Voice& voice, std::size_t c) const {
    CandidateVoice& candidate = voice.candidates[c];
    double pitch = voice.pitch + glideOffset(voice, c) + bendSemitones_;
    if (graphs_[c].tuningSpread > 0.0) pitch += graphs_[c].tuningSpread * deviation(voice, tuningWord);
    if (pitch == candidate.pitchNow) return false;
    candidate.pitchNow = pitch;
    candidate.hz = hzFromKey(pitch);
    return true;
}

double Synthesis::incrementOf(const CandidateVoice& candidate, const LayerGraph& layer, std::size_t s) const {
    const SourceValues& source = layer.sources[s];
    double per = (source.follows ? candidate.hz : source.fixedHz) / (layer.doubled ? 2.0 * rate_ : rate_);
    if (const double semitones = candidate.sourceSemitones[s] + (source.follows ? layer.transpose : 0.0);
        semitones != 0.0)
        per *= std::exp2(semitones / 12.0);
    return source.syncTo == SourceValues::syncItself ? per * source.syncRatio : per;
}

double Synthesis::stackedIncrement(const SourceValues& source, int k, double per) const {
    per *= source.stack[static_cast<std::size_t>(k)].ratio;
    if (source.shape.wave != Wave::sample) return std::clamp(per, 1e-6, highestIncrement);
    return source.sample ? std::clamp(per * source.sample->rateHz() / source.sampleHz, 0.0, 64.0) : 0.0;
}

void Synthesis::followMovers(Voice& voice, std::size_t c, std::size_t l) {
    if (!layers_[l].listening) return;
    updateSignals(voice, c, l);
    followLinks(voice.candidates[c], graphs_[c].layers[l]);
}

bool Synthesis::gliding(const Voice& voice) const {
    for (std::size_t c = 0; c < voiced_; ++c)
        if (voice.candidates[c].glideFrom != 0.0 && voice.glideSeconds < graphs_[c].glideSeconds) return true;
    return false;
}

void Synthesis::advanceControls(Voice& voice, std::size_t l, Rows* voiceRows, int at, int frames) {
    ++voice.blocks;
    for (std::size_t c = 0; c < voiced_; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        float* level = voiceRows[c].level + at;
        for (std::size_t e = 0; e < candidate.envelopes.size(); ++e)
            candidate.envelopes[e].advanceBlocks(
                values.envelopes[e], perSample_, frames, e == levelEnvelope ? level : nullptr,
                e == filterEnvelope ? &candidate.filterEnvelope[static_cast<std::size_t>(at / kernels::blockFrames)]
                                    : nullptr);
        for (std::size_t i = 0; i < candidate.lfos.size(); ++i)
            candidate.lfos[i].advance(values.lfos[i], seconds(frames));
        followMovers(voice, c, l);
        float gain = values.gain * static_cast<float>(candidate.velocityGain);
        if (candidate.layerDb != 0.0f) gain *= static_cast<float>(gainFromDb(candidate.layerDb));
        if (at == 0) candidate.levelFrom = candidate.levelKnown ? candidate.levelGain : gain;
        candidate.levelGain = gain;
        candidate.levelKnown = true;
    }
    voice.glideSeconds += seconds(frames);
    if (!voice.fading) return;
    for (std::size_t c = 0; c < voiced_; ++c)
        for (int t = 0; t < frames; ++t) {
            const double share = 1.0 - (voice.fadeSeconds + seconds(t)) / stealFadeSeconds;
            voiceRows[c].level[at + t] *= static_cast<float>(std::max(0.0, share));
        }
    voice.fadeSeconds += seconds(frames);
}

void Synthesis::advanceFree(std::size_t l, int frames) {
    for (std::size_t c = 0; c < voiced_; ++c)
        for (std::size_t i = 0; i < layers_[l].freeLfos[c].size(); ++i)
            layers_[l].freeLfos[c][i].advance(graphs_[c].layers[l].lfos[i], seconds(frames));
}

void Synthesis::followEffects() {
    const Voice* newest = nullptr;
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        const Voice* inLayer = nullptr;
        for (std::uint16_t v : layers_[l].sounding) {
            const Voice& voice = layers_[l].voices[v];
            if (!voice.fading && (!inLayer || voice.order > inLayer->order)) inLayer = &voice;
        }
        if (!inLayer) continue;
        if (!newest || inLayer->order > newest->order) newest = inLayer;
        for (std::size_t c = 0; c < graphs_.size(); ++c)
            heardSignals_[c].layers[l] = inLayer->candidates[std::min(c, voiced_ - 1)].signals;
    }
    for (std::size_t c = 0; c < graphs_.size(); ++c) {
        HeardSignals& heard = heardSignals_[c];
        if (newest) {
            heard.newest = newest->candidates[std::min(c, voiced_ - 1)].signals;
            heard.hz = newest->candidates[std::min(c, voiced_ - 1)].hz;
        }
        heard.newest[signal::wheel] = wheel_;
        heard.newest[signal::pressure] = pressure_;
        for (std::size_t m = 0; m < graphs_[c].macros.size(); ++m)
            heard.newest[signal::macros + m] = graphs_[c].macros[m];
        chains_.follow(c, heard.layers, heard.newest, heard.hz);
    }
}

} // namespace facet
