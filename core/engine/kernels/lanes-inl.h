// Groups of 16 floats in however many registers the target of this pass needs. Included once for each target by the
// files whose loops run in lanes.
#if defined(FACET_LANES_INL_H) == defined(HWY_TARGET_TOGGLE)
#    ifdef FACET_LANES_INL_H
#        undef FACET_LANES_INL_H
#    else
#        define FACET_LANES_INL_H
#    endif

#    include "core/engine/kernels/lanes.h"

#    include <hwy/highway.h>
#    include <array>
#    include <cstdint>
#    include <numbers>

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

#    define FACET_LANES(expression) each([&](int i) HWY_ATTR { return expression; })
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
/// c − a × b, fused where the target can.
HWY_INLINE Group negMulAdd(const Group& a, const Group& b, const Group& c) {
    return FACET_LANES(hn::NegMulAdd(a.part[i], b.part[i], c.part[i]));
}
HWY_INLINE Group clamp(const Group& a, float low, float high) {
    return FACET_LANES(hn::Min(hn::Max(a.part[i], hn::Set(D(), low)), hn::Set(D(), high)));
}
HWY_INLINE float sumOf(const Group& a) {
    V sum = a.part[0];
    for (int i = 1; i < partCount; ++i) sum = hn::Add(sum, a.part[i]);
    return hn::GetLane(hn::SumOfLanes(D(), sum));
}
/// 1/a to about 23 bits: the target's estimate and one step of Newton's method.
HWY_INLINE Group reciprocal(const Group& a) {
    const Group estimate = FACET_LANES(hn::ApproximateReciprocal(a.part[i]));
    return estimate * FACET_LANES(hn::NegMulAdd(a.part[i], estimate.part[i], hn::Set(D(), 2.0f)));
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
HWY_INLINE Group larger(const Group& a, const Group& b) { return FACET_LANES(hn::Max(a.part[i], b.part[i])); }
HWY_INLINE Group smaller(const Group& a, const Group& b) { return FACET_LANES(hn::Min(a.part[i], b.part[i])); }
HWY_INLINE Group floored(const Group& a) { return FACET_LANES(hn::Floor(a.part[i])); }
HWY_INLINE Group rootOf(const Group& a) { return FACET_LANES(hn::Sqrt(a.part[i])); }
/// `yes` in the lanes where a > b, `no` elsewhere.
HWY_INLINE Group whereGreater(const Group& a, const Group& b, const Group& yes, const Group& no) {
    return FACET_LANES(hn::IfThenElse(hn::Gt(a.part[i], b.part[i]), yes.part[i], no.part[i]));
}
/// log2 of normal positive numbers: the exponent, and the mantissa about 1 by the series of the inverse hyperbolic
/// tangent (error below 1e-7).
HWY_INLINE Group log2Of(const Group& a) {
    static constexpr float c[] = {2.0f / 9, 2.0f / 7, 2.0f / 5, 2.0f / 3, 2.0f};
    using I = hn::RebindToSigned<D>;
    // Exponent such that the mantissa lies in [√½, √2).
    const Group exponent = FACET_LANES(
        hn::ConvertTo(D(), hn::ShiftRight<23>(hn::Sub(hn::BitCast(I(), a.part[i]), hn::Set(I(), 0x3f3504f3)))));
    const Group mantissa = FACET_LANES(hn::BitCast(
        D(), hn::Sub(hn::BitCast(I(), a.part[i]), hn::ShiftLeft<23>(hn::ConvertTo(I(), exponent.part[i])))));
    const Group s = (mantissa - splat(1.0f)) * reciprocal(mantissa + splat(1.0f));
    Group sum = splat(c[0]);
    for (int k = 1; k < 5; ++k) sum = mulAdd(sum, s * s, splat(c[k]));
    return mulAdd(s * sum, splat(std::numbers::log2e_v<float>), exponent);
}
/// What stands at whole-numbered places from `base` on.
HWY_INLINE Group gathered(const float* base, const Group& places) {
    return FACET_LANES(hn::GatherIndex(D(), base, hn::ConvertTo(hn::RebindToSigned<D>(), places.part[i])));
}
#    undef FACET_LANES

HWY_INLINE Group counting() {
    alignas(64) static constexpr float numbers[laneCount] = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15};
    return load(numbers);
}

/// Lane k takes what lane k − back holds; the first `back` take nothing.
template <int back> HWY_INLINE Group later(const Group& a) {
    if constexpr (partCount == 1) {
        static constexpr auto from = [] {
            std::array<std::int32_t, laneCount> places{};
            for (int k = back; k < laneCount; ++k) places[static_cast<std::size_t>(k)] = k - back;
            return places;
        }();
        const Group moved{{hn::TableLookupLanes(a.part[0], hn::SetTableIndices(D(), from.data()))}};
        return whereAtLeast(counting(), splat(static_cast<float>(back)), moved);
    } else {
        alignas(64) float row[2 * laneCount] = {};
        store(a, row + laneCount);
        return load(row + laneCount - back);
    }
}

/// A low-pass of one pole over 16 samples at once by doubling (G. E. Blelloch, "Prefix sums and their applications",
/// CMU-CS-90-190, 1990). `last`: what came out before.
HWY_INLINE Group onePole(const Group& in, float pole, float last) {
    const Group begin = whereAtLeast(splat(0.0f), counting(), splat(pole * last)); // in the first lane alone
    Group y = mulAdd(in, splat(1.0f - pole), begin);
    float power = pole;
    y = mulAdd(splat(power), later<1>(y), y);
    power *= power;
    y = mulAdd(splat(power), later<2>(y), y);
    power *= power;
    y = mulAdd(splat(power), later<4>(y), y);
    power *= power;
    return mulAdd(splat(power), later<8>(y), y);
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

/// Of positive numbers: about 1 the argument is turned into its inverse or taken nearer to zero by atan x = π/4 +
/// atan((x − 1) / (x + 1)), and the rest is the Taylor series (error below 2e-7).
HWY_INLINE Group arcTangentOf(const Group& x) {
    static constexpr float c[] = {1.0f / 13, -1.0f / 11, 1.0f / 9, -1.0f / 7, 1.0f / 5, -1.0f / 3, 1.0f};
    constexpr float quarter = 0.25f * std::numbers::pi_v<float>, eighth = 0.41421356f; // tan(π/8)
    const Group one = splat(1.0f);
    const Group inverse = reciprocal(x);
    const Group below = whereGreater(x, one, inverse, x); // [0, 1]
    const Group near = (below - one) * reciprocal(below + one);
    const Group z = whereGreater(below, splat(eighth), near, below); // [−tan π/8, tan π/8]
    const Group rest = z * polynomial(z * z, c);
    const Group angle = whereGreater(below, splat(eighth), rest + splat(quarter), rest);
    return whereGreater(x, one, splat(2.0f * quarter) - angle, angle);
}

/// 2^x: the whole part by the exponent, the rest by the series of exp(x ln 2) on [−½, ½] (error below 2e-8).
HWY_INLINE Group exp2Of(const Group& x) {
    static constexpr float c[] = {1.5252733e-5f, 1.5403530e-4f, 1.3333558e-3f, 9.6181291e-3f,
                                  5.5504109e-2f, 2.4022651e-1f, 6.9314718e-1f, 1.0f};
    const Group whole = rounded(x);
    return polynomial(x - whole, c) * powerOfTwo(whole);
}

/// A linear ramp in each lane: of a value over a block.
struct GroupRamp {
    Group now, step;
    HWY_INLINE void from(const Group& begin, const Group& end, const Group& perFrame) {
        now = begin;
        step = (end - begin) * perFrame;
    }
    HWY_INLINE void advance() { now = now + step; }
};

/// sin(2π p) for p in cycles.
HWY_INLINE Group sineOfCycles(const Group& cycles) {
    const Group centered = cycles - rounded(cycles); // [−½, ½]
    const Group folded = splat(0.25f) - magnitude(magnitude(centered) - splat(0.25f));
    return withSignOf(sineOf(folded * splat(2.0f * std::numbers::pi_v<float>)), centered);
}

/// What a saturating stage lets through: tanh by its continued fraction cut after x²/9 (error below 0.025, exact slope
/// 1 at 0), held at ±1 from ±3 on. From memory.
HWY_INLINE Group saturated(const Group& x) {
    const Group held = clamp(x, -3.0f, 3.0f);
    const Group square = held * held;
    return held * (square + splat(27.0f)) * reciprocal(mulAdd(square, splat(9.0f), splat(27.0f)));
}

/// Coefficients of a state-variable section at one sample. They are computed anew for each: interpolated by themselves
/// they would not belong together while the cutoff jumps, and the section would gain energy.
struct TrapezoidStep {
    Group b2, b3;            ///< 2 g a and 2 g² a with a = 1 / (1 + g (g + 1/Q))
    Group lowKept, bandKept; ///< 1 − 2 g² a and 1 − 2 g (g + 1/Q) a
    HWY_INLINE TrapezoidStep(const Group& g, const Group& damping) {
        const Group sum = g + damping;
        const Group a2 = g * reciprocal(mulAdd(g, sum, splat(1.0f)));
        b2 = a2 + a2;
        b3 = g * b2;
        lowKept = splat(1.0f) - b3;
        bandKept = negMulAdd(sum, b2, splat(1.0f));
    }
};

/// The trapezoidal section as a step of its memories: a sample waits for two operations of the one before only.
struct Trapezoid {
    Group low, band;

    /// Leaves the band in `bandOut`; returns the low-pass.
    HWY_INLINE Group tick(const Group& input, const TrapezoidStep& c, Group& bandOut) {
        const Group lowNext = mulAdd(c.lowKept, low, mulAdd(c.b2, band, c.b3 * input));
        const Group bandNext = mulAdd(c.bandKept, band, negMulAdd(c.b2, low, c.b2 * input));
        const Group lowOut = (low + lowNext) * splat(0.5f);
        bandOut = (band + bandNext) * splat(0.5f);
        low = lowNext;
        band = bandNext;
        return lowOut;
    }
    HWY_INLINE Group tick(const Group& input, const Group& g, const Group& damping, Group& bandOut) {
        return tick(input, TrapezoidStep(g, damping), bandOut);
    }
};

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif
