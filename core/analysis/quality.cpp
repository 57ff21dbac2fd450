#include "core/analysis/quality.h"

#include "core/base/heavy_work.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr float fullScale = 0.999f;
constexpr int clippedRun = 3;
constexpr double noisyFloorDb = -50.0;
constexpr double noiseFlatness = 0.2;
constexpr double silentFloorDb = -95.0; ///< digital silence and dither
constexpr double lowestLimitHz = 17000.0;
constexpr double shortSeconds = 0.25;
constexpr double offPitchCents = 8.0;

double clippedShareOf(const Recording& recording) {
    std::int64_t clipped = 0;
    std::int64_t all = 0;
    for (const auto& channel : recording.channels) {
        const float peak = std::abs(*std::max_element(channel.begin(), channel.end(),
                                                      [](float a, float b) { return std::abs(a) < std::abs(b); }));
        // Clipped once and turned down afterwards still stands flat at its own peak.
        const float limit = std::min(fullScale, 0.9999f * peak);
        int run = 0;
        for (float v : channel) {
            if (std::abs(v) >= limit && limit > 0.3f) {
                ++run;
                continue;
            }
            if (run >= clippedRun) clipped += run;
            run = 0;
        }
        if (run >= clippedRun) clipped += run;
        all += static_cast<std::int64_t>(channel.size());
    }
    return all > 0 ? static_cast<double>(clipped) / static_cast<double>(all) : 0.0;
}

/// Highest frequency within 90 dB of the loudest bin of the mean spectrum, when a cliff stands there.
double upperLimitOf(const Recording& recording, const Task& task) {
    constexpr int size = 4096;
    const std::vector<float> mono = monoMix(recording);
    if (mono.size() < size) return notMeasurable;
    RealFft fft(size);
    const auto& window = blackmanHarrisWindow(size);
    std::vector<double> power(static_cast<std::size_t>(fft.binCount()), 0.0);
    const std::size_t hop = std::max<std::size_t>(size / 2, mono.size() / 200);
    for (std::size_t at = 0; at + size <= mono.size(); at += hop) {
        task.check();
        for (std::size_t i = 0; i < size; ++i) fft.time()[i] = window[i] * mono[at + i];
        fft.forward();
        for (std::size_t b = 0; b < power.size(); ++b) power[b] += std::norm(fft.bins()[b]);
    }
    const double binHz = static_cast<double>(recording.rateHz) / size;
    const auto levelAround = [&](double from, double to) {
        double sum = 0.0;
        int count = 0;
        for (auto b = static_cast<std::size_t>(from / binHz); b < power.size() && static_cast<double>(b) * binHz < to;
             ++b, ++count)
            sum += power[b];
        return dbFromPower(sum / std::max(1, count) + 1e-30);
    };
    // A cliff: 25 dB down within 600 Hz, and nothing comes back above it.
    for (double hz = 3000.0; hz < 0.5 * recording.rateHz - 900.0; hz += 200.0) {
        const double below = levelAround(hz - 800.0, hz);
        const double above = levelAround(hz + 300.0, 0.5 * recording.rateHz);
        if (below > -100.0 && below - above > 30.0 && levelAround(hz + 300.0, hz + 900.0) < below - 25.0) return hz;
    }
    return notMeasurable;
}

/// Geometric over arithmetic mean of the power of a block: 0.56 for white noise, near 0 for a tone.
double flatnessOf(const std::vector<float>& mono, std::size_t at) {
    constexpr std::size_t size = 1024;
    RealFft fft(size);
    const auto& window = hannWindow(size);
    for (std::size_t i = 0; i < size; ++i) fft.time()[i] = at + i < mono.size() ? window[i] * mono[at + i] : 0.0f;
    fft.forward();
    double logs = 0.0, sum = 0.0;
    for (std::size_t b = 4; b < size / 4; ++b) {
        const double power = std::norm(fft.bins()[b]) + 1e-30;
        logs += std::log(power);
        sum += power;
    }
    const double count = size / 4.0 - 4.0;
    return std::exp(logs / count) / (sum / count);
}

} // namespace

RecordingQuality measureQuality(const Recording& recording, const Task& task) {
    announceHeavyWork("measureQuality");
    RecordingQuality quality;
    if (recording.frameCount() == 0) return quality;
    quality.clippedShare = clippedShareOf(recording);
    task.check();
    double sum = 0.0;
    for (const auto& channel : recording.channels)
        for (float v : channel) sum += v;
    quality.offset = sum / (static_cast<double>(recording.frameCount()) * recording.channelCount());
    if (recording.channelCount() == 2) {
        double left = 0.0, right = 0.0, apart = 0.0;
        for (std::size_t i = 0; i < recording.channels[0].size(); ++i) {
            const double l = recording.channels[0][i];
            const double r = recording.channels[1][i];
            left += l * l;
            right += r * r;
            apart += (l - r) * (l - r);
        }
        quality.oneSideSilent = std::min(left, right) < 1e-8 * std::max(left, right);
        quality.monoInStereo = apart < 1e-8 * (left + right);
    }
    // The floor: the quietest twentieth of blocks of 20 ms.
    const std::vector<float> mono = monoMix(recording);
    const auto block = static_cast<std::size_t>(std::max(1, recording.rateHz / 50));
    std::vector<std::pair<double, std::size_t>> levels; // and where
    for (std::size_t at = 0; at + block <= mono.size(); at += block) {
        double power = 0.0;
        double mean = 0.0;
        for (std::size_t i = at; i < at + block; ++i) {
            power += static_cast<double>(mono[i]) * mono[i];
            mean += mono[i];
        }
        mean /= static_cast<double>(block);
        levels.emplace_back(dbFromPower(std::max(0.0, power / static_cast<double>(block) - mean * mean)), at);
    }
    if (levels.size() >= 20) {
        std::sort(levels.begin(), levels.end());
        const auto [floor, at] = levels[levels.size() / 20];
        // What is quiet but has partials is a tail or a gate, not the recording's noise.
        // Noise is a plateau; a tail that falls passes through any level.
        const bool plateau = levels[levels.size() / 7].first - floor < 4.0;
        if (plateau && floor > silentFloorDb && flatnessOf(mono, at) > noiseFlatness)
            quality.noiseFloorDb = floor - levels.back().first;
    }
    quality.upperCutoffHz = upperLimitOf(recording, task);
    return quality;
}

std::vector<std::string> warningsOf(const RecordingQuality& quality, double seconds, double tuningCents) {
    std::vector<std::string> warnings;
    if (quality.clippedShare > 1e-5)
        warnings.push_back(
            fmt::format("Clipped in {:.2g} % of its samples: its upper partials are partly the clipping's.",
                        100.0 * quality.clippedShare));
    if (quality.noiseFloorDb > noisyFloorDb && quality.noiseFloorDb < -20.0)
        warnings.push_back(
            fmt::format("Noisy: its quietest moments lie only {:.0f} dB below the loudest.", -quality.noiseFloorDb));
    if (quality.oneSideSilent)
        warnings.push_back("One side is silent: use the other channel alone.");
    else if (quality.monoInStereo)
        warnings.push_back("Mono in a stereo file: nothing can be measured of width.");
    if (isMeasured(quality.upperCutoffHz) && quality.upperCutoffHz < lowestLimitHz)
        warnings.push_back(fmt::format("Band-limited: nothing lies above {:.1f} kHz, and nothing is compared there.",
                                       quality.upperCutoffHz / 1000.0));
    if (seconds < shortSeconds)
        warnings.push_back(fmt::format("Only {:.0f} ms long: envelopes and motion need more.", 1000.0 * seconds));
    if (std::abs(quality.offset) > 0.01)
        warnings.push_back(
            fmt::format("Offset of {:.1f} % of full scale: it was recorded with a constant.", 100.0 * quality.offset));
    if (std::abs(tuningCents) > offPitchCents)
        warnings.push_back(fmt::format("Tuned {:.0f} cents {} concert pitch, which the render follows.",
                                       std::abs(tuningCents), tuningCents > 0.0 ? "above" : "below"));
    return warnings;
}

} // namespace facet
