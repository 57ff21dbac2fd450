#include "core/performance/midi_file.h"

#include "core/base/error.h"
#include "core/base/files.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <memory>

#include <smf.h>

namespace facet {

namespace fs = std::filesystem;

namespace {

constexpr int ticksPerQuarter = 960;
constexpr double defaultBendCents = 200.0; // MIDI 1.0 Detailed Specification: ±2 semitones unless RPN 0 is set

struct DeleteSmf {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};

/// libsmf reports broken files through GLib's log; the sentence of the Error says it instead.
class QuietGLib {
public:
    QuietGLib()
        : before_(g_log_set_default_handler([](const gchar*, GLogLevelFlags, const gchar*, gpointer) {}, nullptr)) {}
    ~QuietGLib() { g_log_set_default_handler(before_, nullptr); }
    QuietGLib(const QuietGLib&) = delete;
    QuietGLib& operator=(const QuietGLib&) = delete;

private:
    GLogFunc before_;
};

/// What one channel has sounding and how far its bend reaches.
struct Channel {
    std::map<int, Note> sounding;
    std::array<int, 2> registeredParameter{127, 127};
    double bendRangeCents = defaultBendCents;
};

class NoteReader {
public:
    void event(double seconds, const unsigned char* bytes, int count) {
        if (count < 2) return;
        const int kind = bytes[0] & 0xf0;
        Channel& channel = channels_[static_cast<std::size_t>(bytes[0] & 0x0f)];
        const int first = bytes[1] & 0x7f;
        const int second = count > 2 ? bytes[2] & 0x7f : 0;
        if (kind == 0x90 && second > 0) {
            end(channel, first, seconds);
            channel.sounding[first] = Note{seconds, seconds, first, 0.0, static_cast<double>(second)};
        } else if (kind == 0x80 || kind == 0x90) {
            end(channel, first, seconds);
        } else if (kind == 0xe0) {
            const double share = ((second << 7 | first) - 8192) / 8192.0;
            if (!result.bends.empty()) result.bends.push_back({seconds, result.bends.back().cents}); // steps, not ramps
            result.bends.push_back({seconds, share * channel.bendRangeCents});
        } else if (kind == 0xb0) {
            if (first == 101) channel.registeredParameter[0] = second;
            if (first == 100) channel.registeredParameter[1] = second;
            if (first == 6 && channel.registeredParameter == std::array{0, 0}) channel.bendRangeCents = 100.0 * second;
        }
    }
    void finish(double seconds) {
        for (Channel& channel : channels_)
            while (!channel.sounding.empty()) end(channel, channel.sounding.begin()->first, seconds);
        result.normalize();
    }
    Performance result;

private:
    void end(Channel& channel, int key, double seconds) {
        const auto found = channel.sounding.find(key);
        if (found == channel.sounding.end()) return;
        found->second.end = seconds;
        result.notes.push_back(found->second);
        channel.sounding.erase(found);
    }
    std::array<Channel, 16> channels_;
};

} // namespace

Performance readMidi(const fs::path& path) {
    std::string bytes = readWholeFile(path);
    const std::string name = path.filename().string();
    const QuietGLib quiet;
    const std::unique_ptr<smf_t, DeleteSmf> smf(
        bytes.empty() ? nullptr : smf_load_from_memory(bytes.data(), static_cast<int>(bytes.size())));
    if (!smf)
        throw Error(
            fmt::format("“{}” is not a MIDI file that Facet can read; export it as a Standard MIDI File.", name));
    NoteReader reader;
    if (const smf_tempo_t* tempo = smf_get_tempo_by_number(smf.get(), 0))
        reader.result.tempo = 60e6 / tempo->microseconds_per_quarter_note;
    // libsmf lists its default tempo first; a stated one at the same tick replaces it.
    double last = 0.0;
    while (smf_event_t* event = smf_get_next_event(smf.get())) {
        last = event->time_seconds;
        if (!smf_event_is_metadata(event)) reader.event(last, event->midi_buffer, event->midi_buffer_length);
    }
    reader.finish(std::max(last, 0.001));
    if (reader.result.notes.empty())
        throw Error(fmt::format("“{}” holds no notes; export the part that plays the sound.", name));
    return reader.result;
}

void writeMidi(const fs::path& path, const Performance& performance) {
    struct Message {
        int tick;
        int order; ///< at one tick: bends, then ends, then starts
        std::array<int, 3> bytes;
    };
    const double ticksPerSecond = ticksPerQuarter * performance.tempo / 60.0;
    const auto tickAt = [&](double seconds) {
        return std::max(0, static_cast<int>(std::lround(seconds * ticksPerSecond)));
    };
    std::vector<Message> messages;
    for (const Note& note : performance.notes) {
        const int velocity = std::clamp(static_cast<int>(std::lround(note.velocity)), 1, 127);
        const int start = tickAt(note.start);
        messages.push_back({start, 2, {0x90, note.key, velocity}});
        messages.push_back({std::max(start + 1, tickAt(note.end)), 1, {0x80, note.key, 64}});
    }
    if (!performance.bends.empty()) {
        const int steps = static_cast<int>(performance.bends.back().seconds / 0.01) + 1;
        int previous = 8192;
        for (int i = 0; i <= steps; ++i) {
            const double cents = performance.bendAt(0.01 * i);
            const int value =
                std::clamp(static_cast<int>(std::lround(8192 + cents / defaultBendCents * 8192)), 0, 16383);
            if (value != previous) messages.push_back({tickAt(0.01 * i), 0, {0xe0, value & 0x7f, value >> 7}});
            previous = value;
        }
    }
    std::stable_sort(messages.begin(), messages.end(), [](const Message& a, const Message& b) {
        return a.tick != b.tick ? a.tick < b.tick : a.order < b.order;
    });

    const QuietGLib quiet;
    const std::unique_ptr<smf_t, DeleteSmf> smf(smf_new());
    if (smf_set_ppqn(smf.get(), ticksPerQuarter) != 0) throw Error("The MIDI file could not be prepared.");
    smf_track_t* track = smf_track_new();
    smf_add_track(smf.get(), track);
    const auto tempo = static_cast<int>(std::lround(60e6 / performance.tempo));
    std::array<unsigned char, 6> tempoEvent{0xff,
                                            0x51,
                                            0x03,
                                            static_cast<unsigned char>(tempo >> 16),
                                            static_cast<unsigned char>(tempo >> 8),
                                            static_cast<unsigned char>(tempo)};
    smf_track_add_event_pulses(track, smf_event_new_from_pointer(tempoEvent.data(), 6), 0);
    for (const Message& m : messages)
        smf_track_add_event_pulses(track, smf_event_new_from_bytes(m.bytes[0], m.bytes[1], m.bytes[2]), m.tick);
    const fs::path temporary = temporaryBeside(path);
    if (smf_save(smf.get(), temporary.c_str()) != 0) {
        std::error_code code;
        fs::remove(temporary, code);
        throw Error(fmt::format("“{}” cannot be written; choose a folder you may write to.", path.string()));
    }
    replaceFile(temporary, path);
}

} // namespace facet
