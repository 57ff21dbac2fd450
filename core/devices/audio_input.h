// Where sound comes from: the machine's audio inputs, or a simulated one.
#pragma once

#include "core/audio/recording.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace facet {

/// Gets interleaved stereo frames. Runs on the audio thread: must not allocate, lock, throw or block.
using AudioInputCallback = std::function<void(const float* stereo, int frames)>;

/// A stereo input; a mono device fills both sides. start() and stop() belong to the thread that made it.
class AudioInput {
public:
    virtual ~AudioInput() = default;
    virtual std::string name() const = 0;
    virtual int rateHz() const = 0;
    virtual bool simulated() const = 0;
    /// Begins calling back. Throws Error when the device refuses.
    virtual void start(AudioInputCallback callback) = 0;
    /// Returns after the last callback has ended. Harmless when not running.
    virtual void stop() = 0;
    /// False when a started device has stopped delivering for over a second.
    virtual bool alive() const = 0;
};

/// Names of the inputs of this machine, the default first; the simulated one is always the last.
std::vector<std::string> inputNames();

/// Opens an input by name; an empty or unknown name gives the default device, and the simulated one when there is none.
std::unique_ptr<AudioInput> openInput(const std::string& name = {});

/// Plays a tone of falling saws over and over, a note each half second, as if somebody played into the input; or once,
/// from start() on, what it is given. The same samples in every run.
class SimulatedInput : public AudioInput {
public:
    explicit SimulatedInput(int rateHz = 48000);
    /// `played`: one channel or two.
    explicit SimulatedInput(Recording played);
    ~SimulatedInput() override;
    std::string name() const override;
    int rateHz() const override { return rate_; }
    bool simulated() const override { return true; }
    void start(AudioInputCallback callback) override;
    void stop() override;
    bool alive() const override { return true; }

    /// MIDI keys of the tone, in order.
    static const std::vector<int>& keys();
    static constexpr double secondsPerNote = 0.5;

private:
    struct Thread;
    int rate_;
    std::shared_ptr<const Recording> played_; ///< null: the tone
    std::unique_ptr<Thread> thread_;
};

} // namespace facet
