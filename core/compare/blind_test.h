// A double-blind listening test of two sounds: which of them is X?
#pragma once

#include "core/base/random.h"

#include <cstdint>
#include <vector>

namespace facet {

/// In each trial A and B are known and X is one of them, drawn anew; the listener says which (D. Clark,
/// "High-Resolution Subjective Testing Using a Double-Blind Comparator", JAES 30, 1982). Nothing shows how it goes
/// until all trials are done.
class BlindTest {
public:
    /// `trials` > 0. Equal seeds draw the same order.
    BlindTest(int trials, std::uint64_t seed);

    int trials() const { return static_cast<int>(order_.size()); }
    int done() const { return done_; }
    bool finished() const { return done_ == trials(); }
    /// Whether X of the present trial is B. For whoever plays it; not to be shown.
    bool xIsB() const { return order_[static_cast<std::size_t>(done_)]; }
    /// Goes on to the next trial. Ignored once all are done.
    void answer(bool xIsB);
    /// Right answers so far; to be shown for finished() tests only.
    int right() const { return right_; }

private:
    std::vector<bool> order_;
    int done_ = 0;
    int right_ = 0;
};

/// Probability of at least `right` right answers of `trials` by guessing: the upper tail of the binomial distribution
/// with p = 1/2.
double chanceOf(int right, int trials);

} // namespace facet
