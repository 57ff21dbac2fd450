// Sound kept for later.
#pragma once

#include <algorithm>
#include <bit>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <new>

namespace facet {

/// The last samples of one channel, a power of two of them. What stands at the beginning stands again behind the end,
/// so that a block can be read in one piece from anywhere. Memory that was never written costs nothing: it is zero
/// pages of the system until then.
class Ring {
public:
    /// Samples that can be read in one piece.
    static constexpr std::size_t mirrored = 32;

    explicit Ring(std::size_t samples)
        : mask_(std::bit_ceil(std::max(samples + 1, 2 * mirrored)) - 1),
          memory_(static_cast<float*>(std::calloc(mask_ + 1 + mirrored, sizeof(float))), &std::free) {
        if (!memory_) throw std::bad_alloc();
    }
    const float* data() const { return memory_.get(); }
    int mask() const { return static_cast<int>(mask_); }
    /// Up to `mirrored` samples from `index` on.
    const float* from(int index) const { return memory_.get() + (static_cast<std::size_t>(index) & mask_); }
    /// What will be read from `index` on, soon: sixteen candidates with rings of their own are more streams than a
    /// processor foresees by itself.
    void expect(int index) const { __builtin_prefetch(from(index)); }
    /// At most `mirrored` samples.
    void write(int index, const float* samples, int count) {
        const auto length = static_cast<std::size_t>(count);
        const std::size_t place = static_cast<std::size_t>(index) & mask_;
        if (length == 16 && place >= mirrored && place + 16 <= mask_ + 1) { // the common case, in one go
            std::memcpy(memory_.get() + place, samples, 16 * sizeof(float));
            __builtin_prefetch(memory_.get() + place + 16, 1); // comes next
            written_ = std::min(written_ + 16, mask_ + 1);
            return;
        }
        std::memcpy(memory_.get() + place, samples, length * sizeof(float));
        if (place < mirrored) // again behind the end
            std::memcpy(memory_.get() + mask_ + 1 + place, samples, std::min(length, mirrored - place) * sizeof(float));
        if (place + length > mask_ + 1) { // what went beyond the end belongs to the beginning
            const std::size_t beyond = place + length - (mask_ + 1);
            std::memcpy(memory_.get(), samples + (length - beyond), beyond * sizeof(float));
        }
        written_ = std::min(written_ + length, mask_ + 1);
    }
    void write(int index, float sample) {
        const std::size_t place = static_cast<std::size_t>(index) & mask_;
        memory_[place] = sample;
        if (place < mirrored) memory_[mask_ + 1 + place] = sample;
        written_ = std::min(written_ + 1, mask_ + 1);
    }
    /// Between samples, cubically (Lagrange): `back` samples before `index`, back ≥ 2.
    float before(int index, float back) const {
        const int whole = static_cast<int>(back);
        const float t = 1.0f - (back - static_cast<float>(whole));
        const float* x = from(index - whole - 2);
        return -x[0] * t * (t - 1.0f) * (t - 2.0f) / 6.0f + x[1] * (t + 1.0f) * (t - 1.0f) * (t - 2.0f) / 2.0f -
               x[2] * (t + 1.0f) * t * (t - 2.0f) / 2.0f + x[3] * (t + 1.0f) * t * (t - 1.0f) / 6.0f;
    }
    /// Forgets everything; `now`: where the next sample will be written.
    void clear(int now) {
        constexpr float nothing[mirrored] = {};
        const std::size_t count = written_; // write() counts on
        for (std::size_t done = 0; done < count; done += mirrored)
            write(now - static_cast<int>(done + mirrored), nothing, mirrored);
        written_ = 0;
    }

private:
    std::size_t mask_;
    std::unique_ptr<float[], void (*)(void*)> memory_;
    std::size_t written_ = 0;
};

} // namespace facet
