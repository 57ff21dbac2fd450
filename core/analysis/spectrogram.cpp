#include "core/analysis/spectrogram.h"

#include "core/base/heavy_work.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

struct Resolution {
    int size;
    double upToHz;
};
constexpr Resolution resolutions[] = {{4096, 250.0}, {2048, 2000.0}, {1024, 1e9}}; // at 48 kHz
constexpr int mostColumns = 2000;
constexpr double shortestColumn = 0.004;

} // namespace

double Spectrogram::hzOfRow(double row) { return lowestHz * std::pow(highestHz / lowestHz, row / (rows - 1)); }

Spectrogram measureSpectrogram(const Recording& recording, const Task& task) {
    announceHeavyWork("measureSpectrogram");
    Spectrogram picture;
    const std::vector<float> mono = monoMix(recording);
    const double seconds = recording.seconds();
    if (mono.empty()) return picture;
    picture.secondsPerColumn = std::max(shortestColumn, seconds / mostColumns);
    picture.columns = static_cast<int>(seconds / picture.secondsPerColumn) + 1;
    std::vector<float> decibels(static_cast<std::size_t>(picture.columns) * Spectrogram::rows);
    float loudest = static_cast<float>(silenceDb);
    double fromHz = 0.0;
    for (const Resolution& resolution : resolutions) {
        int size = resolution.size;
        while (size < resolution.size * recording.rateHz / 64000) size *= 2;
        const double binHz = static_cast<double>(recording.rateHz) / size;
        RealFft fft(size);
        const auto& window = hannWindow(size);
        std::vector<float> power(static_cast<std::size_t>(fft.binCount()));
        const auto last = static_cast<double>(power.size() - 1);
        for (int column = 0; column < picture.columns; ++column) {
            task.check();
            const int begin =
                static_cast<int>(std::lround(column * picture.secondsPerColumn * recording.rateHz)) - size / 2;
            windowedFrame(mono, begin, window, fft.time());
            fft.forward();
            for (std::size_t b = 0; b < power.size(); ++b) power[b] = std::norm(fft.bins()[b]);
            for (int row = 0; row < Spectrogram::rows; ++row) {
                const double hz = Spectrogram::hzOfRow(row);
                if (hz < fromHz || hz >= resolution.upToHz) continue;
                const double low = Spectrogram::hzOfRow(row - 0.5) / binHz;
                const double high = Spectrogram::hzOfRow(row + 0.5) / binHz;
                double value = 0.0;
                if (low < last && high - low < 1.0) { // between two bins: a straight line
                    const double middle = 0.5 * (low + high);
                    const auto b = static_cast<std::size_t>(middle);
                    const double share = middle - std::floor(middle);
                    value = (1.0 - share) * power[b] + share * power[std::min(b + 1, power.size() - 1)];
                } else if (low < last) {
                    for (auto b = static_cast<std::size_t>(std::ceil(low));
                         b <= static_cast<std::size_t>(std::min(high, last)); ++b)
                        value = std::max(value, static_cast<double>(power[b]));
                }
                // A tone has the same level in every window.
                const auto db = static_cast<float>(dbFromPower(value / (static_cast<double>(size) * size)));
                decibels[static_cast<std::size_t>(column) * Spectrogram::rows + static_cast<std::size_t>(row)] = db;
                loudest = std::max(loudest, db);
            }
        }
        fromHz = resolution.upToHz;
    }
    picture.loudestDb = loudest;
    picture.levels.resize(decibels.size());
    for (std::size_t i = 0; i < decibels.size(); ++i)
        picture.levels[i] = static_cast<std::uint8_t>(
            std::clamp(255.0 * (1.0 + (decibels[i] - loudest) / Spectrogram::rangeDb), 0.0, 255.0));
    return picture;
}

} // namespace facet
