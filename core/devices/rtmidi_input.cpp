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

/// One input of one of the systems that carry MIDI here.
struct Port {
    RtMidi::Api system;
    unsigned number;
    std::string name;
};

/// Asked one by one: where one system is missing, the library would not go on to the next.
std::vector<Port> ports() {
    const QuietStderr quiet;
    std::vector<RtMidi::Api> systems;
    RtMidi::getCompiledApi(systems);
    std::vector<Port> found;
    for (const RtMidi::Api system : systems) {
        try {
            RtMidiIn midi(system, clientName);
            midi.setErrorCallback([](RtMidiError::Type, const std::string& text, void*) { logInfo(text); });
            for (unsigned i = 0; i < midi.getPortCount(); ++i) found.push_back({system, i, midi.getPortName(i)});
        } catch (const RtMidiError& problem) {
            logInfo(problem.getMessage());
        }
    }
    return found;
}

class RtMidiInput : public MidiInput {
public:
    RtMidiInput(const Port& port, MidiCallback callback)
        : midi_(port.system, clientName), name_(port.name), callback_(std::move(callback)) {
        midi_.setErrorCallback([](RtMidiError::Type, const std::string& text, void*) { logWarning(text); });
        midi_.setCallback(&take, this);
        midi_.openPort(port.number, "Keys");
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

} // namespace

std::vector<std::string> midiInputNames() {
    std::vector<std::string> names;
    for (const Port& port : ports()) names.push_back(port.name);
    names.push_back(SimulatedKeyboard::displayName());
    return names;
}

std::unique_ptr<MidiInput> openMidiInput(const std::string& name, MidiCallback callback) {
    if (name == SimulatedKeyboard::displayName()) return std::make_unique<SimulatedKeyboard>(std::move(callback), true);
    const auto all = ports();
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const Port& port) { return name.empty() || port.name == name; });
    if (found == all.end()) return nullptr;
    const QuietStderr quiet;
    try {
        return std::make_unique<RtMidiInput>(*found, std::move(callback));
    } catch (const RtMidiError& problem) {
        throw Error(fmt::format("The MIDI input “{}” does not open; close the program that uses it, or choose another.",
                                found->name),
                    problem.getMessage());
    }
}

} // namespace facet
