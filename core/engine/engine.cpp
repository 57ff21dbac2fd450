#include "core/engine/engine.h"

#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/voice.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

using kernels::FilterJob;
using kernels::Row;
using kernels::SampleMoves;
using kernels::SourceJob;

constexpr double stealFadeSeconds = 0.004;
constexpr double highestIncrement = 0.45; // above this a source is out of hearing and falls silent
constexpr std::size_t mostPending = 64;

/// Words that keep what is drawn for different things apart.
constexpr std::uint64_t randomWord = 0x72616e64, noiseWord = 0x6e6f6973, tuningWord = 0x74756e65,
                        cutoffWord = 0x63757473;

} // namespace

struct Engine::Impl {
    std::vector<Graph> graphs;
    std::size_t voiced; ///< candidates that have voices of their own: all, or the first alone
    double rate;
    std::uint64_t seed;
    double bendSemitones = 0.0;
    float wheel = 0.0f;
    float pressure = 0.0f;
    std::uint64_t clock = 0;
    std::uint64_t framesSoFar = 0;
    bool stereo = false;

    struct Rows {
        alignas(64) Row left;
        alignas(64) Row right;
        alignas(64) Row left2; ///< into filter 2 besides
        alignas(64) Row right2;
        alignas(64) Row leftBoth; ///< into both filters
        alignas(64) Row rightBoth;
        alignas(64) Row leftPast; ///< past the filters
        alignas(64) Row rightPast;
        alignas(64) Row leftClean; ///< past the effects too
        alignas(64) Row rightClean;
        alignas(64) Row level;
        alignas(64) Row octaves1; ///< of the filters' cutoffs, by sources
        alignas(64) Row octaves2;
    };

    /// All voices of one layer.
    struct Layer {
        std::vector<Voice> voices;
        std::vector<Rows> rows; ///< [voice][candidate]
        int stackPerCandidate = 0;
        int orders = 1;        ///< highest order of a source, and one
        bool secondIn = false; ///< whether anything enters filter 2 besides
        bool both = false;     ///< whether anything enters both
        bool past = false;     ///< whether anything goes past the filters
        bool clean = false;    ///< whether anything goes past the effects too
        bool cutoffMoved1 = false, cutoffMoved2 = false;
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
    std::vector<Pending> pending;

    std::vector<Block> output;
    std::vector<Block> sent;  ///< to the chain of effects beside
    std::vector<Block> clean; ///< past all effects
    bool sends = false;
    bool pastEffects = false; ///< whether anything goes there
    EffectChains chains;

    /// What the newest notes left to the effects.
    struct Heard {
        std::vector<std::array<float, signal::count>> layers;
        std::array<float, signal::count> newest{};
        double hz = 0.0;
    };
    std::vector<Heard> heardSignals;
    std::vector<std::vector<SourceJob>> sourceJobs; ///< by order
    std::vector<FilterJob> filterJobs;

    Impl(std::span<const Graph> candidates, double rateHz, std::uint64_t engineSeed, bool sharedVoices)
        : graphs(candidates.begin(), candidates.end()), voiced(sharedVoices ? 1 : candidates.size()), rate(rateHz),
          seed(engineSeed), chains(graphs, rateHz) {
        bandLimitTables();
        const Graph& first = graphs.front();
        const std::size_t count = voiced;
        // Room for every note the limit allows, and as many again that are fading out for newer ones.
        const auto voiceCount = static_cast<std::size_t>(2 * first.voiceLimit + 2);
        std::size_t mostJobs = 0;
        int orders = 1;
        for (std::size_t l = 0; l < first.layers.size(); ++l) {
            const LayerGraph& graph = first.layers[l];
            Layer& layer = layers.emplace_back();
            for (const auto& source : graph.sources) {
                layer.stackPerCandidate += source.voices;
                layer.orders = std::max(layer.orders, source.order + 1);
                layer.past = layer.past || source.route == Route::pastFilters;
                layer.clean = layer.clean || source.route == Route::pastEffects;
                layer.both = layer.both || source.route == Route::both;
                layer.secondIn = layer.secondIn || layer.both || source.route == Route::filter2;
                if (source.movesOthers) sawTable(), triangleTable(); // made before the audio thread asks
            }
            layer.secondIn = layer.secondIn || graph.parallel;
            pastEffects = pastEffects || layer.clean;
            for (const AudioLink& link : graph.audioLinks)
                if (link.to == AudioLink::To::cutoff)
                    (link.index == 0 ? layer.cutoffMoved1 : layer.cutoffMoved2) = true;
            layer.voices.resize(voiceCount);
            for (Voice& voice : layer.voices) {
                voice.candidates.resize(count);
                for (std::size_t c = 0; c < count; ++c) voice.candidates[c].prepare(graphs[c].layers[l], rate);
                voice.stack.resize(count * static_cast<std::size_t>(layer.stackPerCandidate));
                if (std::any_of(graph.sources.begin(), graph.sources.end(), [](const SourceValues& s) {
                        return s.movesOthers || s.movedBySample || s.shape.wave == Wave::noise;
                    }))
                    voice.extras.resize(voice.stack.size());
            }
            layer.rows.resize(voiceCount * count);
            layer.freeLfos.assign(count, std::vector<Lfo>(graph.lfos.size()));
            mostJobs =
                std::max(mostJobs, voiceCount * count * static_cast<std::size_t>(std::max(1, layer.stackPerCandidate)));
            orders = std::max(orders, layer.orders);
        }
        heldNotes.reserve(128);
        pending.reserve(mostPending);
        for (auto* blocks : {&output, &sent, &clean}) blocks->resize(graphs.size());
        sends = std::any_of(first.effects.begin(), first.effects.end(),
                            [](const EffectGraph& e) { return e.chain == Chain::send; });
        heardSignals.resize(graphs.size());
        for (Heard& heard : heardSignals) heard.layers.resize(first.layers.size());
        sourceJobs.resize(static_cast<std::size_t>(orders));
        for (auto& jobs : sourceJobs) jobs.reserve(mostJobs);
        filterJobs.reserve(voiceCount * count * 2);
        updateStereo();
    }

    void updateStereo() {
        for (const Graph& graph : graphs)
            for (const auto& layer : graph.layers) {
                for (const auto& source : layer.sources)
                    if (source.isStereo()) stereo = true;
                // A moved pan or spread may become stereo at any moment.
                for (const auto& part : layer.parts)
                    if (part.kind == ModuleKind::source) stereo = true;
            }
    }

    bool glides(const Graph& graph, bool overlapping) const {
        return graph.glideSeconds > 0.0 && hasLastPitch && (graph.glideAlways || overlapping);
    }

    double seconds(int frames) const { return frames / rate; }

    /// A layer's values as they are for one voice.
    const LayerGraph& valuesOf(const CandidateVoice& candidate, std::size_t c, std::size_t l) const {
        return candidate.live ? *candidate.live : graphs[c].layers[l];
    }

    // ---- notes ----

    static Voice& freeVoice(Layer& layer) {
        Voice* best = nullptr;
        for (Voice& voice : layer.voices)
            if (!voice.used) return voice;
        for (Voice& voice : layer.voices)
            if (voice.fading && (!best || voice.order < best->order)) best = &voice;
        return best ? *best : layer.voices.front();
    }

    template <typename F> void eachVoice(F&& f) {
        for (Layer& layer : layers)
            for (Voice& voice : layer.voices)
                if (voice.used) f(voice);
    }

    /// Makes room within the limit: the note released longest ago gives way first, then the oldest. The rule
    /// looks at the performance only, so candidates cannot influence each other through it.
    void makeRoom() {
        const auto rank = [](const Voice& v) { return std::pair(v.held, v.held ? v.order : v.released); };
        // A note may sound in several layers; it counts once.
        std::array<std::uint64_t, 128> seen{};
        std::size_t sounding = 0;
        const Voice* victim = nullptr;
        eachVoice([&](Voice& voice) {
            if (voice.fading) return;
            if (std::find(seen.begin(), seen.begin() + static_cast<std::ptrdiff_t>(sounding), voice.order) ==
                    seen.begin() + static_cast<std::ptrdiff_t>(sounding) &&
                sounding < seen.size())
                seen[sounding++] = voice.order;
            if (!victim || rank(voice) < rank(*victim)) victim = &voice;
        });
        if (static_cast<int>(sounding) < graphs.front().voiceLimit || !victim) return;
        const std::uint64_t order = victim->order;
        eachVoice([&](Voice& voice) {
            if (voice.order != order || voice.fading) return;
            voice.fading = true;
            voice.fadeSeconds = 0.0;
        });
    }

    void startPhases(Voice& voice, std::size_t l) {
        std::size_t place = 0;
        for (std::size_t c = 0; c < voiced; ++c) {
            const LayerGraph& layer = valuesOf(voice.candidates[c], c, l);
            for (std::size_t s = 0; s < layer.sources.size(); ++s) {
                const SourceValues& source = layer.sources[s];
                const double per = incrementOf(voice.candidates[c], layer, s);
                for (int k = 0; k < source.voices; ++k) {
                    StackVoice& stacked = voice.stack[place];
                    stacked = StackVoice{};
                    kernels::Oscillator& o = stacked.oscillator;
                    if (!voice.extras.empty()) o.extra = &(voice.extras[place] = {});
                    ++place;
                    const std::uint64_t bits = combineSeeds(combineSeeds(seed, voice.number),
                                                            combineSeeds(source.key, static_cast<std::uint64_t>(k)));
                    if (o.extra) o.extra->seed = bits;
                    if (source.shape.wave == Wave::sample) continue; // from its beginning
                    double start = source.phase + source.phaseRandom * unitFromBits(bits);
                    if (!source.retrigger)
                        start = source.phase + stackedIncrement(source, k, per) * static_cast<double>(framesSoFar);
                    o.phase = start - std::floor(start);
                    o.high = o.phase < source.shape.width;
                }
            }
        }
    }

    void noteOnLayers(std::uint32_t number, double pitch, double velocity, bool overlapping) {
        makeRoom();
        const std::uint64_t order = ++clock;
        ++notes;
        for (std::size_t l = 0; l < layers.size(); ++l) {
            const LayerGraph& graph = graphs.front().layers[l];
            // Ranges and offsets are the same for all candidates: the first one's.
            if (!plays(graph, pitch, velocity)) continue;
            const int wait = static_cast<int>(std::lround(graph.offsetSeconds * rate));
            const Pending start{l, wait, number, order, pitch, velocity, overlapping, lastPitch, hasLastPitch};
            if (wait == 0)
                startVoice(start);
            else if (pending.size() < mostPending)
                pending.push_back(start);
        }
        lastPitch = pitch;
        hasLastPitch = true;
    }

    static bool plays(const LayerGraph& layer, double pitch, double velocity) {
        const double key = std::floor(pitch + 0.5);
        return key >= layer.lowKey && key <= layer.highKey && velocity >= layer.lowVelocity &&
               velocity <= layer.highVelocity;
    }

    void startVoice(const Pending& start) {
        Layer& layer = layers[start.layer];
        Voice& voice = freeVoice(layer);
        voice.used = true;
        voice.held = true;
        voice.fading = false;
        voice.number = start.number;
        voice.order = start.order;
        voice.slot = notes;
        voice.pitch = start.pitch;
        voice.velocity = start.velocity;
        voice.glideSeconds = 0.0;
        voice.blocks = 0;
        for (std::size_t c = 0; c < voiced; ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            candidate.clear();
            const Graph& graph = graphs[c];
            const bool glide =
                graph.glideSeconds > 0.0 && start.hasGlideFrom && (graph.glideAlways || start.overlapping);
            candidate.glideFrom = glide ? start.glideFrom - start.pitch : 0.0;
            strike(voice, c, start.layer);
        }
        startPhases(voice, start.layer);
        prime(voice, start.layer);
    }

    /// Starts the envelopes and what else belongs to a note's beginning.
    void strike(Voice& voice, std::size_t c, std::size_t l) {
        CandidateVoice& candidate = voice.candidates[c];
        for (Envelope& envelope : candidate.envelopes) envelope.start();
        for (Lfo& lfo : candidate.lfos) lfo.start();
        updateSignals(voice, c, l);
        followLinks(candidate, graphs[c].layers[l]);
        candidate.velocityGain = gainFromDb(valuesOf(candidate, c, l).velocityDb * (voice.velocity / 127.0 - 1.0));
    }

    /// Sources are computed 16 samples ahead; the first 16 of a note are made before it sounds.
    void prime(Voice& voice, std::size_t l) {
        alignas(64) Row unused{};
        for (auto& jobs : sourceJobs) jobs.clear();
        std::size_t place = 0;
        for (std::size_t c = 0; c < voiced; ++c) {
            updatePitch(voice, c);
            prepareMoves(voice, c, l);
            const LayerGraph& layer = valuesOf(voice.candidates[c], c, l);
            for (std::size_t s = 0; s < layer.sources.size(); ++s) {
                const double per = incrementOf(voice.candidates[c], layer, s);
                for (int k = 0; k < layer.sources[s].voices; ++k) {
                    SourceJob job = sourceJob(voice.candidates[c], layer.sources[s], s, k, per, voice.stack[place++]);
                    job.left = unused.data();
                    sourceJobs[static_cast<std::size_t>(layer.sources[s].order)].push_back(job);
                }
            }
        }
        runSourceJobs(l, voice, true, blockFrames);
    }

    /// Mono and legato: turns the sounding voice to another note.
    void moveVoice(Voice& voice, std::size_t l, std::uint32_t number, double pitch, double velocity, bool overlapping,
                   bool retrigger) {
        for (std::size_t c = 0; c < voiced; ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            const double now = voice.pitch + glideOffset(voice, c);
            candidate.glideFrom = glides(graphs[c], overlapping) ? now - pitch : 0.0;
        }
        voice.number = number;
        voice.held = true;
        voice.pitch = pitch;
        voice.glideSeconds = 0.0;
        if (!retrigger) return;
        voice.velocity = velocity;
        for (std::size_t c = 0; c < voiced; ++c) strike(voice, c, l);
    }

    static Voice* monoVoice(Layer& layer) {
        for (Voice& voice : layer.voices)
            if (voice.used && !voice.fading) return &voice;
        return nullptr;
    }

    void noteOn(std::uint32_t number, double pitch, double velocity) {
        if (graphs.front().mode == VoiceMode::poly) {
            bool overlapping = false;
            eachVoice([&](const Voice& v) { overlapping = overlapping || v.held; });
            noteOnLayers(number, pitch, velocity, overlapping);
            return;
        }
        const bool overlapping = !heldNotes.empty();
        if (heldNotes.size() < heldNotes.capacity()) heldNotes.push_back({number, pitch, velocity});
        turnTo(number, pitch, velocity, overlapping, graphs.front().mode == VoiceMode::mono || !overlapping);
    }

    /// Mono and legato: every layer that plays the note turns to it, or begins; the others let go.
    void turnTo(std::uint32_t number, double pitch, double velocity, bool overlapping, bool retrigger) {
        bool any = false;
        for (Layer& layer : layers) any = any || monoVoice(layer);
        if (!any) {
            noteOnLayers(number, pitch, velocity, overlapping);
            return;
        }
        for (std::size_t l = 0; l < layers.size(); ++l) {
            Voice* voice = monoVoice(layers[l]);
            const bool playing = plays(graphs.front().layers[l], pitch, velocity);
            if (voice && playing)
                moveVoice(*voice, l, number, pitch, velocity, overlapping, retrigger);
            else if (voice)
                releaseVoice(*voice);
            else if (playing)
                startVoice({l, 0, number, ++clock, pitch, velocity, overlapping, lastPitch, hasLastPitch});
        }
        lastPitch = pitch;
        hasLastPitch = true;
    }

    void releaseVoice(Voice& voice) {
        if (!voice.held) return;
        voice.held = false;
        voice.released = ++clock;
        for (CandidateVoice& candidate : voice.candidates)
            for (Envelope& envelope : candidate.envelopes) envelope.release();
    }

    void noteOff(std::uint32_t number) {
        // A layer that would begin after the note's end does not.
        std::erase_if(pending, [number](const Pending& p) { return p.number == number; });
        if (graphs.front().mode == VoiceMode::poly) {
            eachVoice([&](Voice& voice) {
                if (voice.held && voice.number == number) releaseVoice(voice);
            });
            return;
        }
        std::erase_if(heldNotes, [number](const Held& note) { return note.number == number; });
        bool sounding = false;
        eachVoice([&](const Voice& v) { sounding = sounding || (v.held && !v.fading && v.number == number); });
        if (!sounding) return;
        if (heldNotes.empty()) {
            eachVoice([&](Voice& voice) {
                if (!voice.fading) releaseVoice(voice);
            });
        } else { // back to the newest note still held
            const Held note = heldNotes.back();
            turnTo(note.number, note.pitch, note.velocity, true, graphs.front().mode == VoiceMode::mono);
        }
    }

    // ---- control values ----

    double glideOffset(const Voice& voice, std::size_t c) const {
        const double from = voice.candidates[c].glideFrom;
        const double time = graphs[c].glideSeconds;
        if (from == 0.0 || voice.glideSeconds >= time) return 0.0;
        return from * (1.0 - graphs[c].glideCurve(voice.glideSeconds / time));
    }

    /// What sets one of the voices that notes take in turn apart from the others, −1…1.
    double deviation(const Voice& voice, std::uint64_t word) const {
        const auto slot = voice.slot % static_cast<std::uint64_t>(std::max(2, graphs.front().voiceLimit));
        return 2.0 * unitFromBits(combineSeeds(word, slot)) - 1.0;
    }

    void updateSignals(Voice& voice, std::size_t c, std::size_t l) {
        const LayerGraph& graph = graphs[c].layers[l];
        if (graph.links.empty() && graph.audioLinks.empty() && graphs[c].effectLinks.empty()) return;
        CandidateVoice& candidate = voice.candidates[c];
        auto& signals = candidate.signals;
        signals[signal::velocity] = static_cast<float>(voice.velocity / 127.0);
        signals[signal::key] = static_cast<float>((voice.pitch - 60.0) / 12.0);
        signals[signal::wheel] = wheel;
        signals[signal::pressure] = pressure;
        const auto drawn = [&](std::uint64_t word, std::uint64_t count) {
            return static_cast<float>(
                2.0 * unitFromBits(combineSeeds(combineSeeds(seed, voice.number), combineSeeds(word, count))) - 1.0);
        };
        signals[signal::random] = drawn(randomWord, graph.key);
        signals[signal::noise] = drawn(noiseWord, voice.blocks);
        for (std::size_t m = 0; m < graphs[c].macros.size(); ++m) signals[signal::macros + m] = graphs[c].macros[m];
        for (std::size_t e = 0; e < candidate.envelopes.size(); ++e)
            signals[signal::envelopes + e] = static_cast<float>(candidate.envelopes[e].value());
        const LayerGraph& values = valuesOf(candidate, c, l);
        for (std::size_t i = 0; i < candidate.lfos.size(); ++i) {
            const LfoValues& lfo = values.lfos[i];
            const bool free = lfo.mode == LfoMode::free;
            const std::uint64_t lfoSeed =
                free ? combineSeeds(seed, lfo.key) : combineSeeds(combineSeeds(seed, lfo.key), voice.number);
            const Lfo& running = free ? layers[l].freeLfos[c][i] : candidate.lfos[i];
            signals[signal::lfos + i] = static_cast<float>(running.value(lfo, lfoSeed));
        }
    }

    void updatePitch(Voice& voice, std::size_t c) const {
        CandidateVoice& candidate = voice.candidates[c];
        double pitch = voice.pitch + glideOffset(voice, c) + bendSemitones;
        if (graphs[c].tuningSpread > 0.0) pitch += graphs[c].tuningSpread * deviation(voice, tuningWord);
        if (pitch == candidate.pitchNow) return;
        candidate.pitchNow = pitch;
        candidate.hz = hzFromKey(pitch);
    }

    /// Cycles per sample of one source at a ratio of 1.
    double incrementOf(const CandidateVoice& candidate, const LayerGraph& layer, std::size_t s) const {
        const SourceValues& source = layer.sources[s];
        double per = (source.follows ? candidate.hz : source.fixedHz) / rate;
        if (const double semitones = candidate.sourceSemitones[s] + (source.follows ? layer.transpose : 0.0);
            semitones != 0.0)
            per *= std::exp2(semitones / 12.0);
        return source.syncTo == SourceValues::syncItself ? per * source.syncRatio : per;
    }

    /// Of one stacked voice; of a sample: its own samples per sample.
    double stackedIncrement(const SourceValues& source, int k, double per) const {
        per *= source.stack[static_cast<std::size_t>(k)].ratio;
        if (source.shape.wave != Wave::sample) return std::clamp(per, 1e-6, highestIncrement);
        return source.sample ? std::clamp(per * source.sample->rateHz() / source.sampleHz, 0.0, 64.0) : 0.0;
    }

    float cutoffLog2(const Voice& voice, std::size_t c, std::size_t l, std::size_t f) const {
        const CandidateVoice& candidate = voice.candidates[c];
        const FilterValues& filter = valuesOf(candidate, c, l).filters[f];
        double octaves = filter.targets.cutoffLog2;
        octaves += filter.cutoffEnvelope * candidate.envelopes[filterEnvelope].value();
        octaves += filter.keyTracking * (voice.pitch + glideOffset(voice, c) - 60.0) / 12.0;
        octaves += filter.velocityOctaves * (voice.velocity / 127.0 - 1.0);
        octaves += candidate.filterOctaves[f];
        if (graphs[c].cutoffSpread > 0.0) octaves += graphs[c].cutoffSpread * deviation(voice, cutoffWord);
        return static_cast<float>(octaves);
    }

    // ---- sound ----

    /// Fills the rows of what moves sources by the sample: movers of a lower order will have been computed by then.
    void prepareMoves(Voice& voice, std::size_t c, std::size_t l) {
        CandidateVoice& candidate = voice.candidates[c];
        if (candidate.moved.empty()) return;
        const LayerGraph& layer = valuesOf(candidate, c, l);
        for (std::size_t s = 0; s < layer.sources.size(); ++s) {
            SourceRows& rows = candidate.moved[s];
            rows.moves = SampleMoves{};
            std::fill(candidate.movers[s].line.begin() + blockFrames, candidate.movers[s].line.end(), 0.0f);
            const SourceValues& source = layer.sources[s];
            if (source.syncTo == SourceValues::syncItself) {
                rows.moves.masterIncrement =
                    stackedIncrement(source, 0, incrementOf(candidate, layer, s) / source.syncRatio);
            } else if (source.syncTo >= 0) {
                rows.moves.master = &candidate.moved[static_cast<std::size_t>(source.syncTo)].wraps;
            }
        }
        for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) {
            const AudioLink& link = layer.audioLinks[i];
            if (link.to == AudioLink::To::phase && link.from == link.index)
                candidate.moved[static_cast<std::size_t>(link.index)].moves.feedback += candidate.audioAmounts[i];
        }
    }

    /// Adds up what moves the sources of one order.
    void fillMoves(Voice& voice, std::size_t c, std::size_t l, int order) {
        CandidateVoice& candidate = voice.candidates[c];
        const LayerGraph& layer = valuesOf(candidate, c, l);
        for (std::size_t s = 0; s < layer.sources.size(); ++s) {
            if (layer.sources[s].order != order || !layer.sources[s].movedBySample) continue;
            SourceRows& rows = candidate.moved[s];
            for (Row* row : {&rows.phase, &rows.octaves, &rows.width, &rows.position}) *row = Row{};
            rows.amplitude.fill(layer.sources[s].amplitude);
        }
        for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) {
            const AudioLink& link = layer.audioLinks[i];
            if (link.to == AudioLink::To::cutoff) continue;
            const auto target = static_cast<std::size_t>(link.index);
            if (layer.sources[target].order != order) continue;
            if (link.to == AudioLink::To::phase && link.from == link.index) continue; // fed back within the source
            SourceRows& rows = candidate.moved[target];
            const auto& mover = candidate.movers[static_cast<std::size_t>(link.from)].line;
            const bool present = link.back || link.to == AudioLink::To::amplitude;
            const float* from = mover.data() + (present ? 0 : blockFrames);
            const auto add = [&](Row& row) {
                for (std::size_t t = 0; t < row.size(); ++t) row[t] += candidate.audioAmounts[i] * from[t];
                return row.data();
            };
            switch (link.to) {
            case AudioLink::To::phase: rows.moves.phase = add(rows.phase); break;
            case AudioLink::To::octaves: rows.moves.octaves = add(rows.octaves); break;
            case AudioLink::To::width: rows.moves.width = add(rows.width); break;
            case AudioLink::To::position: rows.moves.position = add(rows.position); break;
            case AudioLink::To::amplitude: rows.moves.amplitude = add(rows.amplitude); break;
            case AudioLink::To::cutoff: break;
            }
        }
    }

    SourceJob sourceJob(CandidateVoice& candidate, const SourceValues& source, std::size_t s, int k, double per,
                        StackVoice& stacked) const {
        SourceJob job{&stacked.oscillator,
                      stackedIncrement(source, k, per),
                      &source.shape,
                      0,
                      0,
                      0,
                      0,
                      nullptr,
                      nullptr,
                      nullptr};
        if (source.movedBySample) job.moves = &candidate.moved[s].moves;
        if (source.movesOthers) {
            job.ahead = candidate.movers[s].line.data() + blockFrames;
            if (k == 0) job.wraps = &candidate.moved[s].wraps;
        }
        return job;
    }

    /// Runs what addSourceJobs() or prime() has put together, movers first.
    void runSourceJobs(std::size_t l, Voice& only, bool onlyOne, int frames) {
        Layer& layer = layers[l];
        const auto eachCandidate = [&](auto&& f) {
            for (Voice& voice : layer.voices) {
                if (!voice.used || (onlyOne && &voice != &only)) continue;
                for (std::size_t c = 0; c < voiced; ++c)
                    if (!voice.candidates[c].moved.empty()) f(voice, c);
            }
        };
        for (int order = 0; order < layer.orders; ++order) {
            eachCandidate([&](Voice& voice, std::size_t c) { fillMoves(voice, c, l, order); });
            kernels::runSources(sourceJobs[static_cast<std::size_t>(order)], frames);
        }
        eachCandidate([&](Voice& voice, std::size_t c) {
            for (MoverLine& mover : voice.candidates[c].movers)
                std::copy(mover.line.begin() + frames, mover.line.begin() + frames + blockFrames, mover.line.begin());
        });
    }

    void addSourceJobs(Voice& voice, std::size_t l, Rows* voiceRows) {
        std::size_t place = 0;
        for (std::size_t c = 0; c < voiced; ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            updatePitch(voice, c);
            prepareMoves(voice, c, l);
            const LayerGraph& layer = valuesOf(candidate, c, l);
            Rows& rows = voiceRows[c];
            for (std::size_t s = 0; s < layer.sources.size(); ++s) {
                const SourceValues& source = layer.sources[s];
                float* left = rows.left.data();
                float* right = rows.right.data();
                if (source.route == Route::filter2) left = rows.left2.data(), right = rows.right2.data();
                if (source.route == Route::both) left = rows.leftBoth.data(), right = rows.rightBoth.data();
                if (source.route == Route::pastFilters) left = rows.leftPast.data(), right = rows.rightPast.data();
                if (source.route == Route::pastEffects) left = rows.leftClean.data(), right = rows.rightClean.data();
                float gain = source.ringed ? 1.0f : source.amplitude;
                const double per = incrementOf(candidate, layer, s);
                auto& jobs = sourceJobs[static_cast<std::size_t>(source.order)];
                if (candidate.sourceDb[s] != 0.0f) gain *= static_cast<float>(gainFromDb(candidate.sourceDb[s]));
                for (int k = 0; k < source.voices; ++k) {
                    StackVoice& stacked = voice.stack[place++];
                    SourceJob job = sourceJob(candidate, source, s, k, per, stacked);
                    const auto& pan = source.stack[static_cast<std::size_t>(k)];
                    const bool audible = source.shape.wave == Wave::sample || job.increment < highestIncrement;
                    job.leftFrom = stacked.left;
                    job.rightFrom = stacked.right;
                    job.leftTo = audible ? gain * pan.left : 0.0f;
                    job.rightTo = audible ? gain * pan.right : 0.0f;
                    if (!stacked.started) {
                        job.leftFrom = job.leftTo;
                        job.rightFrom = job.rightTo;
                        stacked.started = true;
                    }
                    stacked.left = job.leftTo;
                    stacked.right = job.rightTo;
                    job.left = left;
                    job.right = stereo ? right : nullptr;
                    jobs.push_back(job);
                }
            }
        }
    }

    /// What goes into both filters is added to what goes into each.
    void copyToBoth(Rows& rows) const {
        for (std::size_t t = 0; t < blockFrames; ++t) {
            rows.left[t] += rows.leftBoth[t];
            rows.left2[t] += rows.leftBoth[t];
            rows.right[t] += rows.rightBoth[t];
            rows.right2[t] += rows.rightBoth[t];
        }
    }

    void advanceControls(Voice& voice, std::size_t l, Rows* voiceRows, int frames) {
        const double perSample = 1.0 / rate;
        ++voice.blocks;
        for (std::size_t c = 0; c < voiced; ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            const LayerGraph& values = valuesOf(candidate, c, l);
            Row& level = voiceRows[c].level;
            for (std::size_t e = 0; e < candidate.envelopes.size(); ++e)
                candidate.envelopes[e].advance(values.envelopes[e], perSample, frames,
                                               e == levelEnvelope ? level.data() : nullptr);
            for (std::size_t i = 0; i < candidate.lfos.size(); ++i)
                candidate.lfos[i].advance(values.lfos[i], seconds(frames));
            updateSignals(voice, c, l);
            followLinks(candidate, graphs[c].layers[l]);
            float gain = valuesOf(candidate, c, l).gain * static_cast<float>(candidate.velocityGain);
            if (candidate.layerDb != 0.0f) gain *= static_cast<float>(gainFromDb(candidate.layerDb));
            const float from = candidate.levelKnown ? candidate.levelGain : gain;
            candidate.levelGain = gain;
            candidate.levelKnown = true;
            const float step = (gain - from) / static_cast<float>(frames);
            for (std::size_t t = 0; t < blockFrames; ++t) level[t] *= from + step * static_cast<float>(t);
        }
        voice.glideSeconds += seconds(frames);
        if (!voice.fading) return;
        for (std::size_t c = 0; c < voiced; ++c)
            for (int t = 0; t < frames; ++t) {
                const double share = 1.0 - (voice.fadeSeconds + seconds(t)) / stealFadeSeconds;
                voiceRows[c].level[static_cast<std::size_t>(t)] *= static_cast<float>(std::max(0.0, share));
            }
        voice.fadeSeconds += seconds(frames);
    }

    kernels::FilterTargets targetsOf(const Voice& voice, std::size_t c, std::size_t l, std::size_t f) const {
        kernels::FilterTargets targets = valuesOf(voice.candidates[c], c, l).filters[f].targets;
        targets.cutoffLog2 = cutoffLog2(voice, c, l, f);
        return targets;
    }

    void addFilterJobs(Voice& voice, std::size_t l, Rows* voiceRows) {
        Layer& layer = layers[l];
        for (std::size_t c = 0; c < voiced; ++c) {
            CandidateVoice& candidate = voice.candidates[c];
            const LayerGraph& values = valuesOf(candidate, c, l);
            Rows& rows = voiceRows[c];
            for (int side = 0; side < (stereo ? 2 : 1); ++side) {
                FilterJob job{};
                job.first = &candidate.filters[static_cast<std::size_t>(side)];
                job.second = &candidate.filters[static_cast<std::size_t>(2 + side)];
                job.row = side == 0 ? rows.left.data() : rows.right.data();
                job.secondRow = !layer.secondIn ? nullptr : side == 0 ? rows.left2.data() : rows.right2.data();
                job.firstTo = targetsOf(voice, c, l, 0);
                if (values.filters[1].structure.on) job.secondTo = targetsOf(voice, c, l, 1);
                job.firstOctaves = layer.cutoffMoved1 ? rows.octaves1.data() : nullptr;
                job.secondOctaves = layer.cutoffMoved2 ? rows.octaves2.data() : nullptr;
                if (values.fedBack) {
                    job.fedBack = &candidate.fedBack[static_cast<std::size_t>(side)];
                    job.feedback = values.feedback;
                }
                filterJobs.push_back(job);
            }
        }
    }

    /// The first block begins at the cutoff of the note's beginning, not at that of the block's end.
    void startFilters(Voice& voice, std::size_t l) {
        for (std::size_t c = 0; c < voiced; ++c)
            for (std::size_t f = 0; f < 2; ++f) {
                CandidateVoice& candidate = voice.candidates[c];
                if (!graphs[c].layers[l].filters[f].structure.on || candidate.filters[2 * f].g >= 0.0f) continue;
                const kernels::FilterTargets targets = targetsOf(voice, c, l, f);
                const double hz = std::clamp(std::exp2(static_cast<double>(targets.cutoffLog2)), 5.0, 0.47 * rate);
                for (std::size_t side = 0; side < 2; ++side) {
                    kernels::FilterState& state = candidate.filters[2 * f + side];
                    state.g = static_cast<float>(std::tan(std::numbers::pi * hz / rate));
                    state.left = targets;
                }
            }
    }

    /// What sources add to the cutoffs in this block. Before the sources run on: the present is still in their lines.
    void fillOctaves(Voice& voice, std::size_t l, Rows* voiceRows) const {
        for (std::size_t c = 0; c < voiced; ++c) {
            const CandidateVoice& candidate = voice.candidates[c];
            const LayerGraph& layer = valuesOf(candidate, c, l);
            voiceRows[c].octaves1 = voiceRows[c].octaves2 = Row{};
            for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) {
                const AudioLink& link = layer.audioLinks[i];
                if (link.to != AudioLink::To::cutoff) continue;
                Row& row = link.index == 0 ? voiceRows[c].octaves1 : voiceRows[c].octaves2;
                const auto& line = candidate.movers[static_cast<std::size_t>(link.from)].line;
                for (std::size_t t = 0; t < row.size(); ++t) row[t] += candidate.audioAmounts[i] * line[t];
            }
        }
    }

    bool finished(const Voice& voice) const {
        if (voice.fading && voice.fadeSeconds >= stealFadeSeconds) return true;
        return std::none_of(voice.candidates.begin(), voice.candidates.end(), [](const CandidateVoice& candidate) {
            return candidate.envelopes[levelEnvelope].active();
        });
    }

    void processLayer(std::size_t l, int at, int frames) {
        Layer& layer = layers[l];
        for (auto& jobs : sourceJobs) jobs.clear();
        filterJobs.clear();
        const LayerGraph& graph = graphs.front().layers[l];
        const bool filtered = graph.filtered();
        const bool octaves = layer.cutoffMoved1 || layer.cutoffMoved2;
        bool any = false;
        for (std::size_t v = 0; v < layer.voices.size(); ++v) {
            Voice& voice = layer.voices[v];
            if (!voice.used) continue;
            any = true;
            Rows* voiceRows = &layer.rows[v * voiced];
            for (std::size_t c = 0; c < voiced; ++c) {
                Rows& rows = voiceRows[c];
                rows.left = rows.right = Row{};
                if (layer.secondIn) rows.left2 = rows.right2 = Row{};
                if (layer.both) rows.leftBoth = rows.rightBoth = Row{};
                if (layer.past) rows.leftPast = rows.rightPast = Row{};
                if (layer.clean) rows.leftClean = rows.rightClean = Row{};
            }
            if (octaves) fillOctaves(voice, l, voiceRows);
            addSourceJobs(voice, l, voiceRows);
            if (filtered) startFilters(voice, l);
            advanceControls(voice, l, voiceRows, frames);
            if (filtered) addFilterJobs(voice, l, voiceRows);
        }
        advanceFree(l, frames);
        if (!any) return;
        runSourceJobs(l, layer.voices.front(), false, frames);
        if (layer.both)
            for (std::size_t v = 0; v < layer.voices.size(); ++v)
                if (layer.voices[v].used)
                    for (std::size_t c = 0; c < voiced; ++c) copyToBoth(layer.rows[v * voiced + c]);
        const kernels::FilterPair pair{graph.filters[0].structure, graph.filters[1].structure, graph.parallel,
                                       graph.fedBack};
        const std::span<const FilterJob> jobs = filterJobs;
        for (std::size_t first = 0; first < jobs.size(); first += kernels::laneCount)
            kernels::runFilters(jobs.subspan(first, std::min<std::size_t>(kernels::laneCount, jobs.size() - first)),
                                pair, static_cast<float>(rate), frames);
        for (std::size_t v = 0; v < layer.voices.size(); ++v)
            if (layer.voices[v].used) mixVoice(layer.voices[v], l, &layer.rows[v * voiced], at, frames);
    }

    void rest(int frames) {
        for (std::size_t l = 0; l < layers.size(); ++l) advanceFree(l, frames);
        chains.rest(frames);
        framesSoFar += static_cast<std::uint64_t>(frames);
    }

    void advanceFree(std::size_t l, int frames) {
        for (std::size_t c = 0; c < voiced; ++c)
            for (std::size_t i = 0; i < layers[l].freeLfos[c].size(); ++i)
                layers[l].freeLfos[c][i].advance(graphs[c].layers[l].lfos[i], seconds(frames));
    }

    std::span<const Block> process(int frames) {
        for (Block& block : output) block = Block{};
        if (sends)
            for (Block& block : sent) block = Block{};
        if (pastEffects)
            for (Block& block : clean) block = Block{};
        makeVoices(frames);
        for (std::size_t c = voiced; c < graphs.size(); ++c) {
            output[c] = output[0];
            sent[c] = sent[0];
            clean[c] = clean[0];
        }
        if (!chains.empty() || !graphs.front().effectLinks.empty()) followEffects();
        // What is kept apart for the effects beside is not touched unless there are any.
        chains.process(output, sent, frames);
        if (pastEffects) addClean(frames);
        return output;
    }

    /// What passes the effects by still has the output's level.
    void addClean(int frames) {
        for (std::size_t c = 0; c < graphs.size(); ++c)
            for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t) {
                const float level = chains.outputLevel(c);
                output[c].left[t] += level * clean[c].left[t];
                output[c].right[t] += level * clean[c].right[t];
            }
    }

    /// Effects follow the newest note of each layer, and the newest of all.
    void followEffects() {
        const Voice* newest = nullptr;
        for (std::size_t l = 0; l < layers.size(); ++l) {
            const Voice* inLayer = nullptr;
            for (const Voice& voice : layers[l].voices)
                if (voice.used && !voice.fading && (!inLayer || voice.order > inLayer->order)) inLayer = &voice;
            if (!inLayer) continue;
            if (!newest || inLayer->order > newest->order) newest = inLayer;
            for (std::size_t c = 0; c < graphs.size(); ++c)
                heardSignals[c].layers[l] = inLayer->candidates[std::min(c, voiced - 1)].signals;
        }
        for (std::size_t c = 0; c < graphs.size(); ++c) {
            Heard& heard = heardSignals[c];
            if (newest) {
                heard.newest = newest->candidates[std::min(c, voiced - 1)].signals;
                heard.hz = newest->candidates[std::min(c, voiced - 1)].hz;
            }
            heard.newest[signal::wheel] = wheel;
            heard.newest[signal::pressure] = pressure;
            for (std::size_t m = 0; m < graphs[c].macros.size(); ++m)
                heard.newest[signal::macros + m] = graphs[c].macros[m];
            chains.follow(c, heard.layers, heard.newest, heard.hz);
        }
    }

    void makeVoices(int frames) {
        for (int at = 0; at < frames;) {
            int count = frames - at;
            for (std::size_t i = 0; i < pending.size();) { // layers that begin after their notes
                if (pending[i].frames > 0) {
                    count = std::min(count, pending[i].frames);
                    ++i;
                    continue;
                }
                const Pending start = pending[i];
                pending.erase(pending.begin() + static_cast<std::ptrdiff_t>(i));
                startVoice(start);
            }
            for (std::size_t l = 0; l < layers.size(); ++l) processLayer(l, at, count);
            for (Pending& p : pending) p.frames -= count;
            framesSoFar += static_cast<std::uint64_t>(count);
            at += count;
        }
    }

    /// Adds a row × a level × a gain to a block. Rows are whole, so the common case has a fixed length.
    static void addRow(const Row& row, const Row& level, float gain, float* to, int frames) {
        if (frames == blockFrames) {
            for (std::size_t t = 0; t < blockFrames; ++t) to[t] += row[t] * level[t] * gain;
            return;
        }
        for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t) to[t] += row[t] * level[t] * gain;
    }

    void mixVoice(Voice& voice, std::size_t l, const Rows* voiceRows, int at, int frames) {
        const Layer& layer = layers[l];
        const bool unfiltered2 = layer.secondIn && !graphs.front().layers[l].filtered();
        for (std::size_t c = 0; c < voiced; ++c) {
            const LayerGraph& values = valuesOf(voice.candidates[c], c, l);
            const Rows& rows = voiceRows[c];
            const auto add = [&](const Row& left, const Row& right, Block& block, float gain) {
                addRow(left, rows.level, gain * values.leftGain, block.left.data() + at, frames);
                addRow(stereo ? right : left, rows.level, gain * values.rightGain, block.right.data() + at, frames);
            };
            const auto addAll = [&](Block& block, float gain) {
                add(rows.left, rows.right, block, gain);
                if (unfiltered2) add(rows.left2, rows.right2, block, gain);
                if (layer.past) add(rows.leftPast, rows.rightPast, block, gain);
            };
            addAll(output[c], 1.0f);
            if (sends && values.send > 0.0f) addAll(sent[c], values.send);
            if (layer.clean) add(rows.leftClean, rows.rightClean, clean[c], 1.0f);
        }
        if (finished(voice)) voice.used = false;
    }
};

Engine::Engine(std::span<const Graph> candidates, double rateHz, std::uint64_t seed, bool sharedVoices)
    : impl_(std::make_unique<Impl>(candidates, rateHz, seed, sharedVoices)) {}
Engine::~Engine() = default;
Engine::Engine(Engine&&) noexcept = default;

int Engine::candidateCount() const { return static_cast<int>(impl_->graphs.size()); }
void Engine::noteOn(std::uint32_t number, double pitch, double velocity) { impl_->noteOn(number, pitch, velocity); }
void Engine::noteOff(std::uint32_t number) { impl_->noteOff(number); }
void Engine::bend(double semitones) { impl_->bendSemitones = semitones; }
void Engine::wheel(double position) { impl_->wheel = static_cast<float>(position); }
void Engine::pressure(double position) { impl_->pressure = static_cast<float>(position); }

void Engine::setValues(const Graph& graph, int candidate) {
    const auto c = static_cast<std::size_t>(candidate);
    // Equal graphs hold equally much: assignment reuses the memory.
    impl_->graphs[c] = graph;
    impl_->chains.setValues(c, impl_->graphs[c]);
    if (c >= impl_->voiced) return;
    for (std::size_t l = 0; l < impl_->layers.size(); ++l)
        if (!graph.layers[l].parts.empty())
            for (Voice& voice : impl_->layers[l].voices) *voice.candidates[c].live = graph.layers[l];
    impl_->updateStereo();
}

void Engine::silence() {
    impl_->eachVoice([](Voice& voice) { voice.used = false; });
    impl_->chains.silence();
    impl_->pending.clear();
    impl_->heldNotes.clear();
    impl_->hasLastPitch = false;
}

bool Engine::active() const {
    bool any = !impl_->pending.empty() || impl_->chains.ringing();
    impl_->eachVoice([&](const Voice&) { any = true; });
    return any;
}

double Engine::reductionDb(std::size_t effect) const { return impl_->chains.reductionDb(effect); }

void Engine::rest(int frames) { impl_->rest(frames); }

std::span<const Engine::Block> Engine::process(int frames) { return impl_->process(frames); }

} // namespace facet
