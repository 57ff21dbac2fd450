// A patch compiled for the engine: dense values in the engine's own units, no addresses.
#pragma once

#include "core/dsp/envelope.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/lane_kernels.h"
#include "core/engine/kernels/filter_kernels.h"
#include "core/engine/kernels/lfo.h"
#include "core/engine/kernels/source_kernels.h"
#include "core/parameters/patch.h"

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace facet {

/// Most copies a source can be stacked of.
inline constexpr int maxStack = 12;

/// Values of one source. Pitch is a ratio to the note's frequency.
struct SourceValues {
    kernels::SourceShape shape;
    int voices = 1;
    std::uint64_t key = 0; ///< from the module's path; seeds its phases
    bool follows = true;
    double fixedHz = 440.0;
    double ratio = 1.0;       ///< of the middle of the stack
    double phase = 0.0;       ///< cycles
    double phaseRandom = 1.0; ///< cycles
    bool retrigger = true;
    float amplitude = 1.0f;
    Route route = Route::filter1;
    int syncTo = notSynced; ///< place of the source that begins its cycle anew, or `syncItself`
    double syncRatio = 1.0;
    struct StackVoice {
        double ratio = 1.0;
        float left = 1.0f;
        float right = 1.0f;
    };
    std::array<StackVoice, maxStack> stack{}; ///< the first `voices` count
    std::shared_ptr<const WaveTable> table;
    std::shared_ptr<const SampleTable> sample;
    double sampleHz = 261.6; ///< pitch at which a sample plays at its own rate
    // Of the graph:
    bool audioModulator = false; ///< modulates others at audio rate, or synchronizes them
    bool audioModulated = false; ///< is modulated at audio rate, or synchronized
    bool ringModulated = false;  ///< its gain is modulated at audio rate
    int order = 0;               ///< those of a lower order are computed first

    static constexpr int notSynced = -1;
    static constexpr int syncItself = -2;

    bool isStereo() const {
        for (int k = 0; k < voices; ++k)
            if (stack[static_cast<std::size_t>(k)].left != stack[static_cast<std::size_t>(k)].right) return true;
        return false;
    }
};

/// Values of one filter of a layer, without what links add.
struct FilterValues {
    kernels::FilterStructure structure;
    kernels::FilterTargets targets;
    float keyTracking = 0.0f;    ///< octaves per octave
    float cutoffEnvelope = 0.0f; ///< octaves
    float velocityOctaves = 0.0f;
};

/// What moves parameters, as places in a voice's list of signals.
namespace signal {
inline constexpr int velocity = 0, key = 1, wheel = 2, pressure = 3, random = 4, noise = 5;
inline constexpr int macros = 6;
inline constexpr int envelopes = macros + mostMacros;
inline constexpr int lfos = envelopes + mostEnvelopes;
inline constexpr int count = lfos + mostLfos;
inline constexpr int none = -1;
} // namespace signal

/// A link whose mover changes from block to block.
struct ControlLink {
    int from = signal::none;
    int by = signal::none;
    float amount = 0.0f; ///< in the destination's unit of movement
    SegmentCurve curve = 0.0;
    bool linear = false; ///< of a part: by a share of where it stands (movedLinearly())
    /// Where to. The first four are what moves most often and has a place of its own; `part`: any other parameter of a
    /// module of the layer; `amountOf`: another link's amount.
    enum class To : std::uint8_t { sourcePitch, sourceLevel, filterCutoff, layerLevel, part, amountOf, audioAmountOf };
    To to = To::part;
    int index = 0; ///< source, filter, part or link
    int field = 0; ///< of a part
};

/// A link whose mover is a source.
struct AudioLink {
    int from = 0; ///< source
    enum class To : std::uint8_t { phase, octaves, width, position, amplitude, cutoff };
    To to = To::phase;
    int index = 0;       ///< source or filter that is moved
    float amount = 0.0f; ///< cycles, octaves or shares
    int by = signal::none;
    bool back = false; ///< leads to a source that is computed before: one block late. To itself: see feedback
};

/// A link to an effect or to the output, for all notes together: the newest one decides.
struct EffectLink {
    static constexpr int output = -1;
    int layer = -1; ///< of what moves; −1: none, it belongs to the newest note of all
    int from = signal::none;
    int byLayer = -1;
    int by = signal::none;
    float amount = 0.0f; ///< in the destination's unit of movement
    SegmentCurve curve = 0.0;
    bool linear = false;   ///< by a share of where it stands
    bool toAmount = false; ///< moves the amount of another such link
    int index = 0;         ///< effect, `output`, or link
    int field = 0;
};

/// A module whose parameters are moved in other ways than those with a place of their own.
struct MovedPart {
    ModuleKind kind;
    int index; ///< among those of its kind in the layer
    int count = 0;
    std::array<double, mostFields> values{}; ///< in the order of parametersOf(kind)
};

/// Everything the engine needs of a layer.
struct LayerGraph {
    std::uint64_t key = 0;
    int lowKey = 0, highKey = 127;
    double lowVelocity = 1.0, highVelocity = 127.0;
    double offsetSeconds = 0.0;
    double transpose = 0.0;
    float gain = 1.0f;
    float send = 0.0f; ///< gain to the chain beside
    float leftGain = 1.0f;
    float rightGain = 1.0f;
    double velocityDb = 0.0;
    bool velocityInGain = false; ///< goes evenly in gain between softest and hardest, not in dB
    /// Each note by itself is driven into this curve, behind the filters.
    std::optional<kernels::ShaperCurve> driveCurve{};
    float drive = 1.0f; ///< gain
    bool parallel = false;
    bool fedBack = false;
    float feedback = 0.0f;
    bool doubled = false; ///< sources run at twice the rate, since they move each other's phase or pitch

    std::vector<SourceValues> sources; ///< those that are on
    std::array<FilterValues, 2> filters;
    std::vector<EnvelopeShape> envelopes; ///< level, filter, then the others
    std::vector<LfoValues> lfos;
    std::vector<ControlLink> links; ///< in an order in which amounts are known before they are used
    std::vector<AudioLink> audioLinks;
    std::vector<MovedPart> parts;
    double tempo = 120.0;

    bool filtered() const { return filters[0].structure.on || filters[1].structure.on || fedBack; }
};
inline constexpr int levelEnvelope = 0;
inline constexpr int filterEnvelope = 1;

/// Everything the engine needs of a patch. What `sameGraph` compares decides which code runs; all else are
/// values that may differ between the candidates of one batch and change while a note sounds.
struct Graph {
    VoiceMode mode = VoiceMode::poly;
    int voiceLimit = 8;
    double glideSeconds = 0.0;
    SegmentCurve glideCurve = 0.0;
    bool glideAlways = false;
    double bendSemitones = 2.0; ///< at full bend of a wheel
    double tuningSpread = 0.0;  ///< semitones
    double cutoffSpread = 0.0;  ///< octaves
    std::vector<LayerGraph> layers;
    std::array<float, 8> macros{};
    std::vector<EffectGraph> effects;    ///< those that are on, in the order in which they are passed
    std::vector<EffectLink> effectLinks; ///< in an order in which amounts are known before they are used
    std::vector<double> output;          ///< values of the output module
    double tempo = 120.0;
};

/// Dense copy of a patch's values. Note values are taken at `tempo` quarter notes per minute. Not the audio thread.
Graph compile(const Patch& patch, double tempo = 120.0);

/// Takes the values of a module of a layer into its dense form; `values` in the order of parametersOf(kind). `before`:
/// those that it was taken from last, or empty. Any thread.
void takeValues(LayerGraph& layer, ModuleKind kind, int index, std::span<const double> values,
                std::span<const double> before = {});

/// Whether two patches can be rendered side by side in lanes, or one be turned into the other without
/// interrupting what sounds.
bool sameGraph(const Graph& a, const Graph& b);

/// Seconds after a note at which a layer begins, with what links make of it; `heard`: signals of the note: what is
/// known before it sounds counts.
double offsetOf(const LayerGraph& layer, const std::array<float, signal::count>& heard);

/// Gain of a note by its velocity, 1 … 127: 1 for the hardest.
double velocityGainOf(const LayerGraph& layer, double velocity);

/// A mover's value bent by a link's curve; beyond 1 it goes on straight.
float bentSignal(const SegmentCurve& curve, float value);

/// Relative place in [−1, 1] of stacked voice `index` of `count`: evenly spaced, one voice in the middle.
double stackPosition(int index, int count);
/// Pan in [−1, 1] of a stacked voice at full spread: neighbors in pitch on opposite sides.
double stackPan(int index, int count);

} // namespace facet
