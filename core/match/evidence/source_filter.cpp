#include "core/match/evidence/source_filter.h"

#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/dsp/linear_algebra.h"
#include "core/match/evidence/partial_lines.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <fmt/format.h>
#include <numbers>

namespace facet {

namespace source_filter {

constexpr double pi = std::numbers::pi;
constexpr float absentDb = -90.0f;
constexpr double lowestCutoff = 5.0; ///< octaves above 1 Hz: 32 Hz
using Lines = std::array<float, lineCount>;

/// Levels of the lines of one source, dB.
struct SourceSpectrum {
    double place = 0.0;
    Lines levels{};
};

struct Candidate {
    SourceStory story;
    std::vector<SourceSpectrum> places; ///< one where nothing moves
    double cost = 0.0;                  ///< dB that its parts cost
};

Lines inDecibels(const std::array<double, lineCount>& power) {
    Lines levels;
    for (std::size_t i = 0; i < levels.size(); ++i)
        levels[i] = power[i] > 1e-9 ? static_cast<float>(10.0 * std::log10(power[i])) : absentDb;
    return levels;
}

/// Amplitude of partial n of a wave of peak 1.
double partialOf(Wave wave, double width, int n) {
    switch (wave) {
    case Wave::saw: return 2.0 / (pi * n);
    case Wave::pulse: return 4.0 / (pi * n) * std::abs(std::sin(pi * n * width / 100.0));
    case Wave::triangle: return n % 2 == 1 ? 8.0 / (pi * pi * n * n) : 0.0;
    default: return n == 1 ? 1.0 : 0.0;
    }
}

/// Adds the power of a wave that plays at a half multiple of the pitch.
void add(std::array<double, lineCount>& power, Wave wave, double width, int half, double gain) {
    for (int n = 1; n * half <= lineCount; ++n) {
        const double amplitude = gain * partialOf(wave, width, n);
        power[static_cast<std::size_t>(n * half - 1)] += amplitude * amplitude;
    }
}

/// sin(2π t + index · sin(2π ratio t)), for ratios that are multiples of a half: side bands at 1 ± n · ratio, those
/// below zero folded with the opposite sign.
std::array<double, lineCount> modulated(double ratio, double index) {
    std::array<double, lineCount> amplitude{}, power{};
    const int step = static_cast<int>(std::lround(2.0 * ratio));
    for (int n = -40; n <= 40; ++n) {
        const double bessel =
            std::cyl_bessel_j(static_cast<double>(std::abs(n)), index) * (n < 0 && n % 2 != 0 ? -1.0 : 1.0);
        const int half = 2 + n * step;
        if (half == 0 || std::abs(half) > lineCount) continue;
        amplitude[static_cast<std::size_t>(std::abs(half) - 1)] += half > 0 ? bessel : -bessel;
    }
    for (std::size_t i = 0; i < power.size(); ++i) power[i] = amplitude[i] * amplitude[i];
    return power;
}

/// A sine that moves its own phase: 2 J_n(nβ) / (nβ), a saw as far as a corner that β sets (for β up to 1; N.
/// Tomisawa's feedback, as in the literature on it: Kepler's equation).
std::array<double, lineCount> fedBack(double beta) {
    std::array<double, lineCount> power{};
    for (int n = 1; 2 * n <= lineCount; ++n) {
        const double amplitude = 2.0 * std::cyl_bessel_j(static_cast<double>(n), n * beta) / (n * beta);
        power[static_cast<std::size_t>(2 * n - 1)] = amplitude * amplitude;
    }
    return power;
}

/// A saw that the note's own cycle begins anew, see envelope_families.cpp.
std::array<double, lineCount> synced(double semitones) {
    std::array<double, lineCount> power{};
    const double ratio = std::exp2(semitones / 12.0);
    const int jumps = static_cast<int>(std::ceil(ratio)) - 1;
    for (int n = 1; 2 * n <= lineCount; ++n) {
        std::complex<double> sum = ratio - jumps;
        for (int k = 1; k <= jumps; ++k) sum += std::polar(1.0, -2.0 * pi * n * k / ratio);
        const double amplitude = 2.0 * std::abs(sum) / (pi * n);
        power[static_cast<std::size_t>(2 * n - 1)] = amplitude * amplitude;
    }
    return power;
}

std::vector<Candidate> candidates() {
    constexpr double ofSecond = 0.25, ofMoving = 0.3, ofRare = 0.2; // dB
    std::vector<Candidate> all;
    struct First {
        Wave wave;
        double width;
    };
    std::vector<First> firsts{{Wave::saw, 50.0}, {Wave::triangle, 50.0}, {Wave::sine, 50.0}};
    for (double width : {50.0, 45.0, 40.0, 33.0, 28.0, 23.0, 18.0, 13.0, 9.0, 5.0})
        firsts.push_back({Wave::pulse, width});
    for (const First& first : firsts) {
        Candidate alone;
        alone.story.wave = first.wave;
        alone.story.width = first.width;
        std::array<double, lineCount> power{};
        add(power, first.wave, first.width, 2, 1.0);
        alone.places.push_back({0.0, inDecibels(power)});
        all.push_back(alone);
        const bool usual =
            first.wave != Wave::pulse || first.width == 50.0 || first.width == 33.0 || first.width == 18.0;
        if (!usual) continue;
        for (int half : {1, 2, 3, 4})
            for (Wave wave : {Wave::sine, Wave::pulse, Wave::saw, Wave::triangle})
                for (double db : {-12.0, -6.0, 0.0, 6.0}) {
                    if (half == 2 && (wave == first.wave || (wave == Wave::triangle))) continue;
                    Candidate two = alone;
                    two.story.second = true;
                    two.story.secondWave = wave;
                    two.story.secondHalf = half;
                    two.story.secondDb = db;
                    two.cost = ofSecond + (half == 3 ? ofRare : 0.0);
                    std::array<double, lineCount> both = power;
                    add(both, wave, 50.0, half, gainFromDb(db));
                    two.places = {{0.0, inDecibels(both)}};
                    all.push_back(two);
                }
    }
    const auto moving = [&](SourceStory::Moving what, double ratio, double from, double to, int count, double cost,
                            const auto& powerAt) {
        Candidate candidate;
        candidate.story.moving = what;
        candidate.story.ratio = ratio;
        candidate.story.wave = what == SourceStory::Moving::width  ? Wave::pulse
                               : what == SourceStory::Moving::sync ? Wave::saw
                                                                   : Wave::sine;
        candidate.cost = cost;
        for (int i = 0; i < count; ++i) {
            const double place = from + (to - from) * i / (count - 1);
            candidate.places.push_back({place, inDecibels(powerAt(place))});
        }
        all.push_back(candidate);
    };
    moving(SourceStory::Moving::width, 1.0, 4.0, 50.0, 24, ofMoving, [](double width) {
        std::array<double, lineCount> power{};
        add(power, Wave::pulse, width, 2, 1.0);
        return power;
    });
    for (double ratio : {0.5, 1.0, 1.5, 2.0, 3.0, 3.5, 4.0, 5.0, 7.0})
        moving(SourceStory::Moving::index, ratio, 0.15, 6.0, 26, ofMoving + ofRare,
               [&](double index) { return modulated(ratio, index); });
    moving(SourceStory::Moving::feedback, 1.0, 0.1, 1.0, 12, ofMoving + ofRare,
           [](double beta) { return fedBack(beta); });
    moving(SourceStory::Moving::sync, 1.0, 1.0, 36.0, 36, ofMoving + ofRare,
           [](double semitones) { return synced(semitones); });
    return all;
}

struct Filter {
    bool on = false;
    FilterKind kind = FilterKind::lowPass;
    FilterSlope slope = FilterSlope::twoPole;
    double resonanceDb = -3.0;
    double cost = 0.0;

    /// dB at so many octaves above the cutoff (analog prototypes; the ladder, four poles in a loop: T. Stilson, J.
    /// Smith, ICMC 1996).
    double gainDb(double octaves) const {
        const double u = std::exp2(octaves);
        const std::complex<double> s(0.0, u);
        const double q = gainFromDb(resonanceDb);
        const auto twoPole = [&](double of) { return 1.0 / (s * s + s / of + 1.0); };
        std::complex<double> h;
        switch (kind) {
        case FilterKind::highPass: h = s * s * twoPole(q); break;
        case FilterKind::bandPass: h = s / std::max(0.3, q) * twoPole(std::max(0.3, q)); break;
        case FilterKind::ladder: {
            const double feedback =
                std::clamp(4.0 - 1.0 / q, 0.0, 3.97); // so that its gain at the cutoff is the resonance
            const std::complex<double> pole = 1.0 / (1.0 + s);
            const std::complex<double> four = pole * pole * pole * pole;
            h = four / (1.0 + feedback * four);
            break;
        }
        default: h = slope == FilterSlope::twoPole ? twoPole(q) : twoPole(0.541) * twoPole(q / 0.541);
        }
        return std::max(-100.0, 20.0 * std::log10(std::abs(h) + 1e-9));
    }
};

/// Filters of each kind with so many resonances.
std::vector<Filter> filters(const std::vector<double>& resonances) {
    std::vector<Filter> all{{}};
    constexpr double ofFilter = 0.15, ofRareKind = 0.3;
    for (double resonance : resonances) {
        for (FilterSlope slope : {FilterSlope::twoPole, FilterSlope::fourPole})
            all.push_back({true, FilterKind::lowPass, slope, resonance, ofFilter});
        if (resonance < -6.0) continue;
        all.push_back({true, FilterKind::ladder, FilterSlope::fourPole, resonance, ofFilter + 0.05});
        all.push_back({true, FilterKind::highPass, FilterSlope::twoPole, resonance, ofFilter + ofRareKind});
        all.push_back({true, FilterKind::bandPass, FilterSlope::twoPole, resonance, ofFilter + ofRareKind});
    }
    return all;
}

/// One instant's lines as arrays that a loop without branches reads.
struct Weighed {
    Lines heard{}; ///< weight of what is heard
    Lines below{}; ///< weight of what is not, which may be anything below
    float all = 0.0f;
};

Weighed weighed(const LineInstant& instant) {
    Weighed w;
    for (std::size_t i = 0; i < w.heard.size(); ++i) {
        (instant.heard[i] ? w.heard : w.below)[i] = instant.weights[i];
        w.all += instant.weights[i];
    }
    return w;
}

/// What is left of an instant's lines when a source's are taken away and the level is free: mean of squares in dB² that
/// do not grow any more far out, since what lies there is something else.
float leftOf(const Weighed& w, const Lines& behindFilter, const Lines& source) {
    constexpr float farSquared = 64.0f;
    float sum = 0.0f, weights = 0.0f;
    for (std::size_t i = 0; i < source.size(); ++i) {
        const float counts = source[i] > absentDb ? w.heard[i] : 0.0f;
        sum += counts * (behindFilter[i] - source[i]);
        weights += counts;
    }
    if (weights <= 0.0f) return farSquared;
    const float gain = sum / weights;
    float left = 0.0f;
    for (std::size_t i = 0; i < source.size(); ++i) {
        const float apart = behindFilter[i] - source[i] - gain;
        const float square = apart * apart, missing = apart < 0.0f ? square : 0.0f;
        left +=
            w.heard[i] * square / (1.0f + square / farSquared) + w.below[i] * missing / (1.0f + missing / farSquared);
    }
    return left / std::max(0.1f, w.all);
}

/// The way through a surface of costs that leaps least within notes. `perStep`: dB² for a step of the grid, squared,
/// between instants that lie close; what has more time may go farther.
std::vector<int> smoothWay(const std::vector<LineInstant>& instants, const std::vector<float>& costs, int width,
                           float perStep) {
    constexpr double close = 0.04; // seconds
    constexpr int farthest = 10;
    const auto count = instants.size();
    const auto columns = static_cast<std::size_t>(width);
    std::vector<float> best(costs.begin(), costs.begin() + width), next(columns);
    std::vector<int> from(count * columns, 0);
    for (std::size_t i = 1; i < count; ++i) {
        const bool same = instants[i].note == instants[i - 1].note;
        const auto leap =
            same ? perStep *
                       static_cast<float>(std::min(1.0, close / std::max(1e-3, instants[i].at - instants[i - 1].at)))
                 : 0.0f;
        const auto lowest = static_cast<int>(std::min_element(best.begin(), best.end()) - best.begin());
        for (int c = 0; c < width; ++c) {
            const auto costFrom = [&](int b) {
                return best[static_cast<std::size_t>(b)] + leap * static_cast<float>((c - b) * (c - b));
            };
            int at = lowest;
            if (same)
                for (int b = std::max(0, c - farthest); b <= std::min(width - 1, c + farthest); ++b)
                    if (costFrom(b) < costFrom(at)) at = b;
            next[static_cast<std::size_t>(c)] = costFrom(at) + costs[i * columns + static_cast<std::size_t>(c)];
            from[i * columns + static_cast<std::size_t>(c)] = at;
        }
        std::swap(best, next);
    }
    std::vector<int> way(count);
    way.back() = static_cast<int>(std::min_element(best.begin(), best.end()) - best.begin());
    for (std::size_t i = count; i-- > 1;) way[i - 1] = from[i * columns + static_cast<std::size_t>(way[i])];
    return way;
}

/// Adds a sine to a course where it explains much of what is left of it. Instants lie too far apart for fast ones.
void addCycle(const std::vector<LineInstant>& instants, const std::vector<double>& values, const Eigen::VectorXd& left,
              MeasuredCourse& course) {
    constexpr double slowest = 0.1, fastest = 4.0, mustExplain = 0.5; // Hz; of what is left, squared
    if (values.size() < 10) return;
    double best = (1.0 - mustExplain) * left.squaredNorm();
    const auto count = static_cast<Eigen::Index>(values.size());
    for (const bool withNotes : {false, true})
        for (double hz = slowest; hz < fastest; hz *= 1.07) {
            Eigen::MatrixXd matrix(count, 3);
            for (Eigen::Index i = 0; i < count; ++i) {
                const LineInstant& each = instants[static_cast<std::size_t>(i)];
                const double turn = 2.0 * pi * hz * (withNotes ? each.sinceNote : each.at);
                matrix.row(i) << 1.0, std::sin(turn), std::cos(turn);
            }
            const Eigen::VectorXd x = nearestCombination(matrix, left);
            const double error = (matrix * x - left).squaredNorm();
            if (error >= best) continue;
            best = error;
            course.cycleHz = hz;
            course.cycleWithNotes = withNotes;
            course.cycleDepth = std::hypot(x(1), x(2));
            const double phase = std::atan2(x(2), x(1)) / (2.0 * pi);
            course.cyclePhase = phase - std::floor(phase);
            course.errorRms = std::sqrt(error / static_cast<double>(count));
        }
}

/// Reads a course from values at the instants: all combinations of attack and decay, everything else by least squares.
MeasuredCourse courseOf(const Profile& profile, const std::vector<LineInstant>& instants,
                        const std::vector<double>& values) {
    const auto count = static_cast<Eigen::Index>(instants.size());
    double lowKey = 200.0, highKey = -1.0, soft = 200.0, hard = -1.0, lastEnd = 0.1;
    for (const LineInstant& each : instants) {
        const Note& note = profile.notes[each.note].note;
        lowKey = std::min(lowKey, 1.0 * note.key);
        highKey = std::max(highKey, 1.0 * note.key);
        soft = std::min(soft, note.velocity);
        hard = std::max(hard, note.velocity);
    }
    for (const NoteProfile& each : profile.notes) lastEnd = std::max(lastEnd, each.note.end);
    const double begin = profile.notes.front().note.start, length = std::max(0.3, lastEnd - begin);
    const bool keys = highKey - lowKey >= 5.0, velocities = hard - soft >= 12.0;
    const bool through = count >= 8 && instants.back().at - instants.front().at > 1.5;
    MeasuredCourse best;
    Eigen::VectorXd bestLeft;
    best.errorRms = 1e9;
    const auto attempt = [&](double attack, double decay, bool enveloped, bool along) {
        const Eigen::Index columns = 1 + (enveloped ? 1 : 0) + (keys ? 1 : 0) + (velocities ? 1 : 0) + (along ? 1 : 0);
        // The ridge keeps what the notes do not tell near nothing.
        Eigen::MatrixXd matrix = Eigen::MatrixXd::Zero(count + columns, columns);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(count + columns);
        for (Eigen::Index i = 0; i < count; ++i) {
            const LineInstant& each = instants[static_cast<std::size_t>(i)];
            const Note& note = profile.notes[each.note].note;
            Eigen::Index c = 0;
            matrix(i, c++) = 1.0;
            if (enveloped) {
                const double t = each.sinceNote;
                const double moved = t < attack ? t / attack : decay > 0.0 ? std::exp(-(t - attack) / decay) : 1.0;
                matrix(i, c++) = moved;
            }
            if (keys) matrix(i, c++) = (note.key - 60.0) / 12.0;
            if (velocities) matrix(i, c++) = (note.velocity / 127.0 - 1.0);
            if (along) matrix(i, c++) = (each.at - begin) / length;
            right(i) = values[static_cast<std::size_t>(i)];
        }
        for (Eigen::Index c = 1; c < columns; ++c) matrix(count + c, c) = 0.3;
        const Eigen::VectorXd x = nearestCombination(matrix, right);
        const double error = std::sqrt((matrix * x - right).head(count).squaredNorm() / static_cast<double>(count));
        // A part has to earn its place.
        const double cost = error * (1.0 + 0.06 * static_cast<double>(columns));
        if (cost >= best.errorRms) return;
        best = {};
        bestLeft = (right - matrix * x).head(count);
        best.errorRms = cost;
        Eigen::Index c = 0;
        best.rest = x(c++);
        if (enveloped) {
            best.envelope = x(c++);
            best.attack = attack;
            best.decay = decay;
        }
        if (keys) best.perOctave = x(c++);
        if (velocities) best.velocity = x(c++);
        if (along) best.along = x(c++);
    };
    for (const bool along : {false, true}) {
        if (along && !through) continue;
        attempt(0.0, 0.0, false, along);
        for (double attack : {0.0, 0.02, 0.05, 0.1, 0.2, 0.45, 1.0}) {
            for (double decay = 0.02; decay < 3.0; decay *= 1.5) attempt(attack, decay, true, along);
            if (attack > 0.0) attempt(attack, 0.0, true, along);
        }
    }
    addCycle(instants, values, bestLeft, best);
    return best;
}

/// By how much a number that moves strays from its course where it costs a decibel.
double usualStep(SourceStory::Moving moving) {
    switch (moving) {
    case SourceStory::Moving::width: return 8.0;
    case SourceStory::Moving::sync: return 3.0;
    case SourceStory::Moving::feedback: return 0.3;
    default: return 1.0;
    }
}

/// A grid of cutoffs.
struct CutoffGrid {
    int perOctave;
    int count() const { return static_cast<int>(9.3 * perOctave); } ///< up to 20 kHz
    double octaves(int c) const { return lowestCutoff + static_cast<double>(c) / perOctave; }
};

/// One story behind one filter at all instants.
struct Explained {
    double meanSquare = 0.0;
    std::vector<double> cutoffs, places; ///< at each instant
};

/// Levels of all instants without a filter at each cutoff.
std::vector<Lines> withoutFilter(const Filter& filter, const std::vector<LineInstant>& instants,
                                 const CutoffGrid& grid) {
    std::vector<Lines> all;
    const int count = filter.on ? grid.count() : 1;
    for (const LineInstant& instant : instants)
        for (int c = 0; c < count; ++c) {
            Lines levels = instant.levels;
            for (std::size_t i = 0; filter.on && i < levels.size(); ++i)
                if (instant.weights[i] > 0.0f)
                    levels[i] -= static_cast<float>(
                        filter.gainDb(std::log2(0.5 * static_cast<double>(i + 1) * instant.hz) - grid.octaves(c)));
            all.push_back(levels);
        }
    return all;
}

Explained explain(const Candidate& story, const Filter& filter, const std::vector<LineInstant>& instants,
                  const std::vector<Weighed>& weights, const std::vector<Lines>& without, const CutoffGrid& grid) {
    constexpr float ofCutoff = 0.4f, ofPlace = 0.1f; // dB² for a step of the grid, squared
    const auto width = static_cast<std::size_t>(filter.on ? grid.count() : 1);
    std::vector<float> costs(instants.size() * width);
    for (std::size_t i = 0; i < instants.size(); ++i)
        for (std::size_t at = i * width; at < (i + 1) * width; ++at) {
            float least = 1e9f;
            for (std::size_t p = 0; p < story.places.size(); ++p) {
                least = std::min(least, leftOf(weights[i], without[at], story.places[p].levels));
            }
            costs[at] = least;
        }
    const std::vector<int> way = filter.on ? smoothWay(instants, costs, static_cast<int>(width), ofCutoff)
                                           : std::vector<int>(instants.size(), 0);
    // What moves in the source may leap no more than the cutoff does.
    std::vector<int> places(instants.size(), 0);
    if (story.places.size() > 1) {
        std::vector<float> byPlace;
        for (std::size_t i = 0; i < instants.size(); ++i)
            for (const SourceSpectrum& each : story.places)
                byPlace.push_back(
                    leftOf(weights[i], without[i * width + static_cast<std::size_t>(way[i])], each.levels));
        places = smoothWay(instants, byPlace, static_cast<int>(story.places.size()), ofPlace);
        for (std::size_t i = 0; i < instants.size(); ++i)
            costs[i * width + static_cast<std::size_t>(way[i])] =
                byPlace[i * story.places.size() + static_cast<std::size_t>(places[i])];
    }
    Explained explained;
    for (std::size_t i = 0; i < instants.size(); ++i) {
        explained.meanSquare += static_cast<double>(costs[i * width + static_cast<std::size_t>(way[i])]) /
                                static_cast<double>(instants.size());
        explained.cutoffs.push_back(grid.octaves(way[i]));
        explained.places.push_back(story.places[static_cast<std::size_t>(places[i])].place);
    }
    return explained;
}

/// The stories and kinds of filter that are worth a closer look, by few instants, cutoffs and resonances.
std::vector<std::pair<std::size_t, Filter>> worthALook(const std::vector<Candidate>& stories,
                                                       const std::vector<LineInstant>& instants, int threads) {
    constexpr std::size_t fewInstants = 16, mostKept = 40;
    const CutoffGrid coarse{2};
    std::vector<LineInstant> few;
    const std::size_t every = (instants.size() + fewInstants - 1) / fewInstants;
    for (std::size_t i = 0; i < instants.size(); i += every) few.push_back(instants[i]);
    std::vector<Weighed> weights;
    for (const LineInstant& each : few) weights.push_back(weighed(each));
    const std::vector<Filter> kinds = filters({-3.0, 9.0});
    struct Looked {
        double cost;
        std::size_t story;
        Filter filter;
    };
    std::vector<std::vector<Looked>> byKind(kinds.size());
    parallelFor(static_cast<int>(kinds.size()), threads, [&](int k) {
        const Filter& filter = kinds[static_cast<std::size_t>(k)];
        const std::vector<Lines> without = withoutFilter(filter, few, coarse);
        for (std::size_t s = 0; s < stories.size(); ++s)
            byKind[static_cast<std::size_t>(k)].push_back(
                {std::sqrt(explain(stories[s], filter, few, weights, without, coarse).meanSquare) + stories[s].cost +
                     filter.cost,
                 s, filter});
    });
    std::vector<Looked> all;
    for (const auto& each : byKind) all.insert(all.end(), each.begin(), each.end());
    std::stable_sort(all.begin(), all.end(), [](const Looked& a, const Looked& b) { return a.cost < b.cost; });
    std::vector<std::pair<std::size_t, Filter>> kept;
    for (const Looked& each : all) {
        if (kept.size() == mostKept) break;
        const bool known = std::any_of(kept.begin(), kept.end(), [&](const auto& k) {
            return k.first == each.story && k.second.on == each.filter.on && k.second.kind == each.filter.kind &&
                   k.second.slope == each.filter.slope;
        });
        if (!known) kept.emplace_back(each.story, each.filter);
    }
    return kept;
}

std::vector<SourceFilterFit> fitsOf(const Profile& profile, const Recording& recording48k, double upperHz,
                                    std::size_t most, int threads) {
    std::vector<LineInstant> instants = lineInstantsOf(profile, recording48k, upperHz);
    std::erase_if(instants, [](const LineInstant& each) {
        int heard = 0;
        for (std::size_t i = 0; i < each.heard.size(); ++i) heard += each.heard[i] && each.weights[i] > 0.0f;
        return heard < 3;
    });
    if (instants.size() < 3) return {};
    const std::vector<Candidate> stories = candidates();
    const auto looked = worthALook(stories, instants, threads);
    const CutoffGrid fine{4};
    std::vector<Weighed> weights;
    for (const LineInstant& each : instants) weights.push_back(weighed(each));
    std::vector<SourceFilterFit> all(looked.size());
    const std::vector<Filter> kinds = filters({-9.0, -3.0, 3.0, 9.0, 15.0});
    std::vector<std::vector<Lines>> without(kinds.size());
    parallelFor(static_cast<int>(kinds.size()), threads, [&](int k) {
        const Filter& filter = kinds[static_cast<std::size_t>(k)];
        const bool needed = std::any_of(looked.begin(), looked.end(), [&](const auto& each) {
            return each.second.on == filter.on && each.second.kind == filter.kind && each.second.slope == filter.slope;
        });
        if (needed) without[static_cast<std::size_t>(k)] = withoutFilter(filter, instants, fine);
    });
    parallelFor(static_cast<int>(looked.size()), threads, [&](int l) {
        const auto& [s, like] = looked[static_cast<std::size_t>(l)];
        const Candidate& story = stories[s];
        Explained best;
        best.meanSquare = 1e9;
        Filter chosen;
        for (std::size_t k = 0; k < kinds.size(); ++k) {
            if (kinds[k].on != like.on || kinds[k].kind != like.kind || kinds[k].slope != like.slope) continue;
            Explained found = explain(story, kinds[k], instants, weights, without[k], fine);
            if (found.meanSquare >= best.meanSquare) continue;
            best = std::move(found);
            chosen = kinds[k];
        }
        SourceFilterFit fit{
            story.story, chosen.on, chosen.kind, chosen.slope, chosen.resonanceDb, {}, {}, std::sqrt(best.meanSquare),
            0.0};
        constexpr double perOctave = 0.6, mostForCourse = 1.5; // dB: a way that nothing describes speaks against it
        fit.cost = fit.errorDb + story.cost + chosen.cost;
        if (chosen.on) {
            fit.cutoff = courseOf(profile, instants, best.cutoffs);
            fit.cost += std::min(mostForCourse, perOctave * fit.cutoff.errorRms);
        }
        if (story.story.moving != SourceStory::Moving::nothing) {
            fit.place = courseOf(profile, instants, best.places);
            fit.cost += std::min(mostForCourse, fit.place.errorRms / usualStep(story.story.moving));
        }
        all[static_cast<std::size_t>(l)] = fit;
    });
    std::stable_sort(all.begin(), all.end(),
                     [](const SourceFilterFit& a, const SourceFilterFit& b) { return a.cost < b.cost; });
    // Of stories in equal words the best.
    std::vector<SourceFilterFit> different;
    std::vector<std::string> words;
    for (const SourceFilterFit& each : all) {
        if (different.size() == most) break;
        const std::string text = wordsOf(each);
        if (std::find(words.begin(), words.end(), text) != words.end()) continue;
        words.push_back(text);
        different.push_back(each);
    }
    return different;
}

} // namespace source_filter

std::vector<SourceFilterFit> sourceFilterFits(const Profile& profile, const Recording& recording48k, double upperHz,
                                              std::size_t most, int threads) {
    return source_filter::fitsOf(profile, recording48k, upperHz, most, threads);
}

std::string wordsOf(const SourceFilterFit& fit) {
    const auto name = [](Wave wave, double width) -> std::string {
        switch (wave) {
        case Wave::saw: return "saw";
        case Wave::triangle: return "triangle";
        case Wave::pulse: return fmt::format("pulse {:.0f} %", width);
        default: return "sine";
        }
    };
    std::string text;
    switch (fit.source.moving) {
    case SourceStory::Moving::nothing: text = name(fit.source.wave, fit.source.width); break;
    case SourceStory::Moving::width: text = "pulse, width moved"; break;
    case SourceStory::Moving::index:
        text = fmt::format("sine, phase moved at {:g} times its pitch", fit.source.ratio);
        break;
    case SourceStory::Moving::feedback: text = "sine that moves its own phase"; break;
    case SourceStory::Moving::sync: text = "synced saw"; break;
    }
    if (fit.source.second) {
        constexpr const char* where[] = {"", " an octave below", "", " a fifth above", " an octave above"};
        text += " + " + name(fit.source.secondWave, 50.0) + where[fit.source.secondHalf];
    }
    if (!fit.filtered) return text + ", no filter";
    switch (fit.filter) {
    case FilterKind::ladder: return text + ", ladder 24 dB";
    case FilterKind::highPass: return text + ", high-pass 12 dB";
    case FilterKind::bandPass: return text + ", band-pass 12 dB";
    default: return text + (fit.slope == FilterSlope::twoPole ? ", low-pass 12 dB" : ", low-pass 24 dB");
    }
}

} // namespace facet
