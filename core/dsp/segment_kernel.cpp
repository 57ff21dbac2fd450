// As everywhere, multiplications are not fused, which would give other bits than exponential() does elsewhere.
#include "core/dsp/segment_kernel.h"

#include "core/dsp/exponential.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/dsp/segment_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace facet::HWY_NAMESPACE {

/// A loop of a length that the compiler knows, for it to compute in vectors.
void bendSixteen(double* x, double bend, double scale) {
    for (int i = 0; i < 16; ++i) x[i] = (exponential(-bend * x[i]) - 1.0) * scale;
}

} // namespace facet::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet {

HWY_EXPORT(bendSixteen);

void bendSixteen(double* x, double bend, double scale) { HWY_DYNAMIC_DISPATCH(bendSixteen)(x, bend, scale); }

} // namespace facet
#endif
