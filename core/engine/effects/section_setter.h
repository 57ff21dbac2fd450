// Coefficients of the equalizer's sections of second order.
#pragma once

#include "core/engine/effects/lane_kernels.h"

#include <cmath>
#include <cstddef>
#include <numbers>

namespace facet {

/// Aims one lane of a second-order section at a response. `g`: tan(π f / rate) of its frequency; `q`: quality factor;
/// `gainDb`: of bells and shelves, whose shelf slope is 1. Formulas: R. Bristow-Johnson, "Cookbook formulae for audio
/// EQ biquad filter coefficients", in state-variable form.
struct SectionSetter {
    kernels::Section& section;
    std::size_t lane;
    bool atOnce; ///< not along the next block
    void set(double g, double damping, double in, double band, double low) const {
        section.g.set(lane, g, atOnce);
        section.damping.set(lane, damping, atOnce);
        section.in.set(lane, in, atOnce);
        section.band.set(lane, band, atOnce);
        section.low.set(lane, low, atOnce);
    }
    /// Leaves the sound as it is.
    void pass() const { set(0.5, std::numbers::sqrt2, 1.0, 0.0, 0.0); }
    void lowPass(double g, double q) const { set(g, 1.0 / q, 0.0, 0.0, 1.0); }
    void highPass(double g, double q) const { set(g, 1.0 / q, 1.0, -1.0 / q, -1.0); }
    void bell(double g, double q, double gainDb) const {
        const double a = std::pow(10.0, gainDb / 40.0);
        const double k = 1.0 / (q * a);
        set(g, k, 1.0, k * (a * a - 1.0), 0.0);
    }
    void lowShelf(double g, double gainDb) const {
        const double a = std::pow(10.0, gainDb / 40.0);
        const double k = std::numbers::sqrt2;
        set(g / std::sqrt(a), k, 1.0, k * (a - 1.0), a * a - 1.0);
    }
    void highShelf(double g, double gainDb) const {
        const double a = std::pow(10.0, gainDb / 40.0);
        const double k = std::numbers::sqrt2;
        set(g * std::sqrt(a), k, a * a, k * (1.0 - a) * a, 1.0 - a * a);
    }
};

} // namespace facet
