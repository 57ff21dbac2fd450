#include "core/base/error.h"
#include "core/base/log.h"
#include "core/devices/audio_input.h"
#include "core/devices/quiet_stderr.h"

#include <RtAudio.h>
#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <fmt/format.h>

namespace facet {

namespace {

class RtAudioInput : public AudioInput {
public:
    explicit RtAudioInput(unsigned device) : device_(device) {
        audio_.showWarnings(false);
        const auto info = audio_.getDeviceInfo(device);
        name_ = info.name;
        channels_ = std::min(2u, info.inputChannels);
        rate_ = static_cast<int>(info.preferredSampleRate ? info.preferredSampleRate : 48000);
    }
    ~RtAudioInput() override { stop(); }
    std::string name() const override { return name_; }
    int rateHz() const override { return rate_; }
    bool simulated() const override { return false; }

    void start(AudioInputCallback callback) override {
        callback_ = std::move(callback);
        try {
            RtAudio::StreamParameters parameters;
            parameters.deviceId = device_;
            parameters.nChannels = channels_;
            unsigned frames = 512;
            audio_.openStream(nullptr, &parameters, RTAUDIO_FLOAT32, static_cast<unsigned>(rate_), &frames, &take,
                              this);
            audio_.startStream();
            lastCall_ = Clock::now().time_since_epoch().count();
            started_ = true;
        } catch (const RtAudioError& problem) {
            throw Error(fmt::format("The sound input “{}” does not open; choose another input.", name_),
                        problem.getMessage());
        }
    }

    void stop() override {
        started_ = false;
        try {
            if (audio_.isStreamRunning()) audio_.stopStream();
            if (audio_.isStreamOpen()) audio_.closeStream();
        } catch (const RtAudioError& problem) { // a sound server that went away throws here
            logWarning(problem.getMessage());
        }
    }

    bool alive() const override {
        const auto silence = Clock::now().time_since_epoch() - Clock::duration(lastCall_.load());
        return !started_ || silence < std::chrono::seconds(1);
    }

private:
    using Clock = std::chrono::steady_clock;

    static int take(void*, void* in, unsigned frames, double, RtAudioStreamStatus, void* user) {
        auto* self = static_cast<RtAudioInput*>(user);
        self->lastCall_.store(Clock::now().time_since_epoch().count(), std::memory_order_relaxed);
        const auto* samples = static_cast<const float*>(in);
        if (self->channels_ == 2) {
            self->callback_(samples, static_cast<int>(frames));
            return 0;
        }
        std::array<float, 512> stereo{};
        for (unsigned at = 0; at < frames;) {
            const unsigned count = std::min(frames - at, 256u);
            for (unsigned i = 0; i < count; ++i) stereo[2 * i] = stereo[2 * i + 1] = samples[at + i];
            self->callback_(stereo.data(), static_cast<int>(count));
            at += count;
        }
        return 0;
    }

    RtAudio audio_;
    unsigned device_;
    unsigned channels_ = 2;
    std::string name_;
    int rate_;
    AudioInputCallback callback_;
    bool started_ = false;
    std::atomic<Clock::rep> lastCall_ = 0;
};

/// Devices with an input, the default first.
std::vector<std::pair<unsigned, std::string>> inputDevices() {
    std::vector<std::pair<unsigned, std::string>> found;
    const QuietStderr quiet;
    try {
        RtAudio audio;
        audio.showWarnings(false);
        for (unsigned i = 0; i < audio.getDeviceCount(); ++i) {
            const auto info = audio.getDeviceInfo(i);
            if (!info.probed || info.inputChannels < 1) continue;
            if (info.isDefaultInput)
                found.insert(found.begin(), {i, info.name});
            else
                found.emplace_back(i, info.name);
        }
    } catch (const RtAudioError& problem) {
        logInfo(problem.getMessage());
    }
    return found;
}

} // namespace

std::vector<std::string> inputNames() {
    std::vector<std::string> names;
    for (const auto& [id, name] : inputDevices()) names.push_back(name);
    names.push_back(SimulatedInput().name());
    return names;
}

std::unique_ptr<AudioInput> openInput(const std::string& name) {
    if (name == SimulatedInput().name()) return std::make_unique<SimulatedInput>();
    const auto all = inputDevices();
    if (all.empty()) return std::make_unique<SimulatedInput>();
    unsigned chosen = all.front().first;
    for (const auto& [id, deviceName] : all)
        if (deviceName == name) chosen = id;
    try {
        return std::make_unique<RtAudioInput>(chosen);
    } catch (const RtAudioError& problem) {
        logWarning(problem.getMessage());
        return std::make_unique<SimulatedInput>();
    }
}

} // namespace facet
