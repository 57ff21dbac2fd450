#include "core/audio/peaks.h"

#include <algorithm>

namespace facet {

namespace {

constexpr int finestFrames = 64;
constexpr int branching = 4;

std::pair<float, float> widen(std::pair<float, float> a, std::pair<float, float> b) {
    return {std::min(a.first, b.first), std::max(a.second, b.second)};
}

} // namespace

Peaks::Peaks(const Recording& recording) {
    const int frames = recording.frameCount();
    std::vector<std::pair<float, float>> finest;
    for (int begin = 0; begin < frames; begin += finestFrames) {
        std::pair<float, float> pair{recording.channels[0][static_cast<std::size_t>(begin)],
                                     recording.channels[0][static_cast<std::size_t>(begin)]};
        for (const auto& channel : recording.channels)
            for (int i = begin; i < std::min(frames, begin + finestFrames); ++i) {
                const float sample = channel[static_cast<std::size_t>(i)];
                pair = widen(pair, {sample, sample});
            }
        finest.push_back(pair);
    }
    levels_.push_back(std::move(finest));
    while (levels_.back().size() > branching) {
        const auto& below = levels_.back();
        std::vector<std::pair<float, float>> level;
        for (std::size_t i = 0; i < below.size(); i += branching) {
            auto pair = below[i];
            for (std::size_t j = i; j < std::min(below.size(), i + branching); ++j) pair = widen(pair, below[j]);
            level.push_back(pair);
        }
        levels_.push_back(std::move(level));
    }
}

std::pair<float, float> Peaks::range(const Recording& recording, int begin, int end) const {
    begin = std::max(begin, 0);
    end = std::min(end, recording.frameCount());
    if (begin >= end) return {0.0f, 0.0f};
    if (end - begin < 2 * finestFrames) {
        std::pair<float, float> pair{recording.channels[0][static_cast<std::size_t>(begin)],
                                     recording.channels[0][static_cast<std::size_t>(begin)]};
        for (const auto& channel : recording.channels)
            for (int i = begin; i < end; ++i) {
                const float sample = channel[static_cast<std::size_t>(i)];
                pair = widen(pair, {sample, sample});
            }
        return pair;
    }
    std::size_t level = 0;
    int width = finestFrames;
    while (level + 1 < levels_.size() && end - begin >= 2 * width * branching) {
        width *= branching;
        ++level;
    }
    const auto& pairs = levels_[level];
    const auto first = static_cast<std::size_t>(begin / width);
    const auto last = std::min(pairs.size(), static_cast<std::size_t>((end + width - 1) / width));
    auto pair = pairs[first];
    for (std::size_t i = first; i < last; ++i) pair = widen(pair, pairs[i]);
    return pair;
}

} // namespace facet
