// Everything that sounds of up to 16 candidates: their voices, the rows of samples they run through, and the effect
// chains.
#pragma once

#include "core/engine/compile/graph.h"
#include "core/engine/kernels/mix_kernels.h"
#include "core/engine/voices/effect_chains.h"
#include "core/engine/voices/stereo_block.h"
#include "core/engine/voices/voice.h"

#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace facet {

/// What Engine does; see there for the contract. Its parts stand in synthesis.cpp (memory and wiring),
/// voice_allocation.cpp (which voice plays which note), voice_controls.cpp (control values), voice_sources.cpp (sources
/// and their audio-rate modulation) and voice_sound.cpp (blocks of sound).
///
/// Indices: `l` a layer, `c` a candidate, `s` a source, `f` a filter, `k` a stacked voice. A *stretch* is what one call
/// of process() makes, a *block* at most 16 samples of it. All memory is taken at construction; nothing else allocates,
/// locks or throws. One thread at a time.
class Synthesis {
public:
    Synthesis(std::span<const Graph> candidates, double rateHz, std::uint64_t seed, bool sharedVoices);

    void noteOn(std::uint32_t number, double pitch, double velocity);
    void noteOff(std::uint32_t number);
    void setBend(double semitones) { bendSemitones_ = semitones; }
    void setWheel(double position) { wheel_ = static_cast<float>(position); }
    void setPressure(double position) { pressure_ = static_cast<float>(position); }
    void setValues(const Graph& graph, std::size_t c);
    void silence();
    std::span<const StereoBlock> process(int frames);
    /// Time passes while nothing sounds.
    void rest(int frames);

    std::size_t candidateCount() const { return graphs_.size(); }
    bool active() const;
    int notesSounding() const { return sounding().count; }
    std::uint64_t notesStolen() const { return notesStolen_; }
    int mostFrames() const { return mostFrames_; }
    double reductionDb(std::size_t effect) const { return chains_.reductionDb(effect); }

private:
    /// Memory for rows of `longest` frames each.
    class RowMemory {
    public:
        RowMemory() = default;
        RowMemory(std::size_t rows, int longest)
            : perRow_(static_cast<std::size_t>(longest / kernels::blockFrames)), blocks_(rows * perRow_) {}
        float* row(std::size_t index) { return blocks_[index * perRow_].samples; }

    private:
        struct alignas(64) SixteenSamples {
            float samples[kernels::blockFrames];
        };
        std::size_t perRow_ = 0;
        std::vector<SixteenSamples> blocks_;
    };

    /// What a voice's sound runs through in a stretch of blocks.
    struct Rows {
        float* left = nullptr;
        float* right = nullptr;
        float* left2 = nullptr; ///< into filter 2 besides
        float* right2 = nullptr;
        float* leftBoth = nullptr; ///< into both filters
        float* rightBoth = nullptr;
        float* leftPast = nullptr; ///< past the filters
        float* rightPast = nullptr;
        float* leftClean = nullptr; ///< past the effects too
        float* rightClean = nullptr;
        float* level = nullptr;
        float* octaves1 = nullptr; ///< audio-rate modulation of the filters' cutoffs
        float* octaves2 = nullptr;
    };

    /// All voices of one layer.
    struct Layer {
        std::vector<Voice> voices;
        std::vector<std::uint16_t> sounding; ///< places of those in use, in order of their notes
        std::vector<Rows> rows;              ///< [voice][candidate]
        RowMemory memory;                    ///< of the rows that are in use
        int stackPerCandidate = 0;
        int orders = 1;               ///< highest order of a source, and one
        bool secondIn = false;        ///< whether anything enters filter 2 besides
        bool both = false;            ///< whether anything enters both filters
        bool past = false;            ///< whether anything goes past the filters
        bool clean = false;           ///< whether anything goes past the effects too
        bool linked = false;          ///< whether any link leads to a parameter
        bool audioModulation = false; ///< whether sources modulate anything at audio rate
        bool doubled = false;         ///< whether sources run at twice the rate, since phase or pitch is modulated
        bool listening = false;       ///< whether anything asks for a voice's signals
        bool noisy = false;           ///< whether anything follows their noise
        bool plain = false;           ///< none of these: its blocks may be made several at a time
        bool cutoffMoved1 = false, cutoffMoved2 = false; ///< whether audio-rate links lead to the cutoffs
        std::array<float * Rows::*, 10> cleared{};       ///< rows that nothing overwrites
        std::size_t clearedCount = 0;
        std::array<float * Rows::*, 10> written{}; ///< rows that sources write
        std::size_t writtenCount = 0;
        std::vector<kernels::Row> firstHalves; ///< [voice][candidate][written row]: 16 of 32 samples of a doubled layer
        std::vector<std::vector<Lfo>> freeLfos; ///< [candidate][LFO]: the free-running ones
    };

    /// A note held in mono and legato.
    struct Held {
        std::uint32_t number;
        double pitch;
        double velocity;
    };

    /// A layer's part of a note that starts later, by the layer's offset.
    struct Pending {
        std::size_t layer;
        int frames;
        std::uint32_t number;
        std::uint64_t order;
        double pitch;
        double velocity;
        bool overlapping;
        double glideFrom; ///< pitch of the note before
        bool hasGlideFrom;
    };
    static constexpr std::size_t mostPending = 64;

    struct Sides {
        float* left = nullptr;
        float* right = nullptr;
    };

    /// Signals that the newest notes leave to the effects.
    struct HeardSignals {
        std::vector<std::array<float, signal::count>> layers;
        std::array<float, signal::count> newest{};
        double hz = 0.0;
    };

    /// Notes that sound, and a voice of the one that would be stolen next.
    struct Sounding {
        int count = 0;
        const Voice* next = nullptr;
    };

    // ---- memory and wiring ----

    /// Takes a layer's memory and finds out what its graph needs.
    void prepareLayer(std::size_t l);
    /// Memory for those rows alone that something may write.
    void prepareRows(std::size_t l);
    /// Connects a voice's jobs to its states and rows.
    void prepareVoice(Voice& voice, std::size_t l, Rows* rows);
    /// Decides which rows the sources write, and which must be cleared before; again when sound becomes stereo.
    void wire();
    /// Sound becomes stereo as soon as any source is, and stays so.
    void updateStereo();
    /// Whether both sides of the output are the same, so that the left one serves for both.
    bool sidesAreAlike() const;

    // ---- notes: voice_allocation.cpp ----

    Sounding sounding() const;
    /// Steals a note where the voice limit is reached: the one released longest ago, else the oldest. The rule looks at
    /// the performance only, so candidates cannot influence each other through it.
    void stealVoice();
    /// Starts a note in every layer that plays it, at once or after the layer's offset.
    void noteOnLayers(std::uint32_t number, double pitch, double velocity, bool overlapping);
    /// Mono and legato: every layer that plays the note turns to it, or begins; the others let go.
    void turnTo(std::uint32_t number, double pitch, double velocity, bool overlapping, bool retrigger);
    /// Mono and legato: turns the sounding voice to another note.
    void moveVoice(Voice& voice, std::size_t l, std::uint32_t number, double pitch, double velocity, bool overlapping,
                   bool retrigger);
    void startVoice(const Pending& start);
    /// Starts the envelopes, the LFOs of each note and the velocity's gain.
    void strike(Voice& voice, std::size_t c, std::size_t l);
    /// Sets the oscillators to their start phases, by the seed and the note's number.
    void startPhases(Voice& voice, std::size_t l);
    /// Computes the first 16 samples of a note, since sources run 16 samples ahead.
    void prime(Voice& voice, std::size_t l);
    void releaseVoice(Voice& voice);
    bool glides(const Graph& graph, bool overlapping) const {
        return graph.glideSeconds > 0.0 && hasLastPitch_ && (graph.glideAlways || overlapping);
    }

    // ---- control values: voice_controls.cpp ----

    double seconds(int frames) const { return frames * perSample_; }
    /// A layer's values as they are for one voice, moved by links.
    const LayerGraph& valuesOf(const CandidateVoice& candidate, std::size_t c, std::size_t l) const {
        return candidate.live ? *candidate.live : graphs_[c].layers[l];
    }
    /// Semitones by which a glide is still above its target.
    double glideOffset(const Voice& voice, std::size_t c) const {
        const double from = voice.candidates[c].glideFrom;
        const double time = graphs_[c].glideSeconds;
        if (from == 0.0 || voice.glideSeconds >= time) return 0.0;
        return from * (1.0 - graphs_[c].glideCurve(voice.glideSeconds / time));
    }
    /// Whether any candidate's glide is under way.
    bool gliding(const Voice& voice) const;
    /// Brings the voice's signals and what links make of them up to date, where anything asks for them.
    void followMovers(Voice& voice, std::size_t c, std::size_t l);
    /// Reads the signals: velocity, key, controllers, random, noise, macros, envelopes, LFOs.
    void updateSignals(Voice& voice, std::size_t c, std::size_t l);
    /// −1 … 1, drawn for each note anew.
    float noteRandom(std::uint32_t number, std::size_t c, std::size_t l) const;
    /// The signals that are known before a note sounds, but for its random number.
    void noteSignals(std::array<float, signal::count>& signals, double pitch, double velocity, std::size_t c) const;
    /// Brings the candidate's pitch up to date; whether it changed.
    bool updatePitch(Voice& voice, std::size_t c) const;
    /// Cycles per sample of a source before stacking.
    double incrementOf(const CandidateVoice& candidate, const LayerGraph& layer, std::size_t s) const;
    /// Cycles per sample of one stacked voice; of a sample: its own samples per sample.
    double stackedIncrement(const SourceValues& source, int k, double per) const;
    /// −1 … 1: what sets one of the voices that notes take in turn apart from the others; `word` keeps apart what for.
    double deviation(const Voice& voice, std::uint64_t word) const;
    static constexpr std::uint64_t tuningWord = 0x74756e65, cutoffWord = 0x63757473;
    /// log2 of a filter's cutoff in Hz before its envelope moves it.
    double cutoffLog2(const Voice& voice, const CandidateVoice& candidate, const LayerGraph& layer, std::size_t c,
                      std::size_t f) const {
        const FilterValues& filter = layer.filters[f];
        double octaves =
            static_cast<double>(filter.targets.cutoffLog2) + static_cast<double>(candidate.filterOctaves[f]);
        if (filter.keyTracking != 0.0f)
            octaves += static_cast<double>(filter.keyTracking) * (voice.pitch + glideOffset(voice, c) - 60.0) / 12.0;
        if (filter.velocityOctaves != 0.0f)
            octaves += static_cast<double>(filter.velocityOctaves) * (voice.velocity / 127.0 - 1.0);
        if (graphs_[c].cutoffSpread > 0.0) octaves += graphs_[c].cutoffSpread * deviation(voice, cutoffWord);
        return octaves;
    }
    /// Advances envelopes, LFOs, glide and fade of a voice by blocks that stand at frame `at` of the stretch.
    void advanceControls(Voice& voice, std::size_t l, Rows* voiceRows, int at, int frames);
    /// Advances the free-running LFOs of a layer.
    void advanceFree(std::size_t l, int frames);
    /// Gives the effects the signals of the newest note of each layer, and of the newest of all.
    void followEffects();

    // ---- sources: voice_sources.cpp ----

    /// Connects the rows of audio-rate modulation: modulators of a lower order will have been computed by then.
    void prepareMoves(Voice& voice, std::size_t c, std::size_t l);
    /// Adds up what modulates the sources of one order.
    void fillMoves(Voice& voice, std::size_t c, std::size_t l, int order);
    /// Adds up what sources add to the cutoffs in this block, before the sources run on: the present is still in their
    /// lines.
    void fillOctaves(Voice& voice, std::size_t l, Rows* voiceRows) const;
    /// Sets pitches and gains to where they are at the end of the block; where nothing moves them they stand.
    void aimSources(Voice& voice, std::size_t l);
    /// Runs the sources of one voice, or of all where `only` is null, modulators first.
    void runSources(std::size_t l, Voice* only, int frames);
    /// Runs a block in two halves of twice the rate, brought together again. Blocks of 8 samples and less are one.
    void runDoubled(std::size_t l, int frames);

    // ---- sound: voice_sound.cpp ----

    /// Starts a note's filters at the cutoff of its beginning, not at that of the first block's end.
    void startFilters(Voice& voice, std::size_t l);
    /// Sets the filters to where they are at the ends of these blocks.
    void aimFilters(Voice& voice, std::size_t l, int at, int frames);
    void addFilterJobs(Voice& voice);
    /// Advances a voice's controls, and runs its sources where they need not wait for those of other voices.
    void makeBlocks(Voice& voice, std::size_t l, Rows* voiceRows, int frames);
    /// Makes the blocks of a layer and adds them to the output.
    void processLayer(std::size_t l, int at, int frames);
    /// Drives what a note has come to into its layer's curve, all its rows joined.
    void driveVoice(Voice& voice, std::size_t l, Rows* voiceRows, int frames);
    void addMixJobs(Voice& voice, std::size_t l, const Rows* voiceRows, int at);
    /// Whether a voice has died away or has been stolen.
    bool finished(const Voice& voice) const;
    /// Makes the blocks of all layers, split where a layer of a note begins later.
    void makeVoices(int at, int frames);
    /// Runs one block of what the voices made through the effects.
    void runEffects(int at, int frames);
    /// Adds what passes the effects by, at the output's level.
    void addClean(int at, int frames);

    template <typename F> void eachVoice(F&& f) {
        for (Layer& layer : layers_)
            for (std::uint16_t v : layer.sounding) f(layer.voices[v]);
    }

    std::vector<Graph> graphs_; ///< of each candidate
    std::size_t voiced_;        ///< candidates that have voices of their own: all, or the first alone
    double rate_;               ///< Hz
    double perSample_;          ///< seconds
    std::uint64_t seed_;
    double bendSemitones_ = 0.0;
    float wheel_ = 0.0f;
    float pressure_ = 0.0f;
    std::uint64_t clock_ = 0; ///< counts starts and releases
    std::uint64_t framesSoFar_ = 0;
    std::uint64_t version_ = 1; ///< grows with each change of values
    bool stereo_ = false;
    bool alike_ = false; ///< whether both sides are the same: the left one serves

    std::vector<Layer> layers_;
    std::vector<Held> heldNotes_; ///< oldest first
    double lastPitch_ = 0.0;
    bool hasLastPitch_ = false;
    std::uint64_t notes_ = 0;
    std::uint64_t notesStolen_ = 0;
    std::vector<Pending> pending_;

    int mostFrames_; ///< of a call
    RowMemory outputMemory_;
    std::vector<Sides> output_;                      ///< [candidate]
    std::vector<Sides> sent_;                        ///< likewise, to the send bus
    std::vector<Sides> clean_;                       ///< likewise, past all effects
    std::vector<StereoBlock> made_;                  ///< the output of the last call
    std::vector<StereoRow> blockOutput_, blockSent_; ///< one block of these, for the effects
    bool sends_ = false;                             ///< whether the send bus has effects
    int longest_ = kernels::blockFrames;             ///< frames that may be made without a look at the effects
    bool pastEffects_ = false;                       ///< whether anything goes past all effects
    EffectChains chains_;
    std::vector<HeardSignals> heardSignals_; ///< [candidate]

    std::vector<std::vector<kernels::SourceJob>> sourceJobs_; ///< by order, where sources wait for each other
    std::vector<const kernels::FilterJob*> filterJobs_;
    std::vector<kernels::MixJob> mixJobs_;
};

} // namespace facet
