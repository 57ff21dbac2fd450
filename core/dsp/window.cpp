#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <numbers>

namespace facet {

namespace {

std::vector<float> cosineSum(int size, std::initializer_list<double> terms) {
    std::vector<float> window(static_cast<std::size_t>(size));
    for (int n = 0; n < size; ++n) {
        double value = 0.0;
        double sign = 1.0;
        int order = 0;
        for (double term : terms) {
            value += sign * term * std::cos(2.0 * std::numbers::pi * order++ * n / size);
            sign = -sign;
        }
        window[static_cast<std::size_t>(n)] = static_cast<float>(value);
    }
    return window;
}

/// Windows of one kind, each made once: a few sizes are asked for thousands of times.
class Kept {
public:
    const std::vector<float>& ofSize(int size, std::initializer_list<double> terms) {
        const std::lock_guard lock(mutex_);
        auto found = windows_.find(size);
        if (found == windows_.end()) found = windows_.emplace(size, cosineSum(size, terms)).first;
        return found->second; // stays where it is as others are added
    }

private:
    std::mutex mutex_;
    std::map<int, std::vector<float>> windows_;
};

} // namespace

const std::vector<float>& hannWindow(int size) {
    static Kept& kept = *new Kept; // never destroyed: a thread may outlast static objects
    return kept.ofSize(size, {0.5, 0.5});
}

const std::vector<float>& blackmanHarrisWindow(int size) {
    static Kept& kept = *new Kept; // never destroyed: a thread may outlast static objects
    return kept.ofSize(size, {0.35875, 0.48829, 0.14128, 0.01168});
}

void windowedFrame(std::span<const float> sound, int begin, std::span<const float> window, std::span<float> frame) {
    const int count = static_cast<int>(window.size());
    const int first = std::clamp(-begin, 0, count);
    const int last = std::clamp(static_cast<int>(sound.size()) - begin, first, count);
    std::fill(frame.begin(), frame.begin() + first, 0.0f);
    for (int i = first; i < last; ++i)
        frame[static_cast<std::size_t>(i)] =
            window[static_cast<std::size_t>(i)] * sound[static_cast<std::size_t>(begin + i)];
    std::fill(frame.begin() + last, frame.end(), 0.0f);
}

double besselI0(double x) {
    double sum = 1.0;
    double term = 1.0;
    for (int k = 1; k < 60; ++k) {
        term *= (x / (2.0 * k)) * (x / (2.0 * k));
        sum += term;
    }
    return sum;
}

} // namespace facet
