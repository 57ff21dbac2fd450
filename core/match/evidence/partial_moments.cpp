#include "core/match/evidence/partial_moments.h"

#include "core/base/units.h"
#include "core/dsp/window.h"
#include "core/match/evidence/isolated_notes.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <span>

namespace facet {

namespace {

/// Levels of the lowest partials in dB, and of what lies between them, over so many periods about an instant that
/// neighbors just differ audibly: what moves should not move much within.
class QuickMeter {
public:
    QuickMeter(std::span<const float> mono, double hz)
        : mono_(mono), window_(hannWindow(static_cast<int>(std::lround(periods * analysisRateHz / hz)))) {
        for (int half = 1; half <= 2 * mostPartials; ++half)
            if (0.5 * half * hz < 0.45 * analysisRateHz)
                steps_.push_back(std::polar(1.0, -std::numbers::pi * half * hz / analysisRateHz));
    }

    /// Of as many partials as are heard: up to the last that stands out of what lies below it.
    Eigen::VectorXd measure(double seconds) const {
        constexpr double outOfNoiseDb = 9.0, rangeDb = 66.0, deepest = -140.0;
        const int begin =
            static_cast<int>(std::lround(seconds * analysisRateHz)) - static_cast<int>(window_.size()) / 2;
        std::vector<float> frame(window_.size());
        windowedFrame(mono_, begin, window_, frame);
        std::vector<double> levels;
        for (const std::complex<double>& step : steps_) {
            std::complex<double> sum = 0.0, turn = 1.0;
            for (float sample : frame) {
                sum += turn * static_cast<double>(sample);
                turn *= step;
            }
            levels.push_back(std::max(deepest, dbFromGain(std::abs(sum) / static_cast<double>(frame.size()) + 1e-12)));
        }
        double strongest = deepest;
        for (std::size_t i = 1; i < levels.size(); i += 2) strongest = std::max(strongest, levels[i]);
        Eigen::Index last = 0;
        for (std::size_t i = 1; i < levels.size(); i += 2)
            if (levels[i] > levels[i - 1] + outOfNoiseDb && levels[i] > strongest - rangeDb)
                last = static_cast<Eigen::Index>(i + 1) / 2;
        Eigen::VectorXd heard(strongest > -80.0 ? last : 0);
        for (Eigen::Index i = 0; i < heard.size(); ++i) heard(i) = levels[static_cast<std::size_t>(2 * i + 1)];
        return heard;
    }

private:
    static constexpr double periods = 4.0;
    std::span<const float> mono_;
    std::vector<float> window_;
    std::vector<std::complex<double>> steps_; ///< from sample to sample, of every half multiple of the pitch
};

} // namespace

std::vector<PartialMoment> partialMomentsOf(const Profile& profile, const Recording& recording) {
    constexpr double strike = 0.02, shortest = 0.01;
    constexpr int most = 200;
    const std::vector<float> mono = monoMix(recording);
    std::vector<const NoteProfile*> alone;
    double seconds = 0.0;
    for (const NoteProfile& each : profile.notes) {
        if (!isIsolated(each, profile)) continue;
        alone.push_back(&each);
        seconds += each.note.end - each.note.start;
    }
    const double step = std::max(shortest, seconds / most);
    std::vector<PartialMoment> moments;
    for (const NoteProfile* each : alone) {
        const Note& note = each->note;
        const double hz =
            isMeasured(each->f0Hz) ? each->f0Hz : hzFromKey(note.key + note.cents / 100.0, profile.tuningCents);
        const QuickMeter meter(mono, hz);
        for (double at = note.start + strike; at < note.end - shortest; at += step) {
            PartialMoment moment{at - note.start, at, hz, meter.measure(at)};
            const Eigen::Index last = moment.levels.size();
            if (last < fewestPartials) continue;
            for (Eigen::Index i = 0; i < last; ++i) moment.levels(i) += dbFromGain(static_cast<double>(i + 1));
            // No deeper below its neighbors than a family's zeros.
            constexpr Eigen::Index reach = 4;
            const Eigen::VectorXd heard = moment.levels;
            for (Eigen::Index i = 0; i < last; ++i) {
                const Eigen::Index begin = std::max<Eigen::Index>(0, i - reach), end = std::min(last, i + reach + 1);
                moment.levels(i) = std::max(heard(i), heard.segment(begin, end - begin).maxCoeff() - deepestZeroDb);
            }
            moments.push_back(std::move(moment));
        }
    }
    return moments;
}

} // namespace facet
