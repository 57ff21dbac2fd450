// What a summary says of motion: what goes round, what the pitch does, how the sides differ.
#include "core/prior/summary_parts.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr auto rates =
    std::to_array<double>({0.15, 0.25, 0.4, 0.6, 0.85, 1.2, 1.7, 2.4, 3.3, 4.3, 5.2, 6.2, 7.5, 9.5, 13.0, 18.0});

/// Where the notes sound, and what they do there.
struct Sounding {
    std::size_t frame;  ///< number of a frame
    std::size_t moment; ///< that began last
    double since;       ///< seconds since it began
};

std::vector<Sounding> soundingFrames(const SoundFrames& sound) {
    std::vector<Sounding> found;
    std::size_t moment = 0;
    for (std::size_t i = 0; i < sound.frames.size(); ++i) {
        const double seconds = static_cast<double>(i) * summaryHop;
        while (moment + 1 < sound.moments.size() && sound.moments[moment + 1].start <= seconds) ++moment;
        const double since = seconds - sound.moments[moment].start;
        if (since > 0.02 && sound.frames[i].sounds && sound.frames[i].level > -55.0f)
            found.push_back({i, moment, since});
    }
    return found;
}

/// Takes out of a track what all notes do alike at the same time since their onset, and what goes with key and
/// velocity.
void takeOutNotes(const SoundFrames& sound, const std::vector<Sounding>& places, std::vector<double>& track) {
    constexpr int bins = 24;
    const auto binOf = [](double since) {
        return std::clamp(static_cast<int>(4.0 * std::log2(since / 0.02)), 0, bins - 1);
    };
    for (int turn = 0; turn < 2; ++turn) {
        std::array<double, bins> sum{}, count{};
        for (std::size_t i = 0; i < places.size(); ++i) {
            sum[static_cast<std::size_t>(binOf(places[i].since))] += track[i];
            count[static_cast<std::size_t>(binOf(places[i].since))] += 1.0;
        }
        for (std::size_t i = 0; i < places.size(); ++i) {
            const auto bin = static_cast<std::size_t>(binOf(places[i].since));
            track[i] -= sum[bin] / count[bin];
        }
        for (const bool byKey : {true, false}) {
            double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
            const auto played = [&](std::size_t i) {
                const SoundMoment& moment = sound.moments[places[i].moment];
                return byKey ? (moment.key - 60.0) / 12.0 : moment.velocity / 32.0;
            };
            for (std::size_t i = 0; i < places.size(); ++i) {
                n += 1.0;
                x += played(i);
                y += track[i];
                xx += played(i) * played(i);
                xy += played(i) * track[i];
            }
            const double varies = xx - x * x / std::max(1.0, n);
            if (varies < 0.01 * n) continue;
            const double slope = (xy - x * y / n) / varies;
            for (std::size_t i = 0; i < places.size(); ++i) track[i] -= y / n + slope * (played(i) - x / n);
        }
    }
}

/// By least squares at each rate: which share of a track's variance a sine explains, in tenths; and its deviation.
void addSines(const std::vector<Sounding>& places, const std::vector<double>& track, std::vector<float>& summary) {
    double square = 0.0, mean = 0.0, fast = 0.0;
    const auto n = static_cast<double>(std::max<std::size_t>(1, places.size()));
    for (const double x : track) mean += x / n;
    for (const double x : track) square += (x - mean) * (x - mean);
    for (std::size_t i = 1; i < places.size(); ++i)
        if (places[i].frame == places[i - 1].frame + 1) fast += (track[i] - track[i - 1]) * (track[i] - track[i - 1]);
    summary.push_back(4.0f * static_cast<float>(std::log2(0.05 + std::sqrt(square / n))));
    summary.push_back(4.0f * static_cast<float>(std::log2(0.05 + std::sqrt(fast / n))));
    for (const double rate : rates) {
        double cc = 1e-9, ss = 1e-9, cs = 0.0, cx = 0.0, sx = 0.0, c1 = 0.0, s1 = 0.0;
        const double turn = 2.0 * std::numbers::pi * rate * summaryHop;
        const double stepC = std::cos(turn), stepS = std::sin(turn);
        double c = 1.0, s = 0.0;
        std::size_t frame = 0;
        for (std::size_t i = 0; i < places.size(); ++i) {
            if (places[i].frame != frame + 1 || i == 0) {
                c = std::cos(turn * static_cast<double>(places[i].frame));
                s = std::sin(turn * static_cast<double>(places[i].frame));
            } else {
                const double next = c * stepC - s * stepS;
                s = s * stepC + c * stepS;
                c = next;
            }
            frame = places[i].frame;
            const double x = track[i] - mean;
            cc += c * c;
            ss += s * s;
            cs += c * s;
            cx += c * x;
            sx += s * x;
            c1 += c;
            s1 += s;
        }
        cc -= c1 * c1 / n;
        ss -= s1 * s1 / n;
        cs -= c1 * s1 / n;
        const double determinant = cc * ss - cs * cs;
        const double explained =
            determinant > 1e-3 * cc * ss ? (ss * cx * cx - 2.0 * cs * cx * sx + cc * sx * sx) / determinant : 0.0;
        summary.push_back(static_cast<float>(10.0 * std::clamp(explained / (square + 1e-6), 0.0, 1.0)));
    }
}

} // namespace

void addMotion(const SoundFrames& sound, std::vector<float>& summary) {
    const std::vector<Sounding> places = soundingFrames(sound);
    std::vector<double> track(places.size());
    const auto go = [&](auto&& of) {
        for (std::size_t i = 0; i < places.size(); ++i) track[i] = of(sound.frames[places[i].frame]);
        takeOutNotes(sound, places, track);
        addSines(places, track, summary);
    };
    go([](const SoundFrame& frame) { return static_cast<double>(frame.level); });
    go([](const SoundFrame& frame) { return 6.0 * frame.centroid; });
    for (std::size_t g = 0; g < summaryGroups; ++g)
        go([g](const SoundFrame& frame) {
            return 0.25 * (frame.mid[4 * g] + frame.mid[4 * g + 1] + frame.mid[4 * g + 2] + frame.mid[4 * g + 3]) -
                   frame.level;
        });
    for (std::size_t g = 1; g < summaryGroups; g += 2) {
        go([g](const SoundFrame& frame) { return static_cast<double>(frame.side[g]); });
        go([g](const SoundFrame& frame) { return static_cast<double>(frame.balance[g]); });
    }
}

void addPitch(const SoundFrames& sound, std::vector<float>& summary) {
    constexpr auto times = std::to_array<double>({0.0125, 0.025, 0.0375, 0.0625, 0.1, 0.2, 0.4, 0.8});
    std::vector<Sounding> places;
    std::vector<double> track;
    std::array<std::vector<double>, times.size()> at;
    std::vector<double> means(sound.moments.size()), counts(sound.moments.size());
    for (const Sounding& place : soundingFrames(sound)) {
        const SoundFrame& frame = sound.frames[place.frame];
        if (!frame.pitched) continue;
        places.push_back(place);
        track.push_back(0.2 * frame.cents);
        means[place.moment] += 0.2 * frame.cents;
        counts[place.moment] += 1.0;
        for (std::size_t t = 0; t < times.size(); ++t)
            if (std::abs(place.since - times[t]) < 0.5 * summaryHop) at[t].push_back(0.2 * frame.cents);
    }
    for (auto& values : at) {
        double mean = 0.0, square = 0.0;
        for (const double value : values) {
            mean += value / static_cast<double>(values.size());
            square += value * value / static_cast<double>(values.size());
        }
        std::sort(values.begin(), values.end());
        summary.push_back(values.empty() ? 0.0f : static_cast<float>(values[values.size() / 2]));
        summary.push_back(static_cast<float>(std::sqrt(std::max(0.0, square - mean * mean))));
    }
    double mean = 0.0, square = 0.0, n = 0.0;
    for (std::size_t m = 0; m < means.size(); ++m) {
        if (counts[m] < 1.0) continue;
        mean += means[m] / counts[m];
        square += means[m] / counts[m] * (means[m] / counts[m]);
        n += 1.0;
    }
    summary.push_back(n > 0.0 ? static_cast<float>(std::sqrt(std::max(0.0, square / n - mean / n * (mean / n))))
                              : 0.0f);
    // A glide comes from the note before it.
    double early = 0.0, steps = 0.0;
    for (const Sounding& place : places) {
        if (place.moment == 0 || place.since > 0.06) continue;
        const double step =
            std::clamp(sound.moments[place.moment - 1].key - sound.moments[place.moment].key, -12.0, 12.0);
        early += step * 0.05 * sound.frames[place.frame].cents;
        steps += step * step;
    }
    summary.push_back(static_cast<float>(steps > 0.0 ? 20.0 * early / steps : 0.0));
    takeOutNotes(sound, places, track);
    addSines(places, track, summary);
}

void addSides(const SoundFrames& sound, std::vector<float>& summary) {
    for (const bool whileHeld : {true, false})
        for (std::size_t g = 0; g < summaryGroups; ++g) {
            double n = 0.0, side = 0.0, balance = 0.0, square = 0.0, sideSquare = 0.0;
            for (const SoundFrame& frame : sound.frames) {
                if (frame.sounds != whileHeld || frame.level < -55.0f) continue;
                n += 1.0;
                side += frame.side[g];
                sideSquare += frame.side[g] * frame.side[g];
                balance += frame.balance[g];
                square += frame.balance[g] * frame.balance[g];
            }
            n = std::max(1.0, n);
            for (const double value : {side / n, std::sqrt(std::max(0.0, sideSquare / n - side / n * (side / n))),
                                       balance / n, std::sqrt(std::max(0.0, square / n - balance / n * (balance / n)))})
                summary.push_back(static_cast<float>(value));
        }
}

} // namespace facet
