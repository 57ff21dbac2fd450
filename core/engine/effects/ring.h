// Sound kept for later.
#pragma once

#include <algorithm>
#include <bit>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <new>

namespace facet {

/// The last samples of one channel, a power of two of them. Memory that was never written costs nothing: it is zero
/// pages of the system until then.
class Ring {
public:
    explicit Ring(std::size_t samples)
        : mask_(std::bit_ceil(samples + 1) - 1),
          memory_(static_cast<float*>(std::calloc(mask_ + 1, sizeof(float))), &std::free) {
        if (!memory_) throw std::bad_alloc();
    }
    float* data() { return memory_.get(); }
    const float* data() const { return memory_.get(); }
    int mask() const { return static_cast<int>(mask_); }
    float& at(int index) { return memory_[static_cast<std::size_t>(index) & mask_]; }
    float at(int index) const { return memory_[static_cast<std::size_t>(index) & mask_]; }
    void write(int index, const float* samples, int count) {
        for (int i = 0; i < count; ++i) at(index + i) = samples[i];
        wrote(count);
    }
    /// Somebody else has written so many.
    void wrote(int count) { written_ = std::min(written_ + static_cast<std::size_t>(count), mask_ + 1); }
    /// Between `from` and `to`, cubically (Lagrange): `back` samples before `index`, back ≥ 2.
    float before(int index, float back) const {
        const int whole = static_cast<int>(back);
        const float t = 1.0f - (back - static_cast<float>(whole));
        const int i = index - whole - 1;
        const float a = at(i - 1), b = at(i), c = at(i + 1), d = at(i + 2);
        return -a * t * (t - 1.0f) * (t - 2.0f) / 6.0f + b * (t + 1.0f) * (t - 1.0f) * (t - 2.0f) / 2.0f -
               c * (t + 1.0f) * t * (t - 2.0f) / 2.0f + d * (t + 1.0f) * t * (t - 1.0f) / 6.0f;
    }
    /// Forgets everything; `now`: where the next sample will be written.
    void clear(int now) {
        for (std::size_t i = 1; i <= written_; ++i) at(now - static_cast<int>(i)) = 0.0f;
        written_ = 0;
    }

private:
    std::size_t mask_;
    std::unique_ptr<float[], void (*)(void*)> memory_;
    std::size_t written_ = 0;
};

} // namespace facet
