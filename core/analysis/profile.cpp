#include "core/analysis/profile.h"

#include "core/analysis/facets/onset_sweep.h"
#include "core/analysis/facets/pitch.h"
#include "core/base/heavy_work.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/loudness.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr double stepSeconds = 0.01;
constexpr double soundingRangeDb = 50.0;

double smoothingFor(const Performance& performance) {
    double lowest = 1000.0;
    for (const Note& note : performance.notes)
        lowest = std::min(lowest, hzFromKey(note.key + note.cents / 100.0, performance.tuningCents));
    return std::clamp(2.0 / lowest, 0.004, 0.05);
}

class Measurer {
public:
    Measurer(const Recording& recording48k, const Performance& notes, const ProfileSettings& options, const Task& work)
        : recording(recording48k), mono(monoMix(recording48k)), performance(notes), settings(options), task(work) {
        profile.seconds = recording48k.seconds();
        profile.channelCount = recording48k.channelCount();
        profile.tuningCents = notes.tuningCents;
        profile.loudness = activeLoudness(recording48k.channels);
    }

    Profile measure() {
        const double smoothing = smoothingFor(performance);
        profile.levelDb = levelTrack(mono, smoothing);
        loudest = *std::max_element(profile.levelDb.values.begin(), profile.levelDb.values.end());
        measurePitchSpectrumAndLevels(smoothing);
        task.report(0.6, "pitch, brightness and level");
        for (std::size_t i = 0; i < performance.notes.size(); ++i) measureNote(i);
        task.report(0.8, "harmonics");
        measureHarmonics();
        measureCutoff();
        task.report(0.85, "noise, motion, width and space");
        std::vector<double> f0Hz;
        for (const NoteProfile& note : profile.notes) f0Hz.push_back(note.f0Hz);
        // Four measurements that do not need each other.
        parallelFor(4, settings.threads, [&](int which) {
            switch (which) {
            case 0:
                profile.motion = measureMotion(mono, performance, f0Hz, profile.pitchCents, profile.levelDb, smoothing,
                                               profile.cutoffHz, task);
                break;
            case 1: profile.space = measureSpace(recording, performance, task); break;
            case 2: profile.noise = measureNoise(mono, performance, f0Hz, task); break;
            default: profile.width = measureWidth(recording, task); break;
            }
        });
        fitLevelsBehindGate(smoothing);
        task.report(1.0, "done");
        return std::move(profile);
    }

private:
    bool sounds(double seconds) const { return profile.levelDb.at(seconds) > loudest - soundingRangeDb; }

    /// Start of the next note that does not begin together with this one, as the notes of a chord do.
    double nextStart(std::size_t i) const {
        constexpr double together = 0.03;
        for (std::size_t k = i + 1; k < performance.notes.size(); ++k)
            if (performance.notes[k].start > performance.notes[i].start + together) return performance.notes[k].start;
        return profile.seconds;
    }

    double expectedHz(const Note& note) const {
        return hzFromKey(note.key + note.cents / 100.0, performance.tuningCents);
    }

    /// The note that sounds at an instant: the newest that has begun.
    const Note* noteAt(double seconds) const {
        const Note* newest = nullptr;
        for (const Note& note : performance.notes)
            if (note.start <= seconds) newest = &note;
        return newest;
    }

    /// Latest end of the notes that have begun by an instant.
    double lastEndBefore(double seconds) const {
        double latest = 0.0;
        for (const Note& note : performance.notes)
            if (note.start <= seconds) latest = std::max(latest, note.end);
        return latest;
    }

    void measurePitch() {
        const PitchTrack track = trackPitch(mono, {.stepSeconds = stepSeconds}, task);
        profile.pitchHz = track.hz;
        aperiodicity = track.aperiodicity;
        profile.pitchCents.stepSeconds = stepSeconds;
        for (std::size_t i = 0; i < track.hz.values.size(); ++i) {
            const double seconds = static_cast<double>(i) * stepSeconds;
            const float hz = track.hz.values[i];
            const Note* note = noteAt(seconds);
            // Behind a note's end echoes and tails may have the louder pitch.
            if (!note || !isMeasured(hz) || !sounds(seconds) || seconds > lastEndBefore(seconds) + 0.05) {
                profile.pitchHz.values[i] = notMeasurable;
                profile.pitchCents.values.push_back(notMeasurable);
                continue;
            }
            const double against = hzFromKey(note->key, performance.tuningCents);
            profile.pitchCents.values.push_back(static_cast<float>(centsBetween(against, hz)));
        }
    }

    void measureSpectrum() {
        constexpr int size = 2048;
        RealFft fft(size);
        const auto& window = hannWindow(size);
        const int count = static_cast<int>(profile.seconds / stepSeconds) + 1;
        profile.centroidHz.stepSeconds = profile.rolloffHz.stepSeconds = stepSeconds;
        constexpr double binHz = static_cast<double>(analysisRateHz) / size;
        for (int i = 0; i < count; ++i) {
            const double seconds = i * stepSeconds;
            float centroid = notMeasurable;
            float rolloff = notMeasurable;
            if (sounds(seconds)) {
                const int begin = static_cast<int>(std::lround(seconds * analysisRateHz)) - size / 2;
                windowedFrame(mono, begin, window, fft.time());
                fft.forward();
                double sum = 0.0;
                double weighted = 0.0;
                for (int b = 1; b < fft.binCount(); ++b) {
                    const double power = std::norm(fft.bins()[static_cast<std::size_t>(b)]);
                    sum += power;
                    weighted += power * b * binHz;
                }
                double below = 0.0;
                int b = 0;
                while (b + 1 < fft.binCount() && below < 0.95 * sum)
                    below += std::norm(fft.bins()[static_cast<std::size_t>(++b)]);
                if (sum > 0.0) {
                    centroid = static_cast<float>(weighted / sum);
                    rolloff = static_cast<float>(b * binHz);
                }
            }
            profile.centroidHz.values.push_back(centroid);
            profile.rolloffHz.values.push_back(rolloff);
        }
    }

    /// The first note that begins and ends with this one: they share one level.
    std::size_t firstAlike(std::size_t i) const {
        const Note& note = performance.notes[i];
        std::size_t first = 0;
        while (performance.notes[first].start != note.start || performance.notes[first].end != note.end) ++first;
        return first;
    }

    /// What needs the level alone; the longest, the pitch, begins first.
    void measurePitchSpectrumAndLevels(double smoothing) {
        levelFits.resize(performance.notes.size());
        std::vector<std::size_t> fitted;
        for (std::size_t i = 0; i < levelFits.size(); ++i)
            if (firstAlike(i) == i) fitted.push_back(i);
        parallelFor(static_cast<int>(fitted.size()) + 2, settings.threads, [&](int which) {
            if (which == 0)
                measurePitch();
            else if (which == 1)
                measureSpectrum();
            else
                fitLevelOf(fitted[static_cast<std::size_t>(which - 2)], smoothing);
        });
        for (std::size_t i = 0; i < levelFits.size(); ++i) levelFits[i] = levelFits[firstAlike(i)];
    }

    void fitLevelOf(std::size_t i, double smoothing) {
        const Note& note = performance.notes[i];
        levelFits[i] = fitLevel(profile.levelDb, smoothing, note.start, note.end - note.start,
                                std::max(nextStart(i), note.start + 0.005), task);
    }

    /// What a gate or a deep tremolo opens and closes has an envelope all the same: the highest level within one cycle.
    void fitLevelsBehindGate(double smoothing) {
        constexpr double deepDb = 12.0, cycles = 1.1; // some more than one, as a rate may change
        const MotionProfile& motion = profile.motion;
        if (!motion.tremolo.found() || !(motion.tremoloDepthDb > deepDb)) return;
        const double back = cycles / motion.tremolo.rateHz;
        parallelFor(static_cast<int>(profile.notes.size()), settings.threads, [&](int i) {
            NoteProfile& note = profile.notes[static_cast<std::size_t>(i)];
            Track opened = profile.levelDb;
            const int start = std::max(0, opened.indexAt(note.note.start));
            const int end = std::min(static_cast<int>(opened.values.size()), opened.indexAt(note.note.end));
            const int reach = opened.indexAt(back);
            for (int t = start; t < end; ++t)
                opened.values[static_cast<std::size_t>(t)] =
                    *std::max_element(profile.levelDb.values.begin() + std::max(start, t - reach),
                                      profile.levelDb.values.begin() + t + 1);
            const double next = std::max(nextStart(static_cast<std::size_t>(i)), note.note.start + 0.005);
            const LevelFit fit =
                fitLevel(opened, smoothing, note.note.start, note.note.end - note.note.start, next, task);
            if (isMeasured(fit.errorDb) && !(fit.errorDb >= note.level.errorDb)) note.level = fit;
        });
    }

    /// How many of a note's partials, from the first on, lie clear of those of the notes that sound with it.
    int clearPartials(std::size_t i) const {
        const Note& note = performance.notes[i];
        const double hz = expectedHz(note);
        int clear = allPartials;
        for (std::size_t k = 0; k < performance.notes.size(); ++k) {
            const Note& other = performance.notes[k];
            const double together = std::min(note.end, other.end) - std::max(note.start, other.start);
            if (k == i || together < 0.3 * (note.end - note.start)) continue;
            const double otherHz = expectedHz(other);
            for (int n = 1; n <= clear; ++n) {
                const double away = std::abs(n * hz - std::max(1.0, std::round(n * hz / otherHz)) * otherHz);
                if (away < 14.0) clear = n - 1; // Hz: main lobes of the longest window
            }
        }
        return clear;
    }

    void measureNote(std::size_t i) {
        task.check();
        const Note& note = performance.notes[i];
        NoteProfile result;
        result.note = note;
        const double next = std::max(nextStart(i), note.start + 0.005);
        result.level = levelFits[i];
        const double expected = expectedHz(note);
        // In a chord only a partial that stands clear of the others' says something about this note.
        const int clear = clearPartials(i);
        result.f0Hz =
            clear > 0 ? restingPitch(mono, note.start, std::min(note.end, next), expected, clear) : notMeasurable;
        std::vector<float> periodic;
        for (double t = note.start + 0.03; t < std::min(note.end, next); t += aperiodicity.stepSeconds)
            if (const float a = aperiodicity.at(t); isMeasured(a)) periodic.push_back(1.0f - a);
        const float typical = medianOf(periodic);
        result.pitchConfidence = isMeasured(result.f0Hz) && isMeasured(typical) ? typical : 0.0;
        result.cents = isMeasured(result.f0Hz) ? centsBetween(hzFromKey(note.key, performance.tuningCents), result.f0Hz)
                                               : notMeasurable;
        const double steadyHz = isMeasured(result.f0Hz) ? result.f0Hz : expected;
        const Note* before = i > 0 ? &performance.notes[i - 1] : nullptr;
        if (before && before->start > note.start - 0.03) before = nullptr; // of the same chord
        if (before && before->end > note.start - 0.03)
            result.glide =
                fitGlide(mono, profile.pitchHz, note.start,
                         isMeasured(profile.notes[i - 1].f0Hz) ? profile.notes[i - 1].f0Hz : expectedHz(*before),
                         steadyHz, std::max(before->start, note.start - 0.5), std::min(next, note.start + 2.0));
        else {
            const double until = std::min(note.end, next);
            OnsetSweep sweep = sweepOf(onsetCycles(mono, note.start, until, steadyHz), note.start);
            if (!isMeasured(sweep.cents)) sweep = onsetSweep(profile.pitchHz, note.start, until, steadyHz);
            result.sweepCents = sweep.cents;
            result.sweepSeconds = sweep.seconds;
        }
        if (clear == allPartials) {
            result.subOctaveDb = measureSubOctave(mono, note.start, std::min(note.end, next), steadyHz);
            result.inharmonicity = measureInharmonicity(mono, note.start, std::min(note.end, next), steadyHz);
        }
        measureNotePartials(result, std::min(next, note.end + 0.05));
        profile.notes.push_back(result);
    }

    /// Frames of one note: (instant, partials), also kept for the cutoff track.
    struct Frame {
        double seconds;
        double f0Hz;
        std::size_t note;
        Partials partials;
        Partials between; ///< see PartialMeter::measure()
    };

    void measureNotePartials(NoteProfile& result, double end) {
        const double hz = isMeasured(result.f0Hz) ? result.f0Hz : expectedHz(result.note);
        std::array<double, partialCount> power{};
        int count = 0;
        float brightest = -1.0f;
        Partials brightestBetween;
        brightestBetween.fill(static_cast<float>(silenceDb));
        for (double t = stepSeconds * std::ceil(result.note.start / stepSeconds); t < end; t += stepSeconds) {
            if (!sounds(t)) continue;
            Partials between;
            const Partials partials = meter.measure(mono, t, hz, &between);
            for (std::size_t k = 0; k < power.size(); ++k) power[k] += std::pow(10.0, partials[k] / 10.0);
            ++count;
            const float centroid = profile.centroidHz.at(t);
            if (centroid > brightest && profile.levelDb.at(t) > loudest - 30.0) {
                brightest = centroid;
                result.brightestPartials = partials;
                brightestBetween = between;
            }
            frames.push_back({t, hz, profile.notes.size(), partials, between});
        }
        for (std::size_t k = 0; k < power.size(); ++k)
            result.partials[k] = static_cast<float>(count > 0 ? dbFromPower(power[k] / count) : silenceDb);
        if (brightest < 0.0f) result.brightestPartials = result.partials;
        betweenAtBrightest.push_back(brightestBetween);
        for (std::size_t k = 0; k < result.partialSlopes.size(); ++k)
            result.partialSlopes[k] = static_cast<float>(slopeOf(k, result.note.end));
    }

    /// Straight line through one partial of the newest note from its loudest frame to the note's end, while it is
    /// within 40 dB of that.
    double slopeOf(std::size_t partial, double end) const {
        std::vector<std::pair<double, double>> points;
        for (auto frame = frames.rbegin(); frame != frames.rend() && frame->note == profile.notes.size(); ++frame)
            if (frame->seconds < end) points.emplace_back(frame->seconds, frame->partials[partial]);
        std::reverse(points.begin(), points.end());
        const auto top = std::max_element(points.begin(), points.end(),
                                          [](const auto& a, const auto& b) { return a.second < b.second; });
        if (top == points.end() || top->second < loudest - 60.0) return notMeasurable;
        double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
        for (auto point = top; point != points.end() && point->second > top->second - 40.0; ++point) {
            const double t = point->first - top->first;
            n += 1.0;
            x += t;
            y += point->second;
            xx += t * t;
            xy += t * point->second;
        }
        return n < 8.0 ? notMeasurable : (n * xy - x * y) / (n * xx - x * x);
    }

    void measureHarmonics() {
        std::array<double, partialCount> power{};
        for (const NoteProfile& note : profile.notes)
            for (std::size_t k = 0; k < power.size(); ++k) power[k] += std::pow(10.0, note.partials[k] / 10.0);
        const double strongest = *std::max_element(power.begin(), power.end());
        for (std::size_t k = 0; k < power.size(); ++k)
            profile.partials[k] = static_cast<float>(strongest > 0.0 ? dbFromPower(power[k] / strongest) : silenceDb);
        profile.balance = balanceOf(profile.partials);
        if (settings.source) {
            profile.source = *settings.source;
            return;
        }
        // The note whose brightest moment shows most partials shows most of the source.
        std::size_t best = profile.notes.size();
        double bestScore = -1e9;
        for (std::size_t i = 0; i < profile.notes.size(); ++i) {
            const NoteProfile& note = profile.notes[i];
            const float top = *std::max_element(note.brightestPartials.begin(), note.brightestPartials.end());
            double score = 0.0;
            for (float level : note.brightestPartials) score += level > top - 50.0f ? 1.0 : 0.0;
            if (top > silenceDb + 20.0 && score > bestScore) {
                bestScore = score;
                best = i;
            }
        }
        if (best == profile.notes.size()) return;
        const NoteProfile& note = profile.notes[best];
        profile.source = fitSource(note.brightestPartials, isMeasured(note.f0Hz) ? note.f0Hz : expectedHz(note.note),
                                   &betweenAtBrightest[best]);
    }

    void measureCutoff() {
        for (Track* track : {&profile.cutoffHz, &profile.resonanceDb, &profile.filterSlope}) {
            track->stepSeconds = stepSeconds;
            track->values.assign(profile.centroidHz.values.size(), notMeasurable);
        }
        const SourceFit& source = profile.source;
        std::vector<CutoffFit> fits(frames.size());
        parallelFor(static_cast<int>(frames.size()), settings.threads, [&](int i) {
            task.check();
            const Frame& frame = frames[static_cast<std::size_t>(i)];
            CutoffFit& fit = fits[static_cast<std::size_t>(i)];
            fit = fitCutoff(frame.partials, frame.f0Hz, source.wave, source.pulseWidth, &frame.between);
            const int step = profile.cutoffHz.indexAt(frame.seconds);
            if (step < 0 || step >= static_cast<int>(profile.cutoffHz.values.size()) || !isMeasured(fit.effectiveHz))
                return;
            const auto at = static_cast<std::size_t>(step);
            profile.cutoffHz.values[at] = static_cast<float>(fit.effectiveHz);
            if (!fit.tellsShape()) return;
            profile.resonanceDb.values[at] = static_cast<float>(fit.resonanceDb);
            profile.filterSlope.values[at] = static_cast<float>(slopeAbove(
                fit.effectiveHz, frame.partials, frame.f0Hz, source.wave, source.pulseWidth, &frame.between));
        });
        // Slope and resonance where most partials show both sides of the cutoff.
        const auto best = std::max_element(fits.begin(), fits.end(), [](const CutoffFit& a, const CutoffFit& b) {
            return std::min(a.below, a.above) < std::min(b.below, b.above);
        });
        if (best != fits.end() && std::min(best->below, best->above) >= 2) profile.filter = *best;
        for (NoteProfile& note : profile.notes) summarizeCutoff(note);
        measureFollowing();
    }

    /// How the cutoff follows key and level, where the notes differ enough in one and little in the other.
    void measureFollowing() {
        std::vector<float> perOctave;
        std::vector<float> perTenDb;
        for (std::size_t i = 0; i < profile.notes.size(); ++i)
            for (std::size_t k = i + 1; k < profile.notes.size(); ++k) {
                const NoteProfile& a = profile.notes[i];
                const NoteProfile& b = profile.notes[k];
                if (!isMeasured(a.highestCutoffHz) || !isMeasured(b.highestCutoffHz)) continue;
                const double octaves = std::log2(b.highestCutoffHz / a.highestCutoffHz);
                const double keys = (b.note.key - a.note.key) / 12.0;
                const double tens = (b.level.peakDb - a.level.peakDb) / 10.0;
                if (std::abs(keys) >= 0.4 && std::abs(tens) < 0.2)
                    perOctave.push_back(static_cast<float>(octaves / keys));
                if (std::abs(tens) >= 0.4 && std::abs(keys) < 0.1)
                    perTenDb.push_back(static_cast<float>(octaves / tens));
            }
        profile.keyTracking = medianOf(perOctave);
        profile.velocityToCutoff = medianOf(perTenDb);
    }

    void summarizeCutoff(NoteProfile& note) const {
        std::vector<float> values;
        std::vector<double> times;
        for (double t = note.note.start + 0.01; t < note.note.end; t += stepSeconds)
            if (const float hz = profile.cutoffHz.at(t); isMeasured(hz)) {
                values.push_back(hz);
                times.push_back(t);
            }
        if (values.size() < 3) return;
        // A single frame, as at an onset that the window only half sees, says nothing.
        std::vector<float> steady = values;
        for (std::size_t i = 0; i < values.size(); ++i) {
            const std::size_t from = std::min(i > 0 ? i - 1 : 0, values.size() - 3);
            steady[i] = medianOf({values[from], values[from + 1], values[from + 2]});
        }
        values = std::move(steady);
        const auto top = std::max_element(values.begin(), values.end());
        note.highestCutoffHz = *top;
        note.restingCutoffHz = medianOf(
            {values.end() - static_cast<std::ptrdiff_t>(std::max<std::size_t>(2, values.size() / 5)), values.end()});
        const double way = std::log2(note.restingCutoffHz / note.highestCutoffHz);
        if (way > -0.1) return;
        for (auto i = static_cast<std::size_t>(top - values.begin()); i < values.size(); ++i)
            if (std::log2(values[i] / note.highestCutoffHz) <= (1.0 - std::exp(-1.0)) * way) {
                note.closingTime = times[i] - times[static_cast<std::size_t>(top - values.begin())];
                return;
            }
    }

    const Recording& recording;
    const std::vector<float> mono;
    const Performance& performance;
    const ProfileSettings& settings;
    const Task& task;
    double loudest = 0.0;
    std::vector<LevelFit> levelFits;
    Track aperiodicity;
    PartialMeter meter;
    std::vector<Frame> frames;
    std::vector<Partials> betweenAtBrightest; ///< of each note
    Profile profile;
};

} // namespace

double confidenceOf(double errorDb, double halfAtDb) {
    return isMeasured(errorDb) ? 1.0 / (1.0 + std::pow(errorDb / halfAtDb, 2.0)) : 0.0;
}

Performance attendedNotes(const Performance& performance, const std::vector<TimeSpan>& leftOut) {
    Performance result = performance;
    std::erase_if(result.notes, [&](const Note& note) {
        return overlap(leftOut, note.start, note.end) > 0.5 * (note.end - note.start);
    });
    return result;
}

Profile measureProfile(const Recording& recording, const Performance& performance, const ProfileSettings& settings,
                       const Task& task) {
    announceHeavyWork("measureProfile");
    return Measurer(atRate(recording, analysisRateHz), performance, settings, task).measure();
}

std::string nameOf(const SourceFit& source) {
    switch (source.wave) {
    case TextbookWave::sine: return "sine";
    case TextbookWave::triangle: return "triangle";
    case TextbookWave::saw: return "saw";
    case TextbookWave::pulse:
        return source.pulseWidth > 0.485 ? "square" : fmt::format("pulse {:.0f} %", 100.0 * source.pulseWidth);
    }
    return {};
}

} // namespace facet
