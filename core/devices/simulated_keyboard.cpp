#include "core/devices/midi_input.h"

#include <array>
#include <chrono>
#include <condition_variable>
#include <thread>

namespace facet {

struct SimulatedKeyboard::Thread {
    std::jthread thread;
};

SimulatedKeyboard::SimulatedKeyboard(MidiCallback callback, bool plays) : callback_(std::move(callback)) {
    if (!plays) return;
    thread_ = std::make_unique<Thread>();
    thread_->thread = std::jthread([this](const std::stop_token& stopping) {
        std::mutex mutex;
        std::condition_variable_any wakes;
        const auto rest = [&](int milliseconds) {
            std::unique_lock lock(mutex);
            wakes.wait_for(lock, stopping, std::chrono::milliseconds(milliseconds), [] { return false; });
        };
        const auto say = [this](int status, int first, int second) {
            send(std::array{static_cast<std::uint8_t>(status), static_cast<std::uint8_t>(first),
                            static_cast<std::uint8_t>(second)});
        };
        int velocity = 40;
        for (int key : keys()) {
            say(0x90, key, velocity);
            velocity += 25;
            const bool last = key == keys().back();
            for (int step = 0; step < 12 && !stopping.stop_requested(); ++step) {
                rest(25);
                if (!last) continue;
                say(0xe0, 0, 64 + 5 * step);
                say(0xb0, 1, 10 * step);
            }
            say(0x80, key, 0);
        }
        say(0xe0, 0, 64);
        say(0xb0, 1, 0);
    });
}

SimulatedKeyboard::~SimulatedKeyboard() { thread_.reset(); }

const std::vector<int>& SimulatedKeyboard::keys() {
    static const std::vector<int> phrase{48, 55, 60, 64};
    return phrase;
}

void SimulatedKeyboard::send(std::span<const std::uint8_t> message) {
    const std::scoped_lock lock(sending_);
    callback_(message);
}

} // namespace facet
