#include "core/match/evidence/source_ratios.h"

#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace facet {

namespace {

using Relation = SourceRatio::Relation;

constexpr double strikeSeconds = 0.03; ///< of a note's beginning, which is all frequencies
constexpr double mostSeconds = 0.8;
constexpr double fewestPeriods = 8.0;
constexpr double heardDb = 45.0;   ///< lines further below the strongest say little
constexpr double leastShare = 0.4; ///< of a line's weight: 27 dB below the strongest
constexpr double highestMultiple = 24.0;
constexpr std::size_t mostLines = 40;

/// A line of the spectrum.
struct Line {
    double multiple; ///< of the note's pitch
    double weight;   ///< 1: the strongest; 0: as far below it as matters
};

struct Lines {
    std::vector<Line> all; ///< strongest first
    double blur = 0.0;     ///< how far off a line may be found, in multiples of the pitch

    /// In multiples of the pitch: the window's blur, and ten cents for a pitch that is not quite known, or moves.
    double tolerance(double multiple) const { return blur + 0.006 * multiple; }
    /// Weight of what is heard there.
    double at(double multiple) const {
        for (const Line& line : all)
            if (std::abs(line.multiple - multiple) <= tolerance(multiple)) return line.weight;
        return 0.0;
    }
};

Lines linesOf(const Recording& recording, double start, double end, double hz) {
    Lines lines;
    const std::vector<float> sound = monoMix(recording);
    const double rate = recording.rateHz;
    const double first = std::max(0.0, start) + strikeSeconds;
    const double seconds = std::min({end - first, mostSeconds, static_cast<double>(sound.size()) / rate - first});
    if (!(hz > 0.0) || seconds * hz < fewestPeriods) return lines;
    const auto length = static_cast<int>(seconds * rate);
    int size = 2;
    while (size < 4 * length) size *= 2;
    RealFft fft(size);
    windowedFrame(sound, static_cast<int>(first * rate), blackmanHarrisWindow(length), fft.time());
    fft.forward();
    const auto bins = fft.bins();
    std::vector<double> levels;
    levels.reserve(bins.size());
    for (const auto& bin : bins) levels.push_back(dbFromGain(static_cast<double>(std::abs(bin)) + 1e-12));
    const double perBin = rate / size / hz;
    const auto lowest = static_cast<std::size_t>(std::max(1.0, 0.1 / perBin));
    const auto highest = std::min(levels.size() - 1, static_cast<std::size_t>(highestMultiple / perBin));
    if (highest <= lowest) return lines;
    const double strongest = *std::max_element(levels.begin() + static_cast<std::ptrdiff_t>(lowest),
                                               levels.begin() + static_cast<std::ptrdiff_t>(highest));
    for (std::size_t i = lowest; i < highest; ++i) {
        const double l = levels[i - 1], m = levels[i], r = levels[i + 1];
        if (m < l || m <= r || m < strongest - heardDb) continue;
        const double offset = 0.5 * (l - r) / std::min(-1e-9, l - 2.0 * m + r);
        lines.all.push_back({(static_cast<double>(i) + offset) * perBin, 1.0 - (strongest - m) / heardDb});
    }
    std::sort(lines.all.begin(), lines.all.end(), [](const Line& x, const Line& y) { return x.weight > y.weight; });
    if (lines.all.size() > mostLines) lines.all.resize(mostLines);
    lines.blur = 1.5 / (seconds * hz);
    return lines;
}

/// Where a kind of sound has lines, nearest to what makes it first, and whether it has those at the note's multiples.
struct PredictedLines {
    std::vector<double> multiples;
    bool harmonic = false;
};

PredictedLines predictLines(Relation relation, double ratio) {
    constexpr int farthest = 6;
    PredictedLines lines{{}, relation == Relation::interval};
    for (int k = 1; k <= (relation == Relation::ringModulation ? 1 : farthest); ++k)
        if (relation == Relation::interval)
            lines.multiples.push_back(k * ratio);
        else
            for (double multiple : {std::abs(1.0 - k * ratio), 1.0 + k * ratio}) lines.multiples.push_back(multiple);
    return lines;
}

/// Harmonic mean of the share of what is heard that was predicted and of what was predicted that is heard.
double agreement(const Lines& lines, const PredictedLines& predicted) {
    double heard = 0.0, explained = 0.0;
    for (const Line& line : lines.all) {
        const double off = lines.tolerance(line.multiple);
        heard += line.weight;
        const bool known = std::abs(line.multiple - 1.0) <= off ||
                           (predicted.harmonic && std::abs(line.multiple - std::round(line.multiple)) <= off) ||
                           std::any_of(predicted.multiples.begin(), predicted.multiples.end(),
                                       [&](double multiple) { return std::abs(line.multiple - multiple) <= off; });
        if (known) explained += line.weight;
    }
    // Lines further from what makes them matter less, and none needs to be as strong as the strongest: a weight of 0.6,
    // 18 dB below it, is all that is asked.
    constexpr double enough = 0.6, lessEach = 0.6;
    double asked = 0.0, found = 0.0, importance = 1.0;
    for (std::size_t i = 0; i < predicted.multiples.size(); ++i) {
        const double multiple = predicted.multiples[i];
        if (multiple < 0.1 || multiple > highestMultiple) continue;
        asked += importance;
        found += importance * lines.at(multiple);
        if (predicted.harmonic || i % 2 == 1) importance *= lessEach;
    }
    const double recall = explained / heard, precision = asked > 0.0 ? std::min(1.0, found / (enough * asked)) : 0.0;
    return recall + precision > 0.0 ? 2.0 * recall * precision / (recall + precision) : 0.0;
}

/// The simplest fraction near a ratio, and the cents that are left.
std::optional<SourceRatio> fractionOf(Relation relation, double ratio) {
    constexpr int mostUnder = 8, mostOver = 32;
    constexpr double near = 8.0; // cents
    std::optional<SourceRatio> nearest;
    for (int under = 1; under <= mostUnder; ++under) {
        const int over = static_cast<int>(std::round(ratio * under));
        if (over < 1 || over > mostOver) continue;
        const double cents = 1200.0 * std::log2(ratio * under / over);
        if (!nearest || std::abs(cents) < std::abs(nearest->cents)) nearest = {relation, 0, over, under, cents, 0.0};
        if (std::abs(cents) <= near) break;
    }
    if (nearest && std::abs(nearest->cents) > 50.0) return std::nullopt;
    if (nearest && std::abs(nearest->cents) <= near) nearest->cents = 0.0;
    return nearest;
}

} // namespace

std::vector<SourceRatio> sourceRatiosOf(const Recording& recording, double start, double end, double hz) {
    const Lines lines = linesOf(recording, start, end, hz);
    const auto isMultiple = [&](double x) {
        return std::round(x) >= 1.0 && std::abs(x - std::round(x)) <= lines.tolerance(x);
    };
    const bool beside = std::any_of(lines.all.begin(), lines.all.end(), [&](const Line& line) {
        return line.weight >= leastShare && !isMultiple(line.multiple);
    });
    if (!beside) return {};

    std::vector<SourceRatio> found;
    const auto keepBest = [&](SourceRatio candidate, double ratio) {
        candidate.agreement = agreement(lines, predictLines(candidate.relation, ratio));
        const auto same = std::find_if(found.begin(), found.end(),
                                       [&](const SourceRatio& each) { return each.relation == candidate.relation; });
        if (same == found.end())
            found.push_back(candidate);
        else if (candidate.agreement > same->agreement + 1e-9)
            *same = candidate;
    };
    for (int semitones = -24; semitones <= 24; ++semitones)
        if (semitones % 12 != 0)
            keepBest({Relation::interval, semitones, 1, 1, 0.0, 0.0}, std::pow(2.0, semitones / 12.0));
    constexpr std::size_t strongestLines = 12;
    for (std::size_t i = 0; i < std::min(strongestLines, lines.all.size()); ++i)
        for (double ratio : {std::abs(lines.all[i].multiple - 1.0), lines.all[i].multiple + 1.0})
            for (Relation relation : {Relation::phaseModulation, Relation::ringModulation}) {
                if (ratio < 0.2 || ratio > 16.0 || isMultiple(ratio)) continue;
                if (const auto fraction = fractionOf(relation, ratio)) keepBest(*fraction, ratio);
            }
    constexpr double leastAgreement = 0.5;
    std::erase_if(found, [](const SourceRatio& each) { return each.agreement < leastAgreement; });
    std::sort(found.begin(), found.end(),
              [](const SourceRatio& x, const SourceRatio& y) { return x.agreement > y.agreement; });
    return found;
}

} // namespace facet
