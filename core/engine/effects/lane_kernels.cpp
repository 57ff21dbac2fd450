#include "core/engine/effects/lane_kernels.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/effects/lane_kernels.cpp"
#include <hwy/foreach_target.h>

#include "core/engine/kernels/lanes-inl.h"

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {

HWY_INLINE GroupRamp rampOf(const LaneRamp& value, int frames) {
    GroupRamp m;
    m.from(load(value.now.data()), load(value.to.data()), splat(1.0f / static_cast<float>(frames)));
    return m;
}
HWY_INLINE Group load(const Row& row) { return load(row.data()); }
HWY_INLINE void store(const Group& a, Row& row) { store(a, row.data()); }

// ---- sections ----

template <bool still> HWY_INLINE void runSection(Section& s, StereoLanes& lanes, int frames) {
    GroupRamp g = rampOf(s.g, frames);
    GroupRamp damping = rampOf(s.damping, frames);
    GroupRamp in = rampOf(s.in, frames);
    GroupRamp band = rampOf(s.band, frames);
    GroupRamp low = rampOf(s.low, frames);
    Trapezoid left{load(s.lowMemory[0]), load(s.bandMemory[0])};
    Trapezoid right{load(s.lowMemory[1]), load(s.bandMemory[1])};
    TrapezoidStep step(g.now, damping.now);
    for (int t = 0; t < frames; ++t) {
        if (!still && t > 0) step = TrapezoidStep(g.now, damping.now);
        Group bandOut;
        const Group x = load(lanes.left[t]);
        Group lowOut = left.tick(x, step, bandOut);
        store(mulAdd(in.now, x, mulAdd(band.now, bandOut, low.now * lowOut)), lanes.left[t]);
        const Group y = load(lanes.right[t]);
        lowOut = right.tick(y, step, bandOut);
        store(mulAdd(in.now, y, mulAdd(band.now, bandOut, low.now * lowOut)), lanes.right[t]);
        if (!still)
            for (GroupRamp* m : {&g, &damping, &in, &band, &low}) m->advance();
    }
    store(left.band, s.bandMemory[0]);
    store(left.low, s.lowMemory[0]);
    store(right.band, s.bandMemory[1]);
    store(right.low, s.lowMemory[1]);
}

void runSections(Section* const* sections, int count, StereoLanes& lanes, int frames) {
    for (int i = 0; i < count; ++i) {
        Section& s = *sections[i];
        bool still = true;
        for (const LaneRamp* value : {&s.g, &s.damping, &s.in, &s.band, &s.low}) still = still && !value->moves;
        if (still)
            runSection<true>(s, lanes, frames);
        else
            runSection<false>(s, lanes, frames);
    }
}

// ---- oversampling ----

/// Runs samples through one chain of a half-band filter, the one that begins with coefficient `which`; the even
/// coefficients belong to the first. Reads every `stride`-th sample and writes every `outStride`-th.
template <int N, int which>
HWY_INLINE void runChain(const float* c, HalfBandMemory<N>& memory, const Group* in, int stride, Group* out,
                         int outStride, int count) {
    constexpr std::size_t first = which * (N / 2 + 1);
    Group state[N / 2 + 1];
    for (std::size_t i = 0; i < N / 2 + 1; ++i) state[i] = load(memory.state[first + i]);
    for (int t = 0; t < count; ++t) {
        Group x = in[t * stride];
        for (int i = 0; i < N / 2; ++i) {
            const Group y = mulAdd(x - state[i + 1], splat(c[2 * i + which]), state[i]);
            state[i] = x;
            x = y;
        }
        state[N / 2] = x;
        out[t * outStride] = x;
    }
    for (std::size_t i = 0; i < N / 2 + 1; ++i) store(state[i], memory.state[first + i]);
}
/// `count` samples to twice as many.
template <int N>
HWY_INLINE void doubleRate(const float* c, HalfBandMemory<N>& memory, const Group* in, Group* out, int count) {
    runChain<N, 0>(c, memory, in, 1, out, 2, count);
    runChain<N, 1>(c, memory, in, 1, out + 1, 2, count);
}
/// Twice `count` samples, which are changed, to `count`.
template <int N>
HWY_INLINE void halveRate(const float* c, HalfBandMemory<N>& memory, Group* in, Group* out, int count) {
    runChain<N, 0>(c, memory, in + 1, 2, in + 1, 2, count);
    runChain<N, 1>(c, memory, in, 2, in, 2, count);
    for (int t = 0; t < count; ++t) out[t] = (in[2 * t] + in[2 * t + 1]) * splat(0.5f);
}

HWY_INLINE Group shaped(ShaperCurve curve, const Group& x) {
    switch (curve) {
    case ShaperCurve::soft: return saturated(x);
    case ShaperCurve::hard: return clamp(x, -1.0f, 1.0f);
    case ShaperCurve::cubic: { // slope 1 at 0, flat at ±3/2
        const Group held = clamp(x, -1.5f, 1.5f);
        return held - held * held * held * splat(4.0f / 27.0f);
    }
    case ShaperCurve::uneven:
        return whereGreater(x, splat(0.0f), saturated(x), saturated(x * splat(0.4f)) * splat(2.5f));
    case ShaperCurve::triangle: {
        const Group quarter = x * splat(0.25f);
        const Group t = quarter - rounded(quarter);
        return withSignOf(splat(1.0f) - magnitude(magnitude(t) - splat(0.25f)) * splat(4.0f), t);
    }
    case ShaperCurve::sine: return sineOfCycles(x * splat(0.25f));
    }
    return x;
}

template <ShaperCurve curve>
HWY_INLINE void shapeSide(Shaper& shaper, std::size_t which, float (*side)[laneCount], const float* outer,
                          const float* inner, int frames) {
    ShaperSide& memory = shaper.sides[which];
    // One step after the other over the whole block: in each, samples wait for little of the ones before.
    Group plain[blockFrames], twice[2 * blockFrames], four[4 * blockFrames];
    for (int t = 0; t < frames; ++t) plain[t] = load(side[t]);
    doubleRate(outer, memory.up, plain, twice, frames);
    doubleRate(inner, memory.upInner, twice, four, 2 * frames);
    GroupRamp drive = rampOf(shaper.drive, frames);
    GroupRamp bias = rampOf(shaper.bias, frames);
    GroupRamp output = rampOf(shaper.output, frames);
    GroupRamp mix = rampOf(shaper.mix, frames);
    Group rest = shaped(curve, bias.now);
    for (int t = 0; t < frames; ++t) {
        if (shaper.bias.moves) rest = shaped(curve, bias.now);
        for (int n = 4 * t; n < 4 * t + 4; ++n) {
            const Group y = (shaped(curve, mulAdd(four[n], drive.now, bias.now)) - rest) * output.now;
            four[n] = mulAdd(y - four[n], mix.now, four[n]);
        }
        for (GroupRamp* m : {&drive, &bias, &output, &mix}) m->advance();
    }
    halveRate(inner, memory.downInner, four, twice, 2 * frames);
    halveRate(outer, memory.down, twice, plain, frames);
    // What an uneven curve adds as a constant is taken off.
    Group in = load(memory.blockedIn);
    Group out = load(memory.blockedOut);
    const Group pole = splat(1.0f - 2.0f * std::numbers::pi_v<float> * 5.0f / shaper.rateHz);
    for (int t = 0; t < frames; ++t) {
        out = mulAdd(out, pole, plain[t] - in);
        in = plain[t];
        store(out, side[t]);
    }
    store(in, memory.blockedIn);
    store(out, memory.blockedOut);
}

template <ShaperCurve curve>
HWY_INLINE void shapeBoth(Shaper& shaper, StereoLanes& lanes, const float* outer, const float* inner, int frames) {
    shapeSide<curve>(shaper, 0, lanes.left, outer, inner, frames);
    shapeSide<curve>(shaper, 1, lanes.right, outer, inner, frames);
}

void runShaper(Shaper& shaper, StereoLanes& lanes, const float* outer, const float* inner, int frames) {
    using C = ShaperCurve;
    switch (shaper.curve) {
    case C::soft: return shapeBoth<C::soft>(shaper, lanes, outer, inner, frames);
    case C::hard: return shapeBoth<C::hard>(shaper, lanes, outer, inner, frames);
    case C::cubic: return shapeBoth<C::cubic>(shaper, lanes, outer, inner, frames);
    case C::uneven: return shapeBoth<C::uneven>(shaper, lanes, outer, inner, frames);
    case C::triangle: return shapeBoth<C::triangle>(shaper, lanes, outer, inner, frames);
    case C::sine: return shapeBoth<C::sine>(shaper, lanes, outer, inner, frames);
    }
}

void runReduction(Reduction& r, StereoLanes& lanes, int frames) {
    GroupRamp step = rampOf(r.step, frames);
    GroupRamp share = rampOf(r.share, frames);
    Group phase = load(r.phase);
    Group left = load(r.held[0]);
    Group right = load(r.held[1]);
    const Group one = splat(1.0f);
    for (int t = 0; t < frames; ++t) {
        phase = phase + share.now;
        const Group again = splat(0.9999f); // rates that are a whole share of ours do not slip by rounding
        left = whereGreater(phase, again, rounded(load(lanes.left[t]) / step.now) * step.now, left);
        right = whereGreater(phase, again, rounded(load(lanes.right[t]) / step.now) * step.now, right);
        phase = whereGreater(phase, again, phase - larger(one, floored(phase)), phase);
        store(left, lanes.left[t]);
        store(right, lanes.right[t]);
        step.advance();
        share.advance();
    }
    store(phase, r.phase);
    store(left, r.held[0]);
    store(right, r.held[1]);
}

// ---- frequency shift ----

HWY_INLINE void shiftSide(ShifterSide& memory, float (*side)[laneCount], const Row& phase, const Row& step,
                          const float* c, int frames) {
    constexpr int half = hilbertTaps / 2;
    constexpr std::size_t places = hilbertTaps + 2;
    Group one[places], two[places]; // one and two samples ago
    for (std::size_t i = 0; i < places; ++i) {
        one[i] = load(memory.memory[2 * i]);
        two[i] = load(memory.memory[2 * i + 1]);
    }
    Group lastIn = load(memory.lastIn);
    const Group begin = load(phase);
    const Group perSample = load(step);
    const auto chain = [&](Group x, int which) HWY_ATTR {
        const int first = which * (half + 1);
        for (int i = 0; i < half; ++i) {
            // (c − z⁻²) / (1 − c z⁻²)
            const Group y = mulAdd(splat(c[2 * i + which]), x + two[first + i + 1], splat(0.0f) - two[first + i]);
            two[first + i] = one[first + i];
            one[first + i] = x;
            x = y;
        }
        two[first + half] = one[first + half];
        one[first + half] = x;
        return x;
    };
    for (int t = 0; t < frames; ++t) {
        const Group x = load(side[t]);
        const Group real = chain(x, 0);
        const Group imaginary = chain(lastIn, 1);
        lastIn = x;
        const Group turn = mulAdd(splat(static_cast<float>(t)), perSample, begin);
        store(real * sineOfCycles(turn + splat(0.25f)) - imaginary * sineOfCycles(turn), side[t]);
    }
    for (std::size_t i = 0; i < places; ++i) {
        store(one[i], memory.memory[2 * i]);
        store(two[i], memory.memory[2 * i + 1]);
    }
    store(lastIn, memory.lastIn);
}

void runShifter(Shifter& shifter, StereoLanes& lanes, const float* c, int frames) {
    shiftSide(shifter.sides[0], lanes.left, shifter.phase[0], shifter.step[0], c, frames);
    shiftSide(shifter.sides[1], lanes.right, shifter.phase[1], shifter.step[1], c, frames);
}

// ---- dynamics ----

constexpr float dbPerOctaveOfGain = 6.020599913f; // 20 log10 2

HWY_INLINE Group dbOf(const Group& gain) { return log2Of(larger(gain, splat(1e-9f))) * splat(dbPerOctaveOfGain); }
HWY_INLINE Group gainOf(const Group& db) { return exp2Of(clamp(db * splat(1.0f / dbPerOctaveOfGain), -40.0f, 40.0f)); }
HWY_INLINE Group peakOf(const StereoLanes& lanes, int t) {
    return larger(magnitude(load(lanes.left[t])), magnitude(load(lanes.right[t])));
}

void runCompressor(Compressor& c, StereoLanes& lanes, int frames) {
    GroupRamp threshold = rampOf(c.threshold, frames), slope = rampOf(c.slope, frames), knee = rampOf(c.knee, frames);
    GroupRamp attack = rampOf(c.attack, frames), release = rampOf(c.release, frames), makeup = rampOf(c.makeup, frames);
    Group held = load(c.held);
    Group reduction = load(c.reduction);
    const Group zero = splat(0.0f);
    for (int t = 0; t < frames; ++t) {
        const Group over = dbOf(peakOf(lanes, t)) - threshold.now;
        const Group width = larger(knee.now, splat(1e-3f));
        const Group half = width * splat(0.5f);
        const Group bent = smaller(larger(over + half, zero), width);
        const Group wanted = slope.now * (bent * bent * reciprocal(width + width) + larger(over - half, zero));
        held = larger(wanted, mulAdd(release.now, held - wanted, wanted));
        reduction = mulAdd(attack.now, reduction - held, held);
        const Group gain = makeup.now * gainOf(zero - reduction);
        store(load(lanes.left[t]) * gain, lanes.left[t]);
        store(load(lanes.right[t]) * gain, lanes.right[t]);
        for (GroupRamp* m : {&threshold, &slope, &knee, &attack, &release, &makeup}) m->advance();
    }
    store(held, c.held);
    store(reduction, c.reduction);
}

void runLimiter(Limiter& l, StereoLanes& lanes, int frames) {
    GroupRamp drive = rampOf(l.drive, frames), ceiling = rampOf(l.ceiling, frames), release = rampOf(l.release, frames);
    Group less = load(l.gain);
    const Group one = splat(1.0f);
    for (int t = 0; t < frames; ++t) {
        const Group peak = larger(peakOf(lanes, t) * drive.now, splat(1e-9f));
        less = larger(less * release.now, one - ceiling.now * reciprocal(larger(peak, ceiling.now)));
        const Group gain = (one - less) * drive.now;
        // Rounding may leave a sample a hair beyond.
        const auto held = [&](const Group& x)
                              HWY_ATTR { return smaller(larger(x, splat(0.0f) - ceiling.now), ceiling.now); };
        store(held(load(lanes.left[t]) * gain), lanes.left[t]);
        store(held(load(lanes.right[t]) * gain), lanes.right[t]);
        for (GroupRamp* m : {&drive, &ceiling, &release}) m->advance();
    }
    store(less, l.gain);
}

// ---- bands ----

constexpr float butterworth = std::numbers::sqrt2_v<float>;

/// A maximally flat section of second order.
struct FlatSection {
    Trapezoid memory;
    HWY_INLINE explicit FlatSection(const std::array<Row, 2>& kept) : memory{load(kept[1]), load(kept[0])} {}
    HWY_INLINE void save(std::array<Row, 2>& kept) const {
        store(memory.band, kept[0]);
        store(memory.low, kept[1]);
    }
    HWY_INLINE void both(const Group& x, const TrapezoidStep& c, Group& low, Group& high) {
        Group band;
        low = memory.tick(x, c, band);
        high = x - splat(butterworth) * band - low;
    }
    HWY_INLINE Group lowPass(const Group& x, const TrapezoidStep& c) {
        Group band;
        return memory.tick(x, c, band);
    }
    HWY_INLINE Group highPass(const Group& x, const TrapezoidStep& c) {
        Group low, high;
        both(x, c, low, high);
        return high;
    }
    HWY_INLINE Group allPass(const Group& x, const TrapezoidStep& c) {
        Group band;
        memory.tick(x, c, band);
        return x - splat(2.0f * butterworth) * band;
    }
};

/// Both crossovers at one sample.
struct Crossovers {
    TrapezoidStep low, high;
    HWY_INLINE Crossovers(const Group& lowG, const Group& highG)
        : low(lowG, splat(butterworth)), high(highG, splat(butterworth)) {}
};

struct LaneSplitter {
    FlatSection high1, low1, high2, low2, low3, mid3, turn;
    HWY_INLINE explicit LaneSplitter(const Splitter& s)
        : high1(s.memory[0]), low1(s.memory[1]), high2(s.memory[2]), low2(s.memory[3]), low3(s.memory[4]),
          mid3(s.memory[5]), turn(s.memory[6]) {}
    HWY_INLINE void save(Splitter& s) const {
        const FlatSection* all[] = {&high1, &low1, &high2, &low2, &low3, &mid3, &turn};
        for (std::size_t i = 0; i < 7; ++i) all[i]->save(s.memory[i]);
    }
    HWY_INLINE void split(const Group& x, const Crossovers& c, Group (&bands)[3]) {
        Group below, above, low, middle;
        high1.both(x, c.high, below, above);
        below = low1.lowPass(below, c.high);
        bands[2] = turn.allPass(high2.highPass(above, c.high), c.low);
        low2.both(below, c.low, low, middle);
        bands[0] = low3.lowPass(low, c.low);
        bands[1] = mid3.highPass(middle, c.low);
    }
};

void runBandCompressor(BandCompressor& c, StereoLanes& lanes, int frames) {
    LaneSplitter left(c.splitters[0]), right(c.splitters[1]);
    GroupRamp lowSplit = rampOf(c.lowSplit, frames), highSplit = rampOf(c.highSplit, frames);
    GroupRamp downSlope = rampOf(c.downSlope, frames), upSlope = rampOf(c.upSlope, frames);
    GroupRamp downThreshold[3] = {rampOf(c.downThresholds[0], frames), rampOf(c.downThresholds[1], frames),
                                  rampOf(c.downThresholds[2], frames)};
    GroupRamp upThreshold[3] = {rampOf(c.upThresholds[0], frames), rampOf(c.upThresholds[1], frames),
                                rampOf(c.upThresholds[2], frames)};
    GroupRamp attack = rampOf(c.attack, frames), release = rampOf(c.release, frames);
    GroupRamp gains[3] = {rampOf(c.gains[0], frames), rampOf(c.gains[1], frames), rampOf(c.gains[2], frames)};
    Group level[3] = {load(c.level[0]), load(c.level[1]), load(c.level[2])};
    Group most = splat(0.0f);
    const Group zero = splat(0.0f);
    for (int t = 0; t < frames; ++t) {
        Group l[3], r[3];
        const Crossovers crossovers(lowSplit.now, highSplit.now);
        left.split(load(lanes.left[t]), crossovers, l);
        right.split(load(lanes.right[t]), crossovers, r);
        Group x = zero, y = zero;
        most = zero;
        for (std::size_t b = 0; b < 3; ++b) {
            const Group peak = larger(magnitude(l[b]), magnitude(r[b]));
            const Group rate = whereGreater(peak, level[b], attack.now, release.now);
            level[b] = mulAdd(rate, level[b] - peak, peak);
            const Group db = dbOf(level[b]);
            const Group down = downSlope.now * larger(db - downThreshold[b].now, zero);
            // What lies below −80 dB is let go, so that silence stays silent.
            const Group heard = clamp((db + splat(100.0f)) * splat(1.0f / 20.0f), 0.0f, 1.0f);
            const Group up = heard * smaller(upSlope.now * larger(upThreshold[b].now - db, zero), splat(36.0f));
            const Group gain = gains[b].now * gainOf(up - down);
            most = larger(most, down);
            x = mulAdd(l[b], gain, x);
            y = mulAdd(r[b], gain, y);
            for (GroupRamp* m : {&gains[b], &downThreshold[b], &upThreshold[b]}) m->advance();
        }
        store(x, lanes.left[t]);
        store(y, lanes.right[t]);
        for (GroupRamp* m : {&lowSplit, &highSplit, &downSlope, &upSlope, &attack, &release}) m->advance();
    }
    for (std::size_t b = 0; b < 3; ++b) store(level[b], c.level[b]);
    store(most, c.reduction);
    left.save(c.splitters[0]);
    right.save(c.splitters[1]);
}

void runBandWidth(BandWidth& w, StereoLanes& lanes, int frames) {
    LaneSplitter side(w.side);
    FlatSection lowTurn(w.middle.memory[0]), highTurn(w.middle.memory[1]);
    GroupRamp lowSplit = rampOf(w.lowSplit, frames), highSplit = rampOf(w.highSplit, frames);
    GroupRamp widths[3] = {rampOf(w.widths[0], frames), rampOf(w.widths[1], frames), rampOf(w.widths[2], frames)};
    for (int t = 0; t < frames; ++t) {
        const Group l = load(lanes.left[t]);
        const Group r = load(lanes.right[t]);
        const Crossovers crossovers(lowSplit.now, highSplit.now);
        const Group middle = lowTurn.allPass(highTurn.allPass((l + r) * splat(0.5f), crossovers.high), crossovers.low);
        Group bands[3];
        side.split((l - r) * splat(0.5f), crossovers, bands);
        Group s = splat(0.0f);
        for (int b = 0; b < 3; ++b) {
            s = mulAdd(bands[b], widths[b].now, s);
            widths[b].advance();
        }
        store(middle + s, lanes.left[t]);
        store(middle - s, lanes.right[t]);
        lowSplit.advance();
        highSplit.advance();
    }
    side.save(w.side);
    lowTurn.save(w.middle.memory[0]);
    highTurn.save(w.middle.memory[1]);
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(runSections);
HWY_EXPORT(runShaper);
HWY_EXPORT(runReduction);
HWY_EXPORT(runShifter);
HWY_EXPORT(runCompressor);
HWY_EXPORT(runLimiter);
HWY_EXPORT(runBandCompressor);
HWY_EXPORT(runBandWidth);

void runSections(std::span<Section* const> sections, StereoLanes& lanes, int frames) {
    HWY_DYNAMIC_DISPATCH(runSections)(sections.data(), static_cast<int>(sections.size()), lanes, frames);
    for (Section* section : sections) section->arrive();
}

namespace {

std::vector<float> asFloats(const std::vector<double>& values) { return {values.begin(), values.end()}; }

/// What lies below 20 kHz at 48 kHz passes; what would fold onto it does not.
constexpr double outerTransition = 2.0 * (0.25 - 20.0 / 96.0), innerTransition = 2.0 * (0.25 - 20.0 / 192.0);
/// From 20 Hz on at 48 kHz the two sides are a quarter of a cycle apart.
constexpr double hilbertTransition = 2.0 * 20.0 / 48000.0;

} // namespace

void runShaper(Shaper& shaper, StereoLanes& lanes, int frames) {
    static const auto outer = asFloats(halfBandCoefficients(outerTaps, outerTransition));
    static const auto inner = asFloats(halfBandCoefficients(innerTaps, innerTransition));
    HWY_DYNAMIC_DISPATCH(runShaper)(shaper, lanes, outer.data(), inner.data(), frames);
    for (LaneRamp* value : {&shaper.drive, &shaper.bias, &shaper.output, &shaper.mix}) value->arrive();
}

void runReduction(Reduction& reduction, StereoLanes& lanes, int frames) {
    HWY_DYNAMIC_DISPATCH(runReduction)(reduction, lanes, frames);
    reduction.step.arrive();
    reduction.share.arrive();
}

void runShifter(Shifter& shifter, StereoLanes& lanes, int frames) {
    static const auto coefficients = asFloats(halfBandCoefficients(hilbertTaps, hilbertTransition));
    HWY_DYNAMIC_DISPATCH(runShifter)(shifter, lanes, coefficients.data(), frames);
}

void runCompressor(Compressor& c, StereoLanes& lanes, int frames) {
    HWY_DYNAMIC_DISPATCH(runCompressor)(c, lanes, frames);
    for (LaneRamp* value : {&c.threshold, &c.slope, &c.knee, &c.attack, &c.release, &c.makeup}) value->arrive();
}

void runLimiter(Limiter& l, StereoLanes& lanes, int frames) {
    HWY_DYNAMIC_DISPATCH(runLimiter)(l, lanes, frames);
    for (LaneRamp* value : {&l.drive, &l.ceiling, &l.release}) value->arrive();
}

void runBandCompressor(BandCompressor& c, StereoLanes& lanes, int frames) {
    HWY_DYNAMIC_DISPATCH(runBandCompressor)(c, lanes, frames);
    for (LaneRamp* value : {&c.lowSplit, &c.highSplit, &c.downSlope, &c.upSlope, &c.attack, &c.release})
        value->arrive();
    for (auto* bands : {&c.gains, &c.downThresholds, &c.upThresholds})
        for (LaneRamp& value : *bands) value.arrive();
}

void runBandWidth(BandWidth& w, StereoLanes& lanes, int frames) {
    HWY_DYNAMIC_DISPATCH(runBandWidth)(w, lanes, frames);
    for (LaneRamp* value : {&w.lowSplit, &w.highSplit, &w.widths[0], &w.widths[1], &w.widths[2]}) value->arrive();
}

void toLanes(std::span<const StereoRow> rows, StereoLanes& lanes, int frames) {
    for (std::size_t c = 0; c < rows.size(); ++c)
        for (int t = 0; t < frames; ++t) {
            lanes.left[t][c] = rows[c].left[static_cast<std::size_t>(t)];
            lanes.right[t][c] = rows[c].right[static_cast<std::size_t>(t)];
        }
}

void fromLanes(const StereoLanes& lanes, std::span<StereoRow> rows, int frames) {
    for (std::size_t c = 0; c < rows.size(); ++c)
        for (int t = 0; t < frames; ++t) {
            rows[c].left[static_cast<std::size_t>(t)] = lanes.left[t][c];
            rows[c].right[static_cast<std::size_t>(t)] = lanes.right[t][c];
        }
}

std::vector<double> halfBandCoefficients(int count, double transition) {
    // An elliptic filter whose poles lie on the imaginary axis, by theta functions of its nome.
    const double k = std::pow(std::tan((1.0 - 2.0 * transition) * std::numbers::pi / 4.0), 2.0);
    const double root = std::pow(1.0 - k * k, 0.25);
    const double e = 0.5 * (1.0 - root) / (1.0 + root);
    const double nome = e * (1.0 + std::pow(e, 4.0) * (2.0 + std::pow(e, 4.0) * (15.0 + 150.0 * std::pow(e, 4.0))));
    const int order = 2 * count + 1;
    std::vector<double> coefficients;
    for (int c = 1; c <= count; ++c) {
        double above = 0.0;
        double below = 0.5;
        for (int i = 0; i < 24; ++i) {
            const double sign = i % 2 == 0 ? 1.0 : -1.0;
            above += sign * std::pow(nome, i * (i + 1.0)) * std::sin((2.0 * i + 1.0) * c * std::numbers::pi / order);
            if (i > 0)
                below += sign * std::pow(nome, static_cast<double>(i) * i) *
                         std::cos(2.0 * i * c * std::numbers::pi / order);
        }
        const double w = std::pow(above * std::pow(nome, 0.25) / below, 2.0);
        const double x = std::sqrt((1.0 - w * k) * (1.0 - w / k)) / (1.0 + w);
        coefficients.push_back((1.0 - x) / (1.0 + x));
    }
    return coefficients;
}

} // namespace facet::kernels
#endif
