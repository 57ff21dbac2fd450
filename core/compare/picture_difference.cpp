#include "core/compare/picture_difference.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr int reachColumns = 4, reachRows = 1;
constexpr double lookedAtDb = 60.0;

/// Levels in dB, each the mean over a few neighbors.
std::vector<float> smoothed(const Spectrogram& picture, double gainDb) {
    const auto rows = static_cast<std::size_t>(Spectrogram::rows);
    std::vector<float> across(picture.levels.size()), result(picture.levels.size());
    for (int c = 0; c < picture.columns; ++c)
        for (int r = 0; r < Spectrogram::rows; ++r) {
            int sum = 0, count = 0;
            for (int k = std::max(0, r - reachRows); k <= std::min(Spectrogram::rows - 1, r + reachRows); ++k, ++count)
                sum += picture.at(c, k);
            across[static_cast<std::size_t>(c) * rows + static_cast<std::size_t>(r)] =
                static_cast<float>(sum) / static_cast<float>(count);
        }
    const double scale = Spectrogram::rangeDb / 255.0, top = picture.loudestDb + gainDb;
    for (int r = 0; r < Spectrogram::rows; ++r) {
        double sum = 0.0;
        int count = 0;
        const auto value = [&](int c) {
            return static_cast<double>(across[static_cast<std::size_t>(c) * rows + static_cast<std::size_t>(r)]);
        };
        for (int c = 0; c < std::min(reachColumns, picture.columns); ++c, ++count) sum += value(c);
        for (int c = 0; c < picture.columns; ++c) {
            if (c + reachColumns < picture.columns) {
                sum += value(c + reachColumns);
                ++count;
            }
            if (c - reachColumns - 1 >= 0) {
                sum -= value(c - reachColumns - 1);
                --count;
            }
            result[static_cast<std::size_t>(c) * rows + static_cast<std::size_t>(r)] =
                static_cast<float>(top - Spectrogram::rangeDb + scale * sum / std::max(1, count));
        }
    }
    return result;
}

} // namespace

PictureDifference differenceOf(const Spectrogram& first, const Spectrogram& second, double gainDb) {
    PictureDifference difference{first, second};
    const std::vector<float> a = smoothed(first, 0.0), b = smoothed(second, gainDb);
    const double floor = std::max(first.loudestDb, second.loudestDb + gainDb) - lookedAtDb;
    const auto beyond = [&](const std::vector<float>& own, const std::vector<float>& other, Spectrogram& out) {
        for (std::size_t i = 0; i < own.size(); ++i) {
            const double level = std::max<double>(own[i], floor);
            const double against = std::max<double>(i < other.size() ? other[i] : -300.0f, floor);
            const double share = (level - against - PictureDifference::leastDb) /
                                 (PictureDifference::mostDb - PictureDifference::leastDb);
            out.levels[i] = static_cast<std::uint8_t>(std::clamp(255.0 * share, 0.0, 255.0));
        }
    };
    beyond(a, b, difference.lacking);
    beyond(b, a, difference.excess);
    return difference;
}

} // namespace facet
