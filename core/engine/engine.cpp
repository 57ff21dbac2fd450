#include "core/engine/engine.h"

#include "core/base/random.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

using kernels::FilterJob;
using kernels::FilterState;
using kernels::Oscillator;
using kernels::Row;
using kernels::SourceJob;

constexpr double stealFadeSeconds = 0.004;
constexpr double highestIncrement = 0.45; // above this a source is out of hearing and falls silent

/// What one candidate keeps of one sounding note.
struct CandidateVoice {
    Envelope level;
    Envelope cutoff;
    double glideFrom = 0.0; ///< semitones above the target where the glide began
    double velocityGain = 1.0;
    double tunedPitch = -1e9; ///< the pitch that `hz` stands for, in semitones
    double hz = 0.0;
    std::array<FilterState, 2> filter;
};

/// One stacked voice of one source, with the gains it ended the last block with.
struct StackVoice {
    Oscillator oscillator;
    float left = 0.0f;
    float right = 0.0f;
    bool started = false;
};

struct Voice {
    bool used = false;
    bool held = false;
    bool fading = false; ///< gives way to a newer note
    std::uint32_t number = 0;
    std::uint64_t order = 0;    ///< of starts
    std::uint64_t released = 0; ///< in order of releases
    double pitch = 0.0;
    double velocity = 100.0;
    double glideSeconds = 0.0; ///< since the note began
    double fadeSeconds = 0.0;
    std::vector<CandidateVoice> candidates;
    std::vector<StackVoice> stack; ///< [candidate][source][stacked voice]
};

} // namespace

struct Engine::Impl {
    std::vector<Graph> graphs;
    double rate;
    std::uint64_t seed;
    double bendSemitones = 0.0;
    std::uint64_t clock = 0;
    bool stereo = false;
    int stackPerCandidate = 0;
    std::vector<Voice> voices;
    /// Notes held in mono and legato, oldest first.
    struct Held {
        std::uint32_t number;
        double pitch;
        double velocity;
    };
    std::vector<Held> heldNotes;
    double lastPitch = 0.0;
    bool hasLastPitch = false;

    std::vector<Block> output;
    std::vector<SourceJob> sourceJobs;
    std::vector<FilterJob> filterJobs;
    struct Rows {
        alignas(64) Row left;
        alignas(64) Row right;
        alignas(64) Row level;
    };
    std::vector<Rows> rows; ///< [voice][candidate]

    Impl(std::span<const Graph> candidates, double rateHz, std::uint64_t engineSeed)
        : graphs(candidates.begin(), candidates.end()), rate(rateHz), seed(engineSeed) {
        bandLimitTables();
        const Graph& first = graphs.front();
        for (const auto& source : first.sources) stackPerCandidate += source.voices;
        // Room for every note the limit allows, and as many again that are fading out for newer ones.
        const auto voiceCount = static_cast<std::size_t>(2 * first.voiceLimit + 2);
        const std::size_t count = graphs.size();
        voices.resize(voiceCount);
        for (Voice& voice : voices) {
            voice.candidates.resize(count);
            voice.stack.resize(count * static_cast<std::size_t>(stackPerCandidate));
        }
        heldNotes.reserve(128);
        output.resize(count);
        rows.resize(voiceCount * count);
        sourceJobs.reserve(voiceCount * count * static_cast<std::size_t>(std::max(1, stackPerCandidate)));
        filterJobs.reserve(voiceCount * count * 2);
        updateStereo();
    }

    void updateStereo() {
        for (const Graph& graph : graphs)
            for (const auto& source : graph.sources)
                if (source.isStereo()) stereo = true;
    }

    bool glides(const Graph& graph, bool overlapping) const {
        return graph.glideSeconds > 0.0 && hasLastPitch && (graph.glideAlways || overlapping);
    }

    static double velocityGain(const Graph& graph, double velocity) {
        return gainFromDb(graph.velocityDb * (velocity / 127.0 - 1.0));
    }

    double seconds(int frames) const { return frames / rate; }

    // ---- notes ----

    Voice& freeVoice() {
        Voice* best = nullptr;
        for (Voice& voice : voices)
            if (!voice.used) return voice;
        for (Voice& voice : voices)
            if (voice.fading && (!best || voice.order < best->order)) best = &voice;
        return best ? *best : voices.front();
    }

    /// Makes room within the limit: the note released longest ago gives way first, then the oldest. The rule
    /// looks at the performance only, so candidates cannot influence each other through it.
    void makeRoom() {
        int sounding = 0;
        Voice* victim = nullptr;
        for (Voice& voice : voices) {
            if (!voice.used || voice.fading) continue;
            ++sounding;
            const auto rank = [](const Voice& v) { return std::pair(v.held, v.held ? v.order : v.released); };
            if (!victim || rank(voice) < rank(*victim)) victim = &voice;
        }
        if (sounding >= graphs.front().voiceLimit && victim) {
            victim->fading = true;
            victim->fadeSeconds = 0.0;
        }
    }

    void startPhases(Voice& voice) {
        std::size_t place = 0;
        for (const Graph& graph : graphs)
            for (const auto& source : graph.sources)
                for (int k = 0; k < source.voices; ++k) {
                    StackVoice& stacked = voice.stack[place++];
                    stacked = StackVoice{};
                    const std::uint64_t bits = combineSeeds(combineSeeds(seed, voice.number),
                                                            combineSeeds(source.key, static_cast<std::uint64_t>(k)));
                    const double start = source.phase + source.phaseRandom * unitFromBits(bits);
                    stacked.oscillator.phase = start - std::floor(start);
                    stacked.oscillator.high = stacked.oscillator.phase < source.width;
                }
    }

    void startVoice(std::uint32_t number, double pitch, double velocity, bool overlapping) {
        makeRoom();
        Voice& voice = freeVoice();
        voice.used = true;
        voice.held = true;
        voice.fading = false;
        voice.number = number;
        voice.order = ++clock;
        voice.pitch = pitch;
        voice.velocity = velocity;
        voice.glideSeconds = 0.0;
        startPhases(voice);
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            candidate = CandidateVoice{};
            candidate.glideFrom = glides(graphs[c], overlapping) ? lastPitch - pitch : 0.0;
            candidate.velocityGain = velocityGain(graphs[c], velocity);
            candidate.level.start();
            candidate.cutoff.start();
        }
        prime(voice);
        lastPitch = pitch;
        hasLastPitch = true;
    }

    /// Sources are computed 16 samples ahead; the first 16 of a note are made before it sounds.
    void prime(Voice& voice) {
        alignas(64) Row unused{};
        sourceJobs.clear();
        std::size_t place = 0;
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            const double hz = voiceHz(voice, c);
            for (const auto& source : graphs[c].sources)
                for (int k = 0; k < source.voices; ++k)
                    sourceJobs.push_back({&voice.stack[place++].oscillator, increment(source, k, hz), source.width,
                                          source.wave, 0, 0, 0, 0, unused.data(), nullptr});
        }
        kernels::runSources(sourceJobs, blockFrames);
    }

    /// Mono and legato: turns the sounding voice to another note.
    void moveVoice(Voice& voice, std::uint32_t number, double pitch, double velocity, bool overlapping,
                   bool retrigger) {
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            const double now = voice.pitch + glideOffset(voice, c);
            candidate.glideFrom = glides(graphs[c], overlapping) ? now - pitch : 0.0;
            if (retrigger) {
                candidate.velocityGain = velocityGain(graphs[c], velocity);
                candidate.level.start();
                candidate.cutoff.start();
            }
        }
        voice.number = number;
        voice.held = true;
        voice.pitch = pitch;
        if (retrigger) voice.velocity = velocity;
        voice.glideSeconds = 0.0;
        lastPitch = pitch;
    }

    Voice* monoVoice() {
        for (Voice& voice : voices)
            if (voice.used && !voice.fading) return &voice;
        return nullptr;
    }

    void noteOn(std::uint32_t number, double pitch, double velocity) {
        if (graphs.front().mode == VoiceMode::poly) {
            const bool overlapping =
                std::any_of(voices.begin(), voices.end(), [](const Voice& v) { return v.used && v.held; });
            startVoice(number, pitch, velocity, overlapping);
            return;
        }
        const bool overlapping = !heldNotes.empty();
        if (heldNotes.size() < heldNotes.capacity()) heldNotes.push_back({number, pitch, velocity});
        Voice* voice = monoVoice();
        if (!voice)
            startVoice(number, pitch, velocity, overlapping);
        else
            moveVoice(*voice, number, pitch, velocity, overlapping,
                      graphs.front().mode == VoiceMode::mono || !overlapping);
    }

    void releaseVoice(Voice& voice) {
        voice.held = false;
        voice.released = ++clock;
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            voice.candidates[c].level.release();
            voice.candidates[c].cutoff.release();
        }
    }

    void noteOff(std::uint32_t number) {
        if (graphs.front().mode == VoiceMode::poly) {
            for (Voice& voice : voices)
                if (voice.used && voice.held && voice.number == number) releaseVoice(voice);
            return;
        }
        std::erase_if(heldNotes, [number](const Held& note) { return note.number == number; });
        Voice* voice = monoVoice();
        if (!voice || !voice->held || voice->number != number) return;
        if (heldNotes.empty()) {
            releaseVoice(*voice);
        } else { // back to the newest note still held
            const Held& note = heldNotes.back();
            moveVoice(*voice, note.number, note.pitch, note.velocity, true, graphs.front().mode == VoiceMode::mono);
        }
    }

    // ---- control values ----

    double glideOffset(const Voice& voice, std::size_t c) const {
        const double from = voice.candidates[c].glideFrom;
        const double time = graphs[c].glideSeconds;
        if (from == 0.0 || voice.glideSeconds >= time) return 0.0;
        return from * (1.0 - voice.glideSeconds / time);
    }

    double voiceHz(Voice& voice, std::size_t c) const {
        CandidateVoice& candidate = voice.candidates[c];
        const double pitch = voice.pitch + glideOffset(voice, c) + bendSemitones;
        if (pitch != candidate.tunedPitch) {
            candidate.tunedPitch = pitch;
            candidate.hz = hzFromKey(pitch);
        }
        return candidate.hz;
    }

    double increment(const SourceValues& source, int k, double hz) const {
        return std::clamp(hz * source.stack[static_cast<std::size_t>(k)].ratio / rate, 1e-6, highestIncrement);
    }

    float cutoffLog2(const Voice& voice, std::size_t c) const {
        const Graph& graph = graphs[c];
        double octaves = graph.cutoffLog2;
        octaves += graph.cutoffEnvelope * voice.candidates[c].cutoff.value();
        octaves += graph.keyTracking * (voice.pitch + glideOffset(voice, c) - 60.0) / 12.0;
        octaves += graph.velocityOctaves * (voice.velocity / 127.0 - 1.0);
        return static_cast<float>(octaves);
    }

    // ---- sound ----

    void addSourceJobs(Voice& voice, Rows* voiceRows) {
        std::size_t place = 0;
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            const double hz = voiceHz(voice, c);
            for (const auto& source : graphs[c].sources)
                for (int k = 0; k < source.voices; ++k) {
                    StackVoice& stacked = voice.stack[place++];
                    const bool audible = hz * source.ratio < highestIncrement * rate;
                    const float left = audible ? source.stack[static_cast<std::size_t>(k)].left : 0.0f;
                    const float right = audible ? source.stack[static_cast<std::size_t>(k)].right : 0.0f;
                    if (!stacked.started) {
                        stacked.left = left;
                        stacked.right = right;
                        stacked.started = true;
                    }
                    sourceJobs.push_back({&stacked.oscillator, increment(source, k, hz), source.width, source.wave,
                                          stacked.left, left, stacked.right, right, voiceRows[c].left.data(),
                                          stereo ? voiceRows[c].right.data() : nullptr});
                    stacked.left = left;
                    stacked.right = right;
                }
        }
    }

    void advanceControls(Voice& voice, Rows* voiceRows, int frames) {
        const double perSample = 1.0 / rate;
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            candidate.level.advance(graphs[c].levelEnvelope, perSample, frames, voiceRows[c].level.data());
            candidate.cutoff.advance(graphs[c].cutoffEnvelopeShape, perSample, frames, nullptr);
            const float gain = graphs[c].layerGain * static_cast<float>(candidate.velocityGain);
            for (int t = 0; t < frames; ++t) voiceRows[c].level[static_cast<std::size_t>(t)] *= gain;
        }
        voice.glideSeconds += seconds(frames);
        if (!voice.fading) return;
        for (std::size_t c = 0; c < graphs.size(); ++c)
            for (int t = 0; t < frames; ++t) {
                const double share = 1.0 - (voice.fadeSeconds + seconds(t)) / stealFadeSeconds;
                voiceRows[c].level[static_cast<std::size_t>(t)] *= static_cast<float>(std::max(0.0, share));
            }
        voice.fadeSeconds += seconds(frames);
    }

    void addFilterJobs(Voice& voice, Rows* voiceRows) {
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            const Graph& graph = graphs[c];
            const float cutoff = cutoffLog2(voice, c);
            auto& states = voice.candidates[c].filter;
            filterJobs.push_back({&states[0], voiceRows[c].left.data(), cutoff, graph.damping1, graph.damping2});
            if (stereo)
                filterJobs.push_back({&states[1], voiceRows[c].right.data(), cutoff, graph.damping1, graph.damping2});
        }
    }

    void startFilters(Voice& voice) {
        // The first block begins at the cutoff of the note's beginning, not at that of the block's end.
        for (std::size_t c = 0; c < graphs.size(); ++c)
            if (voice.candidates[c].filter[0].g < 0.0f) {
                const double hz = std::clamp(std::exp2(static_cast<double>(cutoffLog2(voice, c))), 5.0, 0.47 * rate);
                for (FilterState& state : voice.candidates[c].filter) {
                    state.g = static_cast<float>(std::tan(std::numbers::pi * hz / rate));
                    state.damping1 = graphs[c].damping1;
                    state.damping2 = graphs[c].damping2;
                }
            }
    }

    bool finished(const Voice& voice) const {
        if (voice.fading && voice.fadeSeconds >= stealFadeSeconds) return true;
        return std::none_of(voice.candidates.begin(), voice.candidates.end(),
                            [](const CandidateVoice& candidate) { return candidate.level.active(); });
    }

    std::span<const Block> process(int frames) {
        for (Block& block : output) block = Block{};
        sourceJobs.clear();
        filterJobs.clear();
        const bool filtered = graphs.front().filtered;
        for (std::size_t v = 0; v < voices.size(); ++v) {
            Voice& voice = voices[v];
            if (!voice.used) continue;
            Rows* voiceRows = &rows[v * graphs.size()];
            for (std::size_t c = 0; c < graphs.size(); ++c) voiceRows[c].left = voiceRows[c].right = Row{};
            addSourceJobs(voice, voiceRows);
            if (filtered) startFilters(voice);
            advanceControls(voice, voiceRows, frames);
            if (filtered) addFilterJobs(voice, voiceRows);
        }
        kernels::runSources(sourceJobs, frames);
        const std::span<const FilterJob> jobs = filterJobs;
        for (std::size_t first = 0; first < jobs.size(); first += kernels::laneCount)
            kernels::runFilters(jobs.subspan(first, std::min<std::size_t>(kernels::laneCount, jobs.size() - first)),
                                graphs.front().fourPole, static_cast<float>(rate), frames);
        for (std::size_t v = 0; v < voices.size(); ++v)
            if (voices[v].used) mixVoice(voices[v], &rows[v * graphs.size()], frames);
        return output;
    }

    void mixVoice(Voice& voice, const Rows* voiceRows, int frames) {
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            const float leftGain = graphs[c].leftGain;
            const float rightGain = graphs[c].rightGain;
            const Row& left = voiceRows[c].left;
            const Row& right = stereo ? voiceRows[c].right : left;
            for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t) {
                const float level = voiceRows[c].level[t];
                output[c].left[t] += left[t] * level * leftGain;
                output[c].right[t] += right[t] * level * rightGain;
            }
        }
        if (finished(voice)) voice.used = false;
    }
};

Engine::Engine(std::span<const Graph> candidates, double rateHz, std::uint64_t seed)
    : impl_(std::make_unique<Impl>(candidates, rateHz, seed)) {}
Engine::~Engine() = default;
Engine::Engine(Engine&&) noexcept = default;

int Engine::candidateCount() const { return static_cast<int>(impl_->graphs.size()); }
void Engine::noteOn(std::uint32_t number, double pitch, double velocity) { impl_->noteOn(number, pitch, velocity); }
void Engine::noteOff(std::uint32_t number) { impl_->noteOff(number); }
void Engine::bend(double semitones) { impl_->bendSemitones = semitones; }

void Engine::setValues(const Graph& graph, int candidate) {
    // Sources of equal graphs are equally many: assignment reuses the memory.
    impl_->graphs[static_cast<std::size_t>(candidate)] = graph;
    impl_->updateStereo();
}

void Engine::silence() {
    for (Voice& voice : impl_->voices) voice.used = false;
    impl_->heldNotes.clear();
    impl_->hasLastPitch = false;
}

bool Engine::active() const {
    return std::any_of(impl_->voices.begin(), impl_->voices.end(), [](const Voice& v) { return v.used; });
}

std::span<const Engine::Block> Engine::process(int frames) { return impl_->process(frames); }

} // namespace facet
