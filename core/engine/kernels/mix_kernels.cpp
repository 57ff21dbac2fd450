#include "core/engine/kernels/mix_kernels.h"

#include <algorithm>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/kernels/mix_kernels.cpp"
#include <hwy/foreach_target.h>

#include "core/engine/kernels/lanes-inl.h"

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {

void mix(const MixJob* jobs, int count, int frames) {
    const float perFrame = 1.0f / static_cast<float>(std::min(frames, blockFrames));
    for (const MixJob* job = jobs; job != jobs + count; ++job) {
        Group gain = mulAdd(counting(), splat((job->to - job->from) * perFrame), splat(job->from));
        for (int at = 0; at < frames; at += blockFrames, gain = splat(job->to)) {
            const Group sound = load(job->row + at) * load(job->level + at) * gain;
            if (frames - at >= blockFrames) {
                store(load(job->out + at) + sound, job->out + at);
                continue;
            }
            alignas(64) float values[laneCount];
            store(sound, values);
            for (int t = 0; at + t < frames; ++t) job->out[at + t] += values[t];
        }
    }
}

void crossfade(const float* dry, float share, float step, float* wet) {
    const Group in = load(dry);
    store(mulAdd(mulAdd(counting(), splat(step), splat(share)), load(wet) - in, in), wet);
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(mix);
HWY_EXPORT(crossfade);

void mix(std::span<const MixJob> jobs, int frames) {
    HWY_DYNAMIC_DISPATCH(mix)(jobs.data(), static_cast<int>(jobs.size()), frames);
}

void crossfade(const Row& dry, float share, float step, Row& wet) {
    HWY_DYNAMIC_DISPATCH(crossfade)(dry.data(), share, step, wet.data());
}

} // namespace facet::kernels
#endif
