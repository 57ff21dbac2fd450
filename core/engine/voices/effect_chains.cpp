#include "core/engine/voices/effect_chains.h"

#include "core/base/units.h"
#include "core/parameters/field.h"
#include "core/engine/kernels/mix_kernels.h"

#include <algorithm>
#include <cmath>

namespace facet {

/// A gain that moves linearly over a block.
struct GainRamp {
    float now = 1.0f, to = 1.0f;
};

namespace {

constexpr float silentBelow = 1e-6f; // −120 dB
constexpr double longestPauseSeconds = 0.05;

float levelOf(double db) { return db <= -60.0 ? 0.0f : static_cast<float>(gainFromDb(db)); }

bool isAbove(float level, const StereoRow& row, int frames) {
    // All sixteen, whatever stands behind the last: a loop of a length that the compiler knows.
    if (frames == kernels::blockFrames) {
        bool above = false;
        for (std::size_t t = 0; t < kernels::blockFrames; ++t)
            above |= std::abs(row.left[t]) > level || std::abs(row.right[t]) > level;
        return above;
    }
    for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t)
        if (std::abs(row.left[t]) > level || std::abs(row.right[t]) > level) return true;
    return false;
}

/// Sound × a gain that moves evenly over the first block.
void scaleSide(float* side, const GainRamp& gain, int frames) {
    const int way = std::min(frames, kernels::blockFrames);
    const float step = (gain.to - gain.now) / static_cast<float>(way);
    int t = 0;
    for (; t < way && gain.now != gain.to; ++t) side[t] *= gain.now + step * static_cast<float>(t);
    if (gain.to == 1.0f) return;
    for (; t + kernels::blockFrames <= frames; t += kernels::blockFrames) // a length that the compiler knows
        for (int k = 0; k < kernels::blockFrames; ++k) side[t + k] *= gain.to;
    for (; t < frames; ++t) side[t] *= gain.to;
}
/// `right`: null where both sides are the same.
void scale(float* left, float* right, GainRamp& gain, int frames) {
    scaleSide(left, gain, frames);
    if (right) scaleSide(right, gain, frames);
    gain.now = gain.to;
}
void scale(StereoRow& row, GainRamp& gain, int frames) { scale(row.left.data(), row.right.data(), gain, frames); }

} // namespace

struct EffectChains::State {
    bool awake = false;
    int quiet = 0;                           ///< frames without sound
    std::vector<std::vector<double>> values; ///< of each effect, as moved
    std::vector<double> output;              ///< likewise of the output
    std::vector<float> amounts;              ///< of the links
    std::vector<GainRamp> mixes;             ///< of each effect
    GainRamp level, send;
};

EffectChains::EffectChains(std::span<const Graph> candidates, double rateHz) : rateHz_(rateHz) {
    const Graph& first = candidates.front();
    const EffectSetting setting{rateHz, first.tempo, candidates.size()};
    for (const EffectGraph& graph : first.effects) {
        effects_.push_back(makeEffect(graph, setting));
        chains_.push_back(graph.chain);
        kinds_.push_back(graph.kind);
        mixPlaces_.push_back(static_cast<std::size_t>(fieldIndex(graph.kind, "mix")));
    }
    listening_ = !first.effectLinks.empty() ||
                 std::any_of(effects_.begin(), effects_.end(), [](const auto& e) { return e->followsNotes(); });
    beside_ = std::find(chains_.begin(), chains_.end(), Chain::send) != chains_.end();
    dry_.resize(candidates.size());
    states_.resize(candidates.size());
    graphs_.resize(candidates.size());
    for (std::size_t c = 0; c < candidates.size(); ++c) {
        State& state = states_[c];
        for (const EffectGraph& graph : candidates[c].effects) state.values.push_back(graph.values);
        state.output = candidates[c].output;
        state.amounts.resize(candidates[c].effectLinks.size());
        state.mixes.resize(effects_.size());
        graphs_[c] = &candidates[c];
        setValues(c, candidates[c]);
        wake(c);
        state.awake = false;
    }
}

EffectChains::~EffectChains() = default;

void EffectChains::setValues(std::size_t c, const Graph& graph) {
    graphs_[c] = &graph;
    State& state = states_[c];
    for (std::size_t e = 0; e < effects_.size(); ++e) {
        state.values[e] = graph.effects[e].values; // equal sizes: the memory stays
        aimEffect(c, e);
    }
    state.output = graph.output;
    aimOutput(state);
}

/// Brings an effect and its mix to where its values are.
void EffectChains::aimEffect(std::size_t c, std::size_t e) {
    State& state = states_[c];
    effects_[e]->setValues(c, state.values[e]);
    state.mixes[e].to = static_cast<float>(state.values[e][mixPlaces_[e]] / 100.0);
}

void EffectChains::aimOutput(State& state) {
    static const Field level(ModuleKind::output, "level"), send(ModuleKind::output, "send");
    state.level.to = static_cast<float>(gainFromDb(level.of(state.output)));
    state.send.to = levelOf(send.of(state.output));
}

void EffectChains::follow(std::size_t c, std::span<const std::array<float, signal::count>> layers,
                          const std::array<float, signal::count>& newest, double hz) {
    const Graph& graph = *graphs_[c];
    State& state = states_[c];
    for (auto& effect : effects_)
        if (hz > 0.0) effect->newestNote(c, hz);
    if (graph.effectLinks.empty()) return;
    const auto signalOf = [&](int layer, int place) {
        const auto& signals = layer < 0 ? newest : layers[static_cast<std::size_t>(layer)];
        return signals[static_cast<std::size_t>(place)];
    };
    for (std::size_t i = 0; i < graph.effectLinks.size(); ++i) state.amounts[i] = graph.effectLinks[i].amount;
    for (std::size_t e = 0; e < effects_.size(); ++e)
        std::copy(graph.effects[e].values.begin(), graph.effects[e].values.end(), state.values[e].begin());
    std::copy(graph.output.begin(), graph.output.end(), state.output.begin());
    // Several links to one parameter add up on its scale.
    for (std::size_t i = 0; i < graph.effectLinks.size(); ++i) {
        const EffectLink& link = graph.effectLinks[i];
        float by = state.amounts[i] * bentSignal(link.curve, signalOf(link.layer, link.from));
        if (link.by != signal::none) by *= signalOf(link.byLayer, link.by);
        if (link.toAmount) {
            state.amounts[static_cast<std::size_t>(link.index)] += by;
            continue;
        }
        const bool output = link.index == EffectLink::output;
        auto& values = output ? state.output : state.values[static_cast<std::size_t>(link.index)];
        const ModuleKind kind = output ? ModuleKind::output : kinds_[static_cast<std::size_t>(link.index)];
        const ParameterDescriptor& d = parametersOf(kind)[static_cast<std::size_t>(link.field)];
        double& value = values[static_cast<std::size_t>(link.field)];
        value = movedBy(d, value, static_cast<double>(by), link.linear);
    }
    for (std::size_t e = 0; e < effects_.size(); ++e)
        if (graph.effects[e].moved) aimEffect(c, e);
    aimOutput(state);
}

void EffectChains::wake(std::size_t c) {
    State& state = states_[c];
    state.awake = true;
    state.quiet = 0;
    for (std::size_t e = 0; e < effects_.size(); ++e) {
        effects_[e]->clear(c);
        effects_[e]->setValues(c, state.values[e]);
        state.mixes[e].now = state.mixes[e].to;
    }
    state.level.now = state.level.to;
    state.send.now = state.send.to;
}

void EffectChains::runChain(Chain chain, std::span<StereoRow> rows, int frames) {
    for (std::size_t e = 0; e < effects_.size(); ++e) {
        if (chains_[e] != chain) continue;
        const bool mixes =
            !effects_[e]->mixesItself() && std::any_of(states_.begin(), states_.end(), [e](const State& state) {
                return state.mixes[e].now != 1.0f || state.mixes[e].to != 1.0f;
            });
        if (mixes) std::copy(rows.begin(), rows.end(), dry_.begin());
        effects_[e]->process(rows, frames);
        if (!mixes) continue;
        for (std::size_t c = 0; c < rows.size(); ++c) {
            GainRamp& mix = states_[c].mixes[e];
            if (mix.now != 1.0f || mix.to != 1.0f) {
                const float step = (mix.to - mix.now) / static_cast<float>(frames);
                kernels::crossfade(dry_[c].left, mix.now, step, rows[c].left);
                kernels::crossfade(dry_[c].right, mix.now, step, rows[c].right);
            }
            mix.now = mix.to;
        }
    }
}

void EffectChains::scaleOutput(std::size_t c, float* left, float* right, int frames) {
    scale(left, right, states_[c].level, frames);
}

void EffectChains::process(std::span<StereoRow> main, std::span<StereoRow> send, int frames) {
    if (effects_.empty()) {
        for (std::size_t c = 0; c < main.size(); ++c) scale(main[c], states_[c].level, frames);
        return;
    }
    std::array<bool, kernels::laneCount> fed{};
    for (std::size_t c = 0; c < main.size(); ++c) {
        fed[c] = isAbove(0.0f, main[c], frames) || (beside_ && isAbove(0.0f, send[c], frames));
        if (fed[c] && !states_[c].awake) wake(c);
    }
    runChain(Chain::main, main, frames);
    if (beside_) runChain(Chain::send, send, frames);
    for (std::size_t c = 0; c < main.size(); ++c) {
        State& state = states_[c];
        if (!state.awake) {
            main[c] = StereoRow{};
            continue;
        }
        if (beside_) {
            scale(send[c], state.send, frames);
            for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t) {
                main[c].left[t] += send[c].left[t];
                main[c].right[t] += send[c].right[t];
            }
        }
        scale(main[c], state.level, frames);
        // It sleeps once nothing has come out for longer than anything may be kept within.
        state.quiet = fed[c] || isAbove(silentBelow, main[c], frames) ? 0 : state.quiet + frames;
        if (state.quiet == 0) continue;
        double memory = longestPauseSeconds * rateHz_;
        for (const auto& effect : effects_) memory += effect->memoryFrames(c);
        if (state.quiet > memory) state.awake = false;
    }
}

bool EffectChains::ringing() const {
    return !effects_.empty() && std::any_of(states_.begin(), states_.end(), [](const State& s) { return s.awake; });
}

void EffectChains::rest(int frames) {
    for (auto& effect : effects_) effect->rest(frames);
    for (State& state : states_) state.level.now = state.level.to;
}

void EffectChains::silence() {
    for (State& state : states_) state.awake = false; // cleared when it wakes
}

float EffectChains::outputLevel(std::size_t c) const { return states_[c].level.now; }

double EffectChains::reductionDb(std::size_t effect) const {
    return effect < effects_.size() ? effects_[effect]->reductionDb(0) : 0.0;
}

} // namespace facet
