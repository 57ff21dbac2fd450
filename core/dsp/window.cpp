#include "core/dsp/window.h"

#include <cmath>
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

} // namespace

std::vector<float> hannWindow(int size) { return cosineSum(size, {0.5, 0.5}); }
std::vector<float> blackmanHarrisWindow(int size) { return cosineSum(size, {0.35875, 0.48829, 0.14128, 0.01168}); }

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
