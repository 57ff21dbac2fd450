// One effect of a chain, for all candidates of a batch at once.
#pragma once

#include "core/engine/kernels/lanes.h"
#include "core/parameters/module_data.h"
#include "core/parameters/table.h"

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace facet {

/// A block of both sides.
struct StereoRow {
    alignas(64) kernels::Row left;
    alignas(64) kernels::Row right;
};

/// What a chain of effects is made of.
struct EffectGraph {
    ModuleKind kind = ModuleKind::saturation;
    std::uint64_t key = 0; ///< from the module's path
    Chain chain = Chain::main;
    std::vector<double> values;             ///< in the order of parametersOf(kind)
    std::shared_ptr<const ModuleData> data; ///< null: none
    bool moved = false;                     ///< whether links lead here
};

/// What an effect is made for.
struct EffectSetting {
    double rateHz = 48000.0;
    double tempo = 120.0; ///< quarter notes per minute
    std::size_t candidates = 1;
};

/// Changes a block of sound in place. Candidates differ in values; nothing that one does reaches another, so each
/// sounds the same alone and beside others. All memory is taken at construction; no other function allocates, locks or
/// throws, and one thread calls them at a time.
class Effect {
public:
    virtual ~Effect() = default;
    /// Where a candidate's values move to by the end of the next block, in the order of parametersOf(kind).
    virtual void setValues(std::size_t candidate, std::span<const double> values) = 0;
    /// Every row is changed, `frames` (1…16) from its beginning.
    virtual void process(std::span<StereoRow> rows, int frames) = 0;
    /// Forgets the sound of a candidate.
    virtual void clear(std::size_t candidate) = 0;
    /// How long it may be silent and yet hold sound, in frames.
    virtual int memoryFrames(std::size_t candidate) const = 0;
    /// Time passes without sound.
    virtual void rest(int /*frames*/) {}
    /// The note that decides where an effect follows the key.
    virtual void newestNote(std::size_t /*candidate*/, double /*hz*/) {}
    virtual bool followsNotes() const { return false; }
    /// Whether the mix is part of process(), since what passes must keep time with what is changed.
    virtual bool mixesItself() const { return false; }
    /// By how many decibels it holds a candidate's level down, ≥ 0.
    virtual double reductionDb(std::size_t /*candidate*/) const { return 0.0; }
};

/// The effect of a compiled patch. A new kind is one line in effect.cpp. Throws Error for a kind that is no effect, and
/// std::bad_alloc. Not the audio thread.
std::unique_ptr<Effect> makeEffect(const EffectGraph& graph, const EffectSetting& setting);

} // namespace facet
