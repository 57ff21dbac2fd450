#include "core/measuring/takes.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr double soundsWithinDb = 50.0; ///< of the highest level
constexpr double leastPause = 0.25;     ///< seconds
constexpr double leadIn = 0.05;         ///< seconds before a note begins
constexpr double silentDb = -90.0;

struct Sounding {
    std::size_t begin, end; ///< frames of levels
};

/// Spans that sound, pauses shorter than the least bridged.
std::vector<Sounding> soundingSpans(const Recording& recording, const std::string& name) {
    const std::vector<double> levels = levelEachFrame(recording);
    const double highest = levels.empty() ? silentDb : *std::max_element(levels.begin(), levels.end());
    if (highest <= silentDb) throw Error(fmt::format("“{}” is silent: check that the instrument was recorded.", name));
    const auto pause = static_cast<std::size_t>(std::lround(leastPause / levelFrameSeconds));
    std::vector<Sounding> spans;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (levels[i] < highest - soundsWithinDb) continue;
        if (!spans.empty() && i - spans.back().end < pause)
            spans.back().end = i + 1;
        else
            spans.push_back({i, i + 1});
    }
    return spans;
}

SingleNote noteFrom(const Recording& recording, double begin, double until) {
    const double from = std::max(0.0, begin - leadIn);
    return {excerpt(recording, from, until), begin - from};
}

} // namespace

std::vector<double> levelEachFrame(const Recording& recording) {
    const int length = std::max(1, static_cast<int>(std::lround(levelFrameSeconds * recording.rateHz)));
    std::vector<double> levels;
    for (int begin = 0; begin < recording.frameCount(); begin += length) {
        const int end = std::min(begin + length, recording.frameCount());
        double sum = 0.0;
        for (const auto& channel : recording.channels)
            for (int i = begin; i < end; ++i) {
                const double sample = channel[static_cast<std::size_t>(i)];
                sum += sample * sample;
            }
        levels.push_back(10.0 * std::log10(sum / (end - begin) + 1e-12));
    }
    return levels;
}

SingleNote singleNote(const Recording& recording, const std::string& name) {
    requireUsable(recording, name);
    const auto first = soundingSpans(recording, name).front();
    return noteFrom(recording, static_cast<double>(first.begin) * levelFrameSeconds, recording.seconds());
}

std::vector<SingleNote> notesApart(const Recording& recording, std::size_t count, const std::string& name) {
    requireUsable(recording, name);
    const std::vector<Sounding> spans = soundingSpans(recording, name);
    if (spans.size() != count)
        throw Error(
            fmt::format("“{}” has {} notes and {} positions were asked for: play one note for each, with half a "
                        "second of silence between them.",
                        name, spans.size(), count));
    std::vector<SingleNote> notes;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        const double until = i + 1 < spans.size() ? static_cast<double>(spans[i + 1].begin) * levelFrameSeconds - leadIn
                                                  : recording.seconds();
        notes.push_back(noteFrom(recording, static_cast<double>(spans[i].begin) * levelFrameSeconds, until));
    }
    return notes;
}

std::vector<SingleNote> notesOf(const std::vector<NamedRecording>& recordings, std::size_t count) {
    if (recordings.size() == 1 && count > 1)
        return notesApart(recordings.front().sound, count, recordings.front().name);
    if (recordings.size() != count)
        throw Error(fmt::format("{} recordings were given for {} positions: give one of all, or one for each.",
                                recordings.size(), count));
    std::vector<SingleNote> notes;
    for (const NamedRecording& each : recordings) notes.push_back(singleNote(each.sound, each.name));
    return notes;
}

} // namespace facet
