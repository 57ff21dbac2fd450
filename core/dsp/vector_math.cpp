#include "core/dsp/vector_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/dsp/vector_math.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace facet::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using D = HWY_CAPPED(float, 16);
using V = hn::Vec<D>;
constexpr int step = static_cast<int>(hn::MaxLanes(D()));

float multiplyByWindow(const float* in, const float* window, float* out, int count) {
    const D d;
    V sum = hn::Zero(d);
    int i = 0;
    for (; i + step <= count; i += step) {
        const V product = hn::Mul(hn::LoadU(d, in + i), hn::LoadU(d, window + i));
        hn::StoreU(product, d, out + i);
        sum = hn::MulAdd(product, product, sum);
    }
    float energy = hn::GetLane(hn::SumOfLanes(d, sum));
    for (; i < count; ++i) {
        out[i] = in[i] * window[i];
        energy += out[i] * out[i];
    }
    return energy;
}

void squaredMagnitudes(const std::complex<float>* bins, float* out, int count) {
    const D d;
    const auto* parts = reinterpret_cast<const float*>(bins);
    int i = 0;
    for (; i + step <= count; i += step) {
        V real, imaginary;
        hn::LoadInterleaved2(d, parts + 2 * i, real, imaginary);
        hn::StoreU(hn::MulAdd(real, real, hn::Mul(imaginary, imaginary)), d, out + i);
    }
    for (; i < count; ++i) out[i] = std::norm(bins[i]);
}

float dotProduct(const float* a, const float* b, int count) {
    const D d;
    V sum = hn::Zero(d);
    int i = 0;
    for (; i + step <= count; i += step) sum = hn::MulAdd(hn::LoadU(d, a + i), hn::LoadU(d, b + i), sum);
    float total = i > 0 ? hn::GetLane(hn::SumOfLanes(d, sum)) : 0.0f;
    // Bands of a spectrum are shorter than that: four at a time, and then what is left.
    const HWY_CAPPED(float, 4) few;
    constexpr int fewer = static_cast<int>(hn::MaxLanes(few));
    if (i + fewer <= count) {
        auto rest = hn::Zero(few);
        for (; i + fewer <= count; i += fewer) rest = hn::MulAdd(hn::LoadU(few, a + i), hn::LoadU(few, b + i), rest);
        total += hn::GetLane(hn::SumOfLanes(few, rest));
    }
    for (; i < count; ++i) total += a[i] * b[i];
    return total;
}

/// Exponent plus a polynomial of the mantissa (least squares on Chebyshev points of [1, 2], exact at both ends).
HWY_INLINE V decibels(V power) {
    const D d;
    const hn::RebindToSigned<D> di;
    const auto bits = hn::BitCast(di, power);
    const V exponent = hn::ConvertTo(d, hn::Sub(hn::ShiftRight<23>(bits), hn::Set(di, 127)));
    const V m = hn::Sub(hn::BitCast(d, hn::Or(hn::And(bits, hn::Set(di, 0x7fffff)), hn::Set(di, 0x3f800000))),
                        hn::Set(d, 1.0f));
    static constexpr float c[] = {-0.00892231f, 0.05055464f, -0.13515010f, 0.23992503f,
                                  -0.34642696f, 0.47847211f, -0.72114132f, 1.44268890f};
    V sum = hn::Set(d, c[0]);
    for (int k = 1; k < 8; ++k) sum = hn::MulAdd(sum, m, hn::Set(d, c[k]));
    return hn::Mul(hn::MulAdd(sum, m, exponent), hn::Set(d, 3.01029996f));
}

void decibelsAbove(const float* power, float floor, float* out, int count) {
    const D d;
    const V add = hn::Set(d, floor);
    int i = 0;
    for (; i + step <= count; i += step) hn::StoreU(decibels(hn::Add(hn::LoadU(d, power + i), add)), d, out + i);
    if (i == count) return;
    HWY_ALIGN float rest[16] = {};
    for (int k = i; k < count; ++k) rest[k - i] = power[k];
    hn::Store(decibels(hn::Add(hn::Load(d, rest), add)), d, rest);
    for (int k = i; k < count; ++k) out[k] = rest[k - i];
}

} // namespace facet::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet {

HWY_EXPORT(multiplyByWindow);
HWY_EXPORT(squaredMagnitudes);
HWY_EXPORT(dotProduct);
HWY_EXPORT(decibelsAbove);

float multiplyByWindow(const float* in, const float* window, float* out, int count) {
    return HWY_DYNAMIC_DISPATCH(multiplyByWindow)(in, window, out, count);
}
void squaredMagnitudes(const std::complex<float>* bins, float* out, int count) {
    HWY_DYNAMIC_DISPATCH(squaredMagnitudes)(bins, out, count);
}
float dotProduct(const float* a, const float* b, int count) { return HWY_DYNAMIC_DISPATCH(dotProduct)(a, b, count); }
void decibelsAbove(const float* power, float floor, float* out, int count) {
    HWY_DYNAMIC_DISPATCH(decibelsAbove)(power, floor, out, count);
}

} // namespace facet
#endif
