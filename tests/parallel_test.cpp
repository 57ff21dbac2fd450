#include "core/base/parallel.h"

#include <algorithm>
#include <atomic>
#include <gtest/gtest.h>
#include <numeric>
#include <stdexcept>
#include <vector>

namespace facet {
namespace {

TEST(ParallelFor, DoesEachOnce) {
    for (int threads : {0, 1, 2, 7}) {
        std::vector<int> done(1000, 0);
        parallelFor(1000, threads, [&](int i) { ++done[static_cast<std::size_t>(i)]; });
        EXPECT_EQ(std::accumulate(done.begin(), done.end(), 0), 1000);
        EXPECT_EQ(*std::max_element(done.begin(), done.end()), 1);
    }
    parallelFor(0, 2, [](int) { FAIL(); });
}

TEST(ParallelFor, PassesAFailureOn) {
    EXPECT_THROW(parallelFor(100, 2,
                             [](int i) {
                                 if (i == 50) throw std::runtime_error("x");
                             }),
                 std::runtime_error);
}

} // namespace
} // namespace facet
