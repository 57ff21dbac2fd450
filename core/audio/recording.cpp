#include "core/audio/recording.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/units.h"
#include "core/dsp/resample.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

Recording atRate(const Recording& recording, int rateHz) {
    if (recording.rateHz == rateHz) return recording;
    Recording result{rateHz, {}};
    for (const auto& channel : recording.channels)
        result.channels.push_back(resample(channel, recording.rateHz, rateHz));
    return result;
}

Recording excerpt(const Recording& recording, double beginSeconds, double endSeconds) {
    const int frames = recording.frameCount();
    const auto frameAt = [&](double seconds) {
        return static_cast<int>(std::clamp(std::round(seconds * recording.rateHz), 0.0, static_cast<double>(frames)));
    };
    const int begin = frameAt(beginSeconds);
    const int end = std::max(begin, frameAt(endSeconds));
    Recording result{recording.rateHz, {}};
    for (const auto& channel : recording.channels)
        result.channels.emplace_back(channel.begin() + begin, channel.begin() + end);
    return result;
}

Recording withGain(const Recording& recording, double gainDb) {
    const auto gain = static_cast<float>(gainFromDb(gainDb));
    Recording result = recording;
    for (auto& channel : result.channels)
        for (float& sample : channel) sample *= gain;
    return result;
}

std::vector<float> monoMix(const Recording& recording) {
    if (recording.channelCount() == 1) return recording.channels[0];
    std::vector<float> mono(static_cast<std::size_t>(recording.frameCount()));
    if (recording.channelCount() == 2) { // the common case in one pass
        const float* left = recording.channels[0].data();
        const float* right = recording.channels[1].data();
        for (std::size_t i = 0; i < mono.size(); ++i) mono[i] = 0.5f * left[i] + 0.5f * right[i];
        return mono;
    }
    const float share = 1.0f / static_cast<float>(std::max(1, recording.channelCount()));
    for (const auto& channel : recording.channels)
        for (std::size_t i = 0; i < mono.size(); ++i) mono[i] += share * channel[i];
    return mono;
}

float peakOf(const Recording& recording) {
    float peak = 0.0f;
    for (const auto& channel : recording.channels)
        for (float sample : channel) peak = std::max(peak, std::abs(sample));
    return peak;
}

std::uint64_t hashOf(const Recording& recording) {
    Hasher hasher;
    hasher.number(recording.rateHz).number(recording.channelCount());
    for (const auto& channel : recording.channels) hasher.samples(channel);
    return hasher.value();
}

void requireUsable(const Recording& recording, const std::string& name) {
    for (const auto& channel : recording.channels)
        for (std::size_t i = 0; i < channel.size(); ++i)
            if (!std::isfinite(channel[i]))
                throw Error(fmt::format("{} holds a sample that is not a number at {:.3f} s; export it again.", name,
                                        static_cast<double>(i) / recording.rateHz));
    if (recording.channelCount() > 2)
        throw Error(
            fmt::format("{} has {} channels; mix it down to one or two first.", name, recording.channelCount()));
    if (recording.seconds() < 0.02)
        throw Error(fmt::format("{} is too short to measure ({} samples); choose at least 20 ms of sound.", name,
                                recording.frameCount()));
    if (peakOf(recording) < 1e-5f) throw Error(fmt::format("{} is silent; choose a part with sound in it.", name));
}

} // namespace facet
