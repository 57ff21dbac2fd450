// Where sound goes: the machine's audio devices, or a simulated one.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace facet {

/// Fills interleaved stereo frames. Runs on the audio thread: must not allocate, lock, throw or block.
using AudioCallback = std::function<void(float* stereo, int frames)>;

/// A running stereo output. start() and stop() belong to the thread that made it.
class AudioOutput {
public:
    virtual ~AudioOutput() = default;
    virtual std::string name() const = 0;
    virtual int rateHz() const = 0;
    virtual bool simulated() const = 0;
    /// Begins calling back. Throws Error when the device refuses.
    virtual void start(AudioCallback callback) = 0;
    /// Returns after the last callback has ended. Harmless when not running.
    virtual void stop() = 0;
    /// False when a started device has stopped asking for sound for over a second: unplugged, or its server ended.
    virtual bool alive() const = 0;
};

/// Names of the outputs of this machine, the default first; the simulated one is always the last.
std::vector<std::string> outputNames();

/// Opens an output by name; an empty or unknown name gives the default device, and the simulated one when there is
/// none. Never fails: what does not open is logged and replaced by the simulated output.
std::unique_ptr<AudioOutput> openOutput(const std::string& name = {});

/// Calls back on a timer of its own, at the pace of a sound card, and measures what comes.
class SimulatedOutput : public AudioOutput {
public:
    explicit SimulatedOutput(int rateHz = 48000);
    ~SimulatedOutput() override;
    std::string name() const override;
    int rateHz() const override { return rate_; }
    bool simulated() const override { return true; }
    void start(AudioCallback callback) override;
    void stop() override;
    bool alive() const override { return true; }

    /// Keeps what is played from now on, `seconds` at most. Call while stopped or before anything plays.
    void capture(double seconds);
    /// Frames captured so far; the interleaved samples up to there may be read at any time.
    int capturedFrames() const { return captured_.load(std::memory_order_acquire); }
    const std::vector<float>& captured() const { return store_; }

private:
    struct Thread;
    int rate_;
    std::vector<float> store_;
    std::atomic<int> captured_ = 0;
    std::atomic<bool> capturing_ = false;
    std::unique_ptr<Thread> thread_;
};

} // namespace facet
