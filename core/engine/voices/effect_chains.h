// The effects behind the layers: one chain that everything passes, and one beside it.
#pragma once

#include "core/engine/effects/effect.h"
#include "core/engine/compile/graph.h"

#include <array>
#include <memory>
#include <span>
#include <vector>

namespace facet {

/// Effects of up to 16 candidates with one graph, with the links that move them. Rules as for Effect.
class EffectChains {
public:
    EffectChains(std::span<const Graph> candidates, double rateHz);
    ~EffectChains();

    /// Whether there are no effects. The sound then needs scaleOutput() alone.
    bool empty() const { return effects_.empty(); }
    /// Whether anything asks for what follow() measures.
    bool listening() const { return listening_; }
    /// New values of a candidate; `graph` has the same structure.
    void setValues(std::size_t candidate, const Graph& graph);
    /// What moves the effects of a candidate now: the signals of each layer's newest note, and those of the newest of
    /// all. `hz`: its pitch; 0 before any note.
    void follow(std::size_t candidate, std::span<const std::array<float, signal::count>> layers,
                const std::array<float, signal::count>& newest, double hz);
    /// `main` in place; what the chain beside makes of `send` is added; then the output's level.
    void process(std::span<StereoRow> main, std::span<StereoRow> send, int frames);
    /// The output's level, which moves over the first 16 frames.
    void scaleOutput(std::size_t candidate, float* left, float* right, int frames);
    /// Whether anything still sounds within.
    bool ringing() const;
    /// Time passes while nothing sounds.
    void rest(int frames);
    /// Ends all sound.
    void silence();
    /// Gain of the output of a candidate.
    float outputLevel(std::size_t candidate) const;
    /// By how many decibels an effect (in the order of the graph) holds the first candidate's level down.
    double reductionDb(std::size_t effect) const;

private:
    struct State;
    void aimEffect(std::size_t candidate, std::size_t effect);
    static void aimOutput(State& state);
    void wake(std::size_t candidate);
    void runChain(Chain chain, std::span<StereoRow> rows, int frames);

    std::vector<Graph const*> graphs_;
    std::vector<std::unique_ptr<Effect>> effects_;
    std::vector<Chain> chains_;
    std::vector<ModuleKind> kinds_;
    std::vector<std::size_t> mixPlaces_;
    std::vector<State> states_; ///< of each candidate
    std::vector<StereoRow> dry_;
    double rateHz_;
    bool listening_;
    bool beside_; ///< whether any effect is in the chain beside
};

} // namespace facet
