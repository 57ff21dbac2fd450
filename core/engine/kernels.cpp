#include "core/engine/kernels.h"

#include <cmath>
#include <cstring>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = HWY_CAPPED(float, laneCount);
using V = hn::Vec<D>;
constexpr int partLanes = static_cast<int>(hn::MaxLanes(D()));
constexpr int partCount = laneCount / partLanes;

/// Sixteen floats in however many registers the target needs.
struct Group {
    V part[partCount];
};

template <typename F> HWY_INLINE Group each(F&& f) {
    Group result;
    for (int i = 0; i < partCount; ++i) result.part[i] = f(i);
    return result;
}

#define FACET_LANES(expression) each([&](int i) HWY_ATTR { return expression; })
HWY_INLINE Group splat(float x) { return FACET_LANES((static_cast<void>(i), hn::Set(D(), x))); }
HWY_INLINE Group load(const float* p) { return FACET_LANES(hn::LoadU(D(), p + i * partLanes)); }
HWY_INLINE void store(const Group& a, float* p) {
    for (int i = 0; i < partCount; ++i) hn::StoreU(a.part[i], D(), p + i * partLanes);
}
HWY_INLINE Group operator+(const Group& a, const Group& b) { return FACET_LANES(hn::Add(a.part[i], b.part[i])); }
HWY_INLINE Group operator-(const Group& a, const Group& b) { return FACET_LANES(hn::Sub(a.part[i], b.part[i])); }
HWY_INLINE Group operator*(const Group& a, const Group& b) { return FACET_LANES(hn::Mul(a.part[i], b.part[i])); }
HWY_INLINE Group operator/(const Group& a, const Group& b) { return FACET_LANES(hn::Div(a.part[i], b.part[i])); }
/// a × b + c, fused where the target can.
HWY_INLINE Group mulAdd(const Group& a, const Group& b, const Group& c) {
    return FACET_LANES(hn::MulAdd(a.part[i], b.part[i], c.part[i]));
}
HWY_INLINE Group clamp(const Group& a, float low, float high) {
    return FACET_LANES(hn::Min(hn::Max(a.part[i], hn::Set(D(), low)), hn::Set(D(), high)));
}
HWY_INLINE Group rounded(const Group& a) { return FACET_LANES(hn::Round(a.part[i])); }
HWY_INLINE Group magnitude(const Group& a) { return FACET_LANES(hn::Abs(a.part[i])); }
HWY_INLINE Group withSignOf(const Group& a, const Group& sign) {
    return FACET_LANES(hn::CopySign(a.part[i], sign.part[i]));
}
/// `value` in the lanes where a ≥ b, zero elsewhere.
HWY_INLINE Group whereAtLeast(const Group& a, const Group& b, const Group& value) {
    return FACET_LANES(hn::IfThenElseZero(hn::Ge(a.part[i], b.part[i]), value.part[i]));
}
/// 2^n for whole n in [−126, 127].
HWY_INLINE Group powerOfTwo(const Group& n) {
    return FACET_LANES(hn::BitCast(D(), hn::ShiftLeft<23>(hn::Add(hn::ConvertTo(hn::RebindToSigned<D>(), n.part[i]),
                                                                  hn::Set(hn::RebindToSigned<D>(), 127)))));
}
#undef FACET_LANES

HWY_INLINE Group counting() {
    alignas(64) static constexpr float numbers[laneCount] = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15};
    return load(numbers);
}

/// Σ coefficient[k] x^k by Horner's rule, highest coefficient first.
template <int N> HWY_INLINE Group polynomial(const Group& x, const float (&coefficients)[N]) {
    Group sum = splat(coefficients[0]);
    for (int k = 1; k < N; ++k) sum = mulAdd(sum, x, splat(coefficients[k]));
    return sum;
}

/// Taylor series about 0; below 1e-7 on [0, π/2].
HWY_INLINE Group sineOf(const Group& x) {
    static constexpr float c[] = {-1.0f / 39916800, 1.0f / 362880, -1.0f / 5040, 1.0f / 120, -1.0f / 6, 1.0f};
    return x * polynomial(x * x, c);
}
HWY_INLINE Group cosineOf(const Group& x) {
    static constexpr float c[] = {1.0f / 479001600, -1.0f / 3628800, 1.0f / 40320, -1.0f / 720, 1.0f / 24, -0.5f, 1.0f};
    return polynomial(x * x, c);
}

/// 2^x: the whole part by the exponent, the rest by the series of exp(x ln 2) on [−½, ½] (error below 2e-8).
HWY_INLINE Group exp2Of(const Group& x) {
    static constexpr float c[] = {1.5252733e-5f, 1.5403530e-4f, 1.3333558e-3f, 9.6181291e-3f,
                                  5.5504109e-2f, 2.4022651e-1f, 6.9314718e-1f, 1.0f};
    const Group whole = rounded(x);
    return polynomial(x - whole, c) * powerOfTwo(whole);
}

/// sin(2π p) for p in cycles.
HWY_INLINE Group sineOfCycles(const Group& cycles) {
    const Group centered = cycles - rounded(cycles); // [−½, ½]
    const Group folded = splat(0.25f) - magnitude(magnitude(centered) - splat(0.25f));
    return withSignOf(sineOf(folded * splat(2.0f * std::numbers::pi_v<float>)), centered);
}

/// Adds the residual of a jump that happens `before` samples (0 ≤ before < 1) ahead of line[index].
HWY_INLINE void addResidual(const std::array<BandLimitTables::Row, bandLimitPhases + 1>& table, float* line, int index,
                            double before, float amount) {
    const double position = before * bandLimitPhases;
    const int row = static_cast<int>(position);
    const Group share = splat(static_cast<float>(position - row));
    const Group scale = splat(amount);
    const float* low = table[static_cast<std::size_t>(row)].data();
    const float* high = table[static_cast<std::size_t>(row + 1)].data();
    float* out = line + index - bandLimitReach;
    for (int half = 0; half < 2 * bandLimitReach; half += laneCount) {
        const Group a = load(low + half);
        store(mulAdd(mulAdd(load(high + half) - a, share, a), scale, load(out + half)), out + half);
    }
}

/// Writes one oscillator's next `frames` samples into its line, 16 ahead.
struct Generator {
    Oscillator& o;
    const double increment;
    const int frames;
    const BandLimitTables& tables;
    Group ahead; ///< the block at line[16…31], before its residuals
    Group index;

    HWY_INLINE Generator(Oscillator& oscillator, double inc, int n, const BandLimitTables& t)
        : o(oscillator), increment(inc), frames(n), tables(t), ahead(splat(0.0f)), index(counting()) {}

    /// First sample at or after an instant in samples, and how far behind it the instant lies.
    HWY_INLINE int firstAfter(double instant, double& before) const {
        const int first = static_cast<int>(std::ceil(instant));
        before = first - instant;
        return first;
    }
    HWY_INLINE void jump(double instant, float amount) {
        double before;
        const int first = firstAfter(instant, before);
        ahead = ahead + whereAtLeast(index, splat(static_cast<float>(first)), splat(amount));
        addResidual(tables.step, o.line.data(), bandLimitReach + first, before, amount);
    }
    HWY_INLINE void bend(double instant, float slope) {
        double before;
        const int first = firstAfter(instant, before);
        const Group since = index - splat(static_cast<float>(instant));
        ahead = ahead + whereAtLeast(index, splat(static_cast<float>(first)), since * splat(slope));
        addResidual(tables.ramp, o.line.data(), bandLimitReach + first, before, slope);
    }
    /// Calls `event(instant)` wherever the phase passes `place` (in cycles, modulo 1) within the block: after
    /// its beginning, up to and including its end. The beginning itself belonged to the block before.
    template <typename F> HWY_INLINE void passing(double place, F&& event) {
        const double end = o.phase + frames * increment;
        for (double at = place > o.phase ? place : place + 1.0; at <= end; at += 1.0) event((at - o.phase) / increment);
    }

    HWY_INLINE void saw() {
        ahead =
            mulAdd(index, splat(static_cast<float>(2.0 * increment)), splat(static_cast<float>(2.0 * o.phase - 1.0)));
        passing(1.0, [&](double instant) HWY_ATTR { jump(instant, -2.0f); });
    }
    HWY_INLINE void triangle() {
        const bool rising = o.phase < 0.5;
        const double slope = 4.0 * increment;
        const double value = rising ? 4.0 * o.phase - 1.0 : 3.0 - 4.0 * o.phase;
        ahead = mulAdd(index, splat(static_cast<float>(rising ? slope : -slope)), splat(static_cast<float>(value)));
        passing(0.5, [&](double instant) HWY_ATTR { bend(instant, static_cast<float>(-2.0 * slope)); });
        passing(1.0, [&](double instant) HWY_ATTR { bend(instant, static_cast<float>(2.0 * slope)); });
    }
    HWY_INLINE void pulse(float width) {
        const float mean = 2.0f * width - 1.0f; // taken off, so that no width adds a constant
        ahead = splat((o.high ? 1.0f : -1.0f) - mean);
        const bool belongsHigh = o.phase < width;
        if (belongsHigh != o.high) jump(0.0, belongsHigh ? 2.0f : -2.0f); // the width moved past the phase
        passing(width, [&](double instant) HWY_ATTR { jump(instant, -2.0f); });
        passing(1.0, [&](double instant) HWY_ATTR { jump(instant, 2.0f); });
        const double end = o.phase + frames * increment;
        o.high = end - std::floor(end) < width;
    }
    HWY_INLINE void sine() {
        const Group phase = mulAdd(index, splat(static_cast<float>(increment)), splat(static_cast<float>(o.phase)));
        ahead = sineOfCycles(phase);
    }

    HWY_INLINE void run(Wave wave, float width) {
        switch (wave) {
        case Wave::sine: sine(); break;
        case Wave::triangle: triangle(); break;
        case Wave::saw: saw(); break;
        case Wave::pulse: pulse(width); break;
        }
        float* block = o.line.data() + bandLimitReach;
        if (frames == blockFrames) {
            store(load(block) + ahead, block);
        } else {
            alignas(64) float values[laneCount];
            store(ahead, values);
            for (int i = 0; i < frames; ++i) block[i] += values[i];
        }
        const double end = o.phase + frames * increment;
        o.phase = end - std::floor(end);
    }
};

HWY_INLINE void addScaled(float* out, const Group& signal, float from, float to, int frames) {
    const Group gain = mulAdd(counting(), splat((to - from) / static_cast<float>(frames)), splat(from));
    store(mulAdd(signal, gain, load(out)), out);
}

void runSources(const SourceJob* jobs, int count, int frames) {
    const BandLimitTables& tables = bandLimitTables();
    for (int j = 0; j < count; ++j) {
        const SourceJob& job = jobs[j];
        Oscillator& o = *job.oscillator;
        Generator(o, job.increment, frames, tables).run(job.wave, job.width);
        const Group signal = load(o.line.data());
        addScaled(job.left, signal, job.leftFrom, job.leftTo, frames);
        if (job.right) addScaled(job.right, signal, job.rightFrom, job.rightTo, frames);
        if (frames == blockFrames) {
            store(load(o.line.data() + 16), o.line.data());
            store(load(o.line.data() + 32), o.line.data() + 16);
            store(splat(0.0f), o.line.data() + 32);
        } else {
            std::memmove(o.line.data(), o.line.data() + frames, sizeof(float) * static_cast<std::size_t>(48 - frames));
            std::memset(o.line.data() + 48 - frames, 0, sizeof(float) * static_cast<std::size_t>(frames));
        }
    }
}

struct Section {
    Group a1, a1Step, low, band;

    HWY_INLINE Group tick(const Group& input, const Group& g) {
        const Group a2 = g * a1;
        const Group a3 = g * a2;
        const Group v3 = input - low;
        const Group v1 = mulAdd(a1, band, a2 * v3);
        const Group v2 = mulAdd(a2, band, mulAdd(a3, v3, low));
        band = v1 + v1 - band;
        low = v2 + v2 - low;
        a1 = a1 + a1Step;
        return v2;
    }
};

HWY_INLINE Group firstCoefficient(const Group& g, const Group& damping) {
    return splat(1.0f) / mulAdd(g, g + damping, splat(1.0f));
}

void runFilters(const FilterJob* jobs, int count, bool fourPole, float rateHz, int frames) {
    alignas(64) float memory[4][laneCount] = {};
    alignas(64) float gFrom[laneCount] = {}, dampFrom1[laneCount], dampFrom2[laneCount];
    alignas(64) float dampTo1[laneCount], dampTo2[laneCount], cutoff[laneCount];
    alignas(64) float block[blockFrames][laneCount] = {};
    alignas(64) float gTo[laneCount];
    for (int lane = 0; lane < laneCount; ++lane) {
        const FilterJob& job = jobs[lane < count ? lane : 0];
        for (int m = 0; m < 4; ++m) memory[m][lane] = job.state->memory[static_cast<std::size_t>(m)];
        cutoff[lane] = job.cutoffLog2;
        dampTo1[lane] = job.damping1;
        dampTo2[lane] = job.damping2;
    }
    const Group hz = clamp(exp2Of(clamp(load(cutoff), 2.0f, 16.0f)), 5.0f, 0.47f * rateHz);
    const Group angle = hz * splat(std::numbers::pi_v<float> / rateHz);
    const Group gEnd = sineOf(angle) / cosineOf(angle);
    store(gEnd, gTo);
    for (int lane = 0; lane < laneCount; ++lane) {
        const FilterJob& job = jobs[lane < count ? lane : 0];
        const bool started = job.state->g >= 0.0f;
        gFrom[lane] = started ? job.state->g : gTo[lane];
        dampFrom1[lane] = started ? job.state->damping1 : dampTo1[lane];
        dampFrom2[lane] = started ? job.state->damping2 : dampTo2[lane];
        if (lane < count)
            for (int t = 0; t < frames; ++t) block[t][lane] = job.row[t];
    }
    const Group perFrame = splat(1.0f / static_cast<float>(frames));
    Group g = load(gFrom);
    const Group gStep = (gEnd - g) * perFrame;
    Section one{firstCoefficient(g, load(dampFrom1)), splat(0.0f), load(memory[1]), load(memory[0])};
    Section two{firstCoefficient(g, load(dampFrom2)), splat(0.0f), load(memory[3]), load(memory[2])};
    one.a1Step = (firstCoefficient(gEnd, load(dampTo1)) - one.a1) * perFrame;
    two.a1Step = (firstCoefficient(gEnd, load(dampTo2)) - two.a1) * perFrame;
    if (fourPole)
        for (int t = 0; t < frames; ++t) {
            store(two.tick(one.tick(load(block[t]), g), g), block[t]);
            g = g + gStep;
        }
    else
        for (int t = 0; t < frames; ++t) {
            store(one.tick(load(block[t]), g), block[t]);
            g = g + gStep;
        }
    store(one.band, memory[0]);
    store(one.low, memory[1]);
    store(two.band, memory[2]);
    store(two.low, memory[3]);
    for (int lane = 0; lane < count; ++lane) {
        const FilterJob& job = jobs[lane];
        for (int m = 0; m < 4; ++m) job.state->memory[static_cast<std::size_t>(m)] = memory[m][lane];
        job.state->g = gTo[lane];
        job.state->damping1 = dampTo1[lane];
        job.state->damping2 = dampTo2[lane];
        for (int t = 0; t < frames; ++t) job.row[t] = block[t][lane];
    }
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(runSources);
HWY_EXPORT(runFilters);

void runSources(std::span<const SourceJob> jobs, int frames) {
    HWY_DYNAMIC_DISPATCH(runSources)(jobs.data(), static_cast<int>(jobs.size()), frames);
}

void runFilters(std::span<const FilterJob> jobs, bool fourPole, float rateHz, int frames) {
    HWY_DYNAMIC_DISPATCH(runFilters)(jobs.data(), static_cast<int>(jobs.size()), fourPole, rateHz, frames);
}

std::string targetName() {
    const auto targets = hwy::SupportedTargets() & HWY_TARGETS;
    return hwy::TargetName(targets & -targets); // the lowest bit is the best target
}

bool forceTarget(const std::string& name) {
    hwy::SetSupportedTargetsForTest(0);
    hwy::GetChosenTarget().DeInit();
    if (name.empty()) return true;
    for (auto rest = hwy::SupportedTargets() & HWY_TARGETS; rest != 0; rest &= rest - 1) {
        const auto target = rest & -rest;
        if (name == hwy::TargetName(target)) {
            hwy::SetSupportedTargetsForTest(target);
            hwy::GetChosenTarget().DeInit();
            return true;
        }
    }
    return false;
}

} // namespace facet::kernels
#endif
