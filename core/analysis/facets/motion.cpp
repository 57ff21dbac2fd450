#include "core/analysis/facets/motion.h"

#include "core/analysis/facets/band_levels.h"
#include "core/analysis/facets/beating.h"
#include "core/audio/recording.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

/// Length of what YIN compares at once, which smooths a vibrato: its integration window.
constexpr double pitchWindowSeconds = 2048.0 / analysisRateHz;

double sinc(double x) { return std::abs(x) < 1e-9 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x); }

std::vector<float> between(const Track& track, double from, double to) {
    std::vector<float> values;
    for (int i = std::max(0, static_cast<int>(std::ceil(from / track.stepSeconds)));
         i <= static_cast<int>(to / track.stepSeconds) && i < static_cast<int>(track.values.size()); ++i)
        values.push_back(track.values[static_cast<std::size_t>(i)]);
    return values;
}

/// Seconds after which a change begins: the first moment its running depth reaches half of the whole.
double onsetOf(const std::vector<float>& values, double step, const PeriodicChange& change) {
    const auto period = static_cast<std::size_t>(std::max(2.0, std::round(1.0 / (change.rateHz * step))));
    for (std::size_t i = 0; i + period < values.size(); ++i) {
        float low = 1e9f;
        float high = -1e9f;
        for (std::size_t k = i; k < i + period; ++k)
            if (isMeasured(values[k])) {
                low = std::min(low, values[k]);
                high = std::max(high, values[k]);
            }
        if (high - low > change.depth) return static_cast<double>(i) * step;
    }
    return 0.0;
}

double driftOf(std::vector<float> values, double step) {
    // Mean over a second, moving: what remains is slower than 1 Hz.
    const auto reach = static_cast<std::size_t>(0.5 / step);
    if (values.size() < 3 * reach) return notMeasurable;
    std::vector<double> slow;
    for (std::size_t i = reach; i + reach < values.size(); ++i) {
        double sum = 0.0;
        int count = 0;
        for (std::size_t k = i - reach; k <= i + reach; ++k)
            if (isMeasured(values[k])) {
                sum += values[k];
                ++count;
            }
        if (count > 0) slow.push_back(sum / count);
    }
    if (slow.size() < 8) return notMeasurable;
    double mean = 0.0;
    for (double v : slow) mean += v;
    mean /= static_cast<double>(slow.size());
    double square = 0.0;
    for (double v : slow) square += (v - mean) * (v - mean);
    return std::sqrt(square / static_cast<double>(slow.size()));
}

} // namespace

NamedMotion MotionProfile::strongest() const {
    // Depths in steps that are easily heard.
    const double steps[] = {vibrato.found() ? vibrato.depth / 5.0 : 0.0, tremolo.found() ? tremolo.depth / 0.12 : 0.0,
                            filter.found() ? filter.depth / 0.2 : 0.0};
    if (steps[1] > steps[0] && steps[1] >= steps[2]) return {tremolo, "tremolo", "share of the level"};
    if (steps[2] > steps[0]) return {filter, "filter movement", "octaves"};
    return {vibrato, "vibrato", "cents"};
}

namespace {

/// Lets the phase of a change that was found `margin` seconds into a note count from the note's beginning.
void fromNote(PeriodicChange& change, double margin) {
    change.phase -= change.rateHz * margin;
    change.phase -= std::floor(change.phase);
}

/// What moves in one note; what an earlier, longer note has shown stays.
class NoteMotion {
public:
    NoteMotion(MotionProfile& motion, double start, double end) : motion_(motion), start_(start), end_(end) {}

    void measureVibratoAndDrift(const Track& pitchCents) {
        constexpr double margin = 0.04;
        const auto pitch = between(pitchCents, start_ + margin, end_ - 0.03);
        if (!motion_.vibrato.found()) {
            motion_.vibrato = findPeriodicChange(pitch, pitchCents.stepSeconds, {.lowestHz = 1.0, .highestHz = 16.0});
            if (motion_.vibrato.found()) {
                const double passed = sinc(motion_.vibrato.rateHz * pitchWindowSeconds);
                motion_.vibrato.depth /= passed;
                fromNote(motion_.vibrato, margin);
                for (float& v : motion_.vibrato.cycle) v /= static_cast<float>(passed);
                if (motion_.vibrato.depth < 1.5)
                    motion_.vibrato = {}; // less is the measurement's own
                else
                    motion_.vibratoOnset = onsetOf(pitch, pitchCents.stepSeconds, motion_.vibrato);
            }
        }
        if (!isMeasured(motion_.driftCents) && !motion_.vibrato.found())
            motion_.driftCents = driftOf(pitch, pitchCents.stepSeconds);
    }

    void measureTremolo(const Track& levelDb, double levelSmoothing) {
        if (motion_.tremolo.found()) return;
        const double margin = std::max(0.03, levelSmoothing);
        std::vector<float> amplitude = between(levelDb, start_ + margin, end_ - margin);
        double mean = 0.0;
        for (float& v : amplitude) {
            v = static_cast<float>(gainFromDb(v));
            mean += v;
        }
        mean /= std::max<double>(1.0, static_cast<double>(amplitude.size()));
        for (float& v : amplitude) v /= static_cast<float>(mean + 1e-12);
        // Every fourth millisecond is enough for 30 Hz and four times as quick.
        std::vector<float> thinned;
        for (std::size_t k = 0; k < amplitude.size(); k += 4) thinned.push_back(amplitude[k]);
        if (motion_.tremoloRate.empty()) {
            const auto [softest, loudest] = std::minmax_element(thinned.begin(), thinned.end());
            if (!thinned.empty() && *softest < 0.7f * *loudest)
                motion_.tremoloRate = rateOverTime(thinned, 4.0 * levelDb.stepSeconds);
            for (CurvePoint& point : motion_.tremoloRate) point.seconds += start_ + margin;
        }
        const PeriodicChange found = findPeriodicChange(
            thinned, 4.0 * levelDb.stepSeconds, {.lowestHz = 1.0, .highestHz = std::min(25.0, 0.3 / levelSmoothing)});
        if (!found.found() || found.depth <= 0.02) return;
        motion_.tremolo = found;
        fromNote(motion_.tremolo, margin);
        motion_.tremoloDepthDb = tremoloDb(found);
    }

    /// Of voices that beat the whole level says nothing; what moves all bands alike is a tremolo.
    void measureCommonTremolo(const BandLevels& bands) {
        constexpr double margin = 0.04, leastCommon = 0.2, leastDepth = 0.08;
        constexpr double leastCycles = 4.0, shareOfOneCycle = 1.3;
        if (bands.commonShare(start_ + margin, end_ - margin) < leastCommon) return;
        Track level = bands.commonDb(start_ + margin, end_ - margin);
        double mean = 0.0;
        for (const float db : level.values) mean += gainFromDb(db) / static_cast<double>(level.values.size());
        for (float& value : level.values) value = static_cast<float>(gainFromDb(value) / (mean + 1e-12));
        const PeriodicChange found = findPeriodicChange(
            level.values, level.stepSeconds,
            {.lowestHz = 1.0, .highestHz = 20.0, .leastCycles = leastCycles, .leastConfidence = 0.2});
        // Of a few cycles chance explains much.
        if (!found.found() || found.depth < leastDepth || found.confidence < shareOfOneCycle / std::sqrt(found.cycles))
            return;
        motion_.tremolo = found;
        fromNote(motion_.tremolo, margin);
        motion_.tremoloDepthDb = tremoloDb(found);
    }

    void measureFilter(const Track& cutoffHz) {
        if (motion_.filter.found()) return;
        constexpr double margin = 0.03;
        std::vector<float> octaves = between(cutoffHz, start_ + margin, end_ - 0.02);
        // Of a sound without partials the cutoff is seen now and then: a few values fit any cycle.
        const auto seen = std::count_if(octaves.begin(), octaves.end(), [](float v) { return isMeasured(v); });
        if (2 * seen < static_cast<std::ptrdiff_t>(octaves.size())) return;
        for (float& v : octaves) v = std::log2(v);
        const PeriodicChange found =
            findPeriodicChange(octaves, cutoffHz.stepSeconds, {.lowestHz = 0.5, .highestHz = 16.0});
        if (!found.found() || found.depth <= 0.06) return;
        motion_.filter = found;
        fromNote(motion_.filter, margin);
    }

    void measureBeating(std::span<const float> mono48k, double f0Hz, const Task& task) {
        if (isMeasured(motion_.detuneCents) || !isMeasured(f0Hz)) return;
        const Beating beating = beatingOf(mono48k, start_ + 0.02, end_ - 0.01, f0Hz,
                                          {motion_.tremolo.rateHz, motion_.vibrato.rateHz}, task);
        motion_.detuneConfidence = std::max(motion_.detuneConfidence, beating.confidence);
        motion_.detuneCents = beating.cents;
        if (!isMeasured(beating.cents)) return;
        // The strongest partial's beating is not a tremolo or a vibrato besides.
        motion_.tremolo = {};
        motion_.tremoloRate.clear();
        motion_.tremoloDepthDb = notMeasurable;
        motion_.vibrato = {};
        motion_.vibratoOnset = notMeasurable;
        motion_.filter = {};
    }

private:
    MotionProfile& motion_;
    double start_, end_; ///< seconds
};

/// Whether another note sounds with one for most of its time: what is followed then is not one pitch.
bool soundsInChord(const Performance& performance, std::size_t index) {
    const Note& note = performance.notes[index];
    return std::any_of(performance.notes.begin(), performance.notes.end(), [&](const Note& other) {
        const double together = std::min(note.end, other.end) - std::max(note.start, other.start);
        return &other != &note && together > 0.5 * (note.end - note.start);
    });
}

/// A stretch of the recording in which a note is held, in seconds.
struct Held {
    double start = 0.0, end = 0.0;
};

/// What moves all bands alike, where the whole level shows nothing: of voices that beat. `longest`: the longest note.
void measureCommonMotion(MotionProfile& motion, std::span<const float> mono48k, const Performance& performance,
                         const Held& longest) {
    constexpr double switchedAlike = 0.45, edge = 0.04, behind = 0.5;
    if (motion.tremolo.found() || motion.switched.found() || longest.end <= longest.start) return;
    const BandLevels bands(mono48k);
    double last = 0.0;
    for (const Note& note : performance.notes) last = std::max(last, note.end);
    if (bands.commonShare(longest.start + edge, longest.end - edge) > switchedAlike)
        motion.switched = findStepPattern(bands.commonDb(0.0, last + behind), performance);
    if (!motion.switched.found()) NoteMotion(motion, longest.start, longest.end).measureCommonTremolo(bands);
}

/// A deep gate leaves nothing to measure in between: what else moves at its rate is the gate seen again.
void dropWhatIsTheGate(MotionProfile& motion) {
    if (!motion.tremolo.found() || motion.tremoloDepthDb <= 12.0) return;
    for (PeriodicChange* other : {&motion.vibrato, &motion.filter}) {
        const double times = other->rateHz / motion.tremolo.rateHz;
        if (other->found() && std::round(times) >= 1.0 && std::abs(times / std::round(times) - 1.0) < 0.03) *other = {};
    }
}

} // namespace

MotionProfile measureMotion(std::span<const float> mono48k, const Performance& performance,
                            const std::vector<double>& f0Hz, const Track& pitchCents, const Track& levelDb,
                            double levelSmoothing, const Track& cutoffHz, const Task& task) {
    MotionProfile motion;
    const double seconds = static_cast<double>(mono48k.size()) / analysisRateHz;
    // The longest note first, since it is measured best, and one more.
    std::vector<std::size_t> order(performance.notes.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    const auto lengthOf = [&](std::size_t i) {
        const double next = i + 1 < performance.notes.size() ? performance.notes[i + 1].start : seconds;
        return std::min({performance.notes[i].end, next, seconds}) - performance.notes[i].start;
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return lengthOf(a) > lengthOf(b); });
    if (order.size() > 2) order.resize(2);
    Held longest;
    for (std::size_t i : order) {
        task.check();
        const double start = performance.notes[i].start;
        const double end = start + lengthOf(i);
        if (end - start < 0.25) continue;
        if (end - start > longest.end - longest.start) longest = {start, end};
        ++motion.noteCount;
        NoteMotion note(motion, start, end);
        if (!soundsInChord(performance, i)) note.measureVibratoAndDrift(pitchCents);
        note.measureTremolo(levelDb, levelSmoothing);
        note.measureFilter(cutoffHz);
        note.measureBeating(mono48k, f0Hz[i], task);
    }
    motion.switched = findStepPattern(mono48k, performance);
    measureCommonMotion(motion, mono48k, performance, longest);
    dropWhatIsTheGate(motion);
    return motion;
}

double tremoloDb(const PeriodicChange& tremolo) {
    if (!tremolo.found()) return notMeasurable;
    const auto [low, high] = std::minmax_element(tremolo.cycle.begin(), tremolo.cycle.end());
    return -dbFromGain(std::max(1e-3, (1.0 + *low) / (1.0 + *high)));
}

const char* nearestNoteValue(double rateHz, double beatsPerMinute) {
    struct Value {
        const char* name;
        double quarters;
    };
    static constexpr Value values[] = {{"1/32 triplet", 1.0 / 12},
                                       {"1/32", 1.0 / 8},
                                       {"1/16 triplet", 1.0 / 6},
                                       {"1/32 dotted", 3.0 / 16},
                                       {"1/16", 1.0 / 4},
                                       {"1/8 triplet", 1.0 / 3},
                                       {"1/16 dotted", 3.0 / 8},
                                       {"1/8", 1.0 / 2},
                                       {"1/4 triplet", 2.0 / 3},
                                       {"1/8 dotted", 3.0 / 4},
                                       {"1/4", 1.0},
                                       {"1/2 triplet", 4.0 / 3},
                                       {"1/4 dotted", 1.5},
                                       {"1/2", 2.0},
                                       {"1/2 dotted", 3.0},
                                       {"1 bar", 4.0},
                                       {"2 bars", 8.0},
                                       {"4 bars", 16.0},
                                       {"8 bars", 32.0}};
    if (!isMeasured(rateHz) || rateHz <= 0.0 || beatsPerMinute <= 0.0) return "";
    const double quarters = beatsPerMinute / 60.0 / rateHz;
    for (const Value& value : values)
        if (std::abs(quarters / value.quarters - 1.0) < 0.02) return value.name;
    return "";
}

} // namespace facet
