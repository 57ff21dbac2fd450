#include "core/dsp/fft.h"

#include <cstddef>
#include <fftw3.h>
#include <map>
#include <mutex>

namespace facet {

namespace {

/// FFTW's plans of one size. Made once and kept: a plan may be used from any thread on arrays aligned as those it was
/// made with.
struct SharedPlans {
    fftwf_plan forward;
    fftwf_plan inverse;
};

const SharedPlans& plansOf(int size, float* time, fftwf_complex* bins) {
    static std::mutex mutex;                             // FFTW's planner is the one part of it that is not thread-safe
    static auto& kept = *new std::map<int, SharedPlans>; // never destroyed: a thread may outlast static objects
    const std::lock_guard lock(mutex);
    const auto found = kept.find(size);
    if (found != kept.end()) return found->second;
    return kept
        .emplace(size, SharedPlans{fftwf_plan_dft_r2c_1d(size, time, bins, FFTW_ESTIMATE | FFTW_PRESERVE_INPUT),
                                   fftwf_plan_dft_c2r_1d(size, bins, time, FFTW_ESTIMATE)})
        .first->second;
}

} // namespace

struct RealFft::Plans {
    float* time;
    fftwf_complex* bins;
    const SharedPlans* shared;

    explicit Plans(int size)
        : time(fftwf_alloc_real(static_cast<std::size_t>(size))),
          bins(fftwf_alloc_complex(static_cast<std::size_t>(size / 2 + 1))), shared(&plansOf(size, time, bins)) {}
    ~Plans() {
        fftwf_free(time);
        fftwf_free(bins);
    }
    Plans(const Plans&) = delete;
    Plans& operator=(const Plans&) = delete;
};

RealFft::RealFft(int size) : size_(size), plans_(std::make_unique<Plans>(size)) {}
RealFft::~RealFft() = default;
RealFft::RealFft(RealFft&&) noexcept = default;
RealFft& RealFft::operator=(RealFft&&) noexcept = default;

std::span<float> RealFft::time() { return {plans_->time, static_cast<std::size_t>(size_)}; }

std::span<std::complex<float>> RealFft::bins() {
    return {reinterpret_cast<std::complex<float>*>(plans_->bins), static_cast<std::size_t>(binCount())};
}

void RealFft::forward() { fftwf_execute_dft_r2c(plans_->shared->forward, plans_->time, plans_->bins); }
void RealFft::inverse() { fftwf_execute_dft_c2r(plans_->shared->inverse, plans_->bins, plans_->time); }

} // namespace facet
