#include "core/analysis/facets/width.h"

#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr int frameSize = 8192;
constexpr int lowestBand = -16; ///< 25 Hz
constexpr int highestBand = 12; ///< 16 kHz
constexpr double countedRangeDb = 50.0;
constexpr double monoSideDb = -20.0;
constexpr double quietestSideDb = -60.0;

double centerOf(int band) { return 1000.0 * std::pow(10.0, band / 10.0); }

struct Sums {
    double left = 0.0;
    double right = 0.0;
    double both = 0.0;
    double mid() const { return 0.25 * (left + right + 2.0 * both); }
    double side() const { return std::max(0.0, 0.25 * (left + right - 2.0 * both)); }
    double correlation() const { return left > 0.0 && right > 0.0 ? both / std::sqrt(left * right) : notMeasurable; }
    double sideDb() const { return std::clamp(dbFromPower((side() + 1e-30) / (mid() + 1e-30)), quietestSideDb, 60.0); }
    void add(const Sums& o) {
        left += o.left;
        right += o.right;
        both += o.both;
    }
};

} // namespace

WidthProfile measureWidth(const Recording& recording, const Task& task) {
    WidthProfile profile;
    if (recording.channelCount() < 2) {
        profile.correlation = 1.0;
        profile.sideDb = quietestSideDb;
        return profile;
    }
    RealFft left(frameSize);
    RealFft right(frameSize);
    const auto& window = hannWindow(frameSize);
    const double binHz = static_cast<double>(recording.rateHz) / frameSize;
    std::vector<Sums> sums(highestBand - lowestBand + 1);
    for (int begin = -frameSize / 2; begin < recording.frameCount(); begin += frameSize / 2) {
        task.check();
        for (int i = 0; i < frameSize; ++i) {
            const int at = begin + i;
            const bool inside = at >= 0 && at < recording.frameCount();
            const auto k = static_cast<std::size_t>(i);
            left.time()[k] = inside ? window[k] * recording.channels[0][static_cast<std::size_t>(at)] : 0.0f;
            right.time()[k] = inside ? window[k] * recording.channels[1][static_cast<std::size_t>(at)] : 0.0f;
        }
        left.forward();
        right.forward();
        for (int b = 1; b < left.binCount(); ++b) {
            const int band = static_cast<int>(std::lround(10.0 * std::log10(b * binHz / 1000.0)));
            if (band < lowestBand || band > highestBand) continue;
            const auto l = left.bins()[static_cast<std::size_t>(b)];
            const auto r = right.bins()[static_cast<std::size_t>(b)];
            Sums& sum = sums[static_cast<std::size_t>(band - lowestBand)];
            sum.left += std::norm(l);
            sum.right += std::norm(r);
            sum.both += (l * std::conj(r)).real();
        }
    }
    Sums whole;
    double loudest = 0.0;
    for (const Sums& sum : sums) {
        whole.add(sum);
        loudest = std::max(loudest, sum.left + sum.right);
    }
    bool mono = true;
    for (std::size_t i = 0; i < sums.size(); ++i) {
        WidthBand band;
        band.centerHz = centerOf(static_cast<int>(i) + lowestBand);
        band.levelDb = loudest > 0.0 ? dbFromPower((sums[i].left + sums[i].right + 1e-30) / loudest) : silenceDb;
        if (band.levelDb > -countedRangeDb) {
            band.sideDb = sums[i].sideDb();
            band.correlation = sums[i].correlation();
            mono = mono && band.sideDb < monoSideDb;
            if (mono) profile.monoBelowHz = band.centerHz * std::pow(10.0, 0.05);
        }
        profile.thirdOctaves.push_back(band);
    }
    profile.sideDb = whole.sideDb();
    profile.correlation = whole.correlation();
    profile.balanceDb = whole.left > 0.0 && whole.right > 0.0 ? dbFromPower(whole.right / whole.left) : 0.0;
    profile.stereo = profile.sideDb > quietestSideDb + 1.0;
    return profile;
}

} // namespace facet
