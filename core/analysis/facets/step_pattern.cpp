#include "core/analysis/facets/step_pattern.h"

#include "core/analysis/facets/level.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double reach = 0.012; ///< seconds to either side between which a change is abrupt
constexpr double shortestStep = 0.05, longestStep = 0.5;
constexpr std::size_t mostSteps = 32;

/// Whether a note is held at an instant, and since at least so many seconds.
bool isHeld(const Performance& performance, double seconds, double since) {
    return std::any_of(performance.notes.begin(), performance.notes.end(),
                       [&](const Note& note) { return note.start + since < seconds && seconds < note.end - reach; });
}

bool begins(const Performance& performance, double seconds) {
    constexpr double near = 0.03;
    return std::any_of(performance.notes.begin(), performance.notes.end(), [&](const Note& note) {
        return std::abs(note.start - seconds) < near || std::abs(note.end - seconds) < near;
    });
}

/// How far the level changes within a moment, everywhere inside of notes.
struct Changes {
    std::vector<float> signedDb; ///< at each step of the level; 0 outside of notes and where they begin or end
    std::vector<float> largest;  ///< magnitude of the largest near by, capped: what is louder still tells no more
    std::vector<bool> inside;
    double usual = 0.0; ///< mean of the largest
};

Changes changesOf(const Track& level, const Performance& performance) {
    constexpr double settled = 0.04;
    constexpr float mostDb = 12.0f;
    constexpr int near = 4; // steps
    const int half = std::max(1, level.indexAt(reach));
    const int count = static_cast<int>(level.values.size());
    Changes changes;
    changes.signedDb.assign(static_cast<std::size_t>(count), 0.0f);
    changes.largest.assign(static_cast<std::size_t>(count), 0.0f);
    changes.inside.assign(static_cast<std::size_t>(count), false);
    int within = 0;
    for (int i = half; i + half < count; ++i) {
        const double seconds = i * level.stepSeconds;
        if (!isHeld(performance, seconds, settled) || begins(performance, seconds)) continue;
        changes.inside[static_cast<std::size_t>(i)] = true;
        changes.signedDb[static_cast<std::size_t>(i)] =
            std::max(level.values[static_cast<std::size_t>(i + half)], -90.0f) -
            std::max(level.values[static_cast<std::size_t>(i - half)], -90.0f);
    }
    for (int i = 0; i < count; ++i) {
        if (!changes.inside[static_cast<std::size_t>(i)]) continue;
        float largest = 0.0f;
        for (int k = std::max(0, i - near); k <= std::min(count - 1, i + near); ++k)
            largest = std::max(largest, std::abs(changes.signedDb[static_cast<std::size_t>(k)]));
        changes.largest[static_cast<std::size_t>(i)] = std::min(mostDb, largest);
        changes.usual += static_cast<double>(std::min(mostDb, largest));
        ++within;
    }
    changes.usual /= std::max(1, within);
    return changes;
}

struct Grid {
    double step = notMeasurable, begin = 0.0;
};

/// How much more the level changes on the lines of a grid than elsewhere, in units of chance; 0 where that is no gate.
double standingOut(const Changes& changes, double stepSeconds, double step, double begin, bool sharply) {
    constexpr double leastDb = 4.0, leastTimes = 2.0, leastShare = 0.2;
    constexpr int fewest = 6;
    double sum = 0.0, sharp = 0.0;
    int lines = 0, rises = 0, falls = 0;
    const auto end = static_cast<double>(changes.largest.size()) * stepSeconds;
    for (double at = begin; at < end; at += step) {
        const auto i = static_cast<std::size_t>(std::max(0.0, at / stepSeconds));
        if (i >= changes.inside.size() || !changes.inside[i]) continue;
        sum += static_cast<double>(changes.largest[i]);
        sharp += std::min(12.0, static_cast<double>(std::abs(changes.signedDb[i])));
        rises += changes.signedDb[i] > leastDb;
        falls += changes.signedDb[i] < -leastDb;
        ++lines;
    }
    if (lines < fewest || sum < leastDb * lines || sum < leastTimes * changes.usual * lines) return 0.0;
    // Repeats only rise, and die away slowly.
    if (rises < leastShare * lines || falls < leastShare * lines) return 0.0;
    return ((sharply ? sharp : sum) / lines - changes.usual) * std::sqrt(static_cast<double>(lines));
}

/// The step on whose multiples the level changes most, against elsewhere.
Grid gridOf(const Changes& changes, double stepSeconds) {
    constexpr int places = 24;
    Grid best;
    double most = 0.0;
    const auto keep = [&](double step, double begin, bool sharply) {
        const double stands = standingOut(changes, stepSeconds, step, begin, sharply);
        if (stands <= most) return;
        most = stands;
        best = {step, begin};
    };
    for (double step = shortestStep; step < longestStep; step *= 1.002)
        for (int p = 0; p < places; ++p) keep(step, step * p / places, false);
    if (!isMeasured(best.step)) return best;
    // Closer: over a long phrase a hair's breadth adds up.
    const Grid rough = best;
    most = 0.0;
    for (double step = 0.988 * rough.step; step < 1.012 * rough.step; step *= 1.0002)
        for (int p = -24; p <= 24; ++p) keep(step, rough.begin + rough.step * p / 96.0, true);
    return best;
}

/// A level inside of notes, away from their beginnings and ends, with sums for the variance of any part of it.
class HeldLevel {
public:
    HeldLevel(const Track& level, const Performance& performance) {
        constexpr double settled = 0.04;
        int note = 0;
        std::size_t last = 0;
        for (std::size_t i = 0; i < level.values.size(); ++i) {
            const double seconds = static_cast<double>(i) * level.stepSeconds;
            if (!isHeld(performance, seconds, settled) || begins(performance, seconds)) continue;
            if (!seconds_.empty() && i > last + 1) ++note;
            last = i;
            const auto value = static_cast<double>(level.values[i]);
            seconds_.push_back(seconds);
            notes_.push_back(note);
            sums_.push_back(sums_.back() + value);
            squares_.push_back(squares_.back() + value * value);
        }
    }

    std::size_t count() const { return seconds_.size(); }

    /// Squared deviation from the mean of each step, and how many steps there are; a step ends with its note.
    struct Deviation {
        double squares = 0.0;
        int steps = 0;
    };
    Deviation deviationOn(double step, double begin) const {
        Deviation sum;
        for (std::size_t from = 0; from < count();) {
            const double line = begin + (std::floor((seconds_[from] - begin) / step) + 1.0) * step;
            std::size_t to = from + 1;
            while (to < count() && seconds_[to] < line && notes_[to] == notes_[from]) ++to;
            const auto n = static_cast<double>(to - from);
            const double mean = (sums_[to] - sums_[from]) / n;
            sum.squares += std::max(0.0, squares_[to] - squares_[from] - n * mean * mean);
            ++sum.steps;
            from = to;
        }
        return sum;
    }

private:
    std::vector<double> seconds_, sums_{0.0}, squares_{0.0};
    std::vector<int> notes_; ///< which of them an instant belongs to
};

/// The grid between whose lines the level hardly moves.
Grid gridByLevels(const Track& level, const Performance& performance) {
    constexpr double leastDb = 5.0, leastExplained = 0.85;
    constexpr double independent = 0.02; // seconds after which a level says something new
    constexpr double leastSeconds = 0.5;
    const HeldLevel held(level, performance);
    const auto count = static_cast<double>(held.count());
    if (count * level.stepSeconds < leastSeconds) return {};
    const double all = held.deviationOn(1e6, 0.0).squares;
    if (all < leastDb * leastDb * count) return {};
    const double facts = count * level.stepSeconds / independent;
    Grid best;
    double most = 0.0, left = all;
    const auto keep = [&](double step, double begin) {
        const HeldLevel::Deviation deviation = held.deviationOn(step, begin);
        const double told =
            0.5 * facts * std::log(all / (deviation.squares + 1e-9 * all)) - 0.5 * deviation.steps * std::log(facts);
        if (told <= most) return;
        most = told;
        left = deviation.squares;
        best = {step, begin};
    };
    constexpr int places = 24;
    for (double step = shortestStep; step < longestStep; step *= 1.004)
        for (int p = 0; p < places; ++p) keep(step, step * p / places);
    if (!isMeasured(best.step)) return {};
    const Grid rough = best;
    for (double step = 0.994 * rough.step; step < 1.006 * rough.step; step *= 1.0005)
        for (int p = -12; p <= 12; ++p) keep(step, rough.begin + rough.step * p / 96.0);
    return left < (1.0 - leastExplained) * all ? best : Grid{};
}

/// The shortest round that repeats about as well as any, averaged over its repeats; empty where none does.
std::vector<double> roundOf(const std::vector<double>& shares, double alike) {
    constexpr double certainlyAlike = 0.1, asWell = 1.3;
    std::vector<std::vector<double>> rounds;
    std::vector<double> apart;
    for (std::size_t round : {2, 3, 4, 6, 8, 12, 16, 24, 32}) {
        if (2 * round > shares.size() + round / 4) break;
        std::vector<double>& means = rounds.emplace_back(round, 0.0);
        for (std::size_t i = 0; i < shares.size(); ++i) {
            const std::size_t repeats = (shares.size() - i % round + round - 1) / round;
            means[i % round] += shares[i] / static_cast<double>(repeats);
        }
        double& sum = apart.emplace_back(0.0);
        for (std::size_t i = 0; i < shares.size(); ++i)
            sum += std::abs(shares[i] - means[i % round]) / static_cast<double>(shares.size());
    }
    if (rounds.empty()) return {};
    const double best = *std::min_element(apart.begin(), apart.end());
    const double most = std::min(alike, std::max(certainlyAlike, asWell * best));
    for (std::size_t i = 0; i < rounds.size(); ++i)
        if (apart[i] <= most) return rounds[i];
    return {};
}

/// `alike`: by how much amplitudes of rounds may differ in the mean, as shares of the full one.
StepPattern patternOn(const Grid& grid, const Track& level, const Performance& performance, double alike) {
    if (!isMeasured(grid.step)) return {};
    double first = 1e9, last = 0.0;
    for (const Note& note : performance.notes) {
        first = std::min(first, note.start);
        last = std::max(last, note.end);
    }
    const double begin = grid.begin + std::ceil((first - 0.3 * grid.step - grid.begin) / grid.step) * grid.step;
    // Levels in the middle of each step, below the highest near by: notes may be louder or softer, and decay.
    std::vector<double> heard;
    for (double at = begin; at + 0.5 * grid.step < last; at += grid.step) {
        std::vector<float> within;
        for (double t = at + 0.25 * grid.step; t < at + 0.85 * grid.step; t += level.stepSeconds)
            if (t >= 0.0 && level.indexAt(t) < static_cast<int>(level.values.size()))
                within.push_back(level.values[static_cast<std::size_t>(level.indexAt(t))]);
        heard.push_back(within.empty() ? silenceDb : medianOf(within));
    }
    constexpr std::ptrdiff_t near = 4;
    std::vector<double> shares;
    for (std::size_t i = 0; i < heard.size(); ++i) {
        const auto at = static_cast<std::ptrdiff_t>(i);
        const auto from = heard.begin() + std::max<std::ptrdiff_t>(0, at - near),
                   to = heard.begin() +
                        std::min<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(heard.size()), at + near + 1);
        shares.push_back(gainFromDb(std::max(-60.0, heard[i] - *std::max_element(from, to))));
    }
    if (shares.size() < 4) return {};
    StepPattern pattern{grid.step, begin, {}};
    pattern.levels = roundOf(shares, alike);
    if (pattern.levels.empty()) {
        if (shares.size() > mostSteps) return {};
        pattern.levels = shares;
    }
    const auto [low, high] = std::minmax_element(pattern.levels.begin(), pattern.levels.end());
    if (*low > 0.6 * *high) return {};
    for (double& share : pattern.levels) share = std::clamp(share / *high, 0.0, 1.0);
    return pattern;
}

} // namespace

StepPattern findStepPattern(std::span<const float> mono48k, const Performance& performance) {
    if (performance.notes.empty()) return {};
    // Smooth over a period of the lowest note, no more: edges shall stay edges.
    double lowest = 127.0;
    for (const Note& note : performance.notes) lowest = std::min(lowest, 1.0 * note.key);
    const Track level = levelTrack(mono48k, std::clamp(1.2 / hzFromKey(lowest), 0.006, 0.02));
    return patternOn(gridOf(changesOf(level, performance), level.stepSeconds), level, performance, 0.1);
}

StepPattern findStepPattern(const Track& levelDb, const Performance& performance) {
    if (performance.notes.empty()) return {};
    return patternOn(gridByLevels(levelDb, performance), levelDb, performance, 0.17);
}

} // namespace facet
