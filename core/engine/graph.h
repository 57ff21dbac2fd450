// A patch compiled for the engine: dense values in the engine's own units, no addresses.
#pragma once

#include "core/dsp/envelope.h"
#include "core/parameters/patch.h"

#include <array>
#include <cstdint>
#include <vector>

namespace facet {

/// Most copies a source can be stacked of.
inline constexpr int maxStack = 8;

/// Values of one source. Pitch is a ratio to the note's frequency.
struct SourceValues {
    Wave wave = Wave::saw;
    int voices = 1;
    std::uint64_t key = 0; ///< from the module's key; seeds its phases
    double ratio = 1.0;    ///< of the middle of the stack
    float width = 0.5f;
    double phase = 0.0;       ///< cycles
    double phaseRandom = 1.0; ///< cycles
    struct StackVoice {
        double ratio = 1.0;
        float left = 1.0f;
        float right = 1.0f;
    };
    std::array<StackVoice, maxStack> stack{}; ///< the first `voices` count

    bool isStereo() const {
        for (int k = 0; k < voices; ++k)
            if (stack[static_cast<std::size_t>(k)].left != stack[static_cast<std::size_t>(k)].right) return true;
        return false;
    }
};

/// Everything the engine needs of a patch. What `sameGraph` compares decides which code runs; all else are
/// values that may differ between the candidates of one batch and change while a note sounds.
struct Graph {
    VoiceMode mode = VoiceMode::poly;
    int voiceLimit = 8;
    double glideSeconds = 0.0;
    bool glideAlways = false;

    std::vector<SourceValues> sources; ///< those that are on
    float layerGain = 1.0f;
    float leftGain = 1.0f; ///< of the layer's pan
    float rightGain = 1.0f;
    double velocityDb = 0.0;

    bool filtered = false;
    bool fourPole = true;
    float cutoffLog2 = 14.0f; ///< log2 Hz
    float damping1 = 1.414f;  ///< 1/Q of the two sections
    float damping2 = 1.414f;
    float keyTracking = 0.0f;    ///< octaves per octave
    float cutoffEnvelope = 0.0f; ///< octaves
    float velocityOctaves = 0.0f;

    EnvelopeShape levelEnvelope;
    EnvelopeShape cutoffEnvelopeShape;
};

/// Dense copy of a patch's values.
Graph compile(const Patch& patch);

/// Whether two patches can be rendered side by side in lanes, or one be turned into the other without
/// interrupting what sounds.
bool sameGraph(const Graph& a, const Graph& b);

/// Relative place in [−1, 1] of stacked voice `index` of `count`: evenly spaced, one voice in the middle.
double stackPosition(int index, int count);
/// Pan in [−1, 1] of a stacked voice at full spread: neighbors in pitch on opposite sides.
double stackPan(int index, int count);

} // namespace facet
