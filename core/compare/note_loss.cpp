#include "core/compare/note_loss.h"

#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/base/heavy_work.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace facet {

namespace note_cells {

constexpr int shortSize = 512; ///< at 48 kHz, of the first moments, which no window of a low note resolves
constexpr int leastSize = 1024, mostSize = 8192; ///< at 48 kHz, of windows that resolve partials
constexpr float floorShare = 1e-6f;              ///< −60 dB re the loudest cell of a span's resolution
constexpr double longestSpan = 0.125;            ///< seconds
constexpr double groupOctaves = 1.0 / 6.0;       ///< partials that lie nearer than so are one cell
constexpr float compression = 12.0f;             ///< dB from which on differences count less and less
constexpr float levelWeight = 3.0f, sideWeight = 0.3f, betweenWeight = 0.6f, pitchWeight = 0.15f;
constexpr float mostOffPitch = 50.0f;
constexpr float repeatWeight = 5.0f; ///< for a tenth of correlation, as for a decibel

struct Bins {
    int first, last; ///< the last is one past
};

struct Cell {
    std::vector<Bins> bins;
    bool between; ///< partials, or what lies between notes' partials
};

/// Frames of one transform size over which the power is averaged.
struct Span {
    int size;                ///< of the transform
    std::vector<int> begins; ///< of each frame, samples
    std::vector<Cell> cells;
    bool tail;    ///< after the notes have ended
    double start; ///< seconds at which the note begins
    float weight; ///< of all its cells
    // Of the reference:
    Eigen::VectorXf levels; ///< dB of each cell above the floor
    Eigen::VectorXf weights;
    std::vector<bool> bounded;
    float floor = 0.0f; ///< power
    float level = 0.0f; ///< dB of all cells together
    bool levelBounded = false;
    std::vector<float> sides; ///< dB of the side re the middle, by groups of cells
};

struct PitchPoint {
    double seconds, hz;
};

/// Where it is asked how far a sound repeats itself by a note's period: what noise never does.
struct RepeatPoint {
    double seconds, hz;
    float repeats; ///< of the reference, −1 … 1
};

/// Normalized correlation of three periods with what lies so many periods later that rounding to samples matters
/// little.
float repeatsAt(const std::vector<float>& mono, double rate, double seconds, double hz) {
    const double period = rate / hz;
    int lag = static_cast<int>(std::lround(period));
    double off = std::abs(period - lag) / period;
    for (int k = 2; k <= 3; ++k) {
        const double apart = std::abs(k * period - std::round(k * period)) / period;
        if (apart > 0.5 * off) continue;
        off = apart;
        lag = static_cast<int>(std::lround(k * period));
    }
    const int length = static_cast<int>(3.0 * period), begin = static_cast<int>(seconds * rate) - (length + lag) / 2;
    if (begin < 0 || begin + length + lag > static_cast<int>(mono.size())) return 0.0f;
    const float* x = mono.data() + begin;
    const float* y = x + lag;
    const float energy = 0.5f * (dotProduct(x, x, length) + dotProduct(y, y, length));
    return energy > 1e-12f ? dotProduct(x, y, length) / energy : 0.0f;
}

std::vector<double> fundamentalsOf(const Performance& performance, const std::vector<std::size_t>& notes, double at) {
    std::vector<double> hz;
    for (const std::size_t n : notes) {
        const Note& note = performance.notes[n];
        if (note.start <= at + 0.005) hz.push_back(hzFromKey(note.key + note.cents / 100.0, performance.tuningCents));
    }
    // Of a line for one voice the newest sounds alone, but a moment of keys that are held together is a chord.
    return hz;
}

/// The bin in the middle of a band.
Cell onlyCell(int size, double rate, double lowerHz, double upperHz) {
    const int bin = std::clamp(static_cast<int>(std::lround(0.5 * (lowerHz + upperHz) * size / rate)), 1, size / 2 - 1);
    return {{{bin, bin + 1}}, false};
}

/// Cells that follow the partials of all fundamentals, and what lies between them.
std::vector<Cell> cellsOf(const std::vector<double>& fundamentals, int size, double rate, double lowerHz,
                          double upperHz) {
    const double binHz = rate / size;
    std::vector<std::pair<double, double>> partials; // Hz
    for (const double f0 : fundamentals)
        for (int p = 1; p * f0 < upperHz; ++p) {
            if (p * f0 < lowerHz) continue;
            const double half = std::min(0.5 * f0, 2.0 * binHz + 0.004 * p * f0);
            partials.emplace_back(p * f0 - half, p * f0 + half);
        }
    std::sort(partials.begin(), partials.end());
    const auto binsOf = [&](double low, double high) {
        const int last = size / 2;
        return Bins{std::clamp(static_cast<int>(std::lround(low / binHz)), 1, last),
                    std::clamp(static_cast<int>(std::lround(high / binHz)), 1, last)};
    };
    std::vector<Cell> cells;
    std::vector<std::pair<double, double>> gaps;
    double covered = std::max(lowerHz, 2.0 * binHz);
    for (std::size_t i = 0; i < partials.size();) {
        // Those within a group's width are one cell; overlapping ones are joined.
        const double begin = std::max(partials[i].first, lowerHz);
        Cell cell{{}, false};
        std::size_t k = i;
        while (k < partials.size() &&
               (k == i || partials[k].second < std::max(begin, binHz) * std::exp2(groupOctaves) ||
                partials[k].first < covered - 0.6 * (partials[k].second - partials[k].first))) {
            const Bins each = binsOf(std::max(partials[k].first, covered), partials[k].second);
            if (partials[k].first > covered + 2.0 * binHz) gaps.emplace_back(covered, partials[k].first);
            if (each.last > each.first) cell.bins.push_back(each);
            covered = std::max(covered, partials[k].second);
            ++k;
        }
        i = k;
        if (!cell.bins.empty()) cells.push_back(std::move(cell));
    }
    if (covered < upperHz) gaps.emplace_back(covered, upperHz);
    // Between: third octaves of the gaps.
    Cell gathered{{}, true};
    double begun = 0.0;
    const auto close = [&] {
        if (!gathered.bins.empty()) cells.push_back(gathered);
        gathered.bins.clear();
    };
    for (const auto& [gapBegin, gapEnd] : gaps) {
        double from = gapBegin;
        while (from < gapEnd) {
            if (gathered.bins.empty()) begun = from;
            const double to = std::min(gapEnd, begun * std::exp2(2.0 * groupOctaves));
            const Bins bins = binsOf(from, to);
            if (bins.last > bins.first) gathered.bins.push_back(bins);
            if (to < gapEnd) close();
            if (to <= from) break;
            from = to;
        }
        if (gapEnd >= begun * std::exp2(2.0 * groupOctaves)) close();
    }
    close();
    if (cells.empty()) cells.push_back(onlyCell(size, rate, lowerHz, upperHz));
    return cells;
}

/// Wide bands, where nothing finer is resolved.
std::vector<Cell> wideCells(int size, double rate, double lowerHz, double upperHz) {
    std::vector<Cell> cells;
    const double binHz = rate / size;
    for (double low = std::max(lowerHz, binHz); low < upperHz; low *= 1.5) {
        const int first = static_cast<int>(std::lround(low / binHz)),
                  last = static_cast<int>(std::lround(std::min(upperHz, 1.5 * low) / binHz));
        if (last > first) cells.push_back({{{first, last}}, false});
    }
    if (cells.empty()) cells.push_back(onlyCell(size, rate, lowerHz, upperHz)); // a focus narrower than a bin
    return cells;
}

float compressed(float apart) { return std::copysign(compression * std::log1p(std::abs(apart) / compression), apart); }

struct Workspace {
    std::map<int, RealFft> ffts;
    std::vector<float> power;
    RealFft& fft(int size) {
        const auto found = ffts.find(size);
        if (found != ffts.end()) return found->second;
        return ffts.emplace(size, RealFft(size)).first->second;
    }
};

Workspace& workspace() {
    static thread_local Workspace space;
    return space;
}

/// Mean power of each cell over the frames that begin at the given samples.
Eigen::VectorXf powersOf(const std::vector<float>& sound, int size, const std::vector<int>& begins,
                         const std::vector<Cell>& cells) {
    Workspace& space = workspace();
    RealFft& fft = space.fft(size);
    const std::vector<float>& window = hannWindow(size);
    Eigen::VectorXf powers = Eigen::VectorXf::Zero(static_cast<Eigen::Index>(cells.size()));
    if (begins.empty()) return powers;
    space.power.resize(static_cast<std::size_t>(fft.binCount()));
    for (const int begin : begins) {
        windowedFrame(sound, begin, window, fft.time());
        fft.forward();
        squaredMagnitudes(fft.bins().data(), space.power.data(), fft.binCount());
        for (std::size_t c = 0; c < cells.size(); ++c)
            for (const Bins& bins : cells[c].bins)
                for (int b = bins.first; b < bins.last; ++b)
                    powers(static_cast<Eigen::Index>(c)) += space.power[static_cast<std::size_t>(b)];
    }
    // In units that do not depend on the size: a sine gives the same in each.
    return powers / (static_cast<float>(begins.size()) * static_cast<float>(size) * static_cast<float>(size));
}

Eigen::VectorXf decibels(const Eigen::VectorXf& power, float floor) {
    Eigen::VectorXf levels(power.size());
    const Eigen::VectorXf scaled = power / floor;
    decibelsAbove(scaled.data(), 1.0f, levels.data(), static_cast<int>(scaled.size()));
    return levels;
}

std::vector<float> sideOf(const Recording& recording) {
    std::vector<float> side(static_cast<std::size_t>(recording.frameCount()));
    for (std::size_t i = 0; i < side.size(); ++i)
        side[i] = 0.5f * (recording.channels[0][i] - recording.channels[1][i]);
    return side;
}

constexpr int sideGroups = 4;

/// Side re middle in dB of groups of neighboring cells, at least −40.
std::vector<float> sidesOf(const Eigen::VectorXf& middle, const Eigen::VectorXf& side, float floor) {
    std::vector<float> result;
    const Eigen::Index count = middle.size();
    for (int g = 0; g < sideGroups; ++g) {
        const Eigen::Index from = count * g / sideGroups, to = count * (g + 1) / sideGroups;
        if (to <= from) continue;
        const float m = middle.segment(from, to - from).sum(), s = side.segment(from, to - from).sum();
        result.push_back(10.0f * std::log10((s + 1e-4f * m + floor) / (m + floor)));
    }
    return result;
}

/// Follows the notes of a reference through it and through candidates.
struct Follower {
    std::vector<Span> spans;
    std::vector<PitchPoint> pitches;
    std::vector<RepeatPoint> repeats;
    double rate; ///< Hz, of the sounds
    bool stereo;
    double longestMoment; ///< seconds
    double until = 0.0;
    float total = 0.0f; ///< of all weights

    Follower(const Recording& reference, const Performance& performance,
             const std::vector<std::vector<std::size_t>>& moments, double lowerHz, double upperHz, double longest)
        : rate(reference.rateHz), stereo(reference.channelCount() == 2), longestMoment(longest) {
        upperHz = std::min(upperHz, 0.45 * rate);
        const std::vector<float> mono = monoMix(reference);
        const std::vector<float> side = stereo ? sideOf(reference) : std::vector<float>{};
        for (const auto& moment : moments) addMoment(performance, moment, lowerHz, upperHz, mono);
        for (Span& span : spans) measure(span, mono, side);
        for (const Span& span : spans) {
            total += span.weights.sum() +
                     span.weight * (levelWeight + (stereo ? sideWeight * static_cast<float>(span.sides.size()) : 0.0f));
            until = std::max(until, static_cast<double>(span.begins.back() + span.size) / rate);
        }
        total += repeatWeight * static_cast<float>(repeats.size());
        total += pitchWeight * mostOffPitch * static_cast<float>(pitches.size()) / 10.0f;
    }

    /// Samples that last as long as so many at 48 kHz.
    int samples(int at48k) const { return static_cast<int>(std::lround(at48k * rate / analysisRateHz)); }

    int powerOfTwoFor(double seconds) const {
        int size = samples(leastSize);
        while (size < samples(mostSize) && size < seconds * rate) size *= 2;
        return size;
    }

    void addMoment(const Performance& performance, const std::vector<std::size_t>& moment, double lowerHz,
                   double upperHz, const std::vector<float>& mono) {
        const auto& notes = performance.notes;
        double start = notes[moment.front()].start, end = 0.0;
        for (const std::size_t n : moment) {
            start = std::min(start, notes[n].start);
            end = std::max(end, notes[n].end);
        }
        double next = std::min(performance.seconds(), start + longestMoment);
        for (std::size_t n = 0; n < notes.size(); ++n)
            if (notes[n].start > start + 0.02 && std::find(moment.begin(), moment.end(), n) == moment.end())
                next = std::min(next, notes[n].start);
        // Tied notes: each from its own beginning to the next one's.
        std::vector<double> begins;
        for (const std::size_t n : moment)
            if (begins.empty() || notes[n].start > begins.back() + 0.03) begins.push_back(notes[n].start);
        for (std::size_t i = 0; i < begins.size(); ++i) {
            const double stop = std::min(next, i + 1 < begins.size() ? begins[i + 1] : end);
            std::vector<double> hz;
            if (i + 1 < begins.size() || begins.size() > 1) { // the newest of tied ones, as a line plays it
                for (const std::size_t n : moment)
                    if (std::abs(notes[n].start - begins[i]) < 0.03)
                        hz.push_back(hzFromKey(notes[n].key + notes[n].cents / 100.0, performance.tuningCents));
            } else {
                hz = fundamentalsOf(performance, moment, begins[i] + 0.03);
            }
            addSpans(begins[i], stop, std::min(next, end + tailSeconds), i + 1 == begins.size(), hz, lowerHz, upperHz);
            if (hz.size() == 1) {
                addPitch(mono, begins[i], stop, hz.front());
                addRepeats(mono, begins[i], stop, hz.front());
            }
        }
    }

    void addPitch(const std::vector<float>& mono, double start, double end, double expected) {
        const double at = start + 0.7 * (end - start);
        const double hz = refinePitch(mono, at, expected, allPartials, rate);
        if (!isMeasured(hz) || std::abs(centsBetween(expected, hz)) > 100.0) return;
        const double again = refinePitch(mono, at - 0.02, expected, allPartials, rate);
        if (isMeasured(again) && std::abs(centsBetween(hz, again)) < 20.0) pitches.push_back({at, hz});
    }

    /// Only where the reference repeats itself clearly: what beats, or has a room behind it, tells nothing so.
    void addRepeats(const std::vector<float>& mono, double start, double end, double hz) {
        constexpr float clearly = 0.6f;
        for (const double share : {0.35, 0.7}) {
            const double at = start + share * (end - start);
            const float repeats_ = repeatsAt(mono, rate, at, hz);
            if (repeats_ > clearly) repeats.push_back({at, hz, repeats_});
        }
    }

    /// Frames of a size whose middles lie within two instants, about half of the size apart.
    std::vector<int> framesWithin(int size, double from, double to) const {
        std::vector<int> begins;
        for (double middle = from; middle < to; middle += 0.45 * size / rate)
            begins.push_back(static_cast<int>(std::lround(middle * rate)) - size / 2);
        if (begins.empty()) begins.push_back(static_cast<int>(std::lround(from * rate)) - size / 2);
        return begins;
    }

    void addSpans(double start, double end, double tailEnd, bool last, const std::vector<double>& fundamentals,
                  double lowerHz, double upperHz) {
        const double lowest = *std::min_element(fundamentals.begin(), fundamentals.end());
        const int fine = powerOfTwoFor(4.0 / lowest), finer = std::min(samples(mostSize), 2 * fine);
        const auto add = [&](int size, double from, double to, bool follows, bool tail, float weight = 1.0f) {
            Span span{size, framesWithin(size, from, to), {}, tail, start, weight, {}, {}, {}, 0.0f, 0.0f, false, {}};
            span.cells =
                follows ? cellsOf(fundamentals, size, rate, lowerHz, upperHz) : wideCells(size, rate, lowerHz, upperHz);
            spans.push_back(std::move(span));
        };
        const int brief = samples(shortSize);
        const double shortHalf = 0.5 * brief / rate;
        add(brief, start + 0.5 * shortHalf, start + 1.5 * shortHalf, false, false);
        if (end - start > 0.05) add(brief, start + 1.5 * shortHalf, start + 4.0 * shortHalf, false, false);
        const double fineHalf = 0.5 * fine / rate, finerHalf = 0.5 * finer / rate;
        double from = start + 0.8 * fineHalf;
        double length = std::max(0.02, fineHalf);
        while (from < end - 0.5 * fineHalf) {
            const double to = std::min(from + length, std::max(from + 1e-3, end - 0.8 * fineHalf));
            // What is repeated within it, a gate or an LFO, is followed by parts of a span; together they weigh more
            // than one, but less than so many.
            const int parts = std::max(1, static_cast<int>(std::lround((to - from) / longestSpan)));
            for (int part = 0; part < parts; ++part) {
                const double begin = from + (to - from) * part / parts, close = from + (to - from) * (part + 1) / parts;
                const bool long_ =
                    begin > start + finerHalf && begin + finerHalf < end && close - begin > 0.5 * finerHalf;
                add(long_ ? finer : fine, begin, close, true, false, 1.0f / std::sqrt(static_cast<float>(parts)));
            }
            from = to + 1e-6;
            length *= 1.45;
            if (to >= end - 0.81 * fineHalf) break;
        }
        if (!last) return;
        double tail = end + shortHalf;
        length = 0.03;
        while (tail + length < tailEnd - shortHalf) {
            add(brief, tail, tail + length, false, true);
            tail += length;
            length *= 2.0;
        }
    }

    /// What the reference shows, and what of it is an upper bound alone.
    void measure(Span& span, const std::vector<float>& mono, const std::vector<float>& side) {
        const Eigen::VectorXf power = powersOf(mono, span.size, span.begins, span.cells);
        span.floor = std::max(1e-12f, floorShare * power.maxCoeff());
        span.levels = decibels(power, span.floor);
        const float highest = span.levels.maxCoeff();
        span.weights.resize(power.size());
        span.bounded.assign(static_cast<std::size_t>(power.size()), span.tail);
        // What sounded just before: it goes on for a while.
        constexpr float clearlyAbove = 3.0f; // times its power
        const int earlier = static_cast<int>(std::lround(span.start * rate)) - span.size;
        const Eigen::VectorXf before = powersOf(mono, span.size, {earlier}, span.cells);
        for (Eigen::Index c = 0; c < power.size(); ++c) {
            const float audible = std::clamp(1.0f + (span.levels(c) - highest) / 50.0f, 0.2f, 1.0f);
            span.weights(c) =
                span.weight * audible * (span.cells[static_cast<std::size_t>(c)].between ? betweenWeight : 1.0f);
            if (power(c) < clearlyAbove * before(c)) span.bounded[static_cast<std::size_t>(c)] = true;
            if (span.bounded[static_cast<std::size_t>(c)]) span.weights(c) *= 0.5f;
        }
        span.level = 10.0f * std::log10(power.sum() + 1e-12f);
        span.levelBounded = span.tail || power.sum() < clearlyAbove * before.sum();
        if (!side.empty()) span.sides = sidesOf(power, powersOf(side, span.size, span.begins, span.cells), span.floor);
    }

    Eigen::VectorXf residual(const Recording& candidate) const {
        const std::vector<float> mono = monoMix(candidate);
        const std::vector<float> side = stereo ? sideOf(candidate) : std::vector<float>{};
        std::vector<Eigen::VectorXf> powers;
        float gain = 0.0f, counted = 0.0f;
        for (const Span& span : spans) {
            powers.push_back(powersOf(mono, span.size, span.begins, span.cells));
            if (span.tail) continue;
            gain += span.level - 10.0f * std::log10(powers.back().sum() + 1e-9f);
            counted += 1.0f;
        }
        gain /= std::max(1.0f, counted);
        const float factor = std::pow(10.0f, 0.1f * std::clamp(gain, -80.0f, 80.0f));
        std::vector<float> all;
        for (std::size_t s = 0; s < spans.size(); ++s) {
            const Span& span = spans[s];
            const Eigen::VectorXf scaled = factor * powers[s];
            const Eigen::VectorXf levels = decibels(scaled, span.floor);
            for (Eigen::Index c = 0; c < levels.size(); ++c) {
                float apart = levels(c) - span.levels(c);
                if (span.bounded[static_cast<std::size_t>(c)] && apart < 0.0f) apart *= 0.3f;
                all.push_back(span.weights(c) * compressed(apart));
            }
            float level = 10.0f * std::log10(scaled.sum() + 1e-12f) - span.level;
            if (span.levelBounded && level < 0.0f) level *= 0.3f;
            all.push_back(span.weight * levelWeight * compressed(level));
            if (stereo) {
                const auto sides =
                    sidesOf(scaled, factor * powersOf(side, span.size, span.begins, span.cells), span.floor);
                for (std::size_t g = 0; g < sides.size(); ++g)
                    all.push_back(span.weight * sideWeight * compressed(sides[g] - span.sides[g]));
            }
        }
        for (const PitchPoint& point : pitches) {
            const double hz = refinePitch(mono, point.seconds, point.hz, allPartials, rate);
            const float cents =
                isMeasured(hz) && hz > 0.0 ? static_cast<float>(centsBetween(point.hz, hz)) : mostOffPitch;
            all.push_back(5.0f * pitchWeight * std::clamp(cents, -mostOffPitch, mostOffPitch));
        }
        for (const RepeatPoint& point : repeats) { // more of it is no fault: the reference has a room and noise
            const float missing = std::max(0.0f, point.repeats - repeatsAt(mono, rate, point.seconds, point.hz));
            all.push_back(10.0f * repeatWeight * missing);
        }
        Eigen::VectorXf residual = Eigen::Map<Eigen::VectorXf>(all.data(), static_cast<Eigen::Index>(all.size()));
        return residual * (static_cast<float>(all.size()) / total);
    }
};

} // namespace note_cells

struct NoteLoss::Impl : note_cells::Follower {
    using Follower::Follower;
};

NoteLoss::NoteLoss(const Recording& reference, const Performance& performance,
                   const std::vector<std::vector<std::size_t>>& moments, double lowerHz, double upperHz, double longest)
    : impl_(std::make_unique<Impl>(reference, performance, moments, lowerHz, upperHz, longest)) {}
NoteLoss::~NoteLoss() = default;
NoteLoss::NoteLoss(NoteLoss&&) noexcept = default;

Eigen::VectorXf NoteLoss::residual(const Recording& candidate) const {
    announceHeavyWork("note residual");
    return impl_->residual(candidate);
}

double NoteLoss::until() const { return impl_->until; }

} // namespace facet
