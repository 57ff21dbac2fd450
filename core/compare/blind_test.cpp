#include "core/compare/blind_test.h"

#include <algorithm>
#include <cmath>

namespace facet {

BlindTest::BlindTest(int trials, std::uint64_t seed) {
    Random random(seed);
    for (int i = 0; i < std::max(1, trials); ++i) order_.push_back(random.unit() < 0.5);
}

void BlindTest::answer(bool xIsB) {
    if (finished()) return;
    right_ += xIsB == this->xIsB();
    ++done_;
}

double chanceOf(int right, int trials) {
    double sum = 0.0;
    for (int k = std::max(0, right); k <= trials; ++k)
        sum += std::exp(std::lgamma(trials + 1.0) - std::lgamma(k + 1.0) - std::lgamma(trials - k + 1.0) -
                        trials * std::log(2.0));
    return std::min(1.0, sum);
}

} // namespace facet
