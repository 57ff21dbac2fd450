// Real discrete Fourier transform of one fixed even size.
#pragma once

#include <complex>
#include <memory>
#include <span>

namespace facet {

/// Wraps FFTW (single precision). Plans are made by estimate, never by measuring, so equal input gives
/// equal bits in every run. Plans are kept for each size that was ever asked for. Making one takes a lock; transforming
/// does not. An object belongs to one thread at a time.
class RealFft {
public:
    /// `size` samples, even and at least 2.
    explicit RealFft(int size);
    ~RealFft();
    RealFft(RealFft&&) noexcept;
    RealFft& operator=(RealFft&&) noexcept;

    int size() const { return size_; }
    int binCount() const { return size_ / 2 + 1; }

    /// Room for `size()` samples; fill it, then call forward().
    std::span<float> time();
    /// Room for `binCount()` bins; fill it, then call inverse().
    std::span<std::complex<float>> bins();
    /// time() → bins(), unscaled. time() keeps its contents.
    void forward();
    /// bins() → time(), unscaled (a round trip multiplies by size()). bins() is destroyed.
    void inverse();

private:
    struct Plans;
    int size_;
    std::unique_ptr<Plans> plans_;
};

} // namespace facet
