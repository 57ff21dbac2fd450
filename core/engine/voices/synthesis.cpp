#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <utility>

namespace facet {

Synthesis::Synthesis(std::span<const Graph> candidates, double rateHz, std::uint64_t engineSeed, bool sharedVoices)
    : graphs_(candidates.begin(), candidates.end()), voiced_(sharedVoices ? 1 : candidates.size()), rate_(rateHz),
      perSample_(1.0 / rateHz), seed_(engineSeed),
      mostFrames_(voiced_ > 2 ? kernels::stretchFrames / 4 : kernels::stretchFrames),
      outputMemory_(6 * candidates.size(), mostFrames_), chains_(graphs_, rateHz) {
    bandLimitTables();
    const Graph& first = graphs_.front();
    std::size_t mostJobs = 0;
    int orders = 1;
    layers_.resize(first.layers.size());
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        prepareLayer(l);
        mostJobs = std::max(mostJobs, layers_[l].voices.size() * layers_[l].voices.front().jobs.size());
        orders = std::max(orders, layers_[l].orders);
    }
    heldNotes_.reserve(128);
    pending_.reserve(mostPending);
    std::size_t row = 0;
    for (auto* sides : {&output_, &sent_, &clean_})
        for (std::size_t c = 0; c < graphs_.size(); ++c, row += 2)
            sides->push_back({outputMemory_.row(row), outputMemory_.row(row + 1)});
    made_.resize(graphs_.size());
    for (auto* blocks : {&blockOutput_, &blockSent_}) blocks->resize(graphs_.size());
    if (!chains_.listening() &&
        std::all_of(layers_.begin(), layers_.end(), [](const Layer& layer) { return layer.plain; }))
        longest_ = mostFrames_;
    sends_ = std::any_of(first.effects.begin(), first.effects.end(),
                         [](const EffectGraph& e) { return e.chain == Chain::send; });
    heardSignals_.resize(graphs_.size());
    for (HeardSignals& heard : heardSignals_) heard.layers.resize(first.layers.size());
    sourceJobs_.resize(static_cast<std::size_t>(orders));
    for (auto& jobs : sourceJobs_) jobs.reserve(mostJobs);
    const std::size_t lanes = layers_.front().voices.size() * voiced_;
    filterJobs_.reserve(2 * lanes);
    mixJobs_.reserve(14 * lanes); // three rows of a side to the main chain, three beside it, one past both
    updateStereo();
    alike_ = sidesAreAlike();
    wire();
}

void Synthesis::prepareLayer(std::size_t l) {
    const LayerGraph& graph = graphs_.front().layers[l];
    Layer& layer = layers_[l];
    for (const auto& source : graph.sources) {
        layer.stackPerCandidate += source.voices;
        layer.orders = std::max(layer.orders, source.order + 1);
        layer.past = layer.past || source.route == Route::pastFilters;
        layer.clean = layer.clean || source.route == Route::pastEffects;
        layer.both = layer.both || source.route == Route::both;
        layer.secondIn = layer.secondIn || layer.both || source.route == Route::filter2;
        if (source.audioModulator) sawTable(), triangleTable(); // made before the audio thread asks
        layer.audioModulation = layer.audioModulation || source.audioModulator || source.audioModulated;
    }
    layer.secondIn = layer.secondIn || graph.parallel;
    layer.linked = !graph.links.empty() || !graph.audioLinks.empty();
    layer.listening = layer.linked || !graphs_.front().effectLinks.empty();
    const auto followsNoise = [](const auto& link) { return link.from == signal::noise || link.by == signal::noise; };
    layer.noisy = std::any_of(graph.links.begin(), graph.links.end(), followsNoise) ||
                  std::any_of(graph.audioLinks.begin(), graph.audioLinks.end(),
                              [](const AudioLink& link) { return link.by == signal::noise; }) ||
                  std::any_of(graphs_.front().effectLinks.begin(), graphs_.front().effectLinks.end(), followsNoise);
    pastEffects_ = pastEffects_ || layer.clean;
    layer.doubled = graph.doubled;
    layer.plain = !layer.listening && !layer.audioModulation && !layer.doubled && layer.orders == 1;
    for (const AudioLink& link : graph.audioLinks)
        if (link.to == AudioLink::To::cutoff) (link.index == 0 ? layer.cutoffMoved1 : layer.cutoffMoved2) = true;
    // Room for every note the limit allows, and as many again that are fading out for newer ones.
    const auto voiceCount = static_cast<std::size_t>(2 * graphs_.front().voiceLimit + 2);
    layer.voices.resize(voiceCount);
    layer.sounding.reserve(voiceCount);
    layer.rows.resize(voiceCount * voiced_);
    prepareRows(l);
    if (layer.doubled) {
        layer.firstHalves.resize(layer.rows.size() * layer.written.size());
        kernels::Row unused{};
        Halving().run(unused.data(), unused.data(), unused.data(),
                      1); // its coefficients are made before the audio thread asks
    }
    for (std::size_t v = 0; v < voiceCount; ++v) prepareVoice(layer.voices[v], l, &layer.rows[v * voiced_]);
    layer.freeLfos.assign(voiced_, std::vector<Lfo>(graph.lfos.size()));
}

void Synthesis::prepareRows(std::size_t l) {
    Layer& layer = layers_[l];
    std::vector<float * Rows::*> used{&Rows::left, &Rows::right, &Rows::level};
    const auto use = [&](bool wanted, std::initializer_list<float * Rows::*> rows) {
        if (wanted) used.insert(used.end(), rows);
    };
    use(layer.secondIn, {&Rows::left2, &Rows::right2});
    use(layer.both, {&Rows::leftBoth, &Rows::rightBoth});
    use(layer.past, {&Rows::leftPast, &Rows::rightPast});
    use(layer.clean, {&Rows::leftClean, &Rows::rightClean});
    use(layer.cutoffMoved1 || layer.cutoffMoved2, {&Rows::octaves1, &Rows::octaves2});
    layer.memory = RowMemory(layer.rows.size() * used.size(), mostFrames_);
    std::size_t row = 0;
    for (Rows& rows : layer.rows)
        for (float* Rows::*place : used) rows.*place = layer.memory.row(row++);
}

void Synthesis::prepareVoice(Voice& voice, std::size_t l, Rows* rows) {
    const LayerGraph& graph = graphs_.front().layers[l];
    const Layer& layer = layers_[l];
    voice.candidates.resize(voiced_);
    voice.oscillators.resize(voiced_ * static_cast<std::size_t>(layer.stackPerCandidate));
    if (layer.audioModulation || std::any_of(graph.sources.begin(), graph.sources.end(),
                                             [](const SourceValues& s) { return s.shape.wave == Wave::noise; }))
        voice.extras.resize(voice.oscillators.size());
    voice.jobs.resize(voice.oscillators.size());
    voice.filterJobs.resize(2 * voiced_);
    if (layer.doubled) voice.halvings.resize(layer.written.size() * voiced_);
    if (graph.driveCurve) {
        voice.driven = std::make_unique<kernels::Shaper>();
        voice.driven->curve = *graph.driveCurve;
        voice.driven->rateHz = static_cast<float>(rate_);
        for (std::size_t c = 0; c < voiced_; ++c) {
            voice.driven->output.set(c, 1.0, true);
            voice.driven->mix.set(c, 1.0, true);
        }
        kernels::StereoLanes silence{};
        kernels::runShaper(*voice.driven, silence, 1); // coefficients are made before the audio thread asks
    }
    std::size_t place = 0;
    for (std::size_t c = 0; c < voiced_; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        candidate.prepare(graphs_[c].layers[l], rate_);
        const LayerGraph& values = valuesOf(candidate, c, l);
        for (std::size_t s = 0; s < values.sources.size(); ++s)
            for (int k = 0; k < values.sources[s].voices; ++k, ++place) {
                kernels::SourceJob& job = voice.jobs[place];
                job.oscillator = &voice.oscillators[place];
                job.shape = &values.sources[s].shape;
                if (values.sources[s].audioModulated) job.moves = &candidate.moved[s].moves;
                if (!values.sources[s].audioModulator) continue;
                job.ahead = candidate.movers[s].line.data() + kernels::blockFrames;
                const bool master =
                    std::any_of(values.sources.begin(), values.sources.end(),
                                [&](const SourceValues& slave) { return slave.syncTo == static_cast<int>(s); });
                if (k == 0 && master) job.wraps = &candidate.moved[s].wraps;
            }
        for (std::size_t side = 0; side < 2; ++side) {
            kernels::FilterJob& job = voice.filterJobs[2 * c + side];
            job.first = &candidate.filters[side];
            job.second = &candidate.filters[2 + side];
            job.firstCutoffs = candidate.cutoffs[0].data();
            job.secondCutoffs = candidate.cutoffs[1].data();
            job.row = side == 0 ? rows[c].left : rows[c].right;
            if (layer.secondIn) job.secondRow = side == 0 ? rows[c].left2 : rows[c].right2;
            if (layer.cutoffMoved1) job.firstOctaves = rows[c].octaves1;
            if (layer.cutoffMoved2) job.secondOctaves = rows[c].octaves2;
            if (values.fedBack) job.fedBack = &candidate.fedBack[side];
        }
    }
}

void Synthesis::wire() {
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        Layer& layer = layers_[l];
        using R = float* Rows::*;
        const auto rowsOf = [](Route route) -> std::pair<R, R> {
            switch (route) {
            case Route::filter2: return {&Rows::left2, &Rows::right2};
            case Route::both: return {&Rows::leftBoth, &Rows::rightBoth};
            case Route::pastFilters: return {&Rows::leftPast, &Rows::rightPast};
            case Route::pastEffects: return {&Rows::leftClean, &Rows::rightClean};
            default: return {&Rows::left, &Rows::right};
            }
        };
        // Where sources run one after the other, the first into a row overwrites what is there.
        std::array<bool, 5> written{};
        std::vector<bool> overwrites;
        for (const SourceValues& source : graphs_.front().layers[l].sources)
            for (int k = 0; k < source.voices; ++k) {
                bool& before = written[static_cast<std::size_t>(source.route)];
                overwrites.push_back(layer.orders == 1 && !before);
                before = before || layer.orders == 1;
            }
        layer.clearedCount = layer.writtenCount = 0;
        std::array<bool, 5> listed{};
        for (const SourceValues& source : graphs_.front().layers[l].sources) {
            if (std::exchange(listed[static_cast<std::size_t>(source.route)], true)) continue;
            layer.written[layer.writtenCount++] = rowsOf(source.route).first;
            if (stereo_) layer.written[layer.writtenCount++] = rowsOf(source.route).second;
        }
        const auto clear = [&](bool used, Route route) {
            if (!used || written[static_cast<std::size_t>(route)]) return;
            layer.cleared[layer.clearedCount++] = rowsOf(route).first;
            if (stereo_) layer.cleared[layer.clearedCount++] = rowsOf(route).second;
        };
        clear(true, Route::filter1);
        clear(layer.secondIn, Route::filter2);
        clear(layer.both, Route::both);
        clear(layer.past, Route::pastFilters);
        clear(layer.clean, Route::pastEffects);
        for (std::size_t v = 0; v < layer.voices.size(); ++v) {
            std::size_t place = 0;
            for (std::size_t c = 0; c < voiced_; ++c) {
                std::size_t k = 0;
                for (const SourceValues& source : graphs_[c].layers[l].sources)
                    for (int n = 0; n < source.voices; ++n, ++place, ++k) {
                        kernels::SourceJob& job = layer.voices[v].jobs[place];
                        Rows& rows = layer.rows[v * voiced_ + c];
                        job.left = rows.*rowsOf(source.route).first;
                        job.right = stereo_ ? rows.*rowsOf(source.route).second : nullptr;
                        job.overwrites = overwrites[k];
                    }
            }
        }
    }
}

void Synthesis::updateStereo() {
    for (const Graph& graph : graphs_)
        for (const auto& layer : graph.layers) {
            for (const auto& source : layer.sources)
                if (source.isStereo()) stereo_ = true;
            // A moved pan or spread may become stereo at any moment.
            for (const auto& part : layer.parts)
                if (part.kind == ModuleKind::source) stereo_ = true;
        }
}

bool Synthesis::sidesAreAlike() const {
    if (stereo_ || !chains_.empty() || pastEffects_ || voiced_ != graphs_.size()) return false;
    return std::all_of(graphs_.begin(), graphs_.end(), [](const Graph& graph) {
        return std::all_of(graph.layers.begin(), graph.layers.end(), [](const LayerGraph& layer) {
            return layer.parts.empty() && layer.leftGain == layer.rightGain;
        });
    });
}

void Synthesis::setValues(const Graph& graph, std::size_t c) {
    // Equal graphs hold equally much: assignment reuses the memory.
    graphs_[c] = graph;
    chains_.setValues(c, graphs_[c]);
    if (c >= voiced_) return;
    ++version_;
    for (std::size_t l = 0; l < layers_.size(); ++l)
        if (!graph.layers[l].parts.empty())
            for (Voice& voice : layers_[l].voices) {
                *voice.candidates[c].live = graph.layers[l];
                voice.candidates[c].takeParts(graph.layers[l]);
            }
    const bool before = stereo_;
    updateStereo();
    alike_ = sidesAreAlike();
    if (stereo_ != before) wire();
}

void Synthesis::silence() {
    eachVoice([](Voice& voice) { voice.used = false; });
    for (Layer& layer : layers_) layer.sounding.clear();
    chains_.silence();
    pending_.clear();
    heldNotes_.clear();
    hasLastPitch_ = false;
}

bool Synthesis::active() const {
    return !pending_.empty() || chains_.ringing() ||
           std::any_of(layers_.begin(), layers_.end(), [](const Layer& layer) { return !layer.sounding.empty(); });
}

} // namespace facet
