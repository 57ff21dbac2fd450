#include "core/devices/audio_output.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <thread>

namespace facet {

namespace {

constexpr int bufferFrames = 256;

} // namespace

struct SimulatedOutput::Thread {
    std::jthread thread;
};

SimulatedOutput::SimulatedOutput(int rateHz) : rate_(rateHz) {}
SimulatedOutput::~SimulatedOutput() { stop(); }

std::string SimulatedOutput::name() const { return "No sound device (simulated)"; }

void SimulatedOutput::capture(double seconds) {
    capturing_ = false;
    captured_ = 0;
    store_.assign(static_cast<std::size_t>(seconds * rate_) * 2, 0.0f);
    capturing_.store(true, std::memory_order_release);
}

void SimulatedOutput::start(AudioCallback callback) {
    stop();
    thread_ = std::make_unique<Thread>();
    thread_->thread = std::jthread([this, callback = std::move(callback)](const std::stop_token& stopping) {
        using Clock = std::chrono::steady_clock;
        const auto begin = Clock::now();
        std::array<float, 2 * bufferFrames> buffer{};
        std::int64_t played = 0;
        while (!stopping.stop_requested()) {
            const double due = std::chrono::duration<double>(Clock::now() - begin).count() * rate_;
            if (due - static_cast<double>(played) > rate_) played = static_cast<std::int64_t>(due); // the machine slept
            for (; static_cast<double>(played) < due; played += bufferFrames) {
                callback(buffer.data(), bufferFrames);
                if (!capturing_.load(std::memory_order_acquire)) continue;
                const int at = captured_.load(std::memory_order_relaxed);
                const int room = static_cast<int>(store_.size() / 2) - at;
                const int count = std::min(room, bufferFrames);
                std::copy_n(buffer.begin(), 2 * count, store_.begin() + 2 * at);
                captured_.store(at + count, std::memory_order_release);
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
    });
}

void SimulatedOutput::stop() { thread_.reset(); }

} // namespace facet
