// The inner loops of the filters, 16 channels, voices or candidates at once.
#pragma once

#include "core/engine/kernels/lanes.h"
#include "core/parameters/table.h"

#include <span>
#include <vector>

namespace facet::kernels {

inline constexpr int mostStages = 64;

/// What a filter is: equal for all lanes of a call.
struct FilterStructure {
    bool on = false;
    FilterKind kind = FilterKind::lowPass;
    bool fourPole = true;
    int stages = 8;     ///< of an all-pass
    bool mixed = false; ///< whether any lane lets the unfiltered sound through beside it
    friend bool operator==(const FilterStructure&, const FilterStructure&) = default;
};

/// What one lane's filter moves to by the end of a block.
struct FilterTargets {
    float cutoffLog2 = 14.0f; ///< log2 Hz
    float damping1 = 1.414f;  ///< 1/Q of the state-variable sections
    float damping2 = 1.414f;
    float feedback = 0.0f; ///< of a ladder: 4 is the edge of oscillation; of comb and all-pass −1…1
    float drive = 1.0f;    ///< gain into a ladder
    float mix = 1.0f;
};

/// Resonance and drive in dB, feedback of a comb or all-pass −1…1. A ladder's gain at the cutoff re its pass band is
/// (1 + k) / (4 − k) for a feedback k.
FilterTargets filterTargets(const FilterStructure& structure, double cutoffHz, double resonanceDb, double driveDb,
                            double feedback);

/// State of one lane and what it left off with.
struct FilterState {
    std::array<float, 4> memory{};
    float g = -1.0f; ///< tan(π f / rate) at the end of the last block; negative: not yet started
    FilterTargets left{};
    std::vector<float> line; ///< of a comb: a power of two of samples; of an all-pass: one value a stage
    int at = 0;              ///< place in a comb's line

    /// Takes the memory that a structure needs; before anything sounds.
    void prepare(const FilterStructure& structure, double rateHz);
    void clear();
};

/// One lane. Sound runs through `row` in place.
struct FilterJob {
    FilterState* first = nullptr;
    FilterState* second = nullptr;    ///< null without a second filter
    float* row = nullptr;             ///< what goes into filter 1; what comes out of both
    const float* secondRow = nullptr; ///< what goes into filter 2 besides; null: nothing
    FilterTargets firstTo;            ///< all but the cutoffs, which go on from block to block
    FilterTargets secondTo;
    const float* firstCutoffs = nullptr; ///< log2 Hz at the end of each block
    const float* secondCutoffs = nullptr;
    const float* firstOctaves = nullptr; ///< added to the cutoff sample by sample; null: nothing
    const float* secondOctaves = nullptr;
    float* fedBack = nullptr; ///< the last sample that came out, with `feedback`
    float feedback = 0.0f;    ///< −1…1 of what comes out of the filters goes in again
};

/// State-variable kinds: trapezoidal (zero-delay-feedback) sections, V. Zavalishin, "The Art of VA Filter Design",
/// rev. 2.1, 2018, chapter 4. Ladder: four trapezoidal one-pole sections with zero-delay feedback (chapter 5), its
/// input saturated. Comb: y = x + feedback × y one period ago, the delay interpolated by a cubic (Lagrange), power
/// kept. All-pass: a chain of trapezoidal first-order all-passes with zero-delay feedback around it. Filters that are
/// off pass the sound.
struct FilterPair {
    FilterStructure first;
    FilterStructure second;
    bool parallel = false;
    bool fedBack = false;
};
/// `jobs`: any number. `frames`: one to as many blocks as a stretch has.
void runFilters(std::span<const FilterJob* const> jobs, const FilterPair& pair, float rateHz, int frames);

} // namespace facet::kernels
