#include "core/analysis/notes/heard_sound.h"

#include "core/analysis/facets/level.h"
#include "core/audio/recording.h"

#include <algorithm>
#include <vector>

namespace facet {

namespace {

constexpr double soundingRangeDb = 45.0; ///< below the loudest a frame does not sound
constexpr double aboveNoiseDb = 6.0;     ///< a sound stands out of the recording's noise
constexpr double clearAperiodicity = 0.3;

} // namespace

HeardSound::HeardSound(std::span<const float> mono48k, const PitchTrack& track, const Task& work)
    : mono(mono48k), pitch(track), task(work) {
    const double f0 = medianOf(pitch.hz.values);
    smoothing = isMeasured(f0) ? std::clamp(2.0 / f0, 0.004, 0.05) : 0.01;
    coarse = levelTrack(mono, smoothing);
    fine = levelTrack(mono, 0.004);
    loudest = *std::max_element(coarse.values.begin(), coarse.values.end());
    // Noise that lies below everything does not sound; without a quiet moment there is nothing to know it by.
    std::vector<float> sorted = coarse.values;
    const auto low = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 20);
    std::nth_element(sorted.begin(), low, sorted.end());
    quietest = std::max(loudest - soundingRangeDb, std::min<double>(*low + aboveNoiseDb, loudest - 25.0));
}

double HeardSound::seconds() const { return static_cast<double>(mono.size()) / analysisRateHz; }

float HeardSound::lowestBetween(const Track& track, double from, double to) const {
    float lowest = 1e9f;
    for (int i = std::max(0, track.indexAt(from)); i <= track.indexAt(to) && i < static_cast<int>(track.values.size());
         ++i)
        lowest = std::min(lowest, track.values[static_cast<std::size_t>(i)]);
    return lowest;
}

float HeardSound::highestBetween(double from, double to) const {
    float highest = -1e9f;
    for (int i = coarse.indexAt(from); i <= coarse.indexAt(to) && i < static_cast<int>(coarse.values.size()); ++i)
        highest = std::max(highest, coarse.values[static_cast<std::size_t>(i)]);
    return highest;
}

bool HeardSound::repeatsAt(double seconds) const {
    constexpr double exactly = 0.003; // aperiodicity
    return isMeasured(pitch.hz.at(seconds)) && pitch.aperiodicity.at(seconds) < exactly;
}

double HeardSound::pitchedShare() const {
    int sounding = 0;
    int clear = 0;
    for (std::size_t i = 0; i < pitch.hz.values.size(); ++i) {
        if (!(coarse.at(static_cast<double>(i) * pitch.hz.stepSeconds) > loudest - 25.0)) continue;
        ++sounding;
        if (isMeasured(pitch.hz.values[i]) && pitch.aperiodicity.values[i] < clearAperiodicity) ++clear;
    }
    return sounding == 0 ? 0.0 : static_cast<double>(clear) / sounding;
}

} // namespace facet
