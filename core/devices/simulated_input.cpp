#include "core/devices/audio_input.h"

#include "core/base/units.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <numbers>
#include <thread>

namespace facet {

namespace {

constexpr int bufferFrames = 256;

/// A band-limited saw with a falling level: ten partials, sounding for four fifths of each note's time.
float sampleAt(std::int64_t frame, int rate) {
    const double seconds = static_cast<double>(frame) / rate;
    const auto& keys = SimulatedInput::keys();
    const auto note = static_cast<std::int64_t>(seconds / SimulatedInput::secondsPerNote);
    const double at = seconds - static_cast<double>(note) * SimulatedInput::secondsPerNote;
    const double length = 0.8 * SimulatedInput::secondsPerNote;
    if (at > length) return 0.0f;
    const double hz = hzFromKey(keys[static_cast<std::size_t>(note) % keys.size()], 0.0);
    double sum = 0.0;
    for (int k = 1; k <= 10; ++k) sum += std::sin(2.0 * std::numbers::pi * hz * k * at) / k;
    const double level = std::min({1.0, at / 0.005, (length - at) / 0.02}) * std::exp(-2.0 * at);
    return static_cast<float>(0.25 * level * sum);
}

/// Silent behind the end.
float sampleOf(const Recording& played, std::size_t side, std::int64_t frame) {
    if (frame >= played.frameCount()) return 0.0f;
    return played.channels[std::min(side, played.channels.size() - 1)][static_cast<std::size_t>(frame)];
}

} // namespace

struct SimulatedInput::Thread {
    std::jthread thread;
};

SimulatedInput::SimulatedInput(int rateHz) : rate_(rateHz) {}
SimulatedInput::SimulatedInput(Recording played)
    : rate_(played.rateHz), played_(std::make_shared<const Recording>(std::move(played))) {}
SimulatedInput::~SimulatedInput() { stop(); }

std::string SimulatedInput::name() const {
    return played_ ? "Simulated instrument" : "No sound input (simulated tone)";
}

const std::vector<int>& SimulatedInput::keys() {
    static const std::vector<int> tone{48, 55, 60, 63};
    return tone;
}

void SimulatedInput::start(AudioInputCallback callback) {
    stop();
    thread_ = std::make_unique<Thread>();
    thread_->thread =
        std::jthread([rate = rate_, played = played_, callback = std::move(callback)](const std::stop_token& stopping) {
            using Clock = std::chrono::steady_clock;
            const auto begin = Clock::now();
            std::array<float, 2 * bufferFrames> buffer{};
            std::int64_t given = 0;
            while (!stopping.stop_requested()) {
                const double due = std::chrono::duration<double>(Clock::now() - begin).count() * rate;
                for (; static_cast<double>(given + bufferFrames) < due; given += bufferFrames) {
                    for (std::size_t i = 0; i < bufferFrames; ++i)
                        for (std::size_t side = 0; side < 2; ++side) {
                            const auto frame = given + static_cast<std::int64_t>(i);
                            buffer[2 * i + side] = played ? sampleOf(*played, side, frame) : sampleAt(frame, rate);
                        }
                    callback(buffer.data(), bufferFrames);
                }
                std::this_thread::sleep_for(std::chrono::milliseconds(2));
            }
        });
}

void SimulatedInput::stop() { thread_.reset(); }

} // namespace facet
