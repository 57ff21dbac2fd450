// The inner loops of the effects whose lanes are the candidates: everything that works sample after sample.
#pragma once

#include "core/engine/effects/effect.h"

#include <array>

namespace facet::kernels {

/// A block of both sides as the kernels read it: a group of lanes a sample.
struct StereoLanes {
    alignas(64) float left[blockFrames][laneCount];
    alignas(64) float right[blockFrames][laneCount];
};
/// Transposes the first `frames` (1 … 16) of a block for all candidates: from a row a candidate to a group of lanes a
/// sample, and the reverse.
void toLanes(std::span<const StereoRow> rows, StereoLanes& lanes, int frames);
void fromLanes(const StereoLanes& lanes, std::span<StereoRow> rows, int frames);

/// A linear ramp in each lane, over a block.
struct LaneRamp {
    alignas(64) Row now{};
    alignas(64) Row to{};
    bool moves = false; ///< whether any lane has a way to go
    /// `atOnce`: without moving there.
    void set(std::size_t lane, double value, bool atOnce) {
        to[lane] = static_cast<float>(value);
        if (atOnce) now[lane] = to[lane];
        moves = moves || now[lane] != to[lane];
    }
    /// The block is over: the target is the value now.
    void arrive() {
        if (!moves) return;
        now = to;
        moves = false;
    }
};

/// A row for each side.
using SideRows = std::array<Row, 2>;

/// A state-variable section whose three outputs are weighed: every response of second order (V. Zavalishin, "The Art
/// of VA Filter Design", rev. 2.1, 2018, chapter 4; the weights of shelves and bells after A. Simper, "Linear
/// trapezoidal integrated state variable filter with low noise optimisation", 2011, from memory).
struct Section {
    LaneRamp g;             ///< tan(π f / rate)
    LaneRamp damping;       ///< 1/Q
    LaneRamp in, band, low; ///< weights
    alignas(64) SideRows bandMemory{}, lowMemory{};
    void arrive() {
        for (LaneRamp* value : {&g, &damping, &in, &band, &low}) value->arrive();
    }
    void clear(std::size_t lane) {
        for (auto& side : bandMemory) side[lane] = 0.0f;
        for (auto& side : lowMemory) side[lane] = 0.0f;
    }
};
void runSections(std::span<Section* const> sections, StereoLanes& lanes, int frames);

/// Half-band filters of polyphase all-passes: R. A. Valenzuela, A. G. Constantinides, "Digital signal processing
/// schemes for efficient interpolation and decimation", IEE Proc. G 130 (6), 1983.
template <int N> struct HalfBandMemory {
    alignas(64) std::array<Row, N + 2> state{};
    void clear(std::size_t lane) {
        for (Row& row : state) row[lane] = 0.0f;
    }
};
/// Coefficients for a transition as a share of the higher rate, (0, ½).
std::vector<double> halfBandCoefficients(int count, double transition);

/// Four times oversampled: first from and to twice the rate, where the band is narrow, then on.
inline constexpr int outerTaps = 6, innerTaps = 4;
/// Filter memories of one side of a shaper, and of the high-pass that removes the constant an asymmetric curve adds.
struct ShaperSide {
    HalfBandMemory<outerTaps> up, down;
    HalfBandMemory<innerTaps> upInner, downInner;
    alignas(64) Row blockedIn{}, blockedOut{};
    void clear(std::size_t lane) {
        up.clear(lane);
        down.clear(lane);
        upInner.clear(lane);
        downInner.clear(lane);
        blockedIn[lane] = blockedOut[lane] = 0.0f;
    }
};
/// Soft saturation, hard clip, cubic, asymmetric (even partials too), and the triangle and sine that fold.
enum class ShaperCurve : std::uint8_t { soft, hard, cubic, uneven, triangle, sine };
/// A waveshaper four times oversampled: y = mix · output · curve(drive · x + bias) + (1 − mix) · x.
struct Shaper {
    ShaperCurve curve = ShaperCurve::soft;
    LaneRamp drive, bias, output, mix;
    std::array<ShaperSide, 2> sides;
    float rateHz = 48000.0f;
};
void runShaper(Shaper& shaper, StereoLanes& lanes, int frames);

/// Fewer bits and a lower sample rate: values are rounded to multiples of `step` and held.
struct Reduction {
    LaneRamp step;  ///< 2 / 2^bits
    LaneRamp share; ///< hold rate / rate; ≥ 1: every sample is new
    alignas(64) Row phase{};
    alignas(64) SideRows held{};
};
void runReduction(Reduction& reduction, StereoLanes& lanes, int frames);

/// Two chains of all-passes whose outputs are a quarter of a cycle apart: the half-band filter above, turned by a
/// quarter of the rate (R. Ansari, "IIR discrete-time Hilbert transformers", IEEE Trans. ASSP 35 (8), 1987).
inline constexpr int hilbertTaps = 12;
struct ShifterSide {
    alignas(64) std::array<Row, 2 * (hilbertTaps + 2)> memory{}; ///< [place in chain][one or two samples ago]
    alignas(64) Row lastIn{};
};
/// Single-sideband frequency shift: the analytic signal turned by a running phase.
struct Shifter {
    std::array<ShifterSide, 2> sides;
    alignas(64) SideRows phase{}, step{}; ///< cycles at the block's beginning, and per sample
};
void runShifter(Shifter& shifter, StereoLanes& lanes, int frames);

/// Feed-forward, both sides as one, in decibels; knee, and peaks smoothed by the decoupled detector: D. Giannoulis, M.
/// Massberg, J. D. Reiss, "Digital dynamic range compressor design – a tutorial and analysis", J. Audio Eng. Soc. 60
/// (6), 2012, equations 4 and 17.
struct Compressor {
    LaneRamp threshold, slope, knee, attack, release, makeup; ///< dB, 1 − 1/ratio, dB, coefficients, gain
    alignas(64) Row held{}, reduction{};                      ///< dB
};
void runCompressor(Compressor& compressor, StereoLanes& lanes, int frames);

/// The gain falls at once and comes back slowly.
struct Limiter {
    LaneRamp drive, ceiling, release;
    alignas(64) Row gain{}; ///< less than 1 by so much
};
void runLimiter(Limiter& limiter, StereoLanes& lanes, int frames);

/// Three bands by fourth-order crossovers whose sum is an all-pass (S. H. Linkwitz, "Active crossover networks for
/// noncoincident drivers", J. Audio Eng. Soc. 24 (1), 1976).
struct Splitter {
    alignas(64) std::array<std::array<Row, 2>, 7> memory{};
    void clear(std::size_t lane) {
        for (auto& section : memory)
            for (Row& row : section) row[lane] = 0.0f;
    }
};
/// Compresses each of three bands downward above one threshold and upward below another of its own; thresholds in dB,
/// slopes 1 − 1/ratio, attack and release as coefficients per sample.
struct BandCompressor {
    LaneRamp lowSplit, highSplit; ///< tan(π f / rate)
    LaneRamp downSlope, upSlope, attack, release;
    std::array<LaneRamp, 3> gains, downThresholds, upThresholds;
    std::array<Splitter, 2> splitters;
    alignas(64) std::array<Row, 3> level{};
    alignas(64) Row reduction{};
};
void runBandCompressor(BandCompressor& bands, StereoLanes& lanes, int frames);

/// Scales the side signal of three bands; the mid runs through the same all-passes, so that both stay in phase.
struct BandWidth {
    LaneRamp lowSplit, highSplit;
    std::array<LaneRamp, 3> widths;
    Splitter side;
    Splitter middle; ///< all-passes alone
};
void runBandWidth(BandWidth& width, StereoLanes& lanes, int frames);

} // namespace facet::kernels
