#include "core/performance/midi_file.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/performance/midi_structure.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <memory>
#include <utility>

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
    std::map<int, bool> letGo; ///< keys up while the pedal holds them
    bool pedal = false;
    std::array<int, 2> registeredParameter{127, 127};
    int bendSemitones = 2;
    int bendExtraCents = 0;
    double bendRangeCents() const { return 100.0 * bendSemitones + bendExtraCents; }
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
            if (channel.pedal)
                channel.letGo[first] = true;
            else
                end(channel, first, seconds);
        } else if (kind == 0xe0) {
            const double share = ((second << 7 | first) - 8192) / 8192.0;
            step(result.bends, seconds, share * channel.bendRangeCents(), 0.0);
        } else if (kind == 0xd0) {
            step(pointsOf(pressureTarget), seconds, first / 127.0, 0.0);
        } else if (kind == 0xb0) {
            controller(channel, first, second, seconds);
        }
    }
    void finish(double seconds) {
        for (Channel& channel : channels_)
            while (!channel.sounding.empty()) end(channel, channel.sounding.begin()->first, seconds);
        result.normalize();
    }
    Performance result;

private:
    /// Controllers hold until the next message: steps, not ramps.
    static void step(std::vector<CurvePoint>& points, double seconds, double value, double rest) {
        const double before = points.empty() ? rest : points.back().value;
        if (value == before) return;
        points.push_back({seconds, before});
        points.push_back({seconds, value});
    }
    std::vector<CurvePoint>& pointsOf(std::string_view target) {
        for (Curve& curve : result.curves)
            if (curve.target == target) return curve.points;
        return result.curves.emplace_back(Curve{std::string(target), {}}).points;
    }
    /// Numbers: MIDI 1.0 Detailed Specification, table 3 (control change messages) and table 3a (RPN 0, 0).
    void controller(Channel& channel, int number, int value, double seconds) {
        switch (number) {
        case 1: step(pointsOf(wheelTarget), seconds, value / 127.0, 0.0); break;
        case 6:
            if (channel.registeredParameter == std::array{0, 0}) channel.bendSemitones = value;
            break;
        case 38:
            if (channel.registeredParameter == std::array{0, 0}) channel.bendExtraCents = value;
            break;
        case 64:
            channel.pedal = value >= 64;
            if (channel.pedal) break;
            for (const auto& [key, up] : std::exchange(channel.letGo, {})) end(channel, key, seconds);
            break;
        case 100: channel.registeredParameter[1] = value; break;
        case 101: channel.registeredParameter[0] = value; break;
        case 120: // all sound off
        case 123: // all notes off
            while (!channel.sounding.empty()) end(channel, channel.sounding.begin()->first, seconds);
            break;
        default: break;
        }
    }
    void end(Channel& channel, int key, double seconds) {
        channel.letGo.erase(key);
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
    if (const std::string flaw = flawOfMidi(bytes); !flaw.empty())
        throw Error(fmt::format("“{}” is not a MIDI file that Facet can read: {}; export it again as a Standard MIDI "
                                "File.",
                                name, flaw));
    const QuietGLib quiet;
    const std::unique_ptr<smf_t, DeleteSmf> smf(smf_load_from_memory(bytes.data(), static_cast<int>(bytes.size())));
    if (!smf)
        throw Error(
            fmt::format("“{}” is not a MIDI file that Facet can read; export it as a Standard MIDI File.", name));
    NoteReader reader;
    if (const smf_tempo_t* tempo = smf_get_tempo_by_number(smf.get(), 0))
        reader.result.tempo = 60e6 / tempo->microseconds_per_quarter_note;
    // A meter is counted in quarter notes here: six eighths are a bar of three.
    if (const smf_tempo_t* first = smf_get_tempo_by_number(smf.get(), 0); first && first->numerator > 0)
        reader.result.beatsPerBar =
            std::clamp(static_cast<int>(std::lround(4.0 * first->numerator / std::max(1, first->denominator))), 1, 32);
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

namespace {

struct Message {
    int tick;
    int order;                ///< at one tick: set-up, controllers, ends, starts
    std::array<int, 3> bytes; ///< the last is −1 in a message of two
};

/// Everything but tempo and meter, by tick.
std::vector<Message> messagesOf(const Performance& performance, const std::vector<WrittenController>& controllers) {
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
    // A curve becomes steps of 10 ms, where its rounded value changes.
    const auto sampled = [&](const std::vector<CurvePoint>& points, int rest, auto&& rounded, auto&& message) {
        if (points.empty()) return;
        int previous = rest;
        const int steps = static_cast<int>(points.back().seconds / 0.01) + 2;
        for (int i = 0; i <= steps; ++i) {
            const int value = rounded(valueAt(points, 0.01 * i));
            if (value != previous) messages.push_back({tickAt(0.01 * i), 0, message(value)});
            previous = value;
        }
    };
    // The bend range is stated only when the usual one does not reach.
    double reach = defaultBendCents;
    for (const CurvePoint& p : performance.bends) reach = std::max(reach, std::abs(p.value));
    const int range = static_cast<int>(std::ceil(reach / 100.0 - 1e-9));
    if (range > 2)
        messages.insert(messages.end(), {{0, -1, {0xb0, 101, 0}}, {0, -1, {0xb0, 100, 0}}, {0, -1, {0xb0, 6, range}}});
    sampled(
        performance.bends, 8192,
        [&](double cents) {
            return std::clamp(static_cast<int>(std::lround(8192 + cents / (100.0 * range) * 8192)), 0, 16383);
        },
        [](int value) {
            return std::array<int, 3>{0xe0, value & 0x7f, value >> 7};
        });
    const auto travel = [](double value) { return std::clamp(static_cast<int>(std::lround(127 * value)), 0, 127); };
    if (const Curve* wheel = performance.curveOf(wheelTarget))
        sampled(wheel->points, 0, travel, [](int value) { return std::array<int, 3>{0xb0, 1, value}; });
    if (const Curve* pressure = performance.curveOf(pressureTarget))
        sampled(pressure->points, 0, travel, [](int value) { return std::array<int, 3>{0xd0, value, -1}; });
    constexpr int unknown = -1; // where it stands before is not known: its first value is sent
    for (const WrittenController& each : controllers)
        if (const Curve* curve = performance.curveOf(each.target))
            sampled(curve->points, unknown, travel, [&](int value) {
                return std::array<int, 3>{0xb0, each.number, value};
            });
    std::stable_sort(messages.begin(), messages.end(), [](const Message& a, const Message& b) {
        return a.tick != b.tick ? a.tick < b.tick : a.order < b.order;
    });
    return messages;
}

} // namespace

void writeMidi(const fs::path& path, const Performance& performance, MidiFormat format,
               const std::vector<WrittenController>& controllers) {
    const QuietGLib quiet;
    const std::unique_ptr<smf_t, DeleteSmf> smf(smf_new());
    if (smf_set_ppqn(smf.get(), ticksPerQuarter) != 0) throw Error("The MIDI file could not be prepared.");
    smf_track_t* head = smf_track_new();
    smf_add_track(smf.get(), head);
    smf_track_t* track = head;
    if (format == MidiFormat::tempoApart) {
        track = smf_track_new();
        smf_add_track(smf.get(), track);
    }
    const auto tempo = static_cast<int>(std::lround(60e6 / performance.tempo));
    std::array<unsigned char, 6> tempoEvent{0xff,
                                            0x51,
                                            0x03,
                                            static_cast<unsigned char>(tempo >> 16),
                                            static_cast<unsigned char>(tempo >> 8),
                                            static_cast<unsigned char>(tempo)};
    smf_track_add_event_pulses(head, smf_event_new_from_pointer(tempoEvent.data(), 6), 0);
    std::array<unsigned char, 7> meterEvent{0xff, 0x58, 0x04, static_cast<unsigned char>(performance.beatsPerBar),
                                            2,    24,   8};
    smf_track_add_event_pulses(head, smf_event_new_from_pointer(meterEvent.data(), 7), 0);
    constexpr int textEvent = 1;
    for (const WrittenController& each : controllers)
        if (performance.curveOf(each.target))
            smf_track_add_event_pulses(
                track,
                smf_event_new_textual(textEvent, fmt::format("Controller {}: {}", each.number, each.words).c_str()), 0);
    for (const Message& m : messagesOf(performance, controllers))
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
