#include "core/analysis/facets/band_levels.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/linear_algebra.h"
#include "core/dsp/window.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <numeric>

namespace facet {

namespace {

constexpr int windowFrames = 512, hopFrames = 96;
constexpr int bandCount = 19;
constexpr double lowestBandHz = 200.0;
constexpr double heardDb = 30.0;   ///< below the loudest band
constexpr double deepestDb = 40.0; ///< below a band's own highest level

int thirdOf(double hz) { return static_cast<int>(std::floor(3.0 * std::log2(hz / lowestBandHz) + 0.5)); }

} // namespace

/// Levels in dB between two instants: a column for each band that is heard.
struct BandLevels::Part {
    Eigen::MatrixXd db;
};

BandLevels::BandLevels(std::span<const float> mono48k)
    : step_(static_cast<double>(hopFrames) / analysisRateHz), powers_(bandCount) {
    RealFft fft(windowFrames);
    const std::vector<float> window = hannWindow(windowFrames);
    const int frames = static_cast<int>(mono48k.size());
    for (int at = 0; at < frames; at += hopFrames) {
        windowedFrame(mono48k, at - windowFrames / 2, window, fft.time());
        fft.forward();
        for (std::vector<float>& band : powers_) band.push_back(1e-12f);
        for (int b = 1; b < fft.binCount(); ++b) {
            const int band = thirdOf(b * static_cast<double>(analysisRateHz) / windowFrames);
            if (band >= 0 && band < bandCount)
                powers_[static_cast<std::size_t>(band)].back() += std::norm(fft.bins()[static_cast<std::size_t>(b)]);
        }
    }
}

BandLevels::Part BandLevels::partOf(double from, double to) const {
    const auto all = static_cast<std::ptrdiff_t>(powers_.front().size());
    const auto first = std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(std::ceil(from / step_)), 0, all);
    const auto last = std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(to / step_), first, all);
    Part part;
    if (last - first < 2) return part;
    std::vector<double> means;
    for (const std::vector<float>& band : powers_)
        means.push_back(std::accumulate(band.begin() + first, band.begin() + last, 0.0));
    const double loudest = *std::max_element(means.begin(), means.end());
    std::vector<Eigen::VectorXd> columns;
    for (std::size_t b = 0; b < powers_.size(); ++b) {
        if (means[b] < std::pow(10.0, -heardDb / 10.0) * loudest) continue;
        Eigen::VectorXd& column = columns.emplace_back(last - first);
        for (std::ptrdiff_t i = first; i < last; ++i)
            column(i - first) = dbFromPower(static_cast<double>(powers_[b][static_cast<std::size_t>(i)]));
        column = column.cwiseMax(column.maxCoeff() - deepestDb);
    }
    part.db.resize(last - first, static_cast<Eigen::Index>(columns.size()));
    for (std::size_t b = 0; b < columns.size(); ++b) part.db.col(static_cast<Eigen::Index>(b)) = columns[b];
    return part;
}

Track BandLevels::commonDb(double from, double to) const {
    Track track{step_, {}};
    const Part part = partOf(from, to);
    for (Eigen::Index i = 0; i < part.db.rows(); ++i) track.values.push_back(static_cast<float>(part.db.row(i).mean()));
    return track;
}

double BandLevels::commonShare(double from, double to) const {
    const Part part = partOf(from, to);
    const Eigen::Index count = part.db.rows();
    if (count < 8 || part.db.cols() < 2) return 0.0;
    Eigen::MatrixXd trend(count, 3);
    for (Eigen::Index i = 0; i < count; ++i) {
        const double u = 2.0 * static_cast<double>(i) / static_cast<double>(count - 1) - 1.0;
        trend.row(i) << 1.0, u, u * u;
    }
    const Eigen::MatrixXd basis = orthonormalBasis(trend);
    const Eigen::MatrixXd rest = part.db - basis * (basis.transpose() * part.db);
    const double own = rest.squaredNorm() / static_cast<double>(rest.cols());
    return own > 0.0 ? rest.rowwise().mean().squaredNorm() / own : 0.0;
}

} // namespace facet
