// What the engine is made of. Its parts stand in engine_notes.cpp (which voice plays which note), engine_controls.cpp
// (where values stand now), engine_sources.cpp (what moves sources) and engine_sound.cpp (blocks of sound).
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

struct Synthesis {
    std::vector<Graph> graphs;
    std::size_t voiced; ///< candidates that have voices of their own: all, or the first alone
    double rate;
    double perSample; ///< seconds
    std::uint64_t seed;
    double bendSemitones = 0.0;
    float wheel = 0.0f;
    float pressure = 0.0f;
    std::uint64_t clock = 0;
    std::uint64_t framesSoFar = 0;
    std::uint64_t version = 1; ///< grows with each change of values
    bool stereo = false;
    bool alike = false; ///< whether both sides are the same: the left one serves

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
        float* octaves1 = nullptr; ///< of the filters' cutoffs, by sources
        float* octaves2 = nullptr;
    };

    /// All voices of one layer.
    struct Layer {
        std::vector<Voice> voices;
        std::vector<std::uint16_t> sounding; ///< places of those in use, in order of their notes
        std::vector<Rows> rows;              ///< [voice][candidate]
        RowMemory memory;                    ///< of the rows that are in use
        int stackPerCandidate = 0;
        int orders = 1;         ///< highest order of a source, and one
        bool secondIn = false;  ///< whether anything enters filter 2 besides
        bool both = false;      ///< whether anything enters both
        bool past = false;      ///< whether anything goes past the filters
        bool clean = false;     ///< whether anything goes past the effects too
        bool linked = false;    ///< whether links move anything
        bool bySample = false;  ///< whether sources move anything
        bool doubled = false;   ///< whether sources run at twice the rate, since they move each other's phase or pitch
        bool listening = false; ///< whether anything asks for a voice's signals
        bool noisy = false;     ///< whether anything follows their noise
        bool plain = false;     ///< none of these: its blocks may be made several at a time
        bool cutoffMoved1 = false, cutoffMoved2 = false;
        std::array<float * Rows::*, 10> cleared{}; ///< rows that nothing overwrites
        std::size_t clearedCount = 0;
        std::array<float * Rows::*, 10> written{}; ///< rows that sources write
        std::size_t writtenCount = 0;
        std::vector<kernels::Row> firstHalves; ///< [voice][candidate][written row]: 16 of 32 samples of a doubled layer
        std::vector<std::vector<Lfo>> freeLfos; ///< [candidate][LFO]: those that run on
    };
    std::vector<Layer> layers;

    /// Notes held in mono and legato, oldest first.
    struct Held {
        std::uint32_t number;
        double pitch;
        double velocity;
    };
    std::vector<Held> heldNotes;
    double lastPitch = 0.0;
    bool hasLastPitch = false;
    std::uint64_t notes = 0;
    std::uint64_t givenWay = 0; ///< notes that had to make room

    /// A layer's part of a note that starts later.
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
    std::vector<Pending> pending;

    struct Sides {
        float* left = nullptr;
        float* right = nullptr;
    };
    int mostFrames; ///< of a call
    RowMemory outputMemory;
    std::vector<Sides> output;
    std::vector<Sides> sent;                       ///< to the chain of effects beside
    std::vector<Sides> clean;                      ///< past all effects
    std::vector<StereoBlock> made;                       ///< the output of the last call
    std::vector<StereoRow> blockOutput, blockSent; ///< one block of these, for the effects
    bool sends = false;
    int longest = kernels::blockFrames; ///< frames that may be made without a look at the effects
    bool pastEffects = false;           ///< whether anything goes there
    EffectChains chains;

    /// What the newest notes left to the effects.
    struct Heard {
        std::vector<std::array<float, signal::count>> layers;
        std::array<float, signal::count> newest{};
        double hz = 0.0;
    };
    std::vector<Heard> heardSignals;
    std::vector<std::vector<kernels::SourceJob>> sourceJobs; ///< by order, where sources wait for each other
    std::vector<const kernels::FilterJob*> filterJobs;
    std::vector<kernels::MixJob> mixJobs;

    Synthesis(std::span<const Graph> candidates, double rateHz, std::uint64_t engineSeed, bool sharedVoices);
    void prepareLayer(std::size_t l);
    void prepareRows(std::size_t l);
    void prepareVoice(Voice& voice, std::size_t l, Rows* rows);
    /// Which rows the sources write, and which must be cleared before; again when sound becomes stereo.
    void wire();
    void updateStereo();
    bool sidesAreAlike() const;
    void setValues(const Graph& graph, std::size_t candidate);

    double seconds(int frames) const { return frames * perSample; }
    /// A layer's values as they are for one voice.
    const LayerGraph& valuesOf(const CandidateVoice& candidate, std::size_t c, std::size_t l) const {
        return candidate.live ? *candidate.live : graphs[c].layers[l];
    }
    template <typename F> void eachVoice(F&& f) {
        for (Layer& layer : layers)
            for (std::uint16_t v : layer.sounding) f(layer.voices[v]);
    }

    // Notes
    void noteOn(std::uint32_t number, double pitch, double velocity);
    void noteOff(std::uint32_t number);
    void noteOnLayers(std::uint32_t number, double pitch, double velocity, bool overlapping);
    void turnTo(std::uint32_t number, double pitch, double velocity, bool overlapping, bool retrigger);
    void moveVoice(Voice& voice, std::size_t l, std::uint32_t number, double pitch, double velocity, bool overlapping,
                   bool retrigger);
    /// Places of notes that sound, and of the one that would give way next.
    struct Sounding {
        int count = 0;
        const Voice* next = nullptr;
    };
    Sounding sounding() const;
    void makeRoom();
    void startVoice(const Pending& start);
    void strike(Voice& voice, std::size_t c, std::size_t l);
    void startPhases(Voice& voice, std::size_t l);
    void prime(Voice& voice, std::size_t l);
    void releaseVoice(Voice& voice);
    bool glides(const Graph& graph, bool overlapping) const {
        return graph.glideSeconds > 0.0 && hasLastPitch && (graph.glideAlways || overlapping);
    }

    // Controls
    double glideOffset(const Voice& voice, std::size_t c) const {
        const double from = voice.candidates[c].glideFrom;
        const double time = graphs[c].glideSeconds;
        if (from == 0.0 || voice.glideSeconds >= time) return 0.0;
        return from * (1.0 - graphs[c].glideCurve(voice.glideSeconds / time));
    }
    /// Signals that links read, and what the links make of them.
    void followMovers(Voice& voice, std::size_t c, std::size_t l);
    void updateSignals(Voice& voice, std::size_t c, std::size_t l);
    /// Those of a note that are known before it sounds.
    /// −1…1, drawn for each note anew.
    float noteRandom(std::uint32_t number, std::size_t c, std::size_t l) const;
    /// All that a note keeps to, but for its random number.
    void noteSignals(std::array<float, signal::count>& signals, double pitch, double velocity, std::size_t c) const;
    /// Whether it changed.
    bool updatePitch(Voice& voice, std::size_t c) const;
    double incrementOf(const CandidateVoice& candidate, const LayerGraph& layer, std::size_t s) const;
    double stackedIncrement(const SourceValues& source, int k, double per) const;
    /// What sets one of the voices that notes take in turn apart from the others, −1…1; words keep apart what.
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
        if (graphs[c].cutoffSpread > 0.0) octaves += graphs[c].cutoffSpread * deviation(voice, cutoffWord);
        return octaves;
    }
    /// `at`: where in the stretch these blocks stand.
    void advanceControls(Voice& voice, std::size_t l, Rows* voiceRows, int at, int frames);
    /// Whether the pitch of any candidate is on its way.
    bool gliding(const Voice& voice) const;
    void advanceFree(std::size_t l, int frames);
    void followEffects();

    // Sources
    void prepareMoves(Voice& voice, std::size_t c, std::size_t l);
    void fillMoves(Voice& voice, std::size_t c, std::size_t l, int order);
    void fillOctaves(Voice& voice, std::size_t l, Rows* voiceRows) const;
    void aimSources(Voice& voice, std::size_t l);
    /// Runs the sources of one voice, or of all, movers first.
    void runSources(std::size_t l, Voice* only, int frames);
    void runDoubled(std::size_t l, int frames);

    // Sound
    void startFilters(Voice& voice, std::size_t l);
    void aimFilters(Voice& voice, std::size_t l, int at, int frames);
    void addFilterJobs(Voice& voice);
    void makeBlocks(Voice& voice, std::size_t l, Rows* voiceRows, int frames);
    void processLayer(std::size_t l, int at, int frames);
    void addMixJobs(Voice& voice, std::size_t l, const Rows* voiceRows, int at);
    bool finished(const Voice& voice) const;
    void makeVoices(int at, int frames);
    void runEffects(int at, int frames);
    void addClean(int at, int frames);
    std::span<const StereoBlock> process(int frames);
    void rest(int frames);
};

} // namespace facet
