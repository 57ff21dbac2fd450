// The synthesizer: notes in, blocks of sound out. Offline rendering, search and live playing all run this.
#pragma once

#include "core/engine/compile/graph.h"
#include "core/engine/voices/stereo_block.h"

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace facet {

class Synthesis;

/// Renders up to 16 candidates at once: patches that share a graph and differ in values. Each candidate's
/// sound is the same, bit for bit, whether it is rendered alone or beside others.
///
/// All memory is taken at construction. process(), noteOn(), noteOff(), bend(), wheel(), pressure(), setValues() and
/// silence() neither allocate, lock nor throw and may be called by the audio thread; one thread at a time.
class Engine {
public:
    static constexpr int blockFrames = kernels::blockFrames;
    static constexpr int maxCandidates = kernels::laneCount;

    /// `candidates`: 1…16 compiled patches with sameGraph(). `sharedVoices`: they differ in effects and output only, so
    /// that the voices of the first serve all.
    Engine(std::span<const Graph> candidates, double rateHz, std::uint64_t seed, bool sharedVoices = false);
    ~Engine();
    Engine(Engine&&) noexcept;

    int candidateCount() const;

    /// Starts a note at the next block, in every layer that plays its key and velocity. `pitch` in semitones as a
    /// fractional key number; `velocity` 1…127; `number` distinguishes notes and seeds their phases; it names the note
    /// in noteOff().
    void noteOn(std::uint32_t number, double pitch, double velocity);
    void noteOff(std::uint32_t number);
    /// Bend of everything that sounds, in semitones, from the next block on.
    void bend(double semitones);
    /// Positions of the modulation wheel and of channel pressure, 0…1, from the next block on.
    void wheel(double position);
    void pressure(double position);
    /// Takes new values for a candidate while it sounds. The graph must be the same.
    void setValues(const Graph& graph, int candidate = 0);
    /// Ends all notes at once.
    void silence();
    /// Whether anything may still sound.
    bool active() const;

    /// Notes that sound now, stolen ones not counted; a note in several layers counts once.
    int notesSounding() const;
    /// Notes that were stolen so far, since the voice limit was reached.
    std::uint64_t notesStolen() const;

    /// Lets time pass while nothing is active: what runs on between the notes runs on.
    void rest(int frames);

    /// By how many decibels an effect that holds levels down does so now, for the first candidate; `effect` counts
    /// those that are on.
    double reductionDb(std::size_t effect) const;

    /// What one candidate gives in a call.
    using Block = StereoBlock;
    /// Most frames of a call. Few candidates are made in longer stretches than many, whose rows would leave the first
    /// cache.
    int mostFrames() const;
    /// Advances by 1…mostFrames() frames and returns a block per candidate; valid until the next call. Bend, wheel,
    /// pressure and values stand still within a call: who moves them calls for 16 at a time.
    std::span<const Block> process(int frames);

private:
    std::unique_ptr<Synthesis> impl_;
};

} // namespace facet
