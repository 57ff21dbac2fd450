#include "core/measuring/measured_scale.h"

#include "core/analysis/profile.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/measuring/outermost_voice.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <optional>

namespace facet {

namespace {

constexpr int coarseValues = 49, fineValues = 17;
constexpr int coarseWidths = 193;    ///< of a pulse: its upper partials come near within a small way only
constexpr double alikeDb = 0.15;     ///< of the loss, besides a twentieth of the least: renders as near as the nearest
constexpr double widestRange = 0.2;  ///< of the parameter's scale: what is known less exactly is unidentifiable
constexpr double squareWidth = 50.0; ///< percent, of a pulse

/// When the key was let go, in seconds from the beginning of the note's sound. Where a release is measured, the level
/// stood still until then.
double endOf(const SingleNote& note, bool falls) {
    const std::vector<double> levels = levelEachFrame(note.sound);
    const double highest = *std::max_element(levels.begin(), levels.end());
    const double least = highest - (falls ? 1.0 : 30.0);
    auto last = levels.size();
    while (last > 0 && levels[last - 1] < least) --last;
    return std::max(static_cast<double>(last) * levelFrameSeconds, note.start + 0.05);
}

/// A note as it is compared.
struct Heard {
    Recording at48k;
    Performance performance;
};

Heard heardNote(const SingleNote& note, double end, int key) {
    Heard heard{atRate(note.sound, analysisRateHz), {}};
    heard.performance.notes.push_back({note.start, end, key});
    heard.performance.frames = heard.at48k.frameCount();
    heard.performance.rateHz = heard.at48k.rateHz;
    heard.performance.channelCount = heard.at48k.channelCount();
    return heard;
}

Heard part(const Heard& heard, double from, double until) {
    Heard part{excerpt(heard.at48k, from, until), heard.performance};
    part.performance.frames = part.at48k.frameCount();
    Note& note = part.performance.notes.front();
    note.start = std::max(0.0, note.start - from);
    note.end -= from;
    return part;
}

bool isRelease(const InstrumentControl& control) { return control.address.field == "release"; }

/// The part of a note in which a time of its envelope is heard, once it is known roughly, or the level that it falls
/// to; nothing where that is most of it, or nothing like this is looked for. Short times hardly count in a whole note.
std::optional<Heard> tellingPart(const Heard& heard, const InstrumentControl& control, double rough) {
    constexpr double times = 4.0, least = 0.12, settled = 0.6, most = 0.6; // of the time; s; s; of the note's sound
    const std::string& field = control.address.field;
    if (kindOfPath(control.address.module) != ModuleKind::envelope) return std::nullopt;
    const Note& note = heard.performance.notes.front();
    const double seconds = field == "sustain" ? settled : std::max(least, times * 1e-3 * rough);
    const double until = (isRelease(control) ? note.end : note.start) + seconds;
    if (until > most * heard.at48k.seconds()) return std::nullopt;
    return part(heard, 0.0, until);
}

/// A note in the ways it may have been held. When a key was let go is told to some milliseconds only, which matters to
/// a release alone; before that nothing tells it.
std::vector<Heard> waysHeld(const SingleNote& note, const InstrumentControl& control, int key) {
    constexpr double before = 0.12; // seconds
    if (!isRelease(control)) return {heardNote(note, endOf(note, false), key)};
    const double end = endOf(note, true);
    std::vector<Heard> ways;
    for (const double later : {-0.024, -0.016, -0.008, 0.0, 0.008}) {
        const Heard whole = heardNote(note, end + later, key);
        ways.push_back(part(whole, std::max(0.0, end - before), whole.at48k.seconds()));
    }
    return ways;
}

/// A value along the parameter's scale with how far its render lies from the recording.
struct Tried {
    double unit;
    double loss;
};

class Fit {
public:
    Fit(const MeasuringSetup& setup, const InstrumentControl& control, const Heard& heard, double upperHz, int threads,
        const Task& task)
        : setup_(setup), control_(control), descriptor_(setup.patch.shownDescriptor(control.address)),
          loss_(heard.at48k, heard.performance, 20.0, upperHz), performance_(heard.performance), threads_(threads),
          task_(task) {}

    /// All along the range, then twice closer around the nearest.
    void run() {
        const auto [low, high] = range();
        const int count = control_.address.field == "width" ? coarseWidths : coarseValues;
        double step = (high - low) / (count - 1);
        tryAt(low, step, count);
        for (int round = 0; round < 2; ++round) {
            const double center = best().unit;
            const double from = std::max(low, center - step), to = std::min(high, center + step);
            step = (to - from) / (fineValues - 1);
            tryAt(from, step, fineValues);
        }
    }
    const Tried& best() const {
        return *std::min_element(tried_.begin(), tried_.end(),
                                 [](const Tried& a, const Tried& b) { return a.loss < b.loss; });
    }
    /// On the scale, how far around the best renders come as near.
    std::pair<double, double> alike() {
        std::sort(tried_.begin(), tried_.end(), [](const Tried& a, const Tried& b) { return a.unit < b.unit; });
        const Tried& nearest = best();
        const double most = nearest.loss * 1.05 + alikeDb;
        std::pair<double, double> range{nearest.unit, nearest.unit};
        for (const Tried& each : tried_)
            if (each.loss <= most) {
                range.first = std::min(range.first, each.unit);
                range.second = std::max(range.second, each.unit);
            }
        return range;
    }
    double value(double unit) const { return descriptor_.nearest(descriptor_.fromUnit(unit)); }

private:
    /// The parameter's whole range; of one whose control goes one way from 0, that way.
    std::pair<double, double> range() const {
        const auto [lowest, highest] = control_.scale->ends();
        double low = lowest >= 0.0 ? std::max(0.0, descriptor_.low) : descriptor_.low;
        double high = highest <= 0.0 ? std::min(0.0, descriptor_.high) : descriptor_.high;
        if (control_.address.field == "width") { // a pulse of 30 % sounds as one of 70 % does
            if (highest <= squareWidth) high = squareWidth;
            if (lowest >= squareWidth) low = squareWidth;
        }
        return {descriptor_.toUnit(low), descriptor_.toUnit(high)};
    }
    void tryAt(double from, double step, int count) {
        std::vector<Patch> patches;
        std::vector<double> units;
        for (int i = 0; i < count; ++i) {
            const double unit = from + step * i;
            const bool isKnown = std::any_of(tried_.begin(), tried_.end(),
                                             [&](const Tried& each) { return std::abs(each.unit - unit) < 1e-9; });
            if (isKnown) continue;
            patches.push_back(setup_.patch);
            patches.back().setNearest(control_.address, descriptor_.fromUnit(unit));
            units.push_back(unit);
        }
        const auto renders = renderAt48k(patches, performance_, task_, threads_);
        for (std::size_t i = 0; i < renders.size(); ++i) {
            task_.check();
            tried_.push_back({units[i], Loss::value(loss_.residual(renders[i]))});
        }
    }

    const MeasuringSetup& setup_;
    const InstrumentControl& control_;
    ParameterDescriptor descriptor_;
    Loss loss_;
    const Performance& performance_;
    int threads_;
    const Task& task_;
    std::vector<Tried> tried_;
};

/// What a link moves, when an LFO moves it; empty for anything else.
Address movedByLfo(const Patch& patch, const InstrumentControl& control) {
    const std::string& path = control.address.module;
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::link || patch.value({module.path, "amount"}) == 0.0) continue;
        const bool isRate = module.contents().from == path && control.address.field == "rate";
        const bool isDepth = module.path == path && kindOfPath(module.contents().from) == ModuleKind::lfo;
        if (isRate || isDepth) return Address::parse(module.contents().to);
    }
    return {};
}

/// Rate or depth of the periodic change that an LFO makes, in the parameter's unit; nothing where analysis has no word
/// for what it moves.
std::optional<MeasuredPosition> measuredMovement(const MeasuringSetup& setup, const InstrumentControl& control,
                                                 const Heard& heard, const Task& task) {
    Patch moving = setup.patch;
    if (control.address.field == "amount") moving.setNearest(control.address, control.scale->ends().second);
    const Address moved = movedByLfo(moving, control);
    const bool isPitch = moved.field == "cents", isCutoff = moved.field == "cutoff";
    if (!isPitch && !isCutoff) return std::nullopt;
    const MotionProfile motion = measureProfile(heard.at48k, heard.performance, {}, task).motion;
    const PeriodicChange& change = isPitch ? motion.vibrato : motion.filter;
    MeasuredPosition result;
    const bool isRate = control.address.field == "rate";
    if (!change.found()) {
        result.why = isRate ? "no periodic change was found: hold the note for three cycles or more"
                            : "no periodic change was found: it may be too slight to be heard";
        return result;
    }
    result.value = isRate ? change.rateHz : isPitch ? change.depth : 12.0 * change.depth;
    const double spread = std::max(0.02, 0.5 * (1.0 - change.confidence));
    result.lowest = result.value * (1.0 - spread);
    result.highest = result.value * (1.0 + spread);
    result.isIdentifiable = true;
    return result;
}

/// Times of an envelope are known to some milliseconds, a release less well, since when the key was let go is found
/// too.
void widen(MeasuredPosition& measured, const InstrumentControl& control, const ParameterDescriptor& d) {
    constexpr double exactMs = 8.0, exactReleaseMs = 35.0;
    if (kindOfPath(control.address.module) != ModuleKind::envelope || d.unit != Unit::milliseconds) return;
    const double exact = isRelease(control) ? exactReleaseMs : exactMs;
    measured.lowest = std::min(measured.lowest, d.nearest(measured.value - exact));
    measured.highest = std::max(measured.highest, d.nearest(measured.value + exact));
}

/// The width of a pulse by its partials: the renders of widths come near a recording within a small way only, since
/// their upper partials go up and down with it. A pulse of 30 % sounds as one of 70 % does; which of them it is, the
/// described scale says.
std::optional<MeasuredPosition> measuredWidth(const InstrumentControl& control, const Heard& heard, const Task& task) {
    constexpr double mostErrorDb = 2.0, exact = 1.0; // percent
    const auto source = measureProfile(heard.at48k, heard.performance, {}, task).source;
    if (source.wave != TextbookWave::pulse || !(source.errorDb <= mostErrorDb)) return std::nullopt;
    MeasuredPosition result;
    const double width = 100.0 * source.pulseWidth;
    result.value = control.scale->ends().second <= squareWidth ? width : 100.0 - width;
    result.lowest = result.value - exact;
    result.highest = result.value + exact;
    result.isIdentifiable = true;
    return result;
}

/// How far the outermost of stacked voices lies from the middle. How their phases stand to each other differs from note
/// to note, so that no render of the right distance comes near.
std::optional<MeasuredPosition> measuredDetuning(const Heard& heard, int key) {
    constexpr double settled = 0.15, before = 0.05, exact = 0.05; // seconds; seconds; of the distance
    const Note& note = heard.performance.notes.front();
    const double cents = outermostVoiceCents(heard.at48k, note.start + settled, note.end - before, hzFromKey(key));
    if (!std::isfinite(cents)) return std::nullopt;
    MeasuredPosition result;
    result.value = cents;
    result.lowest = std::max(0.0, (1.0 - exact) * cents - 0.2);
    result.highest = (1.0 + exact) * cents + 0.2;
    result.isIdentifiable = true;
    return result;
}

/// What is measured without renders: movements, widths, distances; nothing for all else.
std::optional<MeasuredPosition> measuredAlone(const MeasuringSetup& setup, const InstrumentControl& control,
                                              const Heard& heard, int key, const Task& task) {
    if (setup.isHeardAlone && control.address.field == "width") return measuredWidth(control, heard, task);
    if (setup.isHeardAlone && control.address.field == "detune") return measuredDetuning(heard, key);
    return measuredMovement(setup, control, heard, task);
}

/// Of a source's level: from how loud the notes are beside each other.
std::vector<MeasuredPosition> measuredLevels(const InstrumentControl& control, const std::vector<double>& positions,
                                             const std::vector<SingleNote>& notes, const ParameterDescriptor& d) {
    constexpr double knownWithinDb = 70.0, exactDb = 0.5;
    std::vector<double> levels;
    for (const SingleNote& note : notes) {
        const std::vector<double> frames = levelEachFrame(note.sound);
        levels.push_back(*std::max_element(frames.begin(), frames.end()));
    }
    const auto loudest = std::max_element(levels.begin(), levels.end()) - levels.begin();
    const double full = control.scale->valueAt(positions[static_cast<std::size_t>(loudest)]);
    std::vector<MeasuredPosition> measured;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const double below = levels[static_cast<std::size_t>(loudest)] - levels[i], value = full - below;
        MeasuredPosition each{positions[i], d.nearest(value), d.nearest(value - exactDb), d.nearest(value + exactDb)};
        each.isIdentifiable = below < knownWithinDb;
        if (!each.isIdentifiable) each.why = "it is too soft beside the loudest";
        measured.push_back(each);
    }
    return measured;
}

MeasuredPosition measurePosition(const MeasuringSetup& setup, const InstrumentControl& control, double position,
                                 const SingleNote& note, int key, int threads, const Task& task) {
    const std::vector<Heard> ways = waysHeld(note, control, key);
    MeasuredPosition result;
    if (auto measured = measuredAlone(setup, control, ways.front(), key, task)) {
        result = std::move(*measured);
    } else {
        const double upperHz = upperCutoffHz(ways.front().at48k, note.sound.rateHz);
        double least = INFINITY;
        const auto fit = [&](const Heard& heard) {
            Fit one(setup, control, heard, upperHz, threads, task);
            one.run();
            if (one.best().loss >= least) return;
            least = one.best().loss;
            const auto [from, to] = one.alike();
            result.value = one.value(one.best().unit);
            result.lowest = one.value(from);
            result.highest = one.value(to);
            result.isIdentifiable = to - from <= widestRange;
        };
        for (const Heard& each : ways) fit(each);
        const double rough = result.value;
        least = INFINITY; // of other parts
        for (const Heard& each : ways)
            if (const auto telling = tellingPart(each, control, rough)) fit(*telling);
        widen(result, control, setup.patch.shownDescriptor(control.address));
        if (!result.isIdentifiable) result.why = "the recording does not tell it: much else sounds the same";
        const double heardMs = 1e3 * (ways.front().performance.notes.front().end - note.start);
        if (control.address.field == "attack" && result.value > heardMs) {
            result.isIdentifiable = false;
            result.why = "the note was let go before it had risen: hold it longer";
        }
    }
    result.position = position;
    return result;
}

} // namespace

std::vector<MeasuredPosition> measurePositions(const MeasuringSetup& setup, const InstrumentControl& control,
                                               const std::vector<double>& positions,
                                               const std::vector<SingleNote>& notes, int key, int threads,
                                               const Task& task,
                                               const std::function<void(const std::vector<MeasuredPosition>&)>& soFar) {
    if (setup.isByLevel) return measuredLevels(control, positions, notes, setup.patch.shownDescriptor(control.address));
    std::vector<MeasuredPosition> measured;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        measured.push_back(measurePosition(setup, control, positions[i], notes[i], key, threads, task));
        if (soFar) soFar(measured);
    }
    return measured;
}

} // namespace facet
