// A picture of a sound: level over time and frequency.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace facet {

/// Rows run from lowestHz at 0 upward in equal steps of pitch.
struct Spectrogram {
    static constexpr int rows = 160;
    static constexpr double lowestHz = 30.0;
    static constexpr double highestHz = 20000.0;
    static constexpr double rangeDb = 84.0;

    int columns = 0;
    double secondsPerColumn = 0.0;
    double loudestDb = 0.0; ///< the level that 255 stands for, re a full-scale sine up to a constant
    /// Column after column; 0 lies rangeDb or more below the loudest, 255 is the loudest.
    std::vector<std::uint8_t> levels;

    std::uint8_t at(int column, int row) const {
        return levels[static_cast<std::size_t>(column) * rows + static_cast<std::size_t>(row)];
    }
    static double hzOfRow(double row);
};
using SpectrogramPtr = std::shared_ptr<const Spectrogram>;

/// At most 2000 columns, at least 4 ms apart. Hann windows of 85 ms below 250 Hz, 43 ms up to 2 kHz and 21 ms above, so
/// that low partials part and high ones begin when they do. Throws Cancelled.
Spectrogram measureSpectrogram(const Recording& recording, const Task& task = {});

} // namespace facet
