#include "core/engine/kernels/source_kernels.h"

#include "core/base/random.h"
#include "core/engine/kernels/wave_value.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>
#include <utility>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/kernels/source_kernels.cpp"
#include <hwy/foreach_target.h>

#include "core/engine/kernels/lanes-inl.h"

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {

/// Adds the residual of a jump that happens `before` samples (0 ≤ before < 1) ahead of line[index].
HWY_INLINE void addResidual(const std::array<BandLimitTables::Row, bandLimitPhases + 1>& table, float* line, int index,
                            double before, float amount) {
    const double position = before * bandLimitPhases;
    const int row = static_cast<int>(position);
    const Group share = splat(static_cast<float>(position - row));
    const Group scale = splat(amount);
    const float* low = table[static_cast<std::size_t>(row)].data();
    const float* high = table[static_cast<std::size_t>(row + 1)].data();
    float* out = line + index - bandLimitReach;
    for (int half = 0; half < 2 * bandLimitReach; half += laneCount) {
        const Group a = load(low + half);
        store(mulAdd(mulAdd(load(high + half) - a, share, a), scale, load(out + half)), out + half);
    }
}

/// Where a clipped sine has its corners, and how steep it is there.
struct ClipCorners {
    double place; ///< of the first, in cycles
    double slope; ///< per cycle
    HWY_INLINE explicit ClipCorners(float clip)
        : place(std::asin(1.0 / clip) / (2.0 * std::numbers::pi)),
          slope(2.0 * std::numbers::pi * std::sqrt(static_cast<double>(clip) * clip - 1.0)) {}
};

/// Pole-zero pairs an octave apart whose places make any slope: J. O. Smith, H. F. Smith, "Closed form fractional
/// integration and differentiation via real exponentially spaced pole-zero pairs", arXiv:1606.06154, 2016. Unity at 1
/// kHz if the rate is 48 kHz.
Tilt tiltOf(float slope) {
    Tilt tilt{.slope = slope};
    if (slope == 0.0f) return tilt;
    constexpr double radians = 2.0 * std::numbers::pi / 48000.0;
    std::array<double, tiltSections> poles, zeros;
    double gain = 1.0;
    for (std::size_t k = 0; k < tiltSections; ++k) {
        const double pole = 20.0 * radians * static_cast<double>(1 << k);
        const double zero = pole * std::exp2(-static_cast<double>(slope));
        poles[k] = std::exp(-std::min(pole, 3.0));
        zeros[k] = std::exp(-std::min(zero, 3.0));
        const auto powerAt1k = [&](double c) { return 1.0 + c * c - 2.0 * c * std::cos(1000.0 * radians); };
        gain *= std::sqrt(powerAt1k(poles[k]) / powerAt1k(zeros[k]));
    }
    // Partial fractions: what all sections in a row do, side by side.
    double direct = gain;
    for (std::size_t k = 0; k < tiltSections; ++k) direct *= zeros[k] / poles[k];
    for (std::size_t k = 0; k < tiltSections; ++k) {
        double residue = gain;
        for (std::size_t j = 0; j < tiltSections; ++j) {
            residue *= 1.0 - zeros[j] / poles[k];
            if (j != k) residue /= 1.0 - poles[j] / poles[k];
        }
        tilt.residues[k] = static_cast<float>(residue);
        tilt.poles[k] = static_cast<float>(poles[k]);
    }
    tilt.direct = static_cast<float>(direct);
    return tilt;
}

/// Next value of white noise, uniform in −1…1, colored.
HWY_INLINE float nextNoise(OscillatorExtra& o) {
    const auto x = static_cast<float>(2.0 * unitFromBits(splitMix64(o.seed + o.drawn++)) - 1.0);
    const Tilt& tilt = o.tilt;
    if (tilt.slope == 0.0f) return x;
    const Group state = mulAdd(load(tilt.poles.data()), load(o.tilted.data()), splat(x));
    store(state, o.tilted.data());
    return tilt.direct * x + sumOf(load(tilt.residues.data()) * state);
}

/// Writes one oscillator's next `frames` samples into its line, 16 ahead.
struct Generator {
    Oscillator& o;
    const double increment;
    const int frames;
    const BandLimitTables& tables;
    Group ahead; ///< the block at line[16…31], before its residuals
    Group index;

    HWY_INLINE Generator(Oscillator& oscillator, double inc, int n, const BandLimitTables& t)
        : o(oscillator), increment(inc), frames(n), tables(t), ahead(splat(0.0f)), index(counting()) {}

    /// First sample at or after an instant in samples, and how far behind it the instant lies.
    HWY_INLINE int firstAfter(double instant, double& before) const {
        const int first = static_cast<int>(std::ceil(instant));
        before = first - instant;
        return first;
    }
    HWY_INLINE void jump(double instant, float amount) {
        double before;
        const int first = firstAfter(instant, before);
        ahead = ahead + whereAtLeast(index, splat(static_cast<float>(first)), splat(amount));
        addResidual(tables.step, o.line.data(), bandLimitReach + first, before, amount);
    }
    HWY_INLINE void bend(double instant, float slope) {
        double before;
        const int first = firstAfter(instant, before);
        const Group since = index - splat(static_cast<float>(instant));
        ahead = ahead + whereAtLeast(index, splat(static_cast<float>(first)), since * splat(slope));
        addResidual(tables.ramp, o.line.data(), bandLimitReach + first, before, slope);
    }
    /// Calls `event(instant)` wherever the phase passes `place` (in cycles, modulo 1) within the block: after
    /// its beginning, up to and including its end. The beginning itself belonged to the block before.
    template <typename F> HWY_INLINE void passing(double place, F&& event) {
        const double end = o.phase + frames * increment;
        for (double at = place > o.phase ? place : place + 1.0; at <= end; at += 1.0) event((at - o.phase) / increment);
    }

    /// Only what the band limit takes off a change of slope; the change itself is in the samples already.
    HWY_INLINE void corner(double instant, float slope) {
        double before;
        const int first = firstAfter(instant, before);
        addResidual(tables.ramp, o.line.data(), bandLimitReach + first, before, slope);
    }

    HWY_INLINE void saw(float gain) {
        ahead = ahead + mulAdd(index, splat(gain * static_cast<float>(2.0 * increment)),
                               splat(gain * static_cast<float>(2.0 * o.phase - 1.0)));
        passing(1.0, [&](double instant) HWY_ATTR { jump(instant, -2.0f * gain); });
    }
    HWY_INLINE void triangle(float gain) {
        const bool rising = o.phase < 0.5;
        const double slope = 4.0 * increment * gain;
        const double value = gain * (rising ? 4.0 * o.phase - 1.0 : 3.0 - 4.0 * o.phase);
        ahead =
            ahead + mulAdd(index, splat(static_cast<float>(rising ? slope : -slope)), splat(static_cast<float>(value)));
        passing(0.5, [&](double instant) HWY_ATTR { bend(instant, static_cast<float>(-2.0 * slope)); });
        passing(1.0, [&](double instant) HWY_ATTR { bend(instant, static_cast<float>(2.0 * slope)); });
    }
    HWY_INLINE void pulse(float width, float gain) {
        const float mean = 2.0f * width - 1.0f; // taken off, so that no width adds a constant
        ahead = ahead + splat(gain * ((o.high ? 1.0f : -1.0f) - mean));
        const bool belongsHigh = o.phase < width;
        // The width moved past the phase.
        if (belongsHigh != o.high) jump(0.0, (belongsHigh ? 2.0f : -2.0f) * gain);
        passing(width, [&](double instant) HWY_ATTR { jump(instant, -2.0f * gain); });
        passing(1.0, [&](double instant) HWY_ATTR { jump(instant, 2.0f * gain); });
        const double end = o.phase + frames * increment;
        o.high = end - std::floor(end) < width;
    }
    HWY_INLINE Group phases() const {
        return mulAdd(index, splat(static_cast<float>(increment)), splat(static_cast<float>(o.phase)));
    }
    HWY_INLINE void sine(float gain) { ahead = mulAdd(sineOfCycles(phases()), splat(gain), ahead); }
    HWY_INLINE void clippedSine(float clip, float gain) {
        ahead = mulAdd(clamp(sineOfCycles(phases()) * splat(clip), -1.0f, 1.0f), splat(gain), ahead);
        if (clip <= 1.0f) return;
        const ClipCorners corners(clip);
        const auto slope = static_cast<float>(corners.slope * increment) * gain;
        passing(corners.place, [&](double instant) HWY_ATTR { corner(instant, -slope); });
        passing(0.5 - corners.place, [&](double instant) HWY_ATTR { corner(instant, -slope); });
        passing(0.5 + corners.place, [&](double instant) HWY_ATTR { corner(instant, slope); });
        passing(1.0 - corners.place, [&](double instant) HWY_ATTR { corner(instant, slope); });
    }
    HWY_INLINE void table(const WaveTable& waves, float position, float gain) {
        alignas(64) float values[laneCount] = {};
        const int level = WaveTable::levelFor(increment);
        double phase = o.phase;
        for (int i = 0; i < frames; ++i, phase += increment)
            values[i] = waves.at(level, phase - std::floor(phase), position);
        ahead = mulAdd(load(values), splat(gain), ahead);
    }
    HWY_INLINE void noise(float slope, float gain) {
        alignas(64) float values[laneCount] = {};
        OscillatorExtra& extra = *o.extra;
        if (extra.tilt.slope != slope) extra.tilt = tiltOf(slope);
        for (int i = 0; i < frames; ++i) values[i] = nextNoise(extra);
        ahead = mulAdd(load(values), splat(gain), ahead);
    }
    HWY_INLINE void sample(const SampleTable& sound, float gain) {
        alignas(64) float values[laneCount] = {};
        const int level = SampleTable::levelFor(increment);
        for (int i = 0; i < frames; ++i, o.phase += increment) values[i] = sound.at(level, o.phase);
        ahead = mulAdd(load(values), splat(gain), ahead);
    }

    HWY_INLINE void add(Wave wave, const SourceShape& shape, float gain) {
        switch (wave) {
        case Wave::sine: sine(gain); break;
        case Wave::triangle: triangle(gain); break;
        case Wave::saw: saw(gain); break;
        case Wave::pulse: pulse(shape.width, gain); break;
        case Wave::clippedSine: clippedSine(shape.clip, gain); break;
        case Wave::harmonics:
        case Wave::wavetable:
            if (shape.table) table(*shape.table, shape.position, gain);
            break;
        case Wave::noise: noise(shape.tilt, gain); break;
        case Wave::sample:
            if (shape.sample) sample(*shape.sample, gain);
            break;
        }
    }

    HWY_INLINE void run(const SourceShape& shape) {
        if (shape.wave == shape.blendWave) { // a pulse turns over once, not once for each share
            add(shape.wave, shape, 1.0f);
        } else {
            if (shape.blend < 1.0f) add(shape.wave, shape, 1.0f - shape.blend);
            if (shape.blend > 0.0f) add(shape.blendWave, shape, shape.blend);
        }
        float* block = o.line.data() + bandLimitReach;
        if (frames == blockFrames) {
            store(load(block) + ahead, block);
        } else {
            alignas(64) float values[laneCount];
            store(ahead, values);
            for (int i = 0; i < frames; ++i) block[i] += values[i];
        }
        if (shape.wave == Wave::sample) return; // its place has moved on already
        const double end = o.phase + frames * increment;
        o.phase = end - std::floor(end);
    }
};

/// A source that is moved by the sample, or begun anew within its cycle: its phase is followed step by step, and every
/// jump and corner on the way gets its residual.
struct MovedSource {
    Oscillator& o;
    const SourceShape& shape;
    const BandLimitTables& tables;
    float width = 0.5f;
    float position = 0.0f;
    int sampleIndex = 0;
    bool passesEvents = true;

    HWY_INLINE void jump(double before, float amount) {
        addResidual(tables.step, o.line.data(), bandLimitReach + sampleIndex, before, amount);
    }
    HWY_INLINE void corner(double before, float slope) {
        addResidual(tables.ramp, o.line.data(), bandLimitReach + sampleIndex, before, slope);
    }

    /// Naive value of a wave at a phase.
    float valueOf(Wave wave, double phase, double increment) const {
        const double q = phase - std::floor(phase);
        if (wave == Wave::harmonics || wave == Wave::wavetable)
            return shape.table ? shape.table->at(WaveTable::levelFor(std::abs(increment)), q, position) : 0.0f;
        return waveValue(wave, q, width, shape.clip);
    }
    float value(double phase, double increment) const {
        float sum = 0.0f;
        if (shape.blend < 1.0f) sum += (1.0f - shape.blend) * valueOf(shape.wave, phase, increment);
        if (shape.blend > 0.0f) sum += shape.blend * valueOf(shape.blendWave, phase, increment);
        return sum;
    }

    /// Residuals of what a wave passes on its way from one phase to another, at instants from `beforeA` to `beforeB`
    /// samples ahead of the present sample.
    void pass(Wave wave, float gain, double from, double to, double beforeA, double beforeB) {
        const double way = to - from;
        if (way == 0.0 || gain == 0.0f) return;
        const double speed = std::abs(way) / std::max(1e-9, beforeA - beforeB); // cycles per sample
        const auto crossings = [&](double place, auto&& event) {
            const double low = std::min(from, to) - place;
            const double high = std::max(from, to) - place;
            int seen = 0;
            for (double n = std::floor(low) + 1.0; n <= std::floor(high) && seen < 8; n += 1.0, ++seen)
                event(std::clamp(beforeA - (n + place - from) / way * (beforeA - beforeB), 0.0, 1.0 - 1e-9));
        };
        const float direction = way > 0.0 ? 1.0f : -1.0f;
        switch (wave) {
        case Wave::saw: crossings(0.0, [&](double b) { jump(b, -2.0f * gain * direction); }); break;
        case Wave::pulse:
            crossings(0.0, [&](double b) { jump(b, 2.0f * gain * direction); });
            crossings(width, [&](double b) { jump(b, -2.0f * gain * direction); });
            break;
        case Wave::triangle:
            crossings(0.0, [&](double b) { corner(b, static_cast<float>(8.0 * speed) * gain); });
            crossings(0.5, [&](double b) { corner(b, static_cast<float>(-8.0 * speed) * gain); });
            break;
        case Wave::clippedSine:
            if (shape.clip > 1.0f) {
                const ClipCorners corners(shape.clip);
                const auto slope = static_cast<float>(corners.slope * speed) * gain;
                crossings(corners.place, [&](double b) { corner(b, -slope); });
                crossings(0.5 - corners.place, [&](double b) { corner(b, -slope); });
                crossings(0.5 + corners.place, [&](double b) { corner(b, slope); });
                crossings(1.0 - corners.place, [&](double b) { corner(b, slope); });
            }
            break;
        default: break;
        }
    }
    /// Whether a wave jumps or has corners on its way.
    bool hasEvents(Wave wave) const {
        return wave == Wave::saw || wave == Wave::pulse || wave == Wave::triangle ||
               (wave == Wave::clippedSine && shape.clip > 1.0f);
    }
    void passAll(double from, double to, double beforeA, double beforeB) {
        if (!passesEvents) return;
        pass(shape.wave, 1.0f - shape.blend, from, to, beforeA, beforeB);
        pass(shape.blendWave, shape.blend, from, to, beforeA, beforeB);
    }
};

/// What a source moves others by: band-limited by tables, since residuals come 16 samples too late.
float movingValue(const SourceShape& shape, const MovedSource& source, double phase, double increment) {
    const auto ofTable = [&](const WaveTable& table, double q) {
        return table.at(WaveTable::levelFor(increment), q - std::floor(q), 0.0f);
    };
    const auto of = [&](Wave wave) {
        switch (wave) {
        case Wave::saw: return ofTable(sawTable(), phase);
        case Wave::triangle: return ofTable(triangleTable(), phase);
        case Wave::pulse: return ofTable(sawTable(), phase - source.width) - ofTable(sawTable(), phase);
        default: return source.valueOf(wave, phase, increment);
        }
    };
    return (shape.blend < 1.0f ? (1.0f - shape.blend) * of(shape.wave) : 0.0f) +
           (shape.blend > 0.0f ? shape.blend * of(shape.blendWave) : 0.0f);
}

void runMoved(const SourceJob& job, int frames) {
    static constexpr SampleMoves still;
    const SampleMoves& moves = job.moves ? *job.moves : still;
    Oscillator& o = *job.oscillator;
    OscillatorExtra& x = *o.extra;
    MovedSource source{o, *job.shape, bandLimitTables()};
    source.passesEvents = (job.shape->blend < 1.0f && source.hasEvents(job.shape->wave)) ||
                          (job.shape->blend > 0.0f && source.hasEvents(job.shape->blendWave));
    float* block = o.line.data() + bandLimitReach;
    const bool phased = job.shape->wave != Wave::noise && job.shape->wave != Wave::sample;
    const float pulsed = (job.shape->wave == Wave::pulse ? 1.0f - job.shape->blend : 0.0f) +
                         (job.shape->blendWave == Wave::pulse ? job.shape->blend : 0.0f);
    if (job.wraps) job.wraps->count = 0;
    if (job.shape->wave == Wave::noise && x.tilt.slope != job.shape->tilt) x.tilt = tiltOf(job.shape->tilt);
    for (int i = 0; i < frames; ++i) {
        source.sampleIndex = i;
        if (job.wraps && x.wrapped >= 0.0)
            job.wraps->at[static_cast<std::size_t>(job.wraps->count++)] = static_cast<float>(i - x.wrapped);
        x.wrapped = -1.0;
        double increment = job.increment;
        if (moves.octaves)
            increment = std::clamp(increment * std::exp2(static_cast<double>(moves.octaves[i])), 1e-9, 0.45);
        if (!phased) {
            const float value = job.shape->wave == Wave::noise ? nextNoise(x)
                                : job.shape->sample ? job.shape->sample->at(SampleTable::levelFor(increment), o.phase)
                                                    : 0.0f;
            o.phase += job.shape->wave == Wave::sample ? increment : 0.0;
            block[i] += value;
            if (job.ahead) job.ahead[i] += value;
            continue;
        }
        const float widthBefore = source.width;
        source.width = std::clamp(job.shape->width + (moves.width ? moves.width[i] : 0.0f), 0.02f, 0.98f);
        source.position = std::clamp(job.shape->position + (moves.position ? moves.position[i] : 0.0f), 0.0f, 1.0f);
        const double moved = (moves.phase ? moves.phase[i] : 0.0f) + moves.feedback * 0.5f * (x.last + x.earlier);
        // What begins the cycle anew, and how long before this sample.
        double anew = -1.0;
        if (moves.masterIncrement > 0.0) {
            if (x.master >= 1.0) {
                x.master -= std::floor(x.master);
                anew = std::min(x.master / moves.masterIncrement, 1.0 - 1e-9);
            }
            x.master += moves.masterIncrement;
        } else if (moves.master) {
            for (int w = 0; w < moves.master->count; ++w)
                if (const double before = i - static_cast<double>(moves.master->at[static_cast<std::size_t>(w)]);
                    before >= 0.0 && before < 1.0)
                    anew = before;
        }
        double phase = o.phase + moved; // not wrapped
        if (!x.begun) {
            x.before = phase;
            x.begun = true;
            source.width = std::clamp(job.shape->width, 0.02f, 0.98f);
        } else if (anew >= 0.0) {
            const double there = x.before + (phase - x.before) * (1.0 - anew);
            source.passAll(x.before, there, 1.0, anew);
            const double start = moved; // phase 0, and what moves it
            const double step = increment * anew;
            const float left = source.value(there, increment);
            const float right = source.value(start, increment);
            source.jump(anew, right - left);
            // Slopes on either side, from what a thousandth of a sample changes.
            const double little = 1e-3 * increment;
            const auto slopeBefore = static_cast<float>((left - source.value(there - little, increment)) / 1e-3);
            const auto slopeAfter = static_cast<float>((source.value(start + little, increment) - right) / 1e-3);
            if (std::abs(slopeAfter - slopeBefore) < 1.0f) source.corner(anew, slopeAfter - slopeBefore);
            source.passAll(start, start + step, anew, 0.0);
            o.phase = step;
            phase = start + step;
        } else {
            source.passAll(x.before, phase, 1.0, 0.0);
        }
        // A pulse whose width moved past its phase turns over here.
        if (pulsed > 0.0f && widthBefore != source.width && i > 0) {
            const double q = phase - std::floor(phase);
            if ((q < widthBefore) != (q < source.width)) source.jump(0.0, (q < source.width ? 2.0f : -2.0f) * pulsed);
        }
        const double speed = std::max(increment, std::abs(phase - x.before));
        const float value = source.value(phase, std::min(speed, 0.5));
        block[i] += value;
        if (job.ahead)
            job.ahead[i] += source.passesEvents ? movingValue(*job.shape, source, phase, std::min(speed, 0.5)) : value;
        x.earlier = x.last;
        x.last = value;
        // Steps of a movement that go more than a cycle are steps within one.
        x.before = phase;
        o.phase += increment;
        if (o.phase >= 1.0) {
            const double whole = std::floor(o.phase);
            o.phase -= whole;
            x.before -= whole;
            x.wrapped = o.phase / increment;
        }
    }
    o.high = o.phase < job.shape->width;
}

/// Whether a moved source is a sine that nothing but its phase is moved of, and not by itself: the commonest operator,
/// whose 16 samples do not wait for each other.
HWY_INLINE bool isPlainSine(const SourceJob& job) {
    const SampleMoves* m = job.moves;
    return job.shape->wave == Wave::sine && job.shape->blend == 0.0f && !job.wraps &&
           (!m || (!m->octaves && m->feedback == 0.0f && m->masterIncrement == 0.0 && !m->master));
}

void runMovedSine(const SourceJob& job, int frames) {
    Oscillator& o = *job.oscillator;
    OscillatorExtra& x = *o.extra;
    Group place = mulAdd(counting(), splat(static_cast<float>(job.increment)), splat(static_cast<float>(o.phase)));
    const float* moved = job.moves ? job.moves->phase : nullptr;
    if (moved) place = place + load(moved);
    alignas(64) float values[laneCount];
    store(sineOfCycles(place), values);
    float* block = o.line.data() + bandLimitReach;
    for (int i = 0; i < frames; ++i) block[i] += values[i];
    if (job.ahead)
        for (int i = 0; i < frames; ++i) job.ahead[i] += values[i];
    // As if it had been followed step by step.
    const auto before = [&](int i) { return moved ? static_cast<double>(moved[i]) : 0.0; };
    x.earlier = frames > 1 ? values[frames - 2] : x.last;
    x.last = values[frames - 1];
    const double last = o.phase + job.increment * (frames - 1);
    const double end = o.phase + job.increment * frames;
    o.phase = end - std::floor(end);
    x.before = last - std::floor(end) + before(frames - 1);
    x.begun = true;
    x.wrapped = -1.0;
}

/// A sine that is moved by itself, or in pitch, and nothing else: each value waits for the one before.
HWY_INLINE bool isFeedbackSine(const SourceJob& job) {
    const SampleMoves* m = job.moves;
    return m && job.shape->wave == Wave::sine && job.shape->blend == 0.0f && !job.wraps && m->masterIncrement == 0.0 &&
           !m->master;
}

/// Up to sixteen of them side by side, into their lines and what they move others by.
void runFeedbackSines(const SourceJob* const* jobs, int count, int frames) {
    alignas(64) float phases[laneCount] = {}, increments[laneCount] = {}, halves[laneCount] = {}, last[laneCount] = {},
                      earlier[laneCount] = {};
    // What moves each, and what comes of it: a row for each frame, a column for each job.
    alignas(64) float moved[blockFrames][laneCount] = {}, steps[blockFrames][laneCount], values[blockFrames][laneCount];
    bool anyOctaves = false;
    for (int j = 0; j < count; ++j) {
        const SourceJob& job = *jobs[j];
        const OscillatorExtra& x = *job.oscillator->extra;
        phases[j] = static_cast<float>(job.oscillator->phase);
        increments[j] = static_cast<float>(job.increment);
        halves[j] = 0.5f * job.moves->feedback;
        last[j] = x.last;
        earlier[j] = x.earlier;
        if (job.moves->phase)
            for (int i = 0; i < frames; ++i) moved[i][j] = job.moves->phase[i];
        anyOctaves = anyOctaves || job.moves->octaves;
    }
    if (anyOctaves) {
        for (auto& row : steps) std::copy_n(increments, laneCount, row);
        for (int j = 0; j < count; ++j)
            if (const float* octaves = jobs[j]->moves->octaves)
                for (int i = 0; i < frames; ++i)
                    steps[i][j] = static_cast<float>(
                        std::clamp(jobs[j]->increment * std::exp2(static_cast<double>(octaves[i])), 1e-9, 0.45));
    }
    const Group begin = load(phases), step = load(increments), half = load(halves);
    Group way = begin, before = load(last), beforeThat = load(earlier);
    for (int i = 0; i < frames; ++i) {
        const Group place = anyOctaves ? way : mulAdd(splat(static_cast<float>(i)), step, begin);
        const Group value = sineOfCycles(mulAdd(half, before + beforeThat, place + load(moved[i])));
        store(value, values[i]);
        beforeThat = before;
        before = value;
        if (anyOctaves) way = way + load(steps[i]);
    }
    store(before, last);
    store(beforeThat, earlier);
    store(way, phases);
    for (int j = 0; j < count; ++j) {
        Oscillator& o = *jobs[j]->oscillator;
        OscillatorExtra& x = *o.extra;
        float* block = o.line.data() + bandLimitReach;
        for (int i = 0; i < frames; ++i) block[i] += values[i][j];
        if (float* ahead = jobs[j]->ahead)
            for (int i = 0; i < frames; ++i) ahead[i] += values[i][j];
        // As if it had been followed step by step.
        const double end =
            jobs[j]->moves->octaves ? static_cast<double>(phases[j]) : o.phase + jobs[j]->increment * frames;
        const double newest = jobs[j]->moves->octaves ? end - static_cast<double>(steps[frames - 1][j])
                                                      : o.phase + jobs[j]->increment * (frames - 1);
        x.last = last[j];
        x.earlier = earlier[j];
        x.before = newest - std::floor(end) + static_cast<double>(moved[frames - 1][j]);
        x.begun = true;
        x.wrapped = -1.0;
        o.phase = end - std::floor(end);
    }
}

HWY_INLINE void addScaled(float* out, const Group& signal, float from, float to, int frames, bool overwrites) {
    const Group gain = mulAdd(counting(), splat((to - from) / static_cast<float>(frames)), splat(from));
    // Added to nothing rather than left alone, so that no bit depends on which of several sources came first.
    store(mulAdd(signal, gain, overwrites ? splat(0.0f) : load(out)), out);
}

/// `first`: the block in which gains are on their way.
HWY_INLINE void runBlock(const SourceJob& job, const BandLimitTables& tables, bool first, int at, int frames) {
    Oscillator& o = *job.oscillator;
    if ((job.moves || job.ahead) && isPlainSine(job))
        runMovedSine(job, frames);
    else if (isFeedbackSine(job)) {
        // is in its line already
    } else if (job.moves || job.ahead || job.wraps)
        runMoved(job, frames);
    else
        Generator(o, job.increment, frames, tables).run(*job.shape);
    Group signal = load(o.line.data());
    if (job.moves && job.moves->amplitude) signal = signal * load(job.moves->amplitude);
    addScaled(job.left + at, signal, first ? job.leftFrom : job.leftTo, job.leftTo, frames, job.overwrites);
    if (job.right)
        addScaled(job.right + at, signal, first ? job.rightFrom : job.rightTo, job.rightTo, frames, job.overwrites);
    if (frames == blockFrames) {
        store(load(o.line.data() + 16), o.line.data());
        store(load(o.line.data() + 32), o.line.data() + 16);
        store(splat(0.0f), o.line.data() + 32);
    } else {
        std::memmove(o.line.data(), o.line.data() + frames, sizeof(float) * static_cast<std::size_t>(48 - frames));
        std::memset(o.line.data() + 48 - frames, 0, sizeof(float) * static_cast<std::size_t>(frames));
    }
}

void runSources(const SourceJob* jobs, int count, int at, int frames) {
    const BandLimitTables& tables = bandLimitTables();
    const SourceJob* waiting[laneCount];
    int gathered = 0;
    for (int j = 0; j < count; ++j) {
        if (isPlainSine(jobs[j]) || !isFeedbackSine(jobs[j])) continue;
        waiting[gathered++] = &jobs[j];
        if (gathered == laneCount) runFeedbackSines(waiting, std::exchange(gathered, 0), frames);
    }
    if (gathered > 0) runFeedbackSines(waiting, gathered, frames);
    for (int j = 0; j < count; ++j)
        for (int done = 0; done < frames; done += blockFrames)
            runBlock(jobs[j], tables, done == 0, at + done, std::min(blockFrames, frames - done));
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(runSources);

void runSources(std::span<const SourceJob> jobs, int at, int frames) {
    HWY_DYNAMIC_DISPATCH(runSources)(jobs.data(), static_cast<int>(jobs.size()), at, frames);
}

} // namespace facet::kernels
#endif
