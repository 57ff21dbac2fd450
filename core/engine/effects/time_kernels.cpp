#include "core/engine/effects/time_kernels.h"

#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/effects/time_kernels.cpp"
#include <hwy/foreach_target.h>

#include "core/engine/lanes-inl.h"

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {

using I = hn::RebindToSigned<D>;
using IV = hn::Vec<I>;

/// Cubic Lagrange weights for a place t in [0, 1) between the second and the third of four samples.
HWY_INLINE Group between(const Group& a, const Group& b, const Group& c, const Group& d, const Group& t) {
    const Group up = t + splat(1.0f), down = t - splat(1.0f), far = t - splat(2.0f);
    const Group inner = down * far;
    const Group outer = up * t;
    return mulAdd(c * outer * far, splat(-0.5f),
                  mulAdd(b * up * inner, splat(0.5f), (d * outer * down - a * t * inner) * splat(1.0f / 6.0f)));
}

void addDelayed(const float* ring, int mask, int at, double from, double to, float gain, int frames, float* out) {
    const double step = (to - from) / frames;
    // Place of the first sample read, as whole and part; the rest moves little from there.
    const double first = std::floor(-from);
    const int base = at + static_cast<int>(first);
    const Group place =
        mulAdd(counting(), splat(static_cast<float>(1.0 - step)), splat(static_cast<float>(-from - first)));
    const Group whole = floored(place);
    const Group t = place - whole;
    Group taps[4];
    for (int k = 0; k < 4; ++k)
        for (int i = 0; i < partCount; ++i) {
            const IV index =
                hn::And(hn::Add(hn::ConvertTo(I(), whole.part[i]), hn::Set(I(), base + k - 1)), hn::Set(I(), mask));
            taps[k].part[i] = hn::GatherIndex(D(), ring, index);
        }
    alignas(64) float sum[laneCount];
    store(between(taps[0], taps[1], taps[2], taps[3], t) * splat(gain), sum);
    for (int i = 0; i < frames; ++i) out[i] += sum[i];
}

void convolve(const float* input, const float* taps, int tapCount, int frames, float* out) {
    Group sums[4] = {splat(0.0f), splat(0.0f), splat(0.0f), splat(0.0f)};
    for (int k = 0; k < tapCount; k += 4)
        for (int n = 0; n < 4; ++n) sums[n] = mulAdd(splat(taps[k + n]), load(input - k - n), sums[n]);
    alignas(64) float sum[laneCount];
    store((sums[0] + sums[1]) + (sums[2] + sums[3]), sum);
    for (int i = 0; i < frames; ++i) out[i] = sum[i];
}

void multiplyAdd(const float* aReal, const float* aImag, const float* bReal, const float* bImag, float* sumReal,
                 float* sumImag, int count) {
    for (int i = 0; i < count; i += laneCount) {
        const Group ar = load(aReal + i), ai = load(aImag + i), br = load(bReal + i), bi = load(bImag + i);
        store(mulAdd(ar, br, load(sumReal + i)) - ai * bi, sumReal + i);
        store(mulAdd(ar, bi, mulAdd(ai, br, load(sumImag + i))), sumImag + i);
    }
}

/// The lanes whose numbers differ in one bit change places.
template <int distance> HWY_INLINE Group swapped(const Group& a) {
    Group result;
    if constexpr (distance >= partLanes) {
        for (int i = 0; i < partCount; ++i) result.part[i] = a.part[i ^ (distance / partLanes)];
    }
#if HWY_TARGET != HWY_SCALAR
    else {
        for (int i = 0; i < partCount; ++i) {
            if constexpr (distance == 1) result.part[i] = hn::Shuffle2301(a.part[i]);
            if constexpr (distance == 2) result.part[i] = hn::Shuffle1032(a.part[i]);
            if constexpr (distance == 4) result.part[i] = hn::SwapAdjacentBlocks(a.part[i]);
            if constexpr (distance == 8) result.part[i] = hn::ConcatLowerUpper(D(), a.part[i], a.part[i]);
        }
    }
#endif
    return result;
}

template <int distance> HWY_INLINE Group butterfly(const Group& a) {
    alignas(64) static constexpr auto signs = [] {
        std::array<float, laneCount> s{};
        for (int i = 0; i < laneCount; ++i) s[static_cast<std::size_t>(i)] = (i & distance) ? -1.0f : 1.0f;
        return s;
    }();
    return mulAdd(a, load(signs.data()), swapped<distance>(a));
}

HWY_INLINE float sumOf(const Group& a) {
    // Halves onto each other, in one order on every target.
    Group s = a + swapped<8>(a);
    s = s + swapped<4>(s);
    s = s + swapped<2>(s);
    s = s + swapped<1>(s);
    return hn::GetLane(s.part[0]);
}

template <bool moved> HWY_INLINE void reverb(ReverbLoop& loop, float* left, float* right, int frames) {
    // Each side enters and leaves by its own pattern of signs; the four are orthogonal rows of the matrix.
    alignas(64) static constexpr float inLeft[] = {1, 0, -1, 0, 1, 0, -1, 0, 1, 0, -1, 0, 1, 0, -1, 0};
    alignas(64) static constexpr float inRight[] = {0, 1, 0, 1, 0, -1, 0, -1, 0, 1, 0, 1, 0, -1, 0, -1};
    alignas(64) static constexpr float outLeft[] = {1, 1, 1, 1, -1, -1, -1, -1, -1, -1, -1, -1, 1, 1, 1, 1};
    alignas(64) static constexpr float outRight[] = {1, -1, 1, -1, -1, 1, -1, 1, 1, -1, 1, -1, -1, 1, -1, 1};
    const Group scaleIn = splat(0.35355339f), scaleOut = splat(0.5f), quarter = splat(0.25f);
    const Group gains = load(loop.gains.data());
    const Group damping = load(loop.damping.data());
    const Group fractions = load(loop.fractions.data());
    const Group drifts = load(loop.drifts.data());
    Group last = load(loop.lastOut.data());
    IV lane[partCount], delay[partCount];
    for (int i = 0; i < partCount; ++i) {
        lane[i] = hn::Iota(I(), i * partLanes);
        delay[i] = hn::Load(I(), loop.delays.data() + i * partLanes);
    }
    for (int t = 0; t < frames; ++t) {
        const auto read = [&](int ahead, const Group* whole) HWY_ATTR {
            Group x;
            for (int i = 0; i < partCount; ++i) {
                IV time = hn::Sub(hn::Set(I(), loop.at + t + ahead), delay[i]);
                if (whole) time = hn::Add(time, hn::ConvertTo(I(), whole->part[i]));
                time = hn::And(time, hn::Set(I(), loop.mask));
                x.part[i] = hn::GatherIndex(D(), loop.memory, hn::Add(hn::ShiftLeft<4>(time), lane[i]));
            }
            return x;
        };
        Group x;
        if constexpr (moved) {
            const Group back = mulAdd(splat(static_cast<float>(t)), drifts, fractions); // samples further back
            const Group place = splat(0.0f) - back;
            const Group whole = floored(place);
            x = between(read(-1, &whole), read(0, &whole), read(1, &whole), read(2, &whole), place - whole);
        } else {
            x = read(0, nullptr);
        }
        last = mulAdd(damping, last - x, x);
        const Group y = last * gains;
        const float outL = sumOf(y * load(outLeft) * scaleOut);
        const float outR = sumOf(y * load(outRight) * scaleOut);
        const Group mixed = butterfly<1>(butterfly<2>(butterfly<4>(butterfly<8>(y)))) * quarter;
        const Group in = mulAdd(load(inLeft), splat(left[t]), load(inRight) * splat(right[t]));
        store(mulAdd(in, scaleIn, mixed),
              loop.memory + static_cast<std::ptrdiff_t>((loop.at + t) & loop.mask) * laneCount);
        left[t] = outL;
        right[t] = outR;
    }
    store(last, loop.lastOut.data());
}

void runReverb(ReverbLoop& loop, float* left, float* right, int frames) {
    if (loop.moved)
        reverb<true>(loop, left, right, frames);
    else
        reverb<false>(loop, left, right, frames);
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(addDelayed);
HWY_EXPORT(convolve);
HWY_EXPORT(multiplyAdd);
HWY_EXPORT(runReverb);

void addDelayed(const float* ring, int mask, int at, double from, double to, float gain, int frames, float* out) {
    HWY_DYNAMIC_DISPATCH(addDelayed)(ring, mask, at, from, to, gain, frames, out);
}
void convolve(const float* input, const float* taps, int tapCount, int frames, float* out) {
    HWY_DYNAMIC_DISPATCH(convolve)(input, taps, tapCount, frames, out);
}
void multiplyAdd(const float* aReal, const float* aImag, const float* bReal, const float* bImag, float* sumReal,
                 float* sumImag, int count) {
    HWY_DYNAMIC_DISPATCH(multiplyAdd)(aReal, aImag, bReal, bImag, sumReal, sumImag, count);
}
void runReverb(ReverbLoop& loop, float* left, float* right, int frames) {
    HWY_DYNAMIC_DISPATCH(runReverb)(loop, left, right, frames);
}

} // namespace facet::kernels
#endif
