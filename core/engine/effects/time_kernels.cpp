#include "core/engine/effects/time_kernels.h"

#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/effects/time_kernels.cpp"
#include <hwy/foreach_target.h>

#include "core/engine/kernels/lanes-inl.h"

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {

/// Cubic Lagrange weights for a place t in [0, 1) between the second and the third of four samples.
HWY_INLINE Group between(const Group& a, const Group& b, const Group& c, const Group& d, const Group& t) {
    const Group up = t + splat(1.0f), down = t - splat(1.0f), far = t - splat(2.0f);
    const Group inner = down * far;
    const Group outer = up * t;
    return mulAdd(c * outer * far, splat(-0.5f),
                  mulAdd(b * up * inner, splat(0.5f), (d * outer * down - a * t * inner) * splat(1.0f / 6.0f)));
}

/// A block that lies from `from` to `to` samples back, × gain.
HWY_INLINE Group delayed(const Ring& ring, int at, double from, double to, float gain, int frames) {
    const double step = (to - from) / frames;
    const double first = std::floor(-from);
    const float* x = ring.from(at + static_cast<int>(first) - 1);
    ring.expect(at + static_cast<int>(first) + 2 * laneCount + 2); // the end of the next block
    const auto begin = static_cast<float>(-from - first);
    if (from == to && begin == 0.0f) return load(x + 1) * splat(gain);
    if (std::abs(to - from) < 0.2) {
        // Where the movement stays within a fraction of a sample, the block is read in one piece: the cubic holds a
        // little beyond its middle too.
        const Group t = mulAdd(counting(), splat(static_cast<float>(-step)), splat(begin));
        return between(load(x), load(x + 1), load(x + 2), load(x + 3), t) * splat(gain);
    }
    if (std::abs(step) <= 0.75) { // all lies within what can be read in one piece
        const Group place = mulAdd(counting(), splat(static_cast<float>(1.0 - step)), splat(begin));
        const Group whole = floored(place);
        return between(gathered(x, whole), gathered(x + 1, whole), gathered(x + 2, whole), gathered(x + 3, whole),
                       place - whole) *
               splat(gain);
    }
    alignas(64) float samples[laneCount] = {};
    for (int i = 0; i < frames; ++i) samples[i] = gain * ring.before(at + i, static_cast<float>(from + step * i));
    return load(samples);
}

void addDelayed(const Ring& ring, int at, double from, double to, float gain, int frames, float* out) {
    store(load(out) + delayed(ring, at, from, to, gain, frames), out);
}

void readDelayed(const Ring& ring, int at, double from, double to, int frames, float* out) {
    store(delayed(ring, at, from, to, 1.0f, frames), out);
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

void sines(const float* cycles, float* out) { store(sineOfCycles(load(cycles)), out); }

template <bool moved> HWY_INLINE void reverb(ReverbLines& lines, int at, float* left, float* right, int frames) {
    // Each side enters and leaves by its own pattern of signs; the four are orthogonal rows of the matrix.
    static constexpr float inLeft[] = {1, 0, -1, 0, 1, 0, -1, 0, 1, 0, -1, 0, 1, 0, -1, 0};
    static constexpr float inRight[] = {0, 1, 0, 1, 0, -1, 0, -1, 0, 1, 0, 1, 0, -1, 0, -1};
    static constexpr float outLeft[] = {1, 1, 1, 1, -1, -1, -1, -1, -1, -1, -1, -1, 1, 1, 1, 1};
    static constexpr float outRight[] = {1, -1, 1, -1, -1, 1, -1, 1, 1, -1, 1, -1, -1, 1, -1, 1};
    constexpr float scaleIn = 0.35355339f, scaleOut = 0.5f, quarter = 0.25f;
    Group y[reverbLines];
#pragma GCC unroll 16
    for (std::size_t n = 0; n < reverbLines; ++n) {
        const int now = at + lines.shifts[n] - lines.delays[n];
        lines.rings[n]->expect(now + 2 * laneCount);
        Group x;
        if constexpr (moved) {
            const float* from = lines.rings[n]->from(now - 2);
            // Further back by a fraction is before the end of the step by the rest.
            const Group t = mulAdd(counting(), splat(-lines.drifts[n]), splat(1.0f - lines.fractions[n]));
            x = between(load(from), load(from + 1), load(from + 2), load(from + 3), t);
        } else {
            x = load(lines.rings[n]->from(now));
        }
        x = onePole(x, lines.poles[n], lines.lastOuts[n]);
        alignas(64) float smooth[laneCount];
        store(x, smooth);
        lines.lastOuts[n] = smooth[frames - 1];
        y[n] = x * splat(lines.gains[n]);
    }
    const Group inL = load(left) * splat(scaleIn), inR = load(right) * splat(scaleIn);
    Group outL = splat(0.0f), outR = splat(0.0f);
#pragma GCC unroll 16
    for (int n = 0; n < reverbLines; ++n) {
        outL = outLeft[n] > 0.0f ? outL + y[n] : outL - y[n];
        outR = outRight[n] > 0.0f ? outR + y[n] : outR - y[n];
    }
    store(outL * splat(scaleOut), left);
    store(outR * splat(scaleOut), right);
#pragma GCC unroll 4
    for (int distance = 1; distance < reverbLines; distance *= 2)
#pragma GCC unroll 16
        for (int n = 0; n < reverbLines; ++n) {
            if (n & distance) continue;
            const Group a = y[n], b = y[n + distance];
            y[n] = a + b;
            y[n + distance] = a - b;
        }
#pragma GCC unroll 16
    for (std::size_t n = 0; n < reverbLines; ++n) {
        const Group in = mulAdd(inL, splat(inLeft[n]), inR * splat(inRight[n]));
        alignas(64) float next[laneCount];
        store(mulAdd(y[n], splat(quarter), in), next);
        lines.rings[n]->write(at + lines.shifts[n], next, frames);
    }
}

void runReverb(ReverbLines& lines, int at, bool moved, float* left, float* right, int frames) {
    if (moved)
        reverb<true>(lines, at, left, right, frames);
    else
        reverb<false>(lines, at, left, right, frames);
}

void lowPassRow(float* row, float pole, float& last, int frames) {
    store(onePole(load(row), pole, last), row);
    last = row[frames - 1];
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(addDelayed);
HWY_EXPORT(readDelayed);
HWY_EXPORT(convolve);
HWY_EXPORT(multiplyAdd);
HWY_EXPORT(sines);
HWY_EXPORT(runReverb);
HWY_EXPORT(lowPassRow);

void addDelayed(const Ring& ring, int at, double from, double to, float gain, int frames, float* out) {
    HWY_DYNAMIC_DISPATCH(addDelayed)(ring, at, from, to, gain, frames, out);
}
void readDelayed(const Ring& ring, int at, double from, double to, int frames, float* out) {
    HWY_DYNAMIC_DISPATCH(readDelayed)(ring, at, from, to, frames, out);
}
void convolve(const float* input, const float* taps, int tapCount, int frames, float* out) {
    HWY_DYNAMIC_DISPATCH(convolve)(input, taps, tapCount, frames, out);
}
void multiplyAdd(const float* aReal, const float* aImag, const float* bReal, const float* bImag, float* sumReal,
                 float* sumImag, int count) {
    HWY_DYNAMIC_DISPATCH(multiplyAdd)(aReal, aImag, bReal, bImag, sumReal, sumImag, count);
}
void sines(const float* cycles, float* out) { HWY_DYNAMIC_DISPATCH(sines)(cycles, out); }
void runReverb(ReverbLines& lines, int at, bool moved, float* left, float* right, int frames) {
    HWY_DYNAMIC_DISPATCH(runReverb)(lines, at, moved, left, right, frames);
}
void lowPassRow(float* row, float pole, float& last, int frames) {
    HWY_DYNAMIC_DISPATCH(lowPassRow)(row, pole, last, frames);
}

} // namespace facet::kernels
#endif
