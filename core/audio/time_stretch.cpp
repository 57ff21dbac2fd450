#include "core/audio/time_stretch.h"

#include "core/base/heavy_work.h"
#include "core/dsp/fft.h"

#include <algorithm>
#include <cmath>
#include <rubberband/RubberBandStretcher.h>

namespace facet {

Recording stretched(const Recording& recording, double factor, const Task& task) {
    announceHeavyWork("stretched");
    if (factor == 1.0 || recording.frameCount() == 0) return recording;
    using RubberBand::RubberBandStretcher;
    const auto channels = static_cast<std::size_t>(recording.channelCount());
    const auto frames = static_cast<std::size_t>(recording.frameCount());
    RubberBandStretcher stretcher(static_cast<std::size_t>(recording.rateHz), channels,
                                  RubberBandStretcher::OptionProcessOffline | RubberBandStretcher::OptionEngineFiner |
                                      RubberBandStretcher::OptionChannelsTogether,
                                  std::clamp(factor, 0.25, 16.0));
    constexpr std::size_t block = 4096;
    stretcher.setMaxProcessSize(block);
    stretcher.setExpectedInputDuration(frames);
    std::vector<const float*> in(channels);
    const auto eachBlock = [&](auto&& feed) {
        for (std::size_t at = 0; at < frames; at += block) {
            task.check();
            for (std::size_t c = 0; c < channels; ++c) in[c] = recording.channels[c].data() + at;
            feed(std::min(block, frames - at), at + block >= frames);
        }
    };
    eachBlock([&](std::size_t count, bool last) { stretcher.study(in.data(), count, last); });
    const auto wanted = static_cast<std::size_t>(std::llround(static_cast<double>(frames) * factor));
    Recording result{recording.rateHz, std::vector<std::vector<float>>(channels)};
    for (auto& channel : result.channels) channel.reserve(wanted + block);
    std::vector<float*> out(channels);
    const auto take = [&] {
        for (int ready = stretcher.available(); ready > 0; ready = stretcher.available()) {
            const std::size_t old = result.channels[0].size();
            for (std::size_t c = 0; c < channels; ++c) {
                result.channels[c].resize(old + static_cast<std::size_t>(ready));
                out[c] = result.channels[c].data() + old;
            }
            stretcher.retrieve(out.data(), static_cast<std::size_t>(ready));
        }
    };
    eachBlock([&](std::size_t count, bool last) {
        stretcher.process(in.data(), count, last);
        take();
    });
    take();
    for (auto& channel : result.channels) channel.resize(wanted, 0.0f);
    return result;
}

Recording withinBand(const Recording& recording, double lowHz, double highHz) {
    const bool low = lowHz > 0.0;
    const bool high = highHz > 0.0 && highHz < 0.5 * recording.rateHz;
    if ((!low && !high) || recording.frameCount() == 0) return recording;
    // Room behind the sound, so that the filter's own length does not come round to the front.
    int size = 2;
    while (size < recording.frameCount() + recording.rateHz / 4) size *= 2;
    RealFft fft(size);
    const double binHz = static_cast<double>(recording.rateHz) / size;
    constexpr double edge = 1.0 / 12.0;
    const auto passed = [&](double hz) {
        double share = 1.0;
        if (low) share *= std::clamp(std::log2(hz / lowHz) / edge + 0.5, 0.0, 1.0);
        if (high) share *= std::clamp(std::log2(highHz / hz) / edge + 0.5, 0.0, 1.0);
        return 0.5 - 0.5 * std::cos(3.14159265358979 * share);
    };
    Recording result = recording;
    for (auto& channel : result.channels) {
        std::fill(fft.time().begin(), fft.time().end(), 0.0f);
        std::copy(channel.begin(), channel.end(), fft.time().begin());
        fft.forward();
        const auto bins = fft.bins();
        for (std::size_t k = 0; k < bins.size(); ++k)
            bins[k] *=
                static_cast<float>(k == 0 ? (low ? 0.0 : 1.0 / size) : passed(static_cast<double>(k) * binHz) / size);
        fft.inverse();
        std::copy_n(fft.time().begin(), channel.size(), channel.begin());
    }
    return result;
}

} // namespace facet
