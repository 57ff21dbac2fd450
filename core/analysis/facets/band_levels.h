// Levels in bands: what all of them do together, and what each does by itself.
#pragma once

#include "core/analysis/series/track.h"

#include <span>
#include <vector>

namespace facet {

/// The level of a mono recording at 48 kHz in third octaves from 200 Hz to 12.5 kHz (IEC 61260-1:2014, nominal
/// frequencies; their edges only as sharp as a window of 11 ms makes them). What a tremolo or a gate does it does to
/// all bands alike; where voices beat, each band moves by itself. Any thread.
class BandLevels {
public:
    explicit BandLevels(std::span<const float> mono48k);

    /// Mean of the levels in dB over the bands that are heard between two instants, from the first of them on, each at
    /// most 40 dB below its own highest level there; empty where none is heard.
    Track commonDb(double from, double to) const;
    /// Share of the bands' movement between two instants, about slow courses, that all of them have in common, 0 … 1.
    /// Bands that move by themselves come to one over their number.
    double commonShare(double from, double to) const;

private:
    struct Part;
    Part partOf(double from, double to) const;

    double step_;
    std::vector<std::vector<float>> powers_; ///< of each band over time
};

} // namespace facet
