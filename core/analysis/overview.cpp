#include "core/analysis/overview.h"

#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace facet {

namespace {

constexpr int mostPairs = 16384;
constexpr int fewestPairFrames = 32;
constexpr int mostOverviewColumns = 1500;
constexpr int sketchSpots = 400;
constexpr auto showEvery = std::chrono::milliseconds(250);

/// Turns spots of sound into columns of levels.
class Columns {
public:
    Columns(Spectrogram& picture, int rateHz)
        : picture_(picture), fft_(size), window_(hannWindow(size)), power_(static_cast<std::size_t>(fft_.binCount())),
          binHz_(static_cast<double>(rateHz) / size),
          loudest_(static_cast<std::size_t>(picture.columns) * Spectrogram::rows, static_cast<float>(silenceDb)) {}

    static constexpr int size = 4096;

    /// The spectrum at a frame of `mono` joins a column: of several the loudest counts.
    void add(int column, const std::vector<float>& mono, int begin) {
        windowedFrame(mono, begin, window_, fft_.time());
        fft_.forward();
        for (std::size_t b = 0; b < power_.size(); ++b) power_[b] = std::norm(fft_.bins()[b]);
        const auto last = static_cast<double>(power_.size() - 1);
        for (int row = 0; row < Spectrogram::rows; ++row) {
            const double low = Spectrogram::hzOfRow(row - 0.5) / binHz_;
            const double high = std::max(low + 1.0, Spectrogram::hzOfRow(row + 0.5) / binHz_);
            double value = 0.0;
            for (auto b = static_cast<std::size_t>(low); b <= static_cast<std::size_t>(std::min(high, last)); ++b)
                value = std::max(value, static_cast<double>(power_[b]));
            float& cell =
                loudest_[static_cast<std::size_t>(column) * Spectrogram::rows + static_cast<std::size_t>(row)];
            cell = std::max(cell, static_cast<float>(dbFromPower(value / (static_cast<double>(size) * size))));
        }
    }
    void copy(int from, int to) {
        const auto rows = static_cast<std::ptrdiff_t>(Spectrogram::rows);
        std::copy_n(loudest_.begin() + from * rows, rows, loudest_.begin() + to * rows);
    }
    void clear(int column) {
        std::fill_n(loudest_.begin() + column * std::ptrdiff_t{Spectrogram::rows}, Spectrogram::rows,
                    static_cast<float>(silenceDb));
    }
    void write() {
        const float top = *std::max_element(loudest_.begin(), loudest_.end());
        picture_.levels.resize(loudest_.size());
        for (std::size_t i = 0; i < loudest_.size(); ++i)
            picture_.levels[i] = static_cast<std::uint8_t>(
                std::clamp(255.0 * (1.0 + (loudest_[i] - top) / Spectrogram::rangeDb), 0.0, 255.0));
    }

private:
    Spectrogram& picture_;
    RealFft fft_;
    std::vector<float> window_;
    std::vector<float> power_;
    double binHz_;
    std::vector<float> loudest_;
};

std::pair<float, float> extremes(const Recording& recording, std::size_t begin, std::size_t end) {
    std::pair<float, float> pair{0.0f, 0.0f};
    bool first = true;
    for (const auto& channel : recording.channels)
        for (std::size_t i = begin; i < std::min(end, channel.size()); ++i) {
            pair.first = first ? channel[i] : std::min(pair.first, channel[i]);
            pair.second = first ? channel[i] : std::max(pair.second, channel[i]);
            first = false;
        }
    return pair;
}

} // namespace

std::pair<float, float> Overview::range(double begin, double end) const {
    if (pairs.empty() || end <= 0.0 || begin >= seconds) return {0.0f, 0.0f};
    const auto count = static_cast<double>(pairs.size());
    const auto first = static_cast<std::size_t>(std::clamp(begin / secondsPerPair, 0.0, count - 1.0));
    const auto last =
        static_cast<std::size_t>(std::clamp(std::ceil(end / secondsPerPair), static_cast<double>(first) + 1.0, count));
    std::pair<float, float> pair = pairs[first];
    for (std::size_t i = first; i < last; ++i) {
        pair.first = std::min(pair.first, pairs[i].first);
        pair.second = std::max(pair.second, pairs[i].second);
    }
    return pair;
}

void makeOverview(AudioStream& stream, const std::function<void(OverviewPtr)>& show, const Task& task) {
    Overview picture;
    picture.rateHz = stream.rateHz();
    picture.channelCount = stream.channelCount();
    picture.seconds = stream.seconds();
    const std::int64_t frames = stream.frames();
    if (frames == 0) throw Error("“" + stream.name() + "” holds no sound; choose another file.");
    const auto pairFrames = std::max<std::int64_t>(fewestPairFrames, (frames + mostPairs - 1) / mostPairs);
    const auto pairCount = (frames + pairFrames - 1) / pairFrames;
    picture.secondsPerPair = static_cast<double>(pairFrames) / picture.rateHz;
    picture.pairs.resize(static_cast<std::size_t>(pairCount));
    picture.spectrogram.columns = static_cast<int>(std::clamp<std::int64_t>(frames / 512, 1, mostOverviewColumns));
    picture.spectrogram.secondsPerColumn = picture.seconds / picture.spectrogram.columns;
    Columns columns(picture.spectrogram, picture.rateHz);
    const auto columnOf = [&](std::int64_t frame) {
        return static_cast<int>(
            std::min<std::int64_t>(picture.spectrogram.columns - 1, frame * picture.spectrogram.columns / frames));
    };
    const auto publish = [&] {
        columns.write();
        show(std::make_shared<const Overview>(picture));
    };

    // The sketch: what a spot sounds like stands for its surroundings.
    const bool isLong = frames > std::int64_t{sketchSpots} * 4 * Columns::size;
    for (int spot = 0; isLong && spot < sketchSpots; ++spot) {
        task.check();
        const Recording piece = stream.read(frames * spot / sketchSpots, Columns::size);
        const auto pair = extremes(piece, 0, Columns::size);
        for (auto i = pairCount * spot / sketchSpots; i < pairCount * (spot + 1) / sketchSpots; ++i)
            picture.pairs[static_cast<std::size_t>(i)] = pair;
        const int from = columnOf(frames * spot / sketchSpots);
        const int to =
            spot + 1 < sketchSpots ? columnOf(frames * (spot + 1) / sketchSpots) : picture.spectrogram.columns;
        columns.add(from, monoMix(piece), 0);
        for (int c = from + 1; c < to; ++c) columns.copy(from, c);
    }
    if (isLong) publish();

    // Everything, a chunk of whole pairs at a time.
    const std::int64_t chunkPairs = std::max<std::int64_t>(1, (1 << 17) / pairFrames);
    int cleared = -1;
    auto shown = std::chrono::steady_clock::now();
    for (std::int64_t at = 0; at < pairCount; at += chunkPairs) {
        task.check();
        const std::int64_t begin = at * pairFrames;
        const Recording piece = stream.read(begin, std::min(chunkPairs * pairFrames, frames - begin));
        const auto held = static_cast<std::int64_t>(piece.frameCount());
        for (std::int64_t i = at; i < std::min(pairCount, at + chunkPairs); ++i)
            picture.pairs[static_cast<std::size_t>(i)] =
                extremes(piece, static_cast<std::size_t>((i - at) * pairFrames),
                         static_cast<std::size_t>((i - at + 1) * pairFrames));
        // A few spectra a column are enough to see what is where.
        const auto mono = monoMix(piece);
        const std::int64_t step = std::max<std::int64_t>(256, frames / picture.spectrogram.columns / 3);
        for (std::int64_t i = (step - begin % step) % step; i < held; i += step) {
            const int column = columnOf(begin + i);
            while (cleared < column) columns.clear(++cleared);
            columns.add(column, mono, static_cast<int>(i) - Columns::size / 2);
        }
        picture.exact = static_cast<std::size_t>(std::min(pairCount, at + chunkPairs));
        task.report(static_cast<double>(picture.exact) / static_cast<double>(pairCount), "reading the recording");
        if (const auto now = std::chrono::steady_clock::now(); now - shown > showEvery && !picture.finished()) {
            shown = now;
            publish();
        }
    }
    publish();
}

} // namespace facet
