#include "core/base/error.h"
#include "core/base/log.h"
#include "core/devices/audio_output.h"
#include "core/devices/quiet_stderr.h"

#include <RtAudio.h>
#include <atomic>
#include <chrono>
#include <fmt/format.h>

namespace facet {

namespace {

class RtAudioOutput : public AudioOutput {
public:
    explicit RtAudioOutput(unsigned device) : device_(device) {
        audio_.showWarnings(false);
        const auto info = audio_.getDeviceInfo(device);
        name_ = info.name;
        rate_ = static_cast<int>(info.preferredSampleRate ? info.preferredSampleRate : 48000);
    }
    ~RtAudioOutput() override { stop(); }
    std::string name() const override { return name_; }
    int rateHz() const override { return rate_; }
    bool simulated() const override { return false; }

    void start(AudioCallback callback) override {
        callback_ = std::move(callback);
        try {
            RtAudio::StreamParameters parameters;
            parameters.deviceId = device_;
            parameters.nChannels = 2;
            unsigned frames = 256;
            audio_.openStream(&parameters, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(rate_), &frames, &fill,
                              this);
            audio_.startStream();
            lastCall_ = Clock::now().time_since_epoch().count();
            started_ = true;
        } catch (const RtAudioError& problem) {
            throw Error(fmt::format("The sound device “{}” does not open; choose another output.", name_),
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

    static int fill(void* out, void*, unsigned frames, double, RtAudioStreamStatus, void* user) {
        auto* self = static_cast<RtAudioOutput*>(user);
        self->lastCall_.store(Clock::now().time_since_epoch().count(), std::memory_order_relaxed);
        self->callback_(static_cast<float*>(out), static_cast<int>(frames));
        return 0;
    }

    RtAudio audio_;
    unsigned device_;
    std::string name_;
    int rate_;
    AudioCallback callback_;
    bool started_ = false;
    std::atomic<Clock::rep> lastCall_ = 0;
};

/// Devices that can play stereo, the default first.
std::vector<std::pair<unsigned, std::string>> devices() {
    std::vector<std::pair<unsigned, std::string>> found;
    const QuietStderr quiet;
    try {
        RtAudio audio;
        audio.showWarnings(false);
        for (unsigned i = 0; i < audio.getDeviceCount(); ++i) {
            const auto info = audio.getDeviceInfo(i);
            if (!info.probed || info.outputChannels < 2) continue;
            if (info.isDefaultOutput)
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

std::vector<std::string> outputNames() {
    std::vector<std::string> names;
    for (const auto& [id, name] : devices()) names.push_back(name);
    names.push_back(SimulatedOutput().name());
    return names;
}

std::unique_ptr<AudioOutput> openOutput(const std::string& name) {
    if (name == SimulatedOutput().name()) return std::make_unique<SimulatedOutput>();
    const auto all = devices();
    if (all.empty()) return std::make_unique<SimulatedOutput>();
    unsigned chosen = all.front().first;
    for (const auto& [id, deviceName] : all)
        if (deviceName == name) chosen = id;
    try {
        return std::make_unique<RtAudioOutput>(chosen);
    } catch (const RtAudioError& problem) {
        logWarning(problem.getMessage());
        return std::make_unique<SimulatedOutput>();
    }
}

} // namespace facet
