// What moves the sources of a voice, and how they run.
#include "core/base/units.h"
#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

using kernels::Row;
using kernels::SampleMoves;
using kernels::SourceJob;

void Synthesis::prepareMoves(Voice& voice, std::size_t c, std::size_t l) {
    CandidateVoice& candidate = voice.candidates[c];
    if (candidate.moved.empty()) return;
    const LayerGraph& layer = valuesOf(candidate, c, l);
    for (std::size_t s = 0; s < layer.sources.size(); ++s) {
        SourceRows& rows = candidate.moved[s];
        rows.moves = SampleMoves{};
        const SourceValues& source = layer.sources[s];
        if (source.syncTo == SourceValues::syncItself) {
            rows.moves.masterIncrement =
                stackedIncrement(source, 0, incrementOf(candidate, layer, s) / source.syncRatio);
        } else if (source.syncTo >= 0) {
            rows.moves.master = &candidate.moved[static_cast<std::size_t>(source.syncTo)].wraps;
        }
    }
    for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) {
        const AudioLink& link = layer.audioLinks[i];
        if (link.to == AudioLink::To::phase && link.from == link.index)
            candidate.moved[static_cast<std::size_t>(link.index)].moves.feedback += candidate.audioAmounts[i];
    }
}

void Synthesis::fillMoves(Voice& voice, std::size_t c, std::size_t l, int order) {
    CandidateVoice& candidate = voice.candidates[c];
    const LayerGraph& layer = valuesOf(candidate, c, l);
    for (std::size_t s = 0; s < layer.sources.size(); ++s) {
        if (layer.sources[s].order != order || !layer.sources[s].audioModulated) continue;
        SourceRows& rows = candidate.moved[s];
        for (Row* row : {&rows.phase, &rows.octaves, &rows.width, &rows.position}) *row = Row{};
        rows.amplitude.fill(layer.sources[s].amplitude);
    }
    for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) {
        const AudioLink& link = layer.audioLinks[i];
        if (link.to == AudioLink::To::cutoff) continue;
        const auto target = static_cast<std::size_t>(link.index);
        if (layer.sources[target].order != order) continue;
        if (link.to == AudioLink::To::phase && link.from == link.index) continue; // fed back within the source
        SourceRows& rows = candidate.moved[target];
        const auto& mover = candidate.movers[static_cast<std::size_t>(link.from)].line;
        const bool present = link.back || link.to == AudioLink::To::amplitude;
        const float* from = mover.data() + (present ? 0 : kernels::blockFrames);
        const auto add = [&](Row& row) {
            for (std::size_t t = 0; t < row.size(); ++t) row[t] += candidate.audioAmounts[i] * from[t];
            return row.data();
        };
        switch (link.to) {
        case AudioLink::To::phase: rows.moves.phase = add(rows.phase); break;
        case AudioLink::To::octaves: rows.moves.octaves = add(rows.octaves); break;
        case AudioLink::To::width: rows.moves.width = add(rows.width); break;
        case AudioLink::To::position: rows.moves.position = add(rows.position); break;
        case AudioLink::To::amplitude: rows.moves.amplitude = add(rows.amplitude); break;
        case AudioLink::To::cutoff: break;
        }
    }
}

void Synthesis::fillOctaves(Voice& voice, std::size_t l, Rows* voiceRows) const {
    for (std::size_t c = 0; c < voiced_; ++c) {
        const CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& layer = valuesOf(candidate, c, l);
        for (float* row : {voiceRows[c].octaves1, voiceRows[c].octaves2}) std::fill_n(row, kernels::blockFrames, 0.0f);
        for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) {
            const AudioLink& link = layer.audioLinks[i];
            if (link.to != AudioLink::To::cutoff) continue;
            float* row = link.index == 0 ? voiceRows[c].octaves1 : voiceRows[c].octaves2;
            const auto& line = candidate.movers[static_cast<std::size_t>(link.from)].line;
            const std::size_t step = layer.doubled ? 2 : 1;
            for (std::size_t t = 0; t < kernels::blockFrames; ++t) row[t] += candidate.audioAmounts[i] * line[step * t];
        }
    }
}

void Synthesis::aimSources(Voice& voice, std::size_t l) {
    std::size_t place = 0;
    for (std::size_t c = 0; c < voiced_; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        const bool turned = updatePitch(voice, c);
        if (layers_[l].audioModulation) prepareMoves(voice, c, l);
        const LayerGraph& layer = valuesOf(candidate, c, l);
        if (!turned && !layers_[l].linked && candidate.version == version_) {
            for (int k = 0; k < layers_[l].stackPerCandidate; ++k) {
                SourceJob& job = voice.jobs[place++];
                job.leftFrom = job.leftTo;
                job.rightFrom = job.rightTo;
            }
            continue;
        }
        for (std::size_t s = 0; s < layer.sources.size(); ++s) {
            const SourceValues& source = layer.sources[s];
            float gain = source.ringModulated ? 1.0f : source.amplitude;
            if (candidate.sourceDb[s] != 0.0f) gain *= static_cast<float>(gainFromDb(candidate.sourceDb[s]));
            // Half of the noise of twice the rate is taken off again, and its slope turns about twice the frequency.
            if (layer.doubled && source.shape.wave == Wave::noise)
                gain *= std::numbers::sqrt2_v<float> * std::exp2(source.shape.tilt);
            const double per = incrementOf(candidate, layer, s);
            for (int k = 0; k < source.voices; ++k) {
                SourceJob& job = voice.jobs[place++];
                const auto& pan = source.stack[static_cast<std::size_t>(k)];
                job.increment = stackedIncrement(source, k, per);
                const bool audible = source.shape.wave == Wave::sample || job.increment < kernels::highestIncrement;
                const float left = audible ? gain * pan.left : 0.0f;
                const float right = audible ? gain * pan.right : 0.0f;
                job.leftFrom = job.started ? job.leftTo : left;
                job.rightFrom = job.started ? job.rightTo : right;
                job.leftTo = left;
                job.rightTo = right;
                job.started = true;
            }
        }
    }
}

void Synthesis::runSources(std::size_t l, Voice* only, int frames) {
    Layer& layer = layers_[l];
    const auto eachOne = [&](auto&& f) {
        if (only) return f(*only);
        for (std::uint16_t v : layer.sounding) f(layer.voices[v]);
    };
    if (layer.audioModulation) // what moves others is added up ahead anew
        eachOne([&](Voice& voice) {
            for (CandidateVoice& candidate : voice.candidates)
                for (MoverLine& mover : candidate.movers)
                    std::fill(mover.line.begin() + kernels::blockFrames, mover.line.end(), 0.0f);
        });
    if (layer.orders > 1) {
        for (auto& jobs : sourceJobs_) jobs.clear();
        eachOne([&](Voice& voice) {
            std::size_t place = 0;
            for (std::size_t c = 0; c < voiced_; ++c)
                for (const SourceValues& source : graphs_[c].layers[l].sources)
                    for (int k = 0; k < source.voices; ++k)
                        sourceJobs_[static_cast<std::size_t>(source.order)].push_back(voice.jobs[place++]);
        });
    }
    for (int order = 0; order < layer.orders; ++order) {
        if (layer.audioModulation)
            eachOne([&](Voice& voice) {
                for (std::size_t c = 0; c < voiced_; ++c) fillMoves(voice, c, l, order);
            });
        if (layer.orders > 1)
            kernels::runSources(sourceJobs_[static_cast<std::size_t>(order)], 0, frames);
        else
            eachOne([&](Voice& voice) { kernels::runSources(voice.jobs, 0, frames); });
    }
    if (!layer.audioModulation) return;
    eachOne([&](Voice& voice) {
        for (CandidateVoice& candidate : voice.candidates)
            for (MoverLine& mover : candidate.movers)
                std::copy(mover.line.begin() + frames, mover.line.begin() + frames + kernels::blockFrames,
                          mover.line.begin());
    });
}

void Synthesis::runDoubled(std::size_t l, int frames) {
    Layer& layer = layers_[l];
    const int first = std::min(2 * frames, static_cast<int>(kernels::blockFrames));
    const int second = 2 * frames - first;
    const auto eachJob = [&](auto&& f) {
        for (std::uint16_t v : layer.sounding)
            for (SourceJob& job : layer.voices[v].jobs) f(job);
    };
    // Gains go half of their way in the first half.
    const float share = static_cast<float>(first) / static_cast<float>(first + second);
    eachJob([&](SourceJob& job) {
        job.leftEnd = job.leftTo;
        job.rightEnd = job.rightTo;
        job.leftTo = job.leftFrom + share * (job.leftTo - job.leftFrom);
        job.rightTo = job.rightFrom + share * (job.rightTo - job.rightFrom);
    });
    runSources(l, nullptr, first);
    for (std::uint16_t v : layer.sounding)
        for (std::size_t c = 0; c < voiced_; ++c) {
            Rows& rows = layer.rows[v * voiced_ + c];
            kernels::Row* before = &layer.firstHalves[(v * voiced_ + c) * layer.written.size()];
            for (std::size_t i = 0; i < layer.writtenCount; ++i)
                std::copy_n(rows.*layer.written[i], kernels::blockFrames, before[i].data());
            for (std::size_t i = 0; i < layer.clearedCount; ++i)
                std::fill_n(rows.*layer.cleared[i], kernels::blockFrames, 0.0f);
        }
    eachJob([&](SourceJob& job) {
        job.leftFrom = job.leftTo;
        job.rightFrom = job.rightTo;
        job.leftTo = job.leftEnd;
        job.rightTo = job.rightEnd;
    });
    if (second > 0) runSources(l, nullptr, second);
    for (std::uint16_t v : layer.sounding)
        for (std::size_t c = 0; c < voiced_; ++c) {
            Rows& rows = layer.rows[v * voiced_ + c];
            const kernels::Row* before = &layer.firstHalves[(v * voiced_ + c) * layer.written.size()];
            for (std::size_t i = 0; i < layer.writtenCount; ++i)
                layer.voices[v].halvings[c * layer.written.size() + i].run(before[i].data(), rows.*layer.written[i],
                                                                           rows.*layer.written[i], frames);
        }
}

} // namespace facet
