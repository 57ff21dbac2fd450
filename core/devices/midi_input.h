// Where keys come from: the machine's MIDI inputs, or a simulated keyboard.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <span>
#include <string>
#include <vector>

namespace facet {

/// Gets the bytes of one message. Runs on a thread of the input's own: must not throw.
using MidiCallback = std::function<void(std::span<const std::uint8_t>)>;

/// An input that begins to call back when it is made and ends when it goes. Belongs to the thread that made it.
class MidiInput {
public:
    virtual ~MidiInput() = default;
    virtual std::string name() const = 0;
    virtual bool simulated() const = 0;
};

/// Names of this machine's MIDI inputs; the simulated keyboard is always the last.
std::vector<std::string> midiInputNames();

/// Opens an input by name. Null for an empty name where the machine has none, and for a name that is not there any
/// more; an empty name means the first there is. Throws Error when it does not open.
std::unique_ptr<MidiInput> openMidiInput(const std::string& name, MidiCallback callback);

/// Stands in for a keyboard where there is none: plays a short phrase once, louder from note to note, the last bent and
/// with the wheel moved; and sends what it is given.
class SimulatedKeyboard : public MidiInput {
public:
    /// `plays`: whether it begins with its phrase.
    SimulatedKeyboard(MidiCallback callback, bool plays);
    ~SimulatedKeyboard() override;
    static std::string displayName() { return "Simulated keyboard"; }
    std::string name() const override { return displayName(); }
    bool simulated() const override { return true; }
    /// As if it came from the keyboard; any thread.
    void send(std::span<const std::uint8_t> message);

    /// MIDI keys of the phrase, in order.
    static const std::vector<int>& keys();

private:
    struct Thread;
    std::mutex sending_;
    MidiCallback callback_;
    std::unique_ptr<Thread> thread_;
};

} // namespace facet
