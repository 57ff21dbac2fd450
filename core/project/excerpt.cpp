#include "core/project/excerpt.h"

#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <fstream>

namespace facet {

namespace fs = std::filesystem;

std::vector<Note> correctedNotes(const std::vector<Note>& found, const std::vector<NoteCorrection>& corrections) {
    std::vector<std::optional<Note>> notes(found.begin(), found.end());
    std::vector<bool> taken(found.size(), false);
    for (const NoteCorrection& correction : corrections) {
        if (!correction.from) {
            notes.push_back(correction.to);
            continue;
        }
        int best = -1;
        for (std::size_t i = 0; i < found.size(); ++i) {
            const double apart = std::abs(found[i].start - correction.from->start);
            if (taken[i] || apart > 0.05 || std::abs(found[i].key - correction.from->key) > 13) continue;
            if (best < 0 || apart < std::abs(found[static_cast<std::size_t>(best)].start - correction.from->start))
                best = static_cast<int>(i);
        }
        if (best < 0) continue;
        taken[static_cast<std::size_t>(best)] = true;
        notes[static_cast<std::size_t>(best)] = correction.to;
    }
    std::vector<Note> result;
    for (const auto& note : notes)
        if (note) result.push_back(*note);
    return result;
}

std::vector<NoteCorrection> correctedFurther(std::vector<NoteCorrection> corrections,
                                             const std::vector<NoteChange>& changes) {
    for (const NoteChange& change : changes) {
        const auto before = std::find_if(corrections.begin(), corrections.end(),
                                         [&](const NoteCorrection& c) { return change.from && c.to == change.from; });
        if (before != corrections.end())
            before->to = change.to;
        else
            corrections.push_back(change);
    }
    // An added note that went again leaves nothing behind.
    std::erase_if(corrections, [](const NoteCorrection& c) { return !c.from && !c.to; });
    return corrections;
}

Performance Excerpt::corrected() const {
    Performance result = performance;
    result.notes = correctedNotes(performance.notes, corrections);
    result.normalize();
    return result;
}

void Excerpt::readAs(std::size_t chosen) {
    const NoteReading& now = readings.at(chosen);
    reading = chosen;
    imported = false;
    performance.notes = now.notes;
    performance.tuningCents = now.tuningCents;
    if (now.tempo) performance.tempo = *now.tempo;
    noteEvidence = now.evidence;
    noteProblem = now.problem;
}

std::optional<std::size_t> Excerpt::placeOf(const NoteReading& other) const {
    const auto found = std::find(readings.begin(), readings.end(), other);
    if (found == readings.end()) return std::nullopt;
    return static_cast<std::size_t>(found - readings.begin());
}

Performance Excerpt::correctedAs(std::size_t other) const {
    Excerpt read = *this;
    read.readAs(other);
    return read.corrected();
}

std::uint64_t Excerpt::soundHash() const {
    return Hasher().text(audioKey).number(begin - keptBegin).number(end - keptBegin).text(channels.text()).value();
}

namespace {

std::string nameOf(const Excerpt& excerpt) {
    return excerpt.sourcePath.empty() ? excerpt.name : fs::path(excerpt.sourcePath).filename().string();
}

std::string hashOfFile(const fs::path& path) {
    std::ifstream file(path, std::ios::binary);
    std::vector<char> chunk(1 << 20);
    Hasher hasher;
    std::uint64_t size = 0;
    while (file.read(chunk.data(), static_cast<std::streamsize>(chunk.size())) || file.gcount() > 0) {
        const auto part = std::as_bytes(std::span(chunk.data(), static_cast<std::size_t>(file.gcount())));
        hasher.bytes(part);
        size += part.size();
    }
    return hasher.number(size).hex();
}

/// Reads region and margins of a file into what is kept.
void keepRegion(Excerpt& excerpt, const fs::path& path) {
    constexpr std::uintmax_t keptWholeBytes = 8u << 20;
    constexpr double keptWholeSeconds = 60.0;
    AudioStream stream(path);
    if (stream.frames() == 0) throw Error(fmt::format("“{}” holds no sound; choose another file.", stream.name()));
    const double length = stream.seconds();
    excerpt.begin = std::clamp(excerpt.begin, 0.0, length);
    excerpt.end = excerpt.end > excerpt.begin ? std::min(excerpt.end, length) : length;
    if (length <= keptWholeSeconds && fs::file_size(path) <= keptWholeBytes) {
        excerpt.keptBegin = 0.0;
        excerpt.bytes = std::make_shared<const std::string>(readWholeFile(path));
    } else {
        constexpr double longestKept = 600.0;
        if (excerpt.end - excerpt.begin > longestKept)
            throw Error(fmt::format("{:.0f} minutes of “{}” are too much for one excerpt; choose less than 10.",
                                    (excerpt.end - excerpt.begin) / 60.0, stream.name()));
        const auto first = static_cast<std::int64_t>(std::max(0.0, excerpt.begin - keptMargin) * stream.rateHz());
        const auto last = static_cast<std::int64_t>(std::ceil((excerpt.end + keptMargin) * stream.rateHz()));
        excerpt.keptBegin = static_cast<double>(first) / stream.rateHz();
        excerpt.bytes = std::make_shared<const std::string>(
            audioFileBytes(stream.read(first, last - first), stream.losslessFormat()));
    }
    excerpt.audioKey = Hasher().text(*excerpt.bytes).hex();
}

/// Notes and spans keep their place in the source when the region's begin moves by `by` seconds.
void shiftContents(Excerpt& excerpt, double by, double seconds) {
    const auto shiftNote = [&](std::optional<Note>& note) {
        if (!note) return true;
        note->start -= by;
        note->end = std::min(note->end - by, seconds);
        return note->start >= -1e-9 && note->start < seconds;
    };
    const auto shiftNotes = [&](std::vector<Note>& notes) {
        std::vector<Note> kept;
        for (const Note& note : notes)
            if (std::optional<Note> moved = note; shiftNote(moved)) kept.push_back(*moved);
        notes = std::move(kept);
    };
    shiftNotes(excerpt.performance.notes);
    for (NoteReading& reading : excerpt.readings) shiftNotes(reading.notes);
    std::erase_if(excerpt.corrections, [&](NoteCorrection& c) {
        const bool from = shiftNote(c.from);
        const bool to = shiftNote(c.to);
        return !from || !to;
    });
    for (CurvePoint& point : excerpt.performance.bends) point.seconds -= by;
    for (Curve& curve : excerpt.performance.curves)
        for (CurvePoint& point : curve.points) point.seconds -= by;
    excerpt.performance.downbeat -= by;
    for (TimeSpan& span : excerpt.leftOut) span = {std::max(0.0, span.begin - by), std::min(seconds, span.end - by)};
    excerpt.leftOut = joinedSpans(std::move(excerpt.leftOut));
}

} // namespace

void decode(Excerpt& excerpt) {
    const std::string name = nameOf(excerpt);
    AudioStream stream(*excerpt.bytes, name);
    const auto frameAt = [&](double seconds) { return std::llround((seconds - excerpt.keptBegin) * stream.rateHz()); };
    const std::int64_t first = std::max<std::int64_t>(0, frameAt(excerpt.begin));
    const bool toEnd = excerpt.end <= excerpt.begin || frameAt(excerpt.end) >= stream.frames();
    const Recording all = toEnd ? stream.readFrom(first) : stream.read(first, frameAt(excerpt.end) - first);
    Recording region = chosenChannels(all, excerpt.channels);
    requireUsable(region, fmt::format("“{}”", name));
    excerpt.performance.frames = region.frameCount();
    excerpt.performance.rateHz = region.rateHz;
    excerpt.performance.channelCount = region.channelCount();
    excerpt.audio = std::make_shared<const Recording>(std::move(region));
}

Excerpt makeExcerpt(const fs::path& path, double begin, double end, const ChannelChoice& channels) {
    Excerpt excerpt;
    excerpt.sourcePath = path.string();
    excerpt.name = path.stem().string();
    excerpt.begin = begin;
    excerpt.end = end;
    excerpt.channels = channels;
    keepRegion(excerpt, path);
    excerpt.sourceHash = hashOfFile(path);
    decode(excerpt);
    return excerpt;
}

Excerpt makeExcerpt(const Recording& recording, const std::string& name) {
    Excerpt excerpt;
    excerpt.name = name;
    excerpt.end = recording.seconds();
    excerpt.bytes = std::make_shared<const std::string>(audioFileBytes(recording));
    excerpt.audioKey = Hasher().text(*excerpt.bytes).hex();
    excerpt.sourceHash = excerpt.audioKey;
    decode(excerpt);
    return excerpt;
}

Excerpt withRegion(const Excerpt& excerpt, double begin, double end) {
    Excerpt result = excerpt;
    result.begin = std::max(0.0, begin);
    result.end = end;
    AudioStream kept(*excerpt.bytes, nameOf(excerpt));
    constexpr double slack = 1e-3;
    const bool isKept = result.begin >= excerpt.keptBegin - slack &&
                        result.end <= excerpt.keptBegin + kept.seconds() + slack && result.end > result.begin;
    if (!isKept) {
        std::error_code code;
        if (excerpt.sourcePath.empty() || !fs::exists(excerpt.sourcePath, code) ||
            hashOfFile(excerpt.sourcePath) != excerpt.sourceHash)
            throw Error(fmt::format("“{}” is gone or has changed since, and only {:.2f} to {:.2f} s of it are kept; "
                                    "choose within that or open the file again.",
                                    nameOf(excerpt), excerpt.keptBegin, excerpt.keptBegin + kept.seconds()));
        keepRegion(result, excerpt.sourcePath);
    }
    decode(result);
    result.end = result.begin + result.audio->seconds();
    shiftContents(result, result.begin - excerpt.begin, result.audio->seconds());
    return result;
}

Excerpt withChannels(const Excerpt& excerpt, const ChannelChoice& channels) {
    Excerpt result = excerpt;
    result.channels = channels;
    decode(result);
    return result;
}

} // namespace facet
