#include "core/performance/midi_structure.h"

#include <cstddef>
#include <cstdint>
#include <fmt/format.h>

namespace facet {

namespace {

/// Reads forward through bytes; once it fell off the end it stays `broken`.
class Reader {
public:
    explicit Reader(std::string_view bytes) : bytes_(bytes) {}
    bool atEnd() const { return at_ >= bytes_.size(); }
    bool broken() const { return broken_; }
    std::size_t left() const { return bytes_.size() - at_; }

    int byte() {
        if (atEnd()) {
            broken_ = true;
            return 0;
        }
        return static_cast<unsigned char>(bytes_[at_++]);
    }
    int peek() const { return atEnd() ? -1 : static_cast<unsigned char>(bytes_[at_]); }
    std::uint32_t number(int count) {
        std::uint32_t value = 0;
        for (int i = 0; i < count; ++i) value = value << 8 | static_cast<std::uint32_t>(byte());
        return value;
    }
    /// Seven bits a byte, at most four of them.
    std::uint32_t variable() {
        std::uint32_t value = 0;
        for (int i = 0; i < 4; ++i) {
            const int next = byte();
            value = value << 7 | static_cast<std::uint32_t>(next & 0x7f);
            if (next < 0x80) return value;
        }
        broken_ = true;
        return 0;
    }
    std::string_view take(std::size_t count) {
        if (count > left()) {
            broken_ = true;
            count = left();
        }
        const auto part = bytes_.substr(at_, count);
        at_ += count;
        return part;
    }

private:
    std::string_view bytes_;
    std::size_t at_ = 0;
    bool broken_ = false;
};

bool wholeTrack(std::string_view bytes) {
    Reader track(bytes);
    int running = 0;
    while (!track.atEnd()) {
        track.variable();
        int status = track.peek();
        if (status >= 0x80)
            track.byte();
        else
            status = running;
        if (track.broken() || status < 0x80) return false;
        if (status == 0xff) {
            const int type = track.byte();
            const std::uint32_t length = track.variable();
            if ((type == 0x51 && length != 3) || (type == 0x58 && length != 4) || (type == 0x2f && length != 0))
                return false;
            const auto data = track.take(length);
            if (track.broken()) return false;
            if (type == 0x51 && data == std::string_view("\0\0\0", 3)) return false; // no tempo at all
            if (type == 0x2f) return true;
            running = 0;
        } else if (status == 0xf0 || status == 0xf7) {
            const std::uint32_t length = track.variable();
            if (length == 0) return false;
            track.take(length);
            running = 0;
        } else if (status > 0xf0) {
            return false; // no system message but these has a place in a file
        } else {
            running = status;
            const int kind = status & 0xf0;
            const int count = kind == 0xc0 || kind == 0xd0 ? 1 : 2;
            for (int i = 0; i < count; ++i)
                if (track.byte() >= 0x80) return false;
        }
        if (track.broken()) return false;
    }
    return false; // without its end-of-track event it was cut
}

} // namespace

std::string flawOfMidi(std::string_view bytes) {
    Reader file(bytes);
    if (file.take(4) != "MThd") return "it does not begin as one";
    const std::uint32_t headLength = file.number(4);
    const std::uint32_t format = file.number(2);
    const std::uint32_t tracks = file.number(2);
    const std::uint32_t division = file.number(2);
    if (file.broken() || headLength != 6 || division == 0 || (division & 0x8000) != 0) return "its head is damaged";
    if (format > 1) return fmt::format("it is of format {}, not 0 or 1", format);
    if (tracks == 0 || (format == 0 && tracks != 1)) return "its head is damaged";
    std::uint32_t found = 0;
    while (found < tracks) {
        if (file.left() < 8) return fmt::format("track {} is missing", found + 1);
        const auto kind = file.take(4);
        const std::uint32_t length = file.number(4);
        const auto body = file.take(length);
        if (kind != "MTrk") return fmt::format("what should be track {} is none", found + 1);
        ++found;
        if (file.broken() || !wholeTrack(body)) return fmt::format("track {} is damaged", found);
    }
    return file.atEnd() ? "" : "something follows its last track";
}

} // namespace facet
