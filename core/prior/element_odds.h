// How likely each element is, by a network that has heard many sounds of known making.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/elements.h"
#include "core/performance/performance.h"

#include <array>

namespace facet {

/// Natural logarithms of the odds that a sound has an element; 0: nothing speaks for it or against it.
class ElementOdds {
public:
    /// Nothing is known.
    ElementOdds() = default;
    explicit ElementOdds(const std::array<float, elementCount>& logarithms) : logarithms_(logarithms), known_(true) {}

    bool known() const { return known_; }
    double of(Element element) const { return logarithms_[static_cast<std::size_t>(element)]; }
    /// Another source of knowledge: the logarithm of the odds of one element.
    void set(Element element, double logarithm) {
        logarithms_[static_cast<std::size_t>(element)] = static_cast<float>(logarithm);
    }
    /// 0 … 1. A half where nothing is known.
    double probabilityOf(Element element) const;

private:
    std::array<float, elementCount> logarithms_{};
    bool known_ = false;
};

/// By the network in element_network.bin: the summary of the sound, scaled, through two layers of rectified sums, whose
/// outputs are log odds (bench/prior/train.py made it from sounds drawn at random, which this engine rendered).
/// `performance`: what is played. Nothing is known of a sound without notes. Takes some 10 ms a second of sound. Any
/// thread.
ElementOdds elementOdds(const Recording& sound48k, const Performance& performance);

} // namespace facet
