#include "core/match/evidence/side_comb.h"

#include "core/analysis/series/track.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <cstdint>
#include <numbers>
#include <utility>
#include <vector>

namespace facet {

namespace {

constexpr double turn = 2.0 * std::numbers::pi;
constexpr float mostDb = 12.0f; ///< a difference counts no more than this: other voices have sides of their own

/// A partial at an instant: how much louder it is on the left.
struct SidePoint {
    float hz, seconds, db;
};

/// Level in dB of sound to which a share of itself is added so many cycles late.
class CombResponse {
public:
    explicit CombResponse(double mix) {
        for (std::size_t i = 0; i < size; ++i) {
            const auto turned = std::polar(mix, -turn * static_cast<double>(i) / size);
            values_[i] = static_cast<float>(dbFromGain(std::max(0.1, std::abs(1.0 - mix + turned))));
        }
    }
    float operator()(double cycles) const {
        return values_[static_cast<std::size_t>((cycles - std::floor(cycles)) * size) % size];
    }

private:
    static constexpr std::size_t size = 512;
    std::array<float, size> values_{};
};

/// The strongest peaks of each frame, frame by frame; frames far softer than the loudest are left out.
std::vector<std::vector<SidePoint>> pointsOf(const Recording& recording, double highestHz, std::size_t mostFrames) {
    constexpr int window = 2048, transform = 4096, hop = 1024;
    constexpr double lowestHz = 110.0;
    constexpr std::size_t mostPeaks = 20;
    constexpr float inFrame = 1e-4f, inPhrase = 1e-4f; // power re the strongest: −40 dB
    RealFft fft(transform);
    const auto& hann = hannWindow(window);
    const double binHz = static_cast<double>(analysisRateHz) / transform;
    const int frames = std::max(1, (recording.frameCount() - window) / hop + 1);
    const int every = std::max(1, frames / static_cast<int>(mostFrames));
    std::vector<std::vector<SidePoint>> points;
    std::vector<float> loudest;
    std::array<std::vector<float>, 2> power;
    for (int f = 0; f < frames; f += every) {
        for (std::size_t side = 0; side < 2; ++side) {
            windowedFrame(recording.channels[side], f * hop, hann, fft.time());
            fft.forward();
            power[side].clear();
            for (const auto& bin : fft.bins()) power[side].push_back(std::norm(bin));
        }
        const auto sum = [&](std::size_t b) { return power[0][b] + power[1][b]; };
        const auto first = static_cast<std::size_t>(lowestHz / binHz),
                   last = static_cast<std::size_t>(highestHz / binHz);
        float most = 1e-12f;
        for (std::size_t b = 2; b + 2 < power[0].size(); ++b) most = std::max(most, sum(b));
        std::vector<std::pair<float, std::size_t>> peaks;
        for (std::size_t b = first; b <= last; ++b)
            if (const float x = sum(b);
                x > inFrame * most && x > sum(b - 1) && x >= sum(b + 1) && x > sum(b - 2) && x >= sum(b + 2))
                peaks.emplace_back(x, b);
        std::sort(peaks.rbegin(), peaks.rend());
        peaks.resize(std::min(peaks.size(), mostPeaks));
        std::vector<SidePoint> of;
        for (const auto& [x, b] : peaks) {
            const double db = dbFromPower((power[0][b] + 1e-6f * x) / (power[1][b] + 1e-6f * x));
            of.push_back({static_cast<float>(static_cast<double>(b) * binHz),
                          static_cast<float>((f * hop + window / 2) / static_cast<double>(analysisRateHz)),
                          static_cast<float>(std::clamp(db, -20.0, 20.0))});
        }
        points.push_back(std::move(of));
        loudest.push_back(most);
    }
    const float all = *std::max_element(loudest.begin(), loudest.end());
    for (std::size_t f = 0; f < points.size(); ++f)
        if (loudest[f] < inPhrase * all) points[f].clear();
    std::erase_if(points, [](const auto& of) { return of.empty(); });
    return points;
}

/// Mean deviation in dB of a comb from the points.
double deviationOf(const SideComb& comb, const CombResponse& response, const std::vector<SidePoint>& points) {
    double sum = 0.0;
    for (const SidePoint& point : points) {
        const auto seconds = static_cast<double>(point.seconds), hz = static_cast<double>(point.hz);
        const float db = response(hz * comb.delayAt(false, seconds)) - response(hz * comb.delayAt(true, seconds));
        sum += static_cast<double>(std::min(mostDb, std::abs(point.db - db)));
    }
    return sum / static_cast<double>(points.size());
}

/// What no comb leaves unexplained: the same balance at all times.
double deviationOfBalance(const std::vector<SidePoint>& points) {
    std::vector<float> levels;
    for (const SidePoint& point : points) levels.push_back(point.db);
    double least = 1e9;
    for (const float balance : {0.0f, medianOf(levels)}) {
        double sum = 0.0;
        for (const SidePoint& point : points)
            sum += static_cast<double>(std::min(mostDb, std::abs(point.db - balance)));
        least = std::min(least, sum / static_cast<double>(points.size()));
    }
    return least;
}

/// How much of what is left once each frame's own balance is taken out a comb explains: echoes that cross from side to
/// side move all partials alike, a comb each by itself.
double explainedWithinFrames(const SideComb& comb, const std::vector<std::vector<SidePoint>>& frames) {
    const CombResponse response(comb.mix);
    double with = 0.0, without = 1e-9;
    for (const std::vector<SidePoint>& points : frames) {
        std::vector<float> measured, left;
        for (const SidePoint& point : points) {
            const auto seconds = static_cast<double>(point.seconds), hz = static_cast<double>(point.hz);
            const float db = response(hz * comb.delayAt(false, seconds)) - response(hz * comb.delayAt(true, seconds));
            measured.push_back(point.db);
            left.push_back(point.db - db);
        }
        const auto apart = [](const std::vector<float>& values) {
            const float middle = medianOf(values);
            double sum = 0.0;
            for (float each : values) sum += static_cast<double>(std::min(mostDb, std::abs(each - middle)));
            return sum;
        };
        with += apart(left);
        without += apart(measured);
    }
    return 1.0 - with / without;
}

/// All pairs of delays against the points of each frame, on a grid of 0.1 ms.
class DelayGrid {
public:
    static constexpr double step = 1e-4, shortest = 5e-4; // seconds
    static constexpr int delays = 256, farthest = 84;     ///< steps from one side's delay to the other's
    static constexpr int rows = 2 * farthest + 1;

    DelayGrid(const std::vector<std::vector<SidePoint>>& frames, int threads)
        : costs_(frames.size() * static_cast<std::size_t>(rows * delays)) {
        constexpr double usualMix = 0.4; // more would have deeper notches than rooms and other voices leave
        const CombResponse response(usualMix);
        parallelFor(static_cast<int>(frames.size()), threads, [&](int f) {
            const std::vector<SidePoint>& points = frames[static_cast<std::size_t>(f)];
            std::vector<std::array<float, delays + 2 * farthest>> all; // of each point; beyond the ends as at the ends
            for (const SidePoint& point : points) {
                std::array<float, delays + 2 * farthest> levels;
                for (int i = 0; i < delays + 2 * farthest; ++i) {
                    const int at = std::clamp(i - farthest, 0, delays - 1);
                    levels[static_cast<std::size_t>(i)] =
                        response(static_cast<double>(point.hz) * (shortest + step * at));
                }
                all.push_back(levels);
            }
            for (int apart = -farthest; apart <= farthest; ++apart) {
                std::array<float, delays> sum{};
                for (std::size_t p = 0; p < all.size(); ++p) {
                    const float* left = all[p].data() + farthest;
                    const float* right = left + apart;
                    const float db = points[p].db;
                    for (std::size_t i = 0; i < delays; ++i)
                        sum[i] += std::min(mostDb, std::abs(db - (left[i] - right[i])));
                }
                std::uint8_t* row = rowOf(f, apart);
                for (std::size_t i = 0; i < delays; ++i) row[i] = static_cast<std::uint8_t>(std::min(255.0f, sum[i]));
            }
        });
    }
    /// Costs of all delays of the left side, the right side's so many steps longer.
    const std::uint8_t* rowOf(int frame, int apart) const {
        return costs_.data() + (static_cast<std::size_t>(frame) * rows + static_cast<std::size_t>(apart + farthest)) *
                                   static_cast<std::size_t>(delays);
    }

private:
    std::uint8_t* rowOf(int frame, int apart) {
        return const_cast<std::uint8_t*>(std::as_const(*this).rowOf(frame, apart));
    }
    std::vector<std::uint8_t> costs_;
};

/// Adds one row of costs. Written so that compilers add many at a time.
void addBytes(const std::uint8_t* row, std::uint16_t* sum, std::size_t count) {
    constexpr std::size_t group = 16;
    std::size_t i = 0;
    for (; i + group <= count; i += group)
        for (std::size_t k = 0; k < group; ++k) sum[i + k] = static_cast<std::uint16_t>(sum[i + k] + row[i + k]);
    for (; i < count; ++i) sum[i] = static_cast<std::uint16_t>(sum[i] + row[i]);
}

/// The best combs on the grid, one for each rate, best first.
std::vector<SideComb> bestOnGrid(const std::vector<std::vector<SidePoint>>& frames, int threads) {
    constexpr int rates = 40, phases = 16;
    constexpr double slowestHz = 0.06, rateStep = 0.055;
    constexpr std::array<double, 3> apart{0.25, 0.5, 0.75};
    constexpr double leastDepth = 2e-4, depthStep = 2e-4;
    constexpr int depths = 19;
    const DelayGrid grid(frames, threads);
    std::vector<std::pair<int, SideComb>> best(rates, {1 << 30, {}});
    parallelFor(rates, threads, [&](int r) {
        const double rate = slowestHz + rateStep * r;
        std::array<std::uint16_t, DelayGrid::delays> sum;
        std::vector<std::pair<double, double>> sways(frames.size()); // of both sides, in each frame, re the depth
        for (int p = 0; p < phases; ++p)
            for (const double sides : apart) {
                const double phase = static_cast<double>(p) / phases;
                for (std::size_t f = 0; f < frames.size(); ++f) {
                    const double place = rate * static_cast<double>(frames[f].front().seconds) + phase;
                    sways[f] = {std::sin(turn * place), std::sin(turn * (place + sides))};
                }
                for (int d = 0; d < depths; ++d) {
                    const double depth = leastDepth + depthStep * d;
                    const int reach = static_cast<int>(std::ceil(depth / DelayGrid::step));
                    const auto count = static_cast<std::size_t>(DelayGrid::delays - 2 * reach);
                    sum.fill(0);
                    for (std::size_t f = 0; f < frames.size(); ++f) {
                        const auto steps = [&](double sway) {
                            return static_cast<int>(std::lround(depth * sway / DelayGrid::step));
                        };
                        const int left = steps(sways[f].first);
                        addBytes(grid.rowOf(static_cast<int>(f), steps(sways[f].second) - left) + left + reach,
                                 sum.data(), count);
                    }
                    const auto lowest = std::min_element(sum.begin(), sum.begin() + static_cast<std::ptrdiff_t>(count));
                    auto& [least, comb] = best[static_cast<std::size_t>(r)];
                    if (*lowest >= least) continue;
                    least = *lowest;
                    const auto at = static_cast<double>(lowest - sum.begin() + reach);
                    comb = {DelayGrid::shortest + DelayGrid::step * at, depth, rate, phase, sides};
                }
            }
    });
    std::stable_sort(best.begin(), best.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<SideComb> combs;
    for (const auto& each : best) combs.push_back(each.second);
    return combs;
}

/// Steps in one value at a time, ever shorter.
void refine(SideComb& comb, double& deviation, const std::vector<SidePoint>& points) {
    struct Way {
        double SideComb::*value;
        double step, low, high;
    };
    std::array<Way, 6> ways{{{&SideComb::delay, 1e-4, 3e-4, 0.03},
                             {&SideComb::depth, 1e-4, 5e-5, 0.006},
                             {&SideComb::rateHz, 0.02, 0.03, 3.0},
                             {&SideComb::phase, 0.03, -2.0, 2.0},
                             {&SideComb::sides, 0.04, 0.05, 0.95},
                             {&SideComb::mix, 0.08, 0.15, 0.5}}};
    constexpr int rounds = 40;
    constexpr double shorter = 0.6, shortest = 0.01;
    double scale = 1.0;
    for (int round = 0; round < rounds && scale > shortest; ++round) {
        bool better = false;
        for (const Way& way : ways)
            for (const double sign : {1.0, -1.0}) {
                SideComb other = comb;
                other.*way.value = std::clamp(other.*way.value + sign * scale * way.step, way.low, way.high);
                const double now = deviationOf(other, CombResponse(other.mix), points);
                if (now >= deviation) continue;
                comb = other;
                deviation = now;
                better = true;
            }
        if (!better) scale *= shorter;
    }
}

} // namespace

double SideComb::delayAt(bool right, double seconds) const {
    return delay + depth * std::sin(turn * (rateHz * seconds + phase + (right ? sides : 0.0)));
}

double SideComb::powerAt(double hz, double seconds) const {
    double power = 0.0;
    for (const bool right : {false, true})
        power += 0.5 * std::norm(1.0 - mix + std::polar(mix, -turn * hz * delayAt(right, seconds)));
    return power;
}

namespace {

/// Which partials are looked at, below which frequencies.
struct Look {
    double gridHz;    ///< on the grid: above, its steps are too long
    double highestHz; ///< afterwards: above, phases are unsure
};

std::optional<SideComb> lookFor(const Recording& recording, const Look& look, int threads) {
    constexpr std::size_t mostFrames = 120, pursued = 6, fewest = 60;
    constexpr double leastDb = 0.5, leastExplained = 0.03, leastWithin = 0.02, surely = 2.0;
    constexpr double leastDepth = 3e-4;                     // what moves less is a balance that changes with frequency
    constexpr double otherRateHz = 0.08, otherDelay = 5e-4; // of another comb
    std::vector<SidePoint> points;
    const auto byFrame = pointsOf(recording, look.highestHz, mostFrames);
    for (const auto& of : byFrame) points.insert(points.end(), of.begin(), of.end());
    if (points.size() < fewest) return std::nullopt;
    const double balance = deviationOfBalance(points);
    if (balance < leastDb) return std::nullopt; // no sides to speak of
    const auto frames = pointsOf(recording, look.gridHz, mostFrames);
    if (frames.empty()) return std::nullopt;
    std::vector<SideComb> combs = bestOnGrid(frames, threads);
    combs.resize(std::min(combs.size(), pursued));
    parallelFor(static_cast<int>(combs.size()), threads, [&](int i) {
        SideComb& comb = combs[static_cast<std::size_t>(i)];
        double deviation = deviationOf(comb, CombResponse(comb.mix), points);
        refine(comb, deviation, points);
        comb.explained = 1.0 - deviation / balance;
    });
    SideComb best = *std::max_element(combs.begin(), combs.end(),
                                      [](const SideComb& a, const SideComb& b) { return a.explained < b.explained; });
    double others = 0.0;
    for (const SideComb& each : combs)
        if (std::abs(each.rateHz - best.rateHz) > otherRateHz || std::abs(each.delay - best.delay) > otherDelay)
            others = std::max(others, each.explained);
    if (best.explained < std::max(leastExplained, surely * others) || best.depth < leastDepth ||
        explainedWithinFrames(best, byFrame) < leastWithin)
        return std::nullopt;
    best.phase -= std::floor(best.phase);
    return best;
}

} // namespace

std::optional<SideComb> sideCombOf(const Recording& recording, int threads) {
    if (recording.channelCount() != 2) return std::nullopt;
    for (const Look& look : {Look{1500.0, 4000.0}, Look{800.0, 2000.0}})
        if (const auto comb = lookFor(recording, look, threads)) return comb;
    return std::nullopt;
}

} // namespace facet
