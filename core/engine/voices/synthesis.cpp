#include "core/engine/voices/synthesis.h"

#include <algorithm>
#include <utility>

namespace facet {

Synthesis::Synthesis(std::span<const Graph> candidates, double rateHz, std::uint64_t engineSeed, bool sharedVoices)
    : graphs(candidates.begin(), candidates.end()), voiced(sharedVoices ? 1 : candidates.size()), rate(rateHz),
      perSample(1.0 / rateHz), seed(engineSeed),
      mostFrames(voiced > 2 ? kernels::stretchFrames / 4 : kernels::stretchFrames),
      outputMemory(6 * candidates.size(), mostFrames), chains(graphs, rateHz) {
    bandLimitTables();
    const Graph& first = graphs.front();
    std::size_t mostJobs = 0;
    int orders = 1;
    layers.resize(first.layers.size());
    for (std::size_t l = 0; l < layers.size(); ++l) {
        prepareLayer(l);
        mostJobs = std::max(mostJobs, layers[l].voices.size() * layers[l].voices.front().jobs.size());
        orders = std::max(orders, layers[l].orders);
    }
    heldNotes.reserve(128);
    pending.reserve(mostPending);
    std::size_t row = 0;
    for (auto* sides : {&output, &sent, &clean})
        for (std::size_t c = 0; c < graphs.size(); ++c, row += 2)
            sides->push_back({outputMemory.row(row), outputMemory.row(row + 1)});
    made.resize(graphs.size());
    for (auto* blocks : {&blockOutput, &blockSent}) blocks->resize(graphs.size());
    if (!chains.listening() &&
        std::all_of(layers.begin(), layers.end(), [](const Layer& layer) { return layer.plain; }))
        longest = mostFrames;
    sends = std::any_of(first.effects.begin(), first.effects.end(),
                        [](const EffectGraph& e) { return e.chain == Chain::send; });
    heardSignals.resize(graphs.size());
    for (Heard& heard : heardSignals) heard.layers.resize(first.layers.size());
    sourceJobs.resize(static_cast<std::size_t>(orders));
    for (auto& jobs : sourceJobs) jobs.reserve(mostJobs);
    const std::size_t lanes = layers.front().voices.size() * voiced;
    filterJobs.reserve(2 * lanes);
    mixJobs.reserve(14 * lanes); // three rows of a side to the main chain, three beside it, one past both
    updateStereo();
    alike = sidesAreAlike();
    wire();
}

void Synthesis::prepareLayer(std::size_t l) {
    const LayerGraph& graph = graphs.front().layers[l];
    Layer& layer = layers[l];
    for (const auto& source : graph.sources) {
        layer.stackPerCandidate += source.voices;
        layer.orders = std::max(layer.orders, source.order + 1);
        layer.past = layer.past || source.route == Route::pastFilters;
        layer.clean = layer.clean || source.route == Route::pastEffects;
        layer.both = layer.both || source.route == Route::both;
        layer.secondIn = layer.secondIn || layer.both || source.route == Route::filter2;
        if (source.movesOthers) sawTable(), triangleTable(); // made before the audio thread asks
        layer.bySample = layer.bySample || source.movesOthers || source.movedBySample;
    }
    layer.secondIn = layer.secondIn || graph.parallel;
    layer.linked = !graph.links.empty() || !graph.audioLinks.empty();
    layer.listening = layer.linked || !graphs.front().effectLinks.empty();
    const auto followsNoise = [](const auto& link) { return link.from == signal::noise || link.by == signal::noise; };
    layer.noisy = std::any_of(graph.links.begin(), graph.links.end(), followsNoise) ||
                  std::any_of(graph.audioLinks.begin(), graph.audioLinks.end(),
                              [](const AudioLink& link) { return link.by == signal::noise; }) ||
                  std::any_of(graphs.front().effectLinks.begin(), graphs.front().effectLinks.end(), followsNoise);
    pastEffects = pastEffects || layer.clean;
    layer.doubled = graph.doubled;
    layer.plain = !layer.listening && !layer.bySample && !layer.doubled && layer.orders == 1;
    for (const AudioLink& link : graph.audioLinks)
        if (link.to == AudioLink::To::cutoff) (link.index == 0 ? layer.cutoffMoved1 : layer.cutoffMoved2) = true;
    // Room for every note the limit allows, and as many again that are fading out for newer ones.
    const auto voiceCount = static_cast<std::size_t>(2 * graphs.front().voiceLimit + 2);
    layer.voices.resize(voiceCount);
    layer.sounding.reserve(voiceCount);
    layer.rows.resize(voiceCount * voiced);
    prepareRows(l);
    if (layer.doubled) {
        layer.firstHalves.resize(layer.rows.size() * layer.written.size());
        kernels::Row unused{};
        Halving().run(unused.data(), unused.data(), unused.data(),
                      1); // its coefficients are made before the audio thread asks
    }
    for (std::size_t v = 0; v < voiceCount; ++v) prepareVoice(layer.voices[v], l, &layer.rows[v * voiced]);
    layer.freeLfos.assign(voiced, std::vector<Lfo>(graph.lfos.size()));
}

/// Memory for those rows alone that something may write.
void Synthesis::prepareRows(std::size_t l) {
    Layer& layer = layers[l];
    std::vector<float * Rows::*> used{&Rows::left, &Rows::right, &Rows::level};
    const auto use = [&](bool wanted, std::initializer_list<float * Rows::*> rows) {
        if (wanted) used.insert(used.end(), rows);
    };
    use(layer.secondIn, {&Rows::left2, &Rows::right2});
    use(layer.both, {&Rows::leftBoth, &Rows::rightBoth});
    use(layer.past, {&Rows::leftPast, &Rows::rightPast});
    use(layer.clean, {&Rows::leftClean, &Rows::rightClean});
    use(layer.cutoffMoved1 || layer.cutoffMoved2, {&Rows::octaves1, &Rows::octaves2});
    layer.memory = RowMemory(layer.rows.size() * used.size(), mostFrames);
    std::size_t row = 0;
    for (Rows& rows : layer.rows)
        for (float* Rows::*place : used) rows.*place = layer.memory.row(row++);
}

void Synthesis::prepareVoice(Voice& voice, std::size_t l, Rows* rows) {
    const LayerGraph& graph = graphs.front().layers[l];
    const Layer& layer = layers[l];
    voice.candidates.resize(voiced);
    voice.oscillators.resize(voiced * static_cast<std::size_t>(layer.stackPerCandidate));
    if (layer.bySample || std::any_of(graph.sources.begin(), graph.sources.end(),
                                      [](const SourceValues& s) { return s.shape.wave == Wave::noise; }))
        voice.extras.resize(voice.oscillators.size());
    voice.jobs.resize(voice.oscillators.size());
    voice.filterJobs.resize(2 * voiced);
    if (layer.doubled) voice.halvings.resize(layer.written.size() * voiced);
    std::size_t place = 0;
    for (std::size_t c = 0; c < voiced; ++c) {
        CandidateVoice& candidate = voice.candidates[c];
        candidate.prepare(graphs[c].layers[l], rate);
        const LayerGraph& values = valuesOf(candidate, c, l);
        for (std::size_t s = 0; s < values.sources.size(); ++s)
            for (int k = 0; k < values.sources[s].voices; ++k, ++place) {
                kernels::SourceJob& job = voice.jobs[place];
                job.oscillator = &voice.oscillators[place];
                job.shape = &values.sources[s].shape;
                if (values.sources[s].movedBySample) job.moves = &candidate.moved[s].moves;
                if (!values.sources[s].movesOthers) continue;
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
    for (std::size_t l = 0; l < layers.size(); ++l) {
        Layer& layer = layers[l];
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
        for (const SourceValues& source : graphs.front().layers[l].sources)
            for (int k = 0; k < source.voices; ++k) {
                bool& before = written[static_cast<std::size_t>(source.route)];
                overwrites.push_back(layer.orders == 1 && !before);
                before = before || layer.orders == 1;
            }
        layer.clearedCount = layer.writtenCount = 0;
        std::array<bool, 5> listed{};
        for (const SourceValues& source : graphs.front().layers[l].sources) {
            if (std::exchange(listed[static_cast<std::size_t>(source.route)], true)) continue;
            layer.written[layer.writtenCount++] = rowsOf(source.route).first;
            if (stereo) layer.written[layer.writtenCount++] = rowsOf(source.route).second;
        }
        const auto clear = [&](bool used, Route route) {
            if (!used || written[static_cast<std::size_t>(route)]) return;
            layer.cleared[layer.clearedCount++] = rowsOf(route).first;
            if (stereo) layer.cleared[layer.clearedCount++] = rowsOf(route).second;
        };
        clear(true, Route::filter1);
        clear(layer.secondIn, Route::filter2);
        clear(layer.both, Route::both);
        clear(layer.past, Route::pastFilters);
        clear(layer.clean, Route::pastEffects);
        for (std::size_t v = 0; v < layer.voices.size(); ++v) {
            std::size_t place = 0;
            for (std::size_t c = 0; c < voiced; ++c) {
                std::size_t k = 0;
                for (const SourceValues& source : graphs[c].layers[l].sources)
                    for (int n = 0; n < source.voices; ++n, ++place, ++k) {
                        kernels::SourceJob& job = layer.voices[v].jobs[place];
                        Rows& rows = layer.rows[v * voiced + c];
                        job.left = rows.*rowsOf(source.route).first;
                        job.right = stereo ? rows.*rowsOf(source.route).second : nullptr;
                        job.overwrites = overwrites[k];
                    }
            }
        }
    }
}

void Synthesis::updateStereo() {
    for (const Graph& graph : graphs)
        for (const auto& layer : graph.layers) {
            for (const auto& source : layer.sources)
                if (source.isStereo()) stereo = true;
            // A moved pan or spread may become stereo at any moment.
            for (const auto& part : layer.parts)
                if (part.kind == ModuleKind::source) stereo = true;
        }
}

bool Synthesis::sidesAreAlike() const {
    if (stereo || !chains.empty() || pastEffects || voiced != graphs.size()) return false;
    return std::all_of(graphs.begin(), graphs.end(), [](const Graph& graph) {
        return std::all_of(graph.layers.begin(), graph.layers.end(), [](const LayerGraph& layer) {
            return layer.parts.empty() && layer.leftGain == layer.rightGain;
        });
    });
}

void Synthesis::setValues(const Graph& graph, std::size_t c) {
    // Equal graphs hold equally much: assignment reuses the memory.
    graphs[c] = graph;
    chains.setValues(c, graphs[c]);
    if (c >= voiced) return;
    ++version;
    for (std::size_t l = 0; l < layers.size(); ++l)
        if (!graph.layers[l].parts.empty())
            for (Voice& voice : layers[l].voices) *voice.candidates[c].live = graph.layers[l];
    const bool before = stereo;
    updateStereo();
    alike = sidesAreAlike();
    if (stereo != before) wire();
}

} // namespace facet
