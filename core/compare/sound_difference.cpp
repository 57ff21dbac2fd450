#include "core/compare/sound_difference.h"

#include "core/base/heavy_work.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <vector>

namespace facet {

namespace {

constexpr double windowSeconds = 0.04, smoothingSeconds = 0.1;

/// The short-time spectrum of one channel, and its smoothed magnitudes.
class Spectra {
public:
    Spectra(const std::vector<float>& sound, int frames, int size, double rateHz, const Task& task)
        : size_(size), hop_(size / 4), bins_(size / 2 + 1), count_(frames / hop_ + 5), fft_(size),
          window_(hannWindow(size)) {
        spectrum_.resize(static_cast<std::size_t>(count_) * static_cast<std::size_t>(bins_));
        for (int f = 0; f < count_; ++f) {
            task.check();
            windowedFrame(sound, begin(f), window_, fft_.time());
            fft_.forward();
            std::copy(fft_.bins().begin(), fft_.bins().end(), spectrum_.begin() + row(f));
        }
        smooth(rateHz);
    }

    int count() const { return count_; }
    std::ptrdiff_t row(int frame) const { return static_cast<std::ptrdiff_t>(frame) * bins_; }
    float magnitude(int frame, int bin) const { return smoothed_[static_cast<std::size_t>(row(frame) + bin)]; }

    /// The sound again, each bin weakened by what `other` has at `gain`.
    std::vector<float> beyond(const Spectra& other, float gain, int frames, const Task& task) {
        std::vector<float> result(static_cast<std::size_t>(frames));
        // Squared Hann windows a quarter apart add up to 1.5; the inverse transform is not scaled.
        const float scale = 1.0f / (1.5f * static_cast<float>(size_));
        for (int f = 0; f < count_; ++f) {
            task.check();
            for (int b = 0; b < bins_; ++b) {
                const float own = magnitude(f, b);
                const float others = f < other.count() ? gain * other.magnitude(f, b) : 0.0f;
                const float left = own > 0.0f ? std::max(0.0f, 1.0f - others * others / (own * own)) : 0.0f;
                fft_.bins()[static_cast<std::size_t>(b)] =
                    std::sqrt(left) * spectrum_[static_cast<std::size_t>(row(f) + b)];
            }
            fft_.inverse();
            for (int i = 0; i < size_; ++i) {
                const int to = begin(f) + i;
                if (to >= 0 && to < frames)
                    result[static_cast<std::size_t>(to)] +=
                        scale * window_[static_cast<std::size_t>(i)] * fft_.time()[static_cast<std::size_t>(i)];
            }
        }
        return result;
    }

private:
    int begin(int frame) const { return frame * hop_ - size_ + hop_; }

    void smooth(double rateHz) {
        std::vector<float> power(spectrum_.size());
        for (std::size_t i = 0; i < power.size(); ++i) power[i] = std::norm(spectrum_[i]);
        smoothed_.resize(power.size());
        const int reach = std::max(1, static_cast<int>(std::lround(0.5 * smoothingSeconds * rateHz / hop_)));
        for (int b = 0; b < bins_; ++b) {
            const int low = std::max(0, b - 1), high = std::min(bins_ - 1, b + 1);
            double sum = 0.0;
            const auto column = [&](int f) {
                double total = 0.0;
                for (int k = low; k <= high; ++k)
                    total += static_cast<double>(power[static_cast<std::size_t>(row(f) + k)]);
                return total;
            };
            for (int f = 0; f < std::min(reach, count_); ++f) sum += column(f);
            for (int f = 0; f < count_; ++f) {
                if (f + reach < count_) sum += column(f + reach);
                if (f - reach - 1 >= 0) sum -= column(f - reach - 1);
                smoothed_[static_cast<std::size_t>(row(f) + b)] = static_cast<float>(std::sqrt(std::max(0.0, sum)));
            }
        }
    }

    int size_, hop_, bins_, count_;
    RealFft fft_;
    const std::vector<float>& window_;
    std::vector<std::complex<float>> spectrum_;
    std::vector<float> smoothed_;
};

} // namespace

SoundDifference differenceBetween(const Recording& reference, const Recording& render, double gainDb,
                                  const Task& task) {
    announceHeavyWork("differenceBetween");
    int size = 1024;
    while (size < reference.rateHz * windowSeconds) size *= 2;
    SoundDifference result{reference, render};
    const auto gain = static_cast<float>(gainFromDb(gainDb));
    const std::size_t channels = std::max(reference.channels.size(), render.channels.size());
    for (std::size_t c = 0; c < channels; ++c) {
        const std::size_t a = std::min(c, reference.channels.size() - 1), b = std::min(c, render.channels.size() - 1);
        Spectra own(reference.channels[a], reference.frameCount(), size, reference.rateHz, task);
        Spectra other(render.channels[b], render.frameCount(), size, render.rateHz, task);
        if (c < reference.channels.size())
            result.lacking.channels[c] = own.beyond(other, gain, reference.frameCount(), task);
        if (c < render.channels.size())
            result.excess.channels[c] = other.beyond(own, 1.0f / std::max(gain, 1e-6f), render.frameCount(), task);
    }
    return result;
}

} // namespace facet
