// Blocks of sound: voices through their filters, mixed, through the effects.
#include "core/engine/engine_impl.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

using kernels::FilterJob;
using kernels::Row;

namespace {

/// What goes into both filters is added to what goes into each.
template <typename Rows> void copyToBoth(Rows& rows) {
    for (std::size_t t = 0; t < Engine::blockFrames; ++t) {
        rows.left[t] += rows.leftBoth[t];
        rows.left2[t] += rows.leftBoth[t];
        rows.right[t] += rows.rightBoth[t];
        rows.right2[t] += rows.rightBoth[t];
    }
}

} // namespace

/// The first block begins at the cutoff of the note's beginning, not at that of the block's end.
void Engine::Impl::startFilters(Voice& voice, std::size_t l) {
    for (std::size_t c = 0; c < voiced; ++c)
        for (std::size_t f = 0; f < 2; ++f) {
            CandidateVoice& candidate = voice.candidates[c];
            if (!graphs[c].layers[l].filters[f].structure.on || candidate.filters[2 * f].g >= 0.0f) continue;
            kernels::FilterTargets targets = valuesOf(candidate, c, l).filters[f].targets;
            targets.cutoffLog2 = cutoffLog2(voice, candidate, valuesOf(candidate, c, l), c, f);
            const double hz = std::clamp(std::exp2(static_cast<double>(targets.cutoffLog2)), 5.0, 0.47 * rate);
            for (std::size_t side = 0; side < 2; ++side) {
                kernels::FilterState& state = candidate.filters[2 * f + side];
                state.g = static_cast<float>(std::tan(std::numbers::pi * hz / rate));
                state.left = targets;
            }
        }
}

void Engine::Impl::addFilterJobs(Voice& voice, std::size_t l) {
    for (std::size_t c = 0; c < voiced; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        FilterJob* jobs = &voice.filterJobs[2 * c];
        const bool second = values.filters[1].structure.on;
        // Everything but the cutoff stands where it stood, unless something was changed.
        if (layers[l].linked || candidate.version != version)
            for (std::size_t side = 0; side < 2; ++side) {
                jobs[side].firstTo = values.filters[0].targets;
                if (second) jobs[side].secondTo = values.filters[1].targets;
                jobs[side].feedback = values.feedback;
            }
        const float first = cutoffLog2(voice, candidate, values, c, 0);
        const float other = second ? cutoffLog2(voice, candidate, values, c, 1) : 0.0f;
        for (std::size_t side = 0; side < (stereo ? 2u : 1u); ++side) {
            jobs[side].firstTo.cutoffLog2 = first;
            if (second) jobs[side].secondTo.cutoffLog2 = other;
            filterJobs.push_back(&jobs[side]);
        }
    }
}

bool Engine::Impl::finished(const Voice& voice) const {
    if (voice.fading) return voice.fadeSeconds >= stealFadeSeconds;
    if (voice.held) return false;
    return std::none_of(voice.candidates.begin(), voice.candidates.end(),
                        [](const CandidateVoice& candidate) { return candidate.envelopes[levelEnvelope].active(); });
}

void Engine::Impl::processLayer(std::size_t l, int at, int frames) {
    Layer& layer = layers[l];
    advanceFree(l, frames);
    if (layer.sounding.empty()) return;
    filterJobs.clear();
    const LayerGraph& graph = graphs.front().layers[l];
    const bool filtered = graph.filtered();
    for (std::uint16_t v : layer.sounding) {
        Voice& voice = layer.voices[v];
        Rows* voiceRows = &layer.rows[v * voiced];
        for (std::size_t c = 0; c < voiced; ++c)
            for (std::size_t i = 0; i < layer.clearedCount; ++i) voiceRows[c].*layer.cleared[i] = Row{};
        if (layer.cutoffMoved1 || layer.cutoffMoved2) fillOctaves(voice, l, voiceRows);
        aimSources(voice, l);
        if (filtered && voice.blocks == 0) startFilters(voice, l);
        advanceControls(voice, l, voiceRows, frames);
        if (filtered) addFilterJobs(voice, l);
        for (CandidateVoice& candidate : voice.candidates) candidate.version = version;
    }
    if (layer.doubled)
        runDoubled(l, frames);
    else
        runSources(l, nullptr, frames);
    if (layer.both)
        for (std::uint16_t v : layer.sounding)
            for (std::size_t c = 0; c < voiced; ++c) copyToBoth(layer.rows[v * voiced + c]);
    const kernels::FilterPair pair{graph.filters[0].structure, graph.filters[1].structure, graph.parallel,
                                   graph.fedBack};
    const std::span<const FilterJob* const> jobs = filterJobs;
    for (std::size_t first = 0; first < jobs.size(); first += kernels::laneCount)
        kernels::runFilters(jobs.subspan(first, std::min<std::size_t>(kernels::laneCount, jobs.size() - first)), pair,
                            static_cast<float>(rate), frames);
    mixJobs.clear();
    for (std::uint16_t v : layer.sounding) addMixJobs(layer.voices[v], l, &layer.rows[v * voiced], at);
    kernels::mix(mixJobs, frames);
    std::erase_if(layer.sounding, [&](std::uint16_t v) {
        if (!finished(layer.voices[v])) return false;
        layer.voices[v].used = false;
        return true;
    });
}

void Engine::Impl::rest(int frames) {
    for (std::size_t l = 0; l < layers.size(); ++l) advanceFree(l, frames);
    chains.rest(frames);
    framesSoFar += static_cast<std::uint64_t>(frames);
}

std::span<const Engine::Block> Engine::Impl::process(int frames) {
    for (Block& block : output) block = Block{};
    if (sends)
        for (Block& block : sent) block = Block{};
    if (pastEffects)
        for (Block& block : clean) block = Block{};
    makeVoices(frames);
    for (std::size_t c = voiced; c < graphs.size(); ++c) {
        output[c] = output[0];
        sent[c] = sent[0];
        clean[c] = clean[0];
    }
    if (!chains.empty() || !graphs.front().effectLinks.empty()) followEffects();
    // What is kept apart for the effects beside is not touched unless there are any.
    chains.process(output, sent, frames);
    if (pastEffects) addClean(frames);
    return output;
}

/// What passes the effects by still has the output's level.
void Engine::Impl::addClean(int frames) {
    for (std::size_t c = 0; c < graphs.size(); ++c)
        for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t) {
            const float level = chains.outputLevel(c);
            output[c].left[t] += level * clean[c].left[t];
            output[c].right[t] += level * clean[c].right[t];
        }
}

void Engine::Impl::makeVoices(int frames) {
    for (int at = 0; at < frames;) {
        int count = frames - at;
        for (std::size_t i = 0; i < pending.size();) { // layers that begin after their notes
            if (pending[i].frames > 0) {
                count = std::min(count, pending[i].frames);
                ++i;
                continue;
            }
            const Pending start = pending[i];
            pending.erase(pending.begin() + static_cast<std::ptrdiff_t>(i));
            startVoice(start);
        }
        for (std::size_t l = 0; l < layers.size(); ++l) processLayer(l, at, count);
        for (Pending& p : pending) p.frames -= count;
        framesSoFar += static_cast<std::uint64_t>(count);
        at += count;
    }
}

void Engine::Impl::addMixJobs(Voice& voice, std::size_t l, const Rows* voiceRows, int at) {
    const Layer& layer = layers[l];
    const bool unfiltered2 = layer.secondIn && !graphs.front().layers[l].filtered();
    for (std::size_t c = 0; c < voiced; ++c) {
        const CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        const Rows& rows = voiceRows[c];
        const auto add = [&](const Row& left, const Row& right, Block& block, float gain) {
            const float leftGain = gain * values.leftGain;
            const float rightGain = gain * values.rightGain;
            mixJobs.push_back({left.data(), rows.level.data(), candidate.levelFrom * leftGain,
                               candidate.levelGain * leftGain, block.left.data() + at});
            mixJobs.push_back({stereo ? right.data() : left.data(), rows.level.data(), candidate.levelFrom * rightGain,
                               candidate.levelGain * rightGain, block.right.data() + at});
        };
        const auto addAll = [&](Block& block, float gain) {
            add(rows.left, rows.right, block, gain);
            if (unfiltered2) add(rows.left2, rows.right2, block, gain);
            if (layer.past) add(rows.leftPast, rows.rightPast, block, gain);
        };
        addAll(output[c], 1.0f);
        if (sends && values.send > 0.0f) addAll(sent[c], values.send);
        if (layer.clean) add(rows.leftClean, rows.rightClean, clean[c], 1.0f);
    }
}

} // namespace facet
