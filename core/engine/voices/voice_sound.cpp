// Blocks of sound: voices through their filters, mixed, through the effects.
#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

using kernels::FilterJob;

namespace {

/// What goes into both filters is added to what goes into each.
template <typename Rows> void copyToBoth(const Rows& rows, int frames) {
    for (int t = 0; t < frames; ++t) {
        rows.left[t] += rows.leftBoth[t];
        rows.left2[t] += rows.leftBoth[t];
        rows.right[t] += rows.rightBoth[t];
        rows.right2[t] += rows.rightBoth[t];
    }
}

} // namespace

/// The first block begins at the cutoff of the note's beginning, not at that of the block's end.
void Synthesis::startFilters(Voice& voice, std::size_t l) {
    for (std::size_t c = 0; c < voiced; ++c)
        for (std::size_t f = 0; f < 2; ++f) {
            CandidateVoice& candidate = voice.candidates[c];
            if (!graphs[c].layers[l].filters[f].structure.on || candidate.filters[2 * f].g >= 0.0f) continue;
            kernels::FilterTargets targets = valuesOf(candidate, c, l).filters[f].targets;
            const LayerGraph& values = valuesOf(candidate, c, l);
            targets.cutoffLog2 = static_cast<float>(cutoffLog2(voice, candidate, values, c, f) +
                                                    static_cast<double>(values.filters[f].cutoffEnvelope) *
                                                        candidate.envelopes[filterEnvelope].value());
            const double hz = std::clamp(std::exp2(static_cast<double>(targets.cutoffLog2)), 5.0, 0.47 * rate);
            for (std::size_t side = 0; side < 2; ++side) {
                kernels::FilterState& state = candidate.filters[2 * f + side];
                state.g = static_cast<float>(std::tan(std::numbers::pi * hz / rate));
                state.left = targets;
            }
        }
}

/// Brings the filters to where they are at the ends of these blocks.
void Synthesis::aimFilters(Voice& voice, std::size_t l, int at, int frames) {
    for (std::size_t c = 0; c < voiced; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        FilterJob* jobs = &voice.filterJobs[2 * c];
        // Everything but the cutoff stands where it stood, unless something was changed.
        if (layers[l].linked || candidate.version != version)
            for (std::size_t side = 0; side < 2; ++side) {
                jobs[side].firstTo = values.filters[0].targets;
                jobs[side].secondTo = values.filters[1].targets;
                jobs[side].feedback = values.feedback;
            }
        for (std::size_t f = 0; f < 2; ++f) {
            if (!values.filters[f].structure.on) continue;
            const double octaves = cutoffLog2(voice, candidate, values, c, f);
            const auto amount = static_cast<double>(values.filters[f].cutoffEnvelope);
            for (auto block = static_cast<std::size_t>(at / kernels::blockFrames);
                 static_cast<int>(block) * kernels::blockFrames < at + frames; ++block) {
                const auto envelope = static_cast<double>(candidate.filterEnvelope[block]);
                candidate.cutoffs[f][block] = static_cast<float>(octaves + amount * envelope);
            }
        }
    }
}

void Synthesis::addFilterJobs(Voice& voice) {
    for (std::size_t c = 0; c < voiced; ++c)
        for (std::size_t side = 0; side < (stereo ? 2u : 1u); ++side)
            filterJobs.push_back(&voice.filterJobs[2 * c + side]);
}

bool Synthesis::finished(const Voice& voice) const {
    if (voice.fading) return voice.fadeSeconds >= stealFadeSeconds;
    if (voice.held) return false;
    return std::none_of(voice.candidates.begin(), voice.candidates.end(),
                        [](const CandidateVoice& candidate) { return candidate.envelopes[levelEnvelope].active(); });
}

/// A voice's controls, and its sources where they need not wait for those of other voices.
void Synthesis::makeBlocks(Voice& voice, std::size_t l, Rows* voiceRows, int frames) {
    const bool filtered = graphs.front().layers[l].filtered();
    const int step =
        gliding(voice) ? static_cast<int>(kernels::blockFrames) : frames; // what is on its way is looked at each block
    for (int at = 0; at < frames; at += step) {
        const int count = std::min(step, frames - at);
        aimSources(voice, l);
        if (filtered && voice.blocks == 0) startFilters(voice, l);
        advanceControls(voice, l, voiceRows, at, count);
        if (filtered) aimFilters(voice, l, at, count);
        for (CandidateVoice& candidate : voice.candidates) candidate.version = version;
        if (layers[l].plain) kernels::runSources(voice.jobs, at, count);
    }
}

void Synthesis::processLayer(std::size_t l, int at, int frames) {
    Layer& layer = layers[l];
    advanceFree(l, frames);
    if (layer.sounding.empty()) return;
    filterJobs.clear();
    const LayerGraph& graph = graphs.front().layers[l];
    const bool filtered = graph.filtered();
    const int whole = (frames + kernels::blockFrames - 1) / kernels::blockFrames * kernels::blockFrames; // the kernels work on whole groups
    for (std::uint16_t v : layer.sounding) {
        Voice& voice = layer.voices[v];
        Rows* voiceRows = &layer.rows[v * voiced];
        for (std::size_t c = 0; c < voiced; ++c)
            for (std::size_t i = 0; i < layer.clearedCount; ++i)
                std::fill_n(voiceRows[c].*layer.cleared[i], whole, 0.0f);
        if (layer.cutoffMoved1 || layer.cutoffMoved2) fillOctaves(voice, l, voiceRows);
        makeBlocks(voice, l, voiceRows, frames);
        if (filtered) addFilterJobs(voice);
    }
    if (layer.doubled)
        runDoubled(l, frames);
    else if (!layer.plain)
        runSources(l, nullptr, frames);
    if (layer.both)
        for (std::uint16_t v : layer.sounding)
            for (std::size_t c = 0; c < voiced; ++c) copyToBoth(layer.rows[v * voiced + c], frames);
    const kernels::FilterPair pair{graph.filters[0].structure, graph.filters[1].structure, graph.parallel,
                                   graph.fedBack};
    kernels::runFilters(filterJobs, pair, static_cast<float>(rate), frames);
    mixJobs.clear();
    for (std::uint16_t v : layer.sounding) addMixJobs(layer.voices[v], l, &layer.rows[v * voiced], at);
    kernels::mix(mixJobs, frames);
    std::erase_if(layer.sounding, [&](std::uint16_t v) {
        if (!finished(layer.voices[v])) return false;
        layer.voices[v].used = false;
        return true;
    });
}

void Synthesis::rest(int frames) {
    for (std::size_t l = 0; l < layers.size(); ++l) advanceFree(l, frames);
    chains.rest(frames);
    framesSoFar += static_cast<std::uint64_t>(frames);
}

std::span<const StereoBlock> Synthesis::process(int frames) {
    const int whole = (frames + kernels::blockFrames - 1) / kernels::blockFrames * kernels::blockFrames;
    const auto clear = [&](const std::vector<Sides>& rows) {
        for (const Sides& sides : rows) {
            std::fill_n(sides.left, whole, 0.0f);
            if (!alike) std::fill_n(sides.right, whole, 0.0f);
        }
    };
    clear(output);
    if (sends) clear(sent);
    if (pastEffects) clear(clean);
    for (int at = 0; at < frames; at += longest) {
        const int count = std::min(longest, frames - at);
        makeVoices(at, count);
        if (chains.empty() && voiced == graphs.size()) {
            if (chains.listening()) followEffects();
            for (std::size_t c = 0; c < graphs.size(); ++c)
                chains.scaleOutput(c, output[c].left + at, alike ? nullptr : output[c].right + at, count);
            if (pastEffects) addClean(at, count);
            continue;
        }
        for (int done = 0; done < count; done += kernels::blockFrames)
            runEffects(at + done, std::min(kernels::blockFrames, count - done));
    }
    for (std::size_t c = 0; c < graphs.size(); ++c) {
        const auto count = static_cast<std::size_t>(frames);
        made[c] = {{output[c].left, count}, {alike ? output[c].left : output[c].right, count}};
    }
    return made;
}

/// One block of what the voices made.
void Synthesis::runEffects(int at, int frames) {
    const auto copy = [at](const float* from, kernels::Row& to) { std::copy_n(from + at, to.size(), to.data()); };
    for (std::size_t c = 0; c < graphs.size(); ++c) {
        const std::size_t from = std::min(c, voiced - 1);
        copy(output[from].left, blockOutput[c].left);
        copy(output[from].right, blockOutput[c].right);
        if (!sends) continue;
        copy(sent[from].left, blockSent[c].left);
        copy(sent[from].right, blockSent[c].right);
    }
    if (chains.listening()) followEffects();
    // What is kept apart for the effects beside is not touched unless there are any.
    chains.process(blockOutput, blockSent, frames);
    for (std::size_t c = 0; c < graphs.size(); ++c) {
        std::copy_n(blockOutput[c].left.data(), frames, output[c].left + at);
        std::copy_n(blockOutput[c].right.data(), frames, output[c].right + at);
    }
    if (pastEffects) addClean(at, frames);
}

/// What passes the effects by still has the output's level.
void Synthesis::addClean(int at, int frames) {
    for (std::size_t c = 0; c < graphs.size(); ++c) {
        const Sides& from = clean[std::min(c, voiced - 1)];
        const float level = chains.outputLevel(c);
        for (int t = at; t < at + frames; ++t) {
            output[c].left[t] += level * from.left[t];
            output[c].right[t] += level * from.right[t];
        }
    }
}

void Synthesis::makeVoices(int at, int frames) {
    for (const int end = at + frames; at < end;) {
        int count = end - at;
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

void Synthesis::addMixJobs(Voice& voice, std::size_t l, const Rows* voiceRows, int at) {
    const Layer& layer = layers[l];
    const bool unfiltered2 = layer.secondIn && !graphs.front().layers[l].filtered();
    for (std::size_t c = 0; c < voiced; ++c) {
        const CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        const Rows& rows = voiceRows[c];
        const auto add = [&](const float* left, const float* right, const Sides& sum, float gain) {
            const float leftGain = gain * values.leftGain;
            const float rightGain = gain * values.rightGain;
            mixJobs.push_back(
                {left, rows.level, candidate.levelFrom * leftGain, candidate.levelGain * leftGain, sum.left + at});
            if (alike) return;
            mixJobs.push_back({stereo ? right : left, rows.level, candidate.levelFrom * rightGain,
                               candidate.levelGain * rightGain, sum.right + at});
        };
        const auto addAll = [&](const Sides& sum, float gain) {
            add(rows.left, rows.right, sum, gain);
            if (unfiltered2) add(rows.left2, rows.right2, sum, gain);
            if (layer.past) add(rows.leftPast, rows.rightPast, sum, gain);
        };
        addAll(output[c], 1.0f);
        if (sends && values.send > 0.0f) addAll(sent[c], values.send);
        if (layer.clean) add(rows.leftClean, rows.rightClean, clean[c], 1.0f);
    }
}

} // namespace facet
