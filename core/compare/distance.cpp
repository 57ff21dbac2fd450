#include "core/compare/distance.h"

#include "core/base/units.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

// What is just noticed. B. C. J. Moore, "An Introduction to the Psychology of Hearing", 6th ed. 2012 (figures from
// memory): pitch of a complex tone about 0.2 %, level about 1 dB, one partial among others 1–2 dB, an interaural level
// difference 1 dB for one tone, more for the width of a whole.
constexpr double noticedCents = 3.0;
constexpr double noticedDb = 1.0;
constexpr double noticedPartialDb = 1.5;
constexpr double noticedSideDb = 1.5;
// Differences of spectral centroid of about 5 % are noticed: S. McAdams, J. W. Beauchamp, S. Meneguzzi,
// "Discrimination of musical instrument sounds resynthesized with simplified spectrotemporal parameters", JASA 105,
// 1999 (figure from memory).
constexpr double noticedOctaves = 0.06;
// Common practice, no source: a harmonic-to-noise ratio has to change by 3 dB, and noise that lies further below the
// partials than this is covered by them.
constexpr double noticedRatioDb = 3.0;
constexpr double coveredRatioDb = 36.0;

constexpr double rangeDb = 50.0;         ///< below the loudest nothing counts
constexpr double orderSeconds = 0.004;   ///< events that close are not heard apart
constexpr double settledSeconds = 0.06;  ///< from a note's start on it can fluctuate
constexpr double shortestSeconds = 0.25; ///< that can be distinguished from a trend
constexpr double irregularDb = 1.0, irregularCents = 4.0, irregularOctaves = 0.06;
constexpr double heardWithinDb = 35.0; ///< of a note's highest level
constexpr double fewestTurns = 4.0;    ///< that make a rate
constexpr double nearCents = 100.0;    ///< a note that sounds within is the note
constexpr std::size_t lapse = 2;       ///< instants on either side that an instant is held against
constexpr double pitchedFrom = 0.5;    ///< confidence from which a note has a pitch
constexpr double lostCents = 80.0;     ///< from a multiple or a part of its note a period is just that

double asIs(double value) { return value; }
double inOctaves(double hz) { return hz > 0.0 ? std::log2(hz) : static_cast<double>(notMeasurable); }
double audibleRatio(double db) { return std::min(db, coveredRatioDb); }

/// A cubic trend of values at equal steps and what stays about it; unmeasured values are left out.
struct Trend {
    Eigen::VectorXd line;
    double deviation = 0.0;
    double crossings = 0.0; ///< for each step
    bool found = false;
};

Trend trendOf(const std::vector<double>& values) {
    Trend trend;
    std::vector<Eigen::Index> at;
    for (std::size_t i = 0; i < values.size(); ++i)
        if (isMeasured(values[i])) at.push_back(static_cast<Eigen::Index>(i));
    if (at.size() < 24 || 2 * at.size() < values.size()) return trend; // too little to judge
    const auto rows = static_cast<Eigen::Index>(at.size());
    const auto basis = [&](double i) {
        const double x = 2.0 * i / std::max(1.0, static_cast<double>(values.size()) - 1.0) - 1.0;
        return Eigen::RowVector4d(1.0, x, x * x, x * x * x);
    };
    Eigen::MatrixXd a(rows, 4);
    Eigen::VectorXd y(rows);
    for (Eigen::Index k = 0; k < rows; ++k) {
        a.row(k) = basis(static_cast<double>(at[static_cast<std::size_t>(k)]));
        y(k) = values[static_cast<std::size_t>(at[static_cast<std::size_t>(k)])];
    }
    const Eigen::Vector4d fit = (a.transpose() * a).ldlt().solve(a.transpose() * y);
    const Eigen::VectorXd rest = y - a * fit;
    trend.deviation = std::sqrt(rest.squaredNorm() / static_cast<double>(rows));
    // Only what leaves the trend by a good part of its own depth crosses it.
    bool above = false, below = false;
    for (double r : rest) {
        if (r > 0.3 * trend.deviation) {
            trend.crossings += below;
            below = false;
            above = true;
        } else if (r < -0.3 * trend.deviation) {
            trend.crossings += above;
            above = false;
            below = true;
        }
    }
    trend.crossings /= static_cast<double>(rows);
    trend.line.resize(static_cast<Eigen::Index>(values.size()));
    for (Eigen::Index i = 0; i < trend.line.size(); ++i) trend.line(i) = basis(static_cast<double>(i)) * fit;
    trend.found = true;
    return trend;
}

/// From where a note has settled until it ends or the next begins.
std::pair<double, double> interiorOf(const Profile& profile, std::size_t i) {
    const Note& note = profile.notes[i].note;
    double end = note.end;
    for (const NoteProfile& other : profile.notes)
        if (other.note.start > note.start + 1e-6) end = std::min(end, other.note.start);
    return {note.start + settledSeconds, end - 0.02};
}

/// Of one process that goes on regularly in both.
bool sameCycle(const PeriodicChange& a, const PeriodicChange& b) {
    constexpr double sure = 0.75, apart = 0.1;
    return a.found() && b.found() && std::min(a.confidence, b.confidence) > sure &&
           std::abs(std::log2(a.rateHz / b.rateHz)) < apart;
}

double interpolated(const Track& track, double seconds) {
    const double place = seconds / track.stepSeconds;
    const double below = std::floor(place);
    const double a = track.at(below * track.stepSeconds), b = track.at((below + 1.0) * track.stepSeconds);
    if (!isMeasured(a) || !isMeasured(b)) return track.at(seconds);
    return a + (place - below) * (b - a);
}

/// What a track holds around an instant that comes nearest to a value: moments so close are not heard apart.
double nearestTo(double value, const Track& track, double seconds, double (*scaled)(double)) {
    double low = notMeasurable, high = notMeasurable;
    for (double offset : {-orderSeconds, 0.0, orderSeconds}) {
        const double x = scaled(interpolated(track, seconds + offset));
        if (!isMeasured(x)) continue;
        low = isMeasured(low) ? std::min(low, x) : x;
        high = isMeasured(high) ? std::max(high, x) : x;
    }
    return isMeasured(value) && isMeasured(low) ? std::clamp(value, low, high) : low;
}

/// Whether a period that was found is several of the note's, or a part of it.
bool isLost(double cents) {
    for (const double ratio : {2.0, 3.0, 4.0, 5.0, 6.0})
        if (std::abs(std::abs(cents) - 1200.0 * std::log2(ratio)) < lostCents) return true;
    return false;
}

/// Whether a pitch is that of an earlier note, which may ring on, or come again as an echo, under the one that sounds.
bool isEarlier(double cents, const NoteProfile& note, const std::vector<NoteProfile>& notes) {
    constexpr double near = 40.0, longest = 2.5; // cents, seconds
    return std::any_of(notes.begin(), notes.end(), [&](const NoteProfile& other) {
        return other.note.start < note.note.start - 1e-6 && other.note.start > note.note.start - longest &&
               other.note.key != note.note.key && std::abs(cents - 100.0 * (other.note.key - note.note.key)) < near;
    });
}

/// Whether two notes repeat equally often: a note elsewhere has no partials where the other has its own, an octave up
/// has lost the odd ones, an octave down has others between.
bool samePeriod(const NoteProfile& a, const NoteProfile& b) {
    constexpr double octaveDb = 20.0, elsewhereDb = 10.0, faintDb = -50.0;
    constexpr std::size_t looked = 8;
    const auto levels = [faintDb](const NoteProfile& note) {
        std::array<double, looked> db{};
        double highest = -200.0;
        for (std::size_t i = 0; i < looked; ++i) {
            db[i] = isMeasured(note.partials[i]) ? static_cast<double>(note.partials[i]) : -200.0;
            highest = std::max(highest, db[i]);
        }
        for (double& each : db) each = std::max(each - highest, faintDb);
        return db;
    };
    const auto x = levels(a), y = levels(b);
    double apart = 0.0, oddX = faintDb, oddY = faintDb;
    int counted = 0;
    for (std::size_t i = 0; i < looked; ++i) {
        if (i % 2 == 0) {
            oddX = std::max(oddX, x[i]);
            oddY = std::max(oddY, y[i]);
        }
        if (std::max(x[i], y[i]) < -40.0) continue;
        apart += std::abs(x[i] - y[i]);
        ++counted;
    }
    if (apart > elsewhereDb * counted || std::abs(oddX - oddY) > octaveDb) return false;
    if (!isMeasured(a.subOctaveDb) || !isMeasured(b.subOctaveDb)) return true;
    return std::abs(std::max(a.subOctaveDb, faintDb) - std::max(b.subOctaveDb, faintDb)) < octaveDb;
}

/// A track between two instants.
std::vector<double> cut(const Track& track, double from, double to) {
    std::vector<double> values;
    for (int i = track.indexAt(from); i < track.indexAt(to); ++i)
        values.push_back(i >= 0 && i < static_cast<int>(track.values.size())
                             ? static_cast<double>(track.values[static_cast<std::size_t>(i)])
                             : static_cast<double>(notMeasurable));
    return values;
}

/// Of levels, what lies far below their highest is left out.
std::vector<double> heardLevels(std::vector<double> values) {
    double highest = -200.0;
    for (double db : values)
        if (isMeasured(db)) highest = std::max(highest, db);
    for (double& db : values)
        if (db < highest - heardWithinDb) db = notMeasurable;
    return values;
}

} // namespace

Fluctuation fluctuationOf(const Profile& profile) {
    Fluctuation found;
    double seconds = 0.0;
    for (std::size_t i = 0; i < profile.notes.size(); ++i) {
        const auto [from, to] = interiorOf(profile, i);
        if (to - from < shortestSeconds) continue;
        const Trend trend = trendOf(heardLevels(cut(profile.levelDb, from, to)));
        if (!trend.found) continue;
        const double turns = trend.crossings * (to - from) / profile.levelDb.stepSeconds;
        seconds += to - from;
        std::vector<double> centroid = cut(profile.centroidHz, from, to);
        for (double& hz : centroid) hz = inOctaves(hz);
        const Trend color = trendOf(centroid);
        found.octaves += (to - from) * color.deviation;
        found.octaveRateHz += (to - from) * 0.5 * color.crossings / profile.centroidHz.stepSeconds;
        if (turns < fewestTurns) continue; // a bend of the trend
        found.depthDb += (to - from) * trend.deviation;
        found.rateHz += 0.5 * turns;
    }
    if (seconds > 0.0) {
        found.depthDb /= seconds;
        found.rateHz /= seconds;
        found.octaves /= seconds;
        found.octaveRateHz /= seconds;
    }
    return found;
}

Distances::Distances(const Profile& reference, const Profile& render)
    : reference_(reference), render_(render), shift_(timeShift(reference, render)),
      gain_(reference.loudness - render.loudness), loudest_(-200.0) {
    for (float db : reference.levelDb.values)
        if (isMeasured(db)) loudest_ = std::max(loudest_, static_cast<double>(db));
    const Fluctuation a = fluctuationOf(reference), b = fluctuationOf(render);
    fluctuations_ = {std::min(a.depthDb, b.depthDb), std::min(a.rateHz, b.rateHz), std::min(a.octaves, b.octaves),
                     std::min(a.octaveRateHz, b.octaveRateHz)};
    const MotionProfile &x = reference.motion, &y = render.motion;
    regular_ = sameCycle(x.tremolo, y.tremolo) || sameCycle(x.vibrato, y.vibrato) || sameCycle(x.filter, y.filter);
    if (isMeasured(x.detuneCents) && isMeasured(y.detuneCents)) regular_ = false;
}

double Distances::fluctuatingDb() const {
    constexpr double dbPerOctave = 6.0; // of centroid: what moves it moves the bands about so much
    return regular_ ? 0.0 : 0.7 * std::max(fluctuations_.depthDb, dbPerOctave * fluctuations_.octaves);
}

double Distances::levelAt(double seconds) const {
    const double a = reference_.levelDb.at(seconds), b = render_.levelDb.at(seconds + shift_) + gain_;
    if (!isMeasured(a)) return isMeasured(b) ? b : -200.0;
    return isMeasured(b) ? std::max(a, b) : a;
}

double Distances::Steps::rms() const {
    double sum = 0.0, weights = 0.0;
    for (std::size_t i = 0; i < reference.size(); ++i) {
        if (weight[i] <= 0.0 || !isMeasured(reference[i]) || !isMeasured(render[i])) continue;
        const double beyond = std::max(0.0, std::abs(reference[i] - render[i]) - tolerance[i]);
        sum += weight[i] * beyond * beyond;
        weights += weight[i];
    }
    return weights > 0.0 ? std::sqrt(sum / weights) : static_cast<double>(notMeasurable);
}

Distances::Steps Distances::alongside(std::vector<double> reference, std::vector<double> render, double step,
                                      double noticed, double fluctuating, double uncertain, double range) const {
    const auto count = static_cast<std::ptrdiff_t>(reference.size());
    const auto places = [step](double seconds) { return static_cast<std::ptrdiff_t>(std::lround(seconds / step)); };
    Steps steps{
        std::move(reference), std::move(render), std::vector<double>(static_cast<std::size_t>(count), noticed), {}};
    for (std::ptrdiff_t i = 0; i < count; ++i)
        steps.weight.push_back(std::clamp(1.0 + (levelAt(static_cast<double>(i) * step) - loudest_) / range, 0.0, 1.0));
    if (regular_) return steps;
    double deviations = 0.0, long_ = 0.0;
    std::vector<bool> within(steps.reference.size());
    for (std::size_t n = 0; n < reference_.notes.size(); ++n) {
        const auto [from, to] = interiorOf(reference_, n);
        const std::ptrdiff_t first = std::max<std::ptrdiff_t>(0, places(from)), last = std::min(count, places(to));
        if (to - from < shortestSeconds || first >= last) continue;
        const Trend a = trendOf({steps.reference.begin() + first, steps.reference.begin() + last});
        const Trend b = trendOf({steps.render.begin() + first, steps.render.begin() + last});
        if (!a.found || !b.found) continue;
        const double deviation = std::min(a.deviation, b.deviation);
        deviations += (to - from) * deviation;
        long_ += to - from;
        if (deviation < fluctuating) continue;
        for (std::ptrdiff_t i = first; i < last; ++i) {
            const auto at = static_cast<std::size_t>(i);
            within[at] = true;
            steps.tolerance[at] += uncertain * deviation; // a trend through few turns is not exact either
            if (!isMeasured(steps.reference[at]) || !isMeasured(steps.render[at])) continue;
            steps.reference[at] = a.line(i - first);
            steps.render[at] = b.line(i - first);
        }
    }
    // Where no trend can be fitted, the same sound fluctuates too.
    const double usual = long_ > 0.0 ? deviations / long_ : 0.0;
    for (std::size_t i = 0; i < within.size() && usual >= fluctuating; ++i)
        if (!within[i]) steps.tolerance[i] += usual;
    return steps;
}

Distances::Steps Distances::alongside(const Track& reference, const Track& render, double noticed, double fluctuating,
                                      double uncertain, double range, double (*scaled)(double)) const {
    std::vector<double> a, b;
    for (std::size_t i = 0; i < reference.values.size(); ++i) {
        a.push_back(scaled(reference.values[i]));
        b.push_back(nearestTo(a.back(), render, static_cast<double>(i) * reference.stepSeconds + shift_, scaled));
        if (!isMeasured(a.back()) || !isMeasured(b.back())) a.back() = b.back() = notMeasurable; // trends of the same
    }
    return alongside(std::move(a), std::move(b), reference.stepSeconds, noticed, fluctuating, uncertain, range);
}

/// Seconds of a note for which any other sounds too.
double Distances::overlapOf(const Note& note) const {
    double longest = 0.0;
    for (const NoteProfile& other : reference_.notes)
        if (!(other.note == note))
            longest = std::max(longest, std::min(note.end, other.note.end) - std::max(note.start, other.note.start));
    return longest;
}

double Distances::ringsUntil(const Note& note) const {
    double next = reference_.seconds;
    for (const NoteProfile& other : reference_.notes)
        if (other.note.start >= note.end - 0.01) next = std::min(next, other.note.start);
    return std::max(note.end, next);
}

double Distances::pitchCents() const {
    const Track& pitch = reference_.pitchHz;
    const double step = pitch.stepSeconds;
    // Against the sounding note: what a note does by intention, both do.
    std::vector<double> own, other;
    for (std::size_t i = 0; i < pitch.values.size(); ++i) {
        const double seconds = static_cast<double>(i) * step;
        const double hz = nearestTo(pitch.values[i], render_.pitchHz, seconds + shift_, asIs);
        const double cents = reference_.pitchCents.at(seconds);
        own.push_back(cents);
        other.push_back(isMeasured(pitch.values[i]) && isMeasured(hz)
                            ? cents + std::clamp(centsBetween(pitch.values[i], hz), -2400.0, 2400.0)
                            : static_cast<double>(notMeasurable));
    }
    for (std::size_t n = 0; n < std::min(reference_.notes.size(), render_.notes.size()); ++n) {
        const NoteProfile &a = reference_.notes[n], &b = render_.notes[n];
        const auto places = [&](double seconds) {
            return std::min(own.size(), static_cast<std::size_t>(std::max(0, pitch.indexAt(seconds))));
        };
        // A note's own frequency, found near where it must lie, is surer than the period of an instant, which a
        // deep quantization or the note that still sounds can triple.
        const bool near = isMeasured(a.cents) && isMeasured(b.cents) &&
                          std::max(std::abs(a.cents), std::abs(b.cents)) < nearCents && samePeriod(a, b);
        const bool unpitched = std::min(a.pitchConfidence, b.pitchConfidence) < pitchedFrom;
        // A note is followed until the next one begins: what rings on is its own.
        double until = reference_.seconds;
        for (const NoteProfile& later : reference_.notes)
            if (later.note.start > a.note.start + 1e-6) until = std::min(until, later.note.start);
        for (std::size_t i = places(a.note.start); i < places(until); ++i)
            if (unpitched ||
                (near && (isLost(own[i]) || isLost(other[i]) ||
                          isEarlier(own[i], a, reference_.notes) != isEarlier(other[i], a, reference_.notes))))
                own[i] = other[i] = notMeasurable;
    }
    // In a chord one pitch says nothing, nor in what rings on of one; where one note only reaches into the next, a
    // glide may begin.
    for (std::size_t i = 0; i < own.size(); ++i) {
        const double seconds = static_cast<double>(i) * step;
        const auto together = std::count_if(reference_.notes.begin(), reference_.notes.end(), [&](const auto& each) {
            return seconds >= each.note.start && seconds < ringsUntil(each.note) &&
                   overlapOf(each.note) > 0.5 * (each.note.end - each.note.start);
        });
        if (together > 1 || !isMeasured(other[i])) own[i] = other[i] = notMeasurable;
    }
    // Nor does an instant that its neighbors contradict.
    const std::vector<double> asMeasured = other;
    for (std::size_t i = 0; i < own.size(); ++i) {
        std::vector<float> around;
        for (std::size_t k = i >= lapse ? i - lapse : 0; k <= std::min(own.size() - 1, i + lapse); ++k)
            if (isMeasured(asMeasured[k])) around.push_back(static_cast<float>(asMeasured[k] - own[k]));
        if (isMeasured(own[i])) other[i] = own[i] + static_cast<double>(medianOf(around));
    }
    return alongside(std::move(own), std::move(other), step, noticedCents, irregularCents, 0.6, 40.0).rms();
}

double Distances::levelDb() const {
    const double lowest = loudest_ - rangeDb;
    Track a = reference_.levelDb, b = render_.levelDb;
    for (float& db : a.values) db = static_cast<float>(std::max<double>(isMeasured(db) ? db : -200.0, lowest));
    for (float& db : b.values) db = static_cast<float>(std::max<double>(isMeasured(db) ? db + gain_ : -200.0, lowest));
    return alongside(a, b, noticedDb, irregularDb, 0.7, rangeDb, asIs).rms();
}

double Distances::harmonicsDb() const {
    double sum = 0.0, weights = 0.0;
    for (int n = 1; n <= partialCount; ++n) {
        const double a = std::max<double>(reference_.partials[static_cast<std::size_t>(n - 1)], -60.0);
        const double b = std::max<double>(render_.partials[static_cast<std::size_t>(n - 1)], -60.0);
        const double strength = std::max(a, b);
        if (strength <= -50.0) continue;
        const double weight = (1.0 + strength / 60.0) / std::sqrt(n);
        // Partials of voices that beat come to their mean level only after many beats.
        const double noticed = noticedPartialDb + fluctuatingDb();
        const double beyond = std::max(0.0, std::abs(b - a) - noticed);
        sum += weight * beyond * beyond;
        weights += weight;
    }
    return weights > 0.0 ? std::sqrt(sum / weights) : static_cast<double>(notMeasurable);
}

double Distances::brightnessOctaves() const {
    const double centroid =
        alongside(reference_.centroidHz, render_.centroidHz, noticedOctaves, irregularOctaves, 1.0, 45.0, inOctaves)
            .rms();
    const double edge =
        alongside(reference_.rolloffHz, render_.rolloffHz, noticedOctaves, irregularOctaves, 1.0, 45.0, inOctaves)
            .rms();
    return 0.6 * centroid + 0.4 * edge;
}

double Distances::noiseDb() const {
    return alongside(reference_.noise.ratioDb, render_.noise.ratioDb, noticedRatioDb, noticedRatioDb, 0.6, 40.0,
                     audibleRatio)
        .rms();
}

double Distances::tailDb() const {
    const double lowest = loudest_ - rangeDb;
    double sum = 0.0, weights = 0.0;
    const Track& level = reference_.levelDb;
    for (std::size_t i = 0; i < level.values.size(); i += 4) {
        const double seconds = static_cast<double>(i) * level.stepSeconds;
        const bool within = std::any_of(reference_.notes.begin(), reference_.notes.end(), [&](const NoteProfile& each) {
            return seconds >= each.note.start - 0.01 && seconds < each.note.end + 0.15;
        });
        const double other = render_.levelDb.at(seconds + shift_);
        if (within || !isMeasured(level.values[i]) || !isMeasured(other)) continue;
        const double a = std::max<double>(level.values[i], lowest), b = std::max(other + gain_, lowest);
        const double weight = std::clamp((std::max(a, b) - lowest) / rangeDb, 0.0, 1.0);
        const double beyond = std::max(0.0, std::abs(a - b) - noticedDb - fluctuatingDb());
        sum += weight * beyond * beyond;
        weights += weight;
    }
    return weights > 0.0 ? std::sqrt(sum / weights) : static_cast<double>(notMeasurable);
}

double Distances::widthDb() const {
    if (reference_.channelCount < 2 || render_.channelCount < 2) return notMeasurable;
    // Narrower than that nobody hears (common practice, no source); bands weigh by their level.
    const auto heard = [](double db) { return std::max(-24.0, db); };
    double sum = 0.0, weights = 0.0;
    const auto &a = reference_.width.thirdOctaves, &b = render_.width.thirdOctaves;
    for (std::size_t k = 0; k < std::min(a.size(), b.size()); ++k) {
        if (!isMeasured(a[k].sideDb) || !isMeasured(b[k].sideDb)) continue;
        const double weight = std::clamp(1.0 + a[k].levelDb / 40.0, 0.0, 1.0);
        const double noticed = noticedSideDb + fluctuatingDb();
        const double beyond = std::max(0.0, std::abs(heard(a[k].sideDb) - heard(b[k].sideDb)) - noticed);
        sum += weight * beyond * beyond;
        weights += weight;
    }
    return weights > 0.0 ? std::sqrt(sum / weights) : static_cast<double>(notMeasurable);
}

double timeShift(const Profile& reference, const Profile& render) {
    const auto& a = reference.levelDb.values;
    const auto& b = render.levelDb.values;
    if (a.empty() || b.empty()) return 0.0;
    const float floor = *std::max_element(a.begin(), a.end()) - 50.0f;
    const auto gain = static_cast<float>(reference.loudness - render.loudness);
    int best = 0;
    double bestSum = 1e300;
    for (int offset = -30; offset <= 30; ++offset) {
        double sum = 0.0;
        for (int i = 30; i + 30 < static_cast<int>(std::min(a.size(), b.size())); i += 2)
            sum += std::abs(std::max(floor, a[static_cast<std::size_t>(i)]) -
                            std::max(floor, b[static_cast<std::size_t>(i + offset)] + gain));
        sum *= 1.0 + 0.0005 * std::abs(offset); // no shift without a reason
        if (sum < bestSum) {
            bestSum = sum;
            best = offset;
        }
    }
    return best * reference.levelDb.stepSeconds;
}

} // namespace facet
