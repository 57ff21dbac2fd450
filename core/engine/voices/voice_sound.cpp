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

void Synthesis::startFilters(Voice& voice, std::size_t l) {
    for (std::size_t c = 0; c < voiced_; ++c)
        for (std::size_t f = 0; f < 2; ++f) {
            CandidateVoice& candidate = voice.candidates[c];
            if (!graphs_[c].layers[l].filters[f].structure.on || candidate.filters[2 * f].g >= 0.0f) continue;
            kernels::FilterTargets targets = valuesOf(candidate, c, l).filters[f].targets;
            const LayerGraph& values = valuesOf(candidate, c, l);
            targets.cutoffLog2 = static_cast<float>(cutoffLog2(voice, candidate, values, c, f) +
                                                    static_cast<double>(values.filters[f].cutoffEnvelope) *
                                                        candidate.envelopes[filterEnvelope].value());
            const double hz = std::clamp(std::exp2(static_cast<double>(targets.cutoffLog2)), 5.0, 0.47 * rate_);
            for (std::size_t side = 0; side < 2; ++side) {
                kernels::FilterState& state = candidate.filters[2 * f + side];
                state.g = static_cast<float>(std::tan(std::numbers::pi * hz / rate_));
                state.left = targets;
            }
        }
}

void Synthesis::aimFilters(Voice& voice, std::size_t l, int at, int frames) {
    for (std::size_t c = 0; c < voiced_; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        FilterJob* jobs = &voice.filterJobs[2 * c];
        // Everything but the cutoff stands where it stood, unless something was changed.
        if (layers_[l].linked || candidate.version != version_)
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
    for (std::size_t c = 0; c < voiced_; ++c)
        for (std::size_t side = 0; side < (stereo_ ? 2u : 1u); ++side)
            filterJobs_.push_back(&voice.filterJobs[2 * c + side]);
}

void Synthesis::driveVoice(Voice& voice, std::size_t l, Rows* voiceRows, int frames) {
    kernels::Shaper& shaper = *voice.driven;
    const Layer& layer = layers_[l];
    const bool second = layer.secondIn && !graphs_.front().layers[l].filtered();
    for (std::size_t c = 0; c < voiced_; ++c) {
        shaper.drive.set(c, static_cast<double>(valuesOf(voice.candidates[c], c, l).drive), false);
        const Rows& rows = voiceRows[c];
        const auto join = [frames](float* to, const float* from) {
            for (int t = 0; t < frames; ++t) to[t] += from[t];
        };
        if (second) join(rows.left, rows.left2);
        if (second && stereo_) join(rows.right, rows.right2);
        if (layer.past) join(rows.left, rows.leftPast);
        if (layer.past && stereo_) join(rows.right, rows.rightPast);
    }
    kernels::StereoLanes lanes{};
    std::array<StereoRow, kernels::laneCount> blocks{};
    const std::span<StereoRow> used(blocks.data(), voiced_);
    for (int at = 0; at < frames; at += kernels::blockFrames) {
        const int count = std::min(kernels::blockFrames, frames - at);
        for (std::size_t c = 0; c < voiced_; ++c) {
            const float* right = stereo_ ? voiceRows[c].right : voiceRows[c].left;
            std::copy_n(voiceRows[c].left + at, kernels::blockFrames, blocks[c].left.data());
            std::copy_n(right + at, kernels::blockFrames, blocks[c].right.data());
        }
        kernels::toLanes(used, lanes, count);
        kernels::runShaper(shaper, lanes, count);
        kernels::fromLanes(lanes, used, count);
        for (std::size_t c = 0; c < voiced_; ++c) {
            std::copy_n(blocks[c].left.data(), count, voiceRows[c].left + at);
            if (stereo_) std::copy_n(blocks[c].right.data(), count, voiceRows[c].right + at);
        }
    }
}

bool Synthesis::finished(const Voice& voice) const {
    if (voice.fading) return voice.fadeSeconds >= stealFadeSeconds;
    if (voice.held) return false;
    return std::none_of(voice.candidates.begin(), voice.candidates.end(),
                        [](const CandidateVoice& candidate) { return candidate.envelopes[levelEnvelope].active(); });
}

void Synthesis::makeBlocks(Voice& voice, std::size_t l, Rows* voiceRows, int frames) {
    const bool filtered = graphs_.front().layers[l].filtered();
    const int step =
        gliding(voice) ? static_cast<int>(kernels::blockFrames) : frames; // what is on its way is looked at each block
    for (int at = 0; at < frames; at += step) {
        const int count = std::min(step, frames - at);
        aimSources(voice, l);
        if (filtered && voice.blocks == 0) startFilters(voice, l);
        advanceControls(voice, l, voiceRows, at, count);
        if (filtered) aimFilters(voice, l, at, count);
        for (CandidateVoice& candidate : voice.candidates) candidate.version = version_;
        if (layers_[l].plain) kernels::runSources(voice.jobs, at, count);
    }
}

void Synthesis::processLayer(std::size_t l, int at, int frames) {
    Layer& layer = layers_[l];
    advanceFree(l, frames);
    if (layer.sounding.empty()) return;
    filterJobs_.clear();
    const LayerGraph& graph = graphs_.front().layers[l];
    const bool filtered = graph.filtered();
    const int whole = (frames + kernels::blockFrames - 1) / kernels::blockFrames *
                      kernels::blockFrames; // the kernels work on whole groups
    for (std::uint16_t v : layer.sounding) {
        Voice& voice = layer.voices[v];
        Rows* voiceRows = &layer.rows[v * voiced_];
        for (std::size_t c = 0; c < voiced_; ++c)
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
            for (std::size_t c = 0; c < voiced_; ++c) copyToBoth(layer.rows[v * voiced_ + c], frames);
    const kernels::FilterPair pair{graph.filters[0].structure, graph.filters[1].structure, graph.parallel,
                                   graph.fedBack};
    kernels::runFilters(filterJobs_, pair, static_cast<float>(rate_), frames);
    if (graph.driveCurve)
        for (std::uint16_t v : layer.sounding) driveVoice(layer.voices[v], l, &layer.rows[v * voiced_], frames);
    mixJobs_.clear();
    for (std::uint16_t v : layer.sounding) addMixJobs(layer.voices[v], l, &layer.rows[v * voiced_], at);
    kernels::mix(mixJobs_, frames);
    std::erase_if(layer.sounding, [&](std::uint16_t v) {
        if (!finished(layer.voices[v])) return false;
        layer.voices[v].used = false;
        return true;
    });
}

void Synthesis::rest(int frames) {
    for (std::size_t l = 0; l < layers_.size(); ++l) advanceFree(l, frames);
    chains_.rest(frames);
    framesSoFar_ += static_cast<std::uint64_t>(frames);
}

std::span<const StereoBlock> Synthesis::process(int frames) {
    const int whole = (frames + kernels::blockFrames - 1) / kernels::blockFrames * kernels::blockFrames;
    const auto clear = [&](const std::vector<Sides>& rows) {
        for (const Sides& sides : rows) {
            std::fill_n(sides.left, whole, 0.0f);
            if (!alike_) std::fill_n(sides.right, whole, 0.0f);
        }
    };
    clear(output_);
    if (sends_) clear(sent_);
    if (pastEffects_) clear(clean_);
    for (int at = 0; at < frames; at += longest_) {
        const int count = std::min(longest_, frames - at);
        makeVoices(at, count);
        if (chains_.empty() && voiced_ == graphs_.size()) {
            if (chains_.listening()) followEffects();
            for (std::size_t c = 0; c < graphs_.size(); ++c)
                chains_.scaleOutput(c, output_[c].left + at, alike_ ? nullptr : output_[c].right + at, count);
            if (pastEffects_) addClean(at, count);
            continue;
        }
        for (int done = 0; done < count; done += kernels::blockFrames)
            runEffects(at + done, std::min(kernels::blockFrames, count - done));
    }
    for (std::size_t c = 0; c < graphs_.size(); ++c) {
        const auto count = static_cast<std::size_t>(frames);
        made_[c] = {{output_[c].left, count}, {alike_ ? output_[c].left : output_[c].right, count}};
    }
    return made_;
}

void Synthesis::runEffects(int at, int frames) {
    const auto copy = [at](const float* from, kernels::Row& to) { std::copy_n(from + at, to.size(), to.data()); };
    for (std::size_t c = 0; c < graphs_.size(); ++c) {
        const std::size_t from = std::min(c, voiced_ - 1);
        copy(output_[from].left, blockOutput_[c].left);
        copy(output_[from].right, blockOutput_[c].right);
        if (!sends_) continue;
        copy(sent_[from].left, blockSent_[c].left);
        copy(sent_[from].right, blockSent_[c].right);
    }
    if (chains_.listening()) followEffects();
    // What is kept apart for the effects beside is not touched unless there are any.
    chains_.process(blockOutput_, blockSent_, frames);
    for (std::size_t c = 0; c < graphs_.size(); ++c) {
        std::copy_n(blockOutput_[c].left.data(), frames, output_[c].left + at);
        std::copy_n(blockOutput_[c].right.data(), frames, output_[c].right + at);
    }
    if (pastEffects_) addClean(at, frames);
}

void Synthesis::addClean(int at, int frames) {
    for (std::size_t c = 0; c < graphs_.size(); ++c) {
        const Sides& from = clean_[std::min(c, voiced_ - 1)];
        const float level = chains_.outputLevel(c);
        for (int t = at; t < at + frames; ++t) {
            output_[c].left[t] += level * from.left[t];
            output_[c].right[t] += level * from.right[t];
        }
    }
}

void Synthesis::makeVoices(int at, int frames) {
    for (const int end = at + frames; at < end;) {
        int count = end - at;
        for (std::size_t i = 0; i < pending_.size();) { // layers that begin after their notes
            if (pending_[i].frames > 0) {
                count = std::min(count, pending_[i].frames);
                ++i;
                continue;
            }
            const Pending start = pending_[i];
            pending_.erase(pending_.begin() + static_cast<std::ptrdiff_t>(i));
            startVoice(start);
        }
        for (std::size_t l = 0; l < layers_.size(); ++l) processLayer(l, at, count);
        for (Pending& p : pending_) p.frames -= count;
        framesSoFar_ += static_cast<std::uint64_t>(count);
        at += count;
    }
}

void Synthesis::addMixJobs(Voice& voice, std::size_t l, const Rows* voiceRows, int at) {
    const Layer& layer = layers_[l];
    const LayerGraph& graph = graphs_.front().layers[l];
    const bool joined = graph.driveCurve.has_value(); // by driveVoice()
    const bool unfiltered2 = layer.secondIn && !graph.filtered() && !joined;
    for (std::size_t c = 0; c < voiced_; ++c) {
        const CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& values = valuesOf(candidate, c, l);
        const Rows& rows = voiceRows[c];
        const auto add = [&](const float* left, const float* right, const Sides& sum, float gain) {
            const float leftGain = gain * values.leftGain;
            const float rightGain = gain * values.rightGain;
            mixJobs_.push_back(
                {left, rows.level, candidate.levelFrom * leftGain, candidate.levelGain * leftGain, sum.left + at});
            if (alike_) return;
            mixJobs_.push_back({stereo_ ? right : left, rows.level, candidate.levelFrom * rightGain,
                                candidate.levelGain * rightGain, sum.right + at});
        };
        const auto addAll = [&](const Sides& sum, float gain) {
            add(rows.left, rows.right, sum, gain);
            if (unfiltered2) add(rows.left2, rows.right2, sum, gain);
            if (layer.past && !joined) add(rows.leftPast, rows.rightPast, sum, gain);
        };
        addAll(output_[c], 1.0f);
        if (sends_ && values.send > 0.0f) addAll(sent_[c], values.send);
        if (layer.clean) add(rows.leftClean, rows.rightClean, clean_[c], 1.0f);
    }
}

} // namespace facet
