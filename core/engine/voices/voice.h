// One note of one layer as it sounds, for all candidates of a batch.
#pragma once

#include "core/engine/compile/graph.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

namespace facet {

/// The output of an audio-rate modulator: the present samples, and those 16 ahead.
struct MoverLine {
    alignas(64) std::array<float, 2 * kernels::blockFrames> line{};
};

/// Rows of what modulates one source at audio rate.
struct SourceRows {
    alignas(64) kernels::Row phase{}, octaves{}, width{}, position{}, amplitude{};
    kernels::SampleMoves moves;
    kernels::Wraps wraps;
};

/// What one candidate keeps of one sounding note.
struct CandidateVoice {
    std::vector<Envelope> envelopes;
    std::vector<Lfo> lfos;
    std::array<float, signal::count> signals{};
    std::optional<std::uint32_t> drawnFor{}; ///< the note whose random number stands among them
    double glideFrom = 0.0;                  ///< semitones above the target where the glide began
    double velocityGain = 1.0;
    double pitchNow = 0.0;  ///< semitones, with glide and bend
    double hz = 0.0;        ///< of pitchNow
    float levelFrom = 1.0f; ///< gain of layer, velocity and links at the block's beginning
    float levelGain = 1.0f; ///< and at its end
    bool levelKnown = false;
    std::uint64_t version = 0; ///< of the values that its jobs were last aimed with

    // What links add:
    std::vector<float> linkAmounts;
    std::vector<float> audioAmounts;
    std::vector<double> sourceSemitones;
    std::vector<float> sourceDb;
    std::array<float, 2> filterOctaves{};
    using BlockEnds = std::array<float, kernels::stretchBlocks>; ///< a value at the end of each block
    BlockEnds filterEnvelope{};
    std::array<BlockEnds, 2> cutoffs{}; ///< of the filters, log2 Hz
    float layerDb = 0.0f;
    std::unique_ptr<LayerGraph> live; ///< values with moved parts, where the layer has such; else null
    std::vector<std::array<double, mostFields>> partValues; ///< of each moved part: what `live` was made from

    std::array<kernels::FilterState, 4> filters; ///< two of each channel
    std::array<float, 2> fedBack{};
    std::vector<MoverLine> movers; ///< of each source, when any moves another
    std::vector<SourceRows> moved; ///< of each source, likewise

    /// Takes all memory that notes of this layer will need.
    void prepare(const LayerGraph& layer, double rateHz);
    /// `live` stands as the layer does. Takes no memory once it was prepared.
    void takeParts(const LayerGraph& layer);
    /// Ready for a new note.
    void clear();
};

/// How long a stolen voice takes to fall silent.
inline constexpr double stealFadeSeconds = 0.004;

/// Brings 32 samples at twice the rate to 16: a half-band filter of polyphase all-passes (Valenzuela & Constantinides
/// 1983), one row.
class Halving {
public:
    void clear() { state_ = {}; }
    /// `first` and `second`: 16 each of the earlier and the later samples, `frames` × 2 in all; `out` may be `second`.
    void run(const float* first, const float* second, float* out, int frames);

private:
    static constexpr std::size_t taps = 6;
    std::array<float, taps + 2> state_{};
};

/// One note of one layer, with a state for each candidate. Memory is taken once; a voice is used again for later notes.
struct Voice {
    bool used = false;
    bool held = false;
    bool fading = false; ///< stolen by a newer note
    std::uint32_t number = 0;
    std::uint64_t order = 0;    ///< of starts; equal for the layers of a note
    std::uint64_t released = 0; ///< in order of releases
    std::uint64_t slot = 0;     ///< of the voices that notes take in turn
    double pitch = 0.0;         ///< of the key, with the layer's transposition
    double velocity = 100.0;
    double glideSeconds = 0.0; ///< since the note began
    double fadeSeconds = 0.0;
    std::uint64_t blocks = 0; ///< since the note began
    std::vector<CandidateVoice> candidates;
    std::vector<kernels::Oscillator> oscillators; ///< [candidate][source][stacked voice]
    std::vector<kernels::OscillatorExtra> extras; ///< likewise, of layers that need them
    std::vector<kernels::SourceJob> jobs;         ///< likewise: with what they ended the last block with
    std::vector<kernels::FilterJob> filterJobs;   ///< [candidate][side]
    std::vector<Halving> halvings;                ///< [candidate][written row], of doubled layers
    std::unique_ptr<kernels::Shaper> driven;      ///< of layers with a drive curve, one lane a candidate
};

/// Brings everything that links move to where the candidate's signals stand now. `layer`: as it stands in the patch,
/// not as moved. Called by the audio thread.
void followLinks(CandidateVoice& candidate, const LayerGraph& layer);

} // namespace facet
