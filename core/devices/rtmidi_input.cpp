#include "core/base/error.h"
#include "core/base/log.h"
#include "core/devices/midi_input.h"
#include "core/devices/quiet_stderr.h"

#include <RtMidi.h>
#include <algorithm>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr const char* clientName = "Facet";

class RtMidiInput : public MidiInput {
public:
    RtMidiInput(unsigned port, MidiCallback callback)
        : midi_(RtMidi::UNSPECIFIED, clientName), name_(midi_.getPortName(port)), callback_(std::move(callback)) {
        midi_.setErrorCallback([](RtMidiError::Type, const std::string& text, void*) { logWarning(text); });
        midi_.setCallback(&take, this);
        midi_.openPort(port, "Keys");
    }
    ~RtMidiInput() override { midi_.closePort(); }
    std::string name() const override { return name_; }
    bool simulated() const override { return false; }

private:
    static void take(double, std::vector<unsigned char>* message, void* user) {
        if (message) static_cast<RtMidiInput*>(user)->callback_(*message);
    }

    RtMidiIn midi_;
    std::string name_;
    MidiCallback callback_;
};

std::vector<std::string> portNames() {
    const QuietStderr quiet;
    std::vector<std::string> names;
    try {
        RtMidiIn midi(RtMidi::UNSPECIFIED, clientName);
        midi.setErrorCallback([](RtMidiError::Type, const std::string& text, void*) { logInfo(text); });
        for (unsigned i = 0; i < midi.getPortCount(); ++i) names.push_back(midi.getPortName(i));
    } catch (const RtMidiError& problem) {
        logInfo(problem.getMessage());
    }
    return names;
}

} // namespace

std::vector<std::string> midiInputNames() {
    auto names = portNames();
    names.push_back(SimulatedKeyboard::displayName());
    return names;
}

std::unique_ptr<MidiInput> openMidiInput(const std::string& name, MidiCallback callback) {
    if (name == SimulatedKeyboard::displayName()) return std::make_unique<SimulatedKeyboard>(std::move(callback), true);
    const auto names = portNames();
    const auto found = name.empty() ? names.begin() : std::find(names.begin(), names.end(), name);
    if (found == names.end()) return nullptr;
    const QuietStderr quiet;
    try {
        return std::make_unique<RtMidiInput>(static_cast<unsigned>(found - names.begin()), std::move(callback));
    } catch (const RtMidiError& problem) {
        throw Error(fmt::format("The MIDI input “{}” does not open; close the program that uses it, or choose another.",
                                *found),
                    problem.getMessage());
    }
}

} // namespace facet
