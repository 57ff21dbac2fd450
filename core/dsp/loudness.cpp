#include "core/dsp/loudness.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/resample.h"

#include <array>
#include <ebur128.h>
#include <memory>

namespace facet {

namespace {

struct Biquad {
    double b0, b1, b2, a1, a2;
};

constexpr std::array<Biquad, 2> kWeighting{{
    {1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585},
    {1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621},
}};

constexpr double offsetDb = -0.691;

} // namespace

std::vector<float> kWeighted(std::span<const float> input48k) {
    std::vector<float> output(input48k.begin(), input48k.end());
    for (const Biquad& f : kWeighting) {
        double s1 = 0.0;
        double s2 = 0.0;
        for (float& sample : output) {
            const double x = sample;
            const double y = f.b0 * x + s1;
            s1 = f.b1 * x - f.a1 * y + s2;
            s2 = f.b2 * x - f.a2 * y;
            sample = static_cast<float>(y);
        }
    }
    return output;
}

double activeLoudness(std::span<const std::vector<float>> channels48k, double rangeDb) {
    constexpr std::size_t block = 480;
    std::vector<double> power;
    for (const auto& channel : channels48k) {
        const auto weighted = kWeighted(channel);
        power.resize(std::max(power.size(), (weighted.size() + block - 1) / block), 0.0);
        for (std::size_t i = 0; i < weighted.size(); ++i)
            power[i / block] += static_cast<double>(weighted[i]) * weighted[i] / block;
    }
    double loudest = 0.0;
    for (double value : power) loudest = std::max(loudest, value);
    double sum = 0.0;
    int count = 0;
    for (double value : power)
        if (value > 0.0 && value >= loudest * std::pow(10.0, -rangeDb / 10.0)) {
            sum += value;
            ++count;
        }
    return count == 0 ? silenceDb : std::max(silenceDb, dbFromPower(sum / count) + offsetDb);
}

double integratedLoudness(std::span<const std::vector<float>> channels, int rateHz) {
    if (channels.empty()) return silenceDb;
    const std::size_t frames = channels[0].size();
    if (frames * 1000 < static_cast<std::size_t>(rateHz) * 400) {
        std::vector<std::vector<float>> at48k;
        for (const auto& channel : channels) at48k.push_back(resample(channel, rateHz, 48000));
        return activeLoudness(at48k, 200.0);
    }
    const auto destroy = [](ebur128_state* state) { ebur128_destroy(&state); };
    const std::unique_ptr<ebur128_state, decltype(destroy)> state(
        ebur128_init(static_cast<unsigned>(channels.size()), static_cast<unsigned long>(rateHz), EBUR128_MODE_I),
        destroy);
    if (!state) throw Error("The loudness of this recording cannot be measured; check its sample rate.");
    std::vector<float> interleaved(frames * channels.size());
    for (std::size_t c = 0; c < channels.size(); ++c)
        for (std::size_t i = 0; i < frames; ++i) interleaved[i * channels.size() + c] = channels[c][i];
    ebur128_add_frames_float(state.get(), interleaved.data(), frames);
    double lufs = silenceDb;
    ebur128_loudness_global(state.get(), &lufs);
    return std::isfinite(lufs) ? std::max(lufs, silenceDb) : silenceDb;
}

} // namespace facet
