// The effects of a patch compiled for the engine.
#pragma once

#include "core/engine/compile/graph.h"

#include <functional>
#include <string>
#include <utility>

namespace facet {

/// Layer (−1: none) and place among a voice's signals of a mover; none: it moves nothing.
using SignalFinder = std::function<std::pair<int, int>(const std::string& mover)>;

/// Takes the effects that are on, and the links to them and to the output. Not the audio thread.
void compileEffects(const Patch& patch, const SignalFinder& signalOf, Graph& graph);

/// Whether effects and their links are the same but for values that can move.
bool sameEffects(const Graph& a, const Graph& b);

} // namespace facet
