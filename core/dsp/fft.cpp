#include "core/dsp/fft.h"

#include <cstddef>
#include <fftw3.h>
#include <mutex>

namespace facet {

namespace {

std::mutex& plannerMutex() {
    static std::mutex mutex; // FFTW's planner is the one part of it that is not thread-safe
    return mutex;
}

} // namespace

struct RealFft::Plans {
    float* time;
    fftwf_complex* bins;
    fftwf_plan forward;
    fftwf_plan inverse;

    explicit Plans(int size) {
        const std::lock_guard lock(plannerMutex());
        time = fftwf_alloc_real(static_cast<std::size_t>(size));
        bins = fftwf_alloc_complex(static_cast<std::size_t>(size / 2 + 1));
        forward = fftwf_plan_dft_r2c_1d(size, time, bins, FFTW_ESTIMATE | FFTW_PRESERVE_INPUT);
        inverse = fftwf_plan_dft_c2r_1d(size, bins, time, FFTW_ESTIMATE);
    }
    ~Plans() {
        const std::lock_guard lock(plannerMutex());
        fftwf_destroy_plan(forward);
        fftwf_destroy_plan(inverse);
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

void RealFft::forward() { fftwf_execute(plans_->forward); }
void RealFft::inverse() { fftwf_execute(plans_->inverse); }

} // namespace facet
