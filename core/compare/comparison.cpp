#include "core/compare/comparison.h"

#include "core/base/units.h"
#include "core/compare/distance.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <functional>

namespace facet {

namespace {

// The distance beyond what is noticed that takes a likeness to 1/e: chosen so that an unmistakable difference (a
// semitone, 10 dB, an octave of cutoff) gives about 30.
constexpr double pitchScale = 80.0, levelScale = 6.0, harmonicsScale = 7.0, brightnessScale = 0.75, noiseScale = 13.0,
                 widthScale = 9.0;
/// Of motion and space the differences are counted in steps that are easily heard.
constexpr double motionScale = 8.0, spaceScale = 7.0, noticedSteps = 0.5;

double likenessOf(double distance, double scale) { return 100.0 * std::exp(-std::max(0.0, distance) / scale); }

/// An effective cutoff from here on filters nothing that is heard.
constexpr double openHz = 19000.0;

std::string signedText(double value, int decimals, std::string_view unit) {
    const std::string number = fmt::format("{:.{}f}", std::abs(value), decimals);
    const bool zero = number.find_first_not_of("0.") == std::string::npos;
    return fmt::format("{}{} {}", zero ? "" : value < 0 ? "−" : "+", number, unit);
}

std::string msText(double seconds) {
    if (!isMeasured(seconds)) return "–";
    const double ms = seconds * 1000.0;
    return ms >= 1000.0 ? fmt::format("{:.2f} s", seconds) : fmt::format("{:.{}f} ms", ms, ms < 10.0 ? 1 : 0);
}

std::string hzText(double hz) {
    if (!isMeasured(hz)) return "–";
    if (hz >= openHz) return "open";
    return hz >= 1000.0 ? fmt::format("{:.2f} kHz", hz / 1000.0) : fmt::format("{:.0f} Hz", hz);
}

std::string dbText(double db) {
    if (!isMeasured(db)) return "–";
    return db < -59.0 ? "< −59 dB" : fmt::format("{}{:.1f} dB", db < -0.05 ? "−" : "", std::abs(db));
}

std::string ordinal(int n) {
    if (n == 1) return "fundamental";
    const char* ending = n % 100 / 10 == 1 ? "th" : n % 10 == 1 ? "st" : n % 10 == 2 ? "nd" : n % 10 == 3 ? "rd" : "th";
    return fmt::format("{}{} partial", n, ending);
}

/// A remark and how large the difference is in multiples of what is heard easily.
struct Remark {
    double weight = 0.0;
    std::string words;
};

/// "alike" when no remark has the least weight.
std::string largestOf(const std::vector<Remark>& remarks, double least) {
    const auto largest = std::max_element(remarks.begin(), remarks.end(),
                                          [](const Remark& a, const Remark& b) { return a.weight < b.weight; });
    return largest == remarks.end() || largest->weight < least ? "alike" : largest->words;
}

constexpr double doubtfulBelow = 0.6; ///< confidence under which a value is marked

/// Median over the notes of something measured in both.
struct Pair {
    double reference = notMeasurable;
    double render = notMeasurable;
    bool measured() const { return isMeasured(reference) && isMeasured(render); }
    double difference() const { return render - reference; }
};

class Comparer {
public:
    Comparer(const Profile& a, const Profile& b) : reference(a), render(b), distances(a, b) {}

    Comparison run() {
        Comparison result;
        result.facets = {pitch(), level(), harmonics(), brightness(), noise(), motion(), width(), space()};
        return result;
    }

private:
    Pair medianPair(const std::function<double(const NoteProfile&)>& value) const {
        std::vector<float> a;
        std::vector<float> b;
        for (std::size_t i = 0; i < std::min(reference.notes.size(), render.notes.size()); ++i) {
            const double x = value(reference.notes[i]);
            const double y = value(render.notes[i]);
            if (!isMeasured(x) || !isMeasured(y)) continue;
            a.push_back(static_cast<float>(x));
            b.push_back(static_cast<float>(y));
        }
        return {medianOf(a), medianOf(b)};
    }

    /// The same of the longest note, which alone comes to rest.
    Pair longestPair(const std::function<double(const NoteProfile&)>& value) const {
        if (reference.notes.empty() || reference.notes.size() != render.notes.size()) return {};
        const auto longest = std::max_element(reference.notes.begin(), reference.notes.end(),
                                              [](const NoteProfile& a, const NoteProfile& b) {
                                                  return a.note.end - a.note.start < b.note.end - b.note.start;
                                              });
        return {value(*longest), value(render.notes[static_cast<std::size_t>(longest - reference.notes.begin())])};
    }

    static FacetComparison begin(Facet kind) {
        FacetComparison facet;
        facet.facet = kind;
        return facet;
    }

    static void finish(FacetComparison& facet, double scale, const std::vector<Remark>& remarks) {
        facet.measured = isMeasured(facet.difference);
        facet.likeness = facet.measured ? likenessOf(facet.difference, scale) : 0.0;
        facet.words = !facet.measured         ? "not measurable"
                      : facet.likeness > 97.0 ? "alike"
                                              : largestOf(remarks, facet.likeness > 85.0 ? 1.0 : 0.0);
    }

    FacetComparison pitch() const {
        FacetComparison facet = begin(Facet::pitch);
        facet.difference = distances.pitchCents();
        const Pair cents = medianPair([](const NoteProfile& n) { return n.cents; });
        std::vector<Remark> remarks;
        const double octaves = medianInterval();
        if (isMeasured(octaves) && std::abs(octaves) > 0.6)
            remarks.push_back({1000.0, fmt::format("{:.0f} semitones {}", std::abs(12.0 * octaves),
                                                   octaves < 0 ? "too low" : "too high")});
        else if (cents.measured())
            remarks.push_back(
                {std::abs(cents.difference()) / 3.0, fmt::format("{:.0f} cents {}", std::abs(cents.difference()),
                                                                 cents.difference() < 0 ? "flat" : "sharp")});
        remarks.push_back(
            {facet.difference / 12.0, fmt::format("moves {:.0f} cents apart over the notes", facet.difference)});
        const auto text = [](double v) { return isMeasured(v) ? signedText(v, 1, "ct") : std::string("–"); };
        facet.values.push_back({"Against the note", text(cents.reference), text(cents.render),
                                cents.measured() ? text(cents.difference()) : "–"});
        addRareTimes(facet, remarks, "Glide to the note", "glide",
                     medianPair([](const NoteProfile& n) { return n.glide.seconds; }));
        const Pair sweep = medianPair([](const NoteProfile& n) { return n.sweepCents; });
        if (isMeasured(sweep.reference) || isMeasured(sweep.render)) {
            addRow(
                facet, "Sweep at the onset", sweep.reference, sweep.render,
                [](double v) { return isMeasured(v) ? signedText(v, 0, "ct") : std::string("–"); },
                sweep.measured() ? signedText(sweep.difference(), 0, "ct") : "–");
            addTimes(facet, remarks, "Sweep (63 %)", "sweep", 0.01,
                     medianPair([](const NoteProfile& n) { return n.sweepSeconds; }));
            if (sweep.measured())
                remarks.push_back({std::abs(sweep.difference()) / 100.0,
                                   fmt::format("begins {:.0f} cents {}", std::abs(sweep.difference()),
                                               sweep.difference() > 0 ? "higher" : "lower")});
        }
        facet.values.push_back({"Tuning of the recording", signedText(reference.tuningCents, 1, "ct"),
                                signedText(render.tuningCents, 1, "ct"), "–"});
        facet.values.push_back({"Distance over time, beyond what is noticed", "–", "–",
                                isMeasured(facet.difference) ? fmt::format("{:.1f} ct", facet.difference) : "–"});
        finish(facet, pitchScale, remarks);
        return facet;
    }

    /// Median of the render's interval from the reference, in octaves.
    double medianInterval() const {
        std::vector<float> intervals;
        for (std::size_t i = 0; i < reference.pitchHz.values.size(); ++i) {
            const float other =
                render.pitchHz.at(static_cast<double>(i) * reference.pitchHz.stepSeconds + distances.shift());
            if (isMeasured(reference.pitchHz.values[i]) && isMeasured(other))
                intervals.push_back(std::log2(other / reference.pitchHz.values[i]));
        }
        return medianOf(intervals);
    }

    /// A value that its measurement doubts is marked as about right.
    static std::string doubted(const std::string& text, double confidence) {
        return text == "–" || confidence >= doubtfulBelow ? text : "≈ " + text;
    }
    static double levelConfidence(const Profile& profile) {
        std::vector<float> all;
        for (const NoteProfile& note : profile.notes)
            all.push_back(static_cast<float>(confidenceOf(note.level.errorDb, levelHalfAtDb)));
        return all.empty() ? 0.0 : medianOf(all);
    }

    void addTimes(FacetComparison& facet, std::vector<Remark>& remarks, const char* label, const char* noun,
                  double easily, const Pair& pair) const {
        facet.values.push_back(
            {label, doubted(msText(pair.reference), levelConfidence(reference)),
             doubted(msText(pair.render), levelConfidence(render)),
             pair.measured() ? signedText(1000.0 * pair.difference(), std::abs(pair.difference()) < 0.01 ? 1 : 0, "ms")
                             : "–"});
        if (!pair.measured()) return;
        const double ratio = std::abs(std::log2((pair.render + easily) / (pair.reference + easily)));
        remarks.push_back({ratio / 0.35, fmt::format("{} {} {}", noun, msText(std::abs(pair.difference())),
                                                     pair.difference() > 0 ? "longer" : "shorter")});
    }

    /// Times that most sounds do without are spoken of when one side has them.
    void addRareTimes(FacetComparison& facet, std::vector<Remark>& remarks, const char* label, const char* noun,
                      const Pair& pair) const {
        constexpr double rare = 0.004;
        if (pair.reference > rare || pair.render > rare) addTimes(facet, remarks, label, noun, 0.01, pair);
    }

    FacetComparison level() const {
        FacetComparison facet = begin(Facet::level);
        facet.difference = distances.levelDb();
        std::vector<Remark> remarks;
        addRareTimes(facet, remarks, "Delay", "delay before the rise",
                     medianPair([](const NoteProfile& n) { return n.level.delay; }));
        addTimes(facet, remarks, "Attack", "attack", 0.004,
                 medianPair([](const NoteProfile& n) { return n.level.attack; }));
        addRareTimes(facet, remarks, "Hold", "hold", longestPair([](const NoteProfile& n) { return n.level.hold; }));
        addTimes(facet, remarks, "Decay (63 %)", "decay", 0.02,
                 longestPair([](const NoteProfile& n) { return n.level.decayTime; }));
        const Pair sustain = longestPair([](const NoteProfile& n) { return n.level.sustainDb; });
        facet.values.push_back({"Sustain", doubted(dbText(sustain.reference), levelConfidence(reference)),
                                doubted(dbText(sustain.render), levelConfidence(render)),
                                sustain.measured() ? signedText(sustain.difference(), 1, "dB") : "–"});
        if (sustain.measured())
            remarks.push_back({std::abs(sustain.difference()) / 2.5,
                               fmt::format("sustain {:.1f} dB {}", std::abs(sustain.difference()),
                                           sustain.difference() > 0 ? "louder" : "softer")});
        addTimes(facet, remarks, "Release", "release", 0.02,
                 medianPair([](const NoteProfile& n) { return n.level.release; }));
        remarks.push_back(
            {facet.difference / 6.0, fmt::format("envelope {:.1f} dB apart on average", facet.difference)});
        finish(facet, levelScale, remarks);
        return facet;
    }

    FacetComparison harmonics() const {
        FacetComparison facet = begin(Facet::harmonics);
        facet.difference = distances.harmonicsDb();
        double leaning = 0.0;
        double weights = 0.0;
        std::vector<Remark> remarks;
        for (int n = 1; n <= partialCount; ++n) {
            const double a = std::max<double>(reference.partials[static_cast<std::size_t>(n - 1)], -60.0);
            const double b = std::max<double>(render.partials[static_cast<std::size_t>(n - 1)], -60.0);
            const double strength = std::max(a, b);
            if (strength <= -50.0) continue;
            const double weight = (1.0 + strength / 60.0) / std::sqrt(n);
            leaning += weight * (b - a);
            weights += weight;
            if (n <= 12 && std::abs(b - a) > 3.0)
                remarks.push_back(
                    {std::abs(b - a) * weight / 3.0,
                     fmt::format("{} {:.0f} dB {}", ordinal(n), std::abs(b - a), b < a ? "weaker" : "stronger")});
        }
        if (weights > 0.0) {
            leaning /= weights;
            remarks.push_back({std::abs(leaning) / 3.0, fmt::format("upper partials {:.0f} dB {}", std::abs(leaning),
                                                                    leaning < 0 ? "weaker" : "stronger")});
        }
        facet.values.push_back(
            {"Nearest waveform",
             doubted(nameOf(reference.source), confidenceOf(reference.source.errorDb, sourceHalfAtDb)),
             nameOf(render.source), nameOf(reference.source) == nameOf(render.source) ? "–" : "differs"});
        for (int n = 1; n <= 8; ++n) {
            const double a = reference.partials[static_cast<std::size_t>(n - 1)];
            const double b = render.partials[static_cast<std::size_t>(n - 1)];
            std::string name = ordinal(n);
            name[0] = static_cast<char>(std::toupper(name[0]));
            facet.values.push_back(
                {name, dbText(a), dbText(b),
                 std::max(a, b) > -59.0 ? signedText(std::max(b, -60.0) - std::max(a, -60.0), 1, "dB") : "–"});
        }
        const Pair below = longestPair([](const NoteProfile& n) { return n.subOctaveDb; });
        const auto audible = [](double db) { return isMeasured(db) && db <= -59.0 ? std::string("none") : dbText(db); };
        if (below.measured())
            facet.values.push_back({"An octave below", audible(below.reference), audible(below.render),
                                    apartDb(below.reference, below.render)});
        if (below.measured() && std::max(below.reference, below.render) > -40.0)
            remarks.push_back({std::abs(below.difference()) / 4.0,
                               fmt::format("octave below {:.0f} dB {}", std::abs(below.difference()),
                                           below.difference() < 0 ? "weaker" : "stronger")});
        // How much faster the fourth partial fades than the first: a string or a closing filter, not the level alone.
        const Pair fading = longestPair([](const NoteProfile& n) {
            return static_cast<double>(n.partialSlopes[3]) - static_cast<double>(n.partialSlopes[0]);
        });
        if (fading.measured())
            addRow(facet, "4th partial fades, re 1st", fading.reference, fading.render,
                   [](double v) { return signedText(v, 1, "dB/s"); });
        const Pair stretch = longestPair([](const NoteProfile& n) { return n.inharmonicity.tenthPartialCents(); });
        if (isMeasured(stretch.reference))
            addRow(facet, "Tenth partial off the series", stretch.reference, stretch.render,
                   [](double v) { return isMeasured(v) ? signedText(v, 1, "ct") : std::string("–"); });
        finish(facet, harmonicsScale, remarks);
        return facet;
    }

    FacetComparison brightness() const {
        FacetComparison facet = begin(Facet::brightness);
        facet.difference = distances.brightnessOctaves();
        std::vector<Remark> remarks;
        const auto addHz = [&](const char* label, const char* pattern,
                               const std::function<double(const NoteProfile&)>& value) {
            const Pair pair = longestPair(value);
            const double apart =
                pair.measured() ? std::log2(std::min(pair.render, openHz) / std::min(pair.reference, openHz)) : 0.0;
            facet.values.push_back({label, hzText(pair.reference), hzText(pair.render),
                                    pair.measured() ? signedText(apart, 2, "oct") : "–"});
            if (pair.measured())
                remarks.push_back({std::abs(apart) / 0.2,
                                   pair.render >= openHz
                                       ? fmt::format("stays open, reference {}",
                                                     fmt::format(fmt::runtime(pattern), hzText(pair.reference)))
                                       : fmt::format(fmt::runtime(pattern + std::string(", not {}")),
                                                     hzText(pair.render), hzText(pair.reference))});
        };
        addHz("Highest cutoff", "opens to {}", [](const NoteProfile& n) { return n.highestCutoffHz; });
        addHz("Resting cutoff", "closes to {}", [](const NoteProfile& n) { return n.restingCutoffHz; });
        addTimes(facet, remarks, "Time to close (63 %)", "closes", 0.02,
                 longestPair([](const NoteProfile& n) { return n.closingTime; }));
        const Pair slope{medianOf(reference.filterSlope.values), medianOf(render.filterSlope.values)};
        addRow(
            facet, "Slope above the cutoff", slope.reference, slope.render,
            [](double v) { return isMeasured(v) ? signedText(v, 0, "dB/oct") : std::string("–"); },
            slope.measured() ? signedText(slope.difference(), 0, "dB/oct") : "–");
        if (slope.measured())
            remarks.push_back({std::abs(slope.difference()) / 8.0,
                               fmt::format("falls {:.0f} dB per octave, not {:.0f}", -slope.render, -slope.reference)});
        const Pair peak{medianOf(reference.resonanceDb.values), medianOf(render.resonanceDb.values)};
        addRow(facet, "Resonance", peak.reference, peak.render, dbText, apartDb(peak.reference, peak.render));
        if (peak.measured())
            remarks.push_back(
                {std::abs(peak.difference()) / 4.0, fmt::format("resonance {:.0f} dB {}", std::abs(peak.difference()),
                                                                peak.difference() > 0 ? "higher" : "lower")});
        const Pair middle{medianOf(reference.centroidHz.values), medianOf(render.centroidHz.values)};
        const Pair edge{medianOf(reference.rolloffHz.values), medianOf(render.rolloffHz.values)};
        const auto apart = [&](const Pair& p) {
            return p.measured() ? signedText(std::log2(p.render / p.reference), 2, "oct") : std::string("–");
        };
        facet.values.push_back({"Spectral centroid", hzText(middle.reference), hzText(middle.render), apart(middle)});
        const auto percent = [](double v) {
            return isMeasured(v) ? fmt::format("{}{:.0f} %", v < -0.005 ? "−" : "", 100.0 * std::abs(v))
                                 : std::string("–");
        };
        if (isMeasured(reference.keyTracking))
            addRow(facet, "Cutoff follows the key", reference.keyTracking, render.keyTracking, percent);
        if (isMeasured(reference.velocityToCutoff))
            addRow(facet, "Cutoff for 10 dB louder", reference.velocityToCutoff, render.velocityToCutoff,
                   [](double v) { return isMeasured(v) ? signedText(v, 2, "oct") : std::string("–"); });
        facet.values.push_back({"Roll-off (95 %)", hzText(edge.reference), hzText(edge.render), apart(edge)});
        if (middle.measured() && middle.reference > 0.0) {
            const double by = std::log2(middle.render / middle.reference);
            remarks.push_back(
                {std::abs(by) / 0.2, fmt::format("{:.1f} octaves {}", std::abs(by), by > 0 ? "brighter" : "darker")});
        }
        finish(facet, brightnessScale, remarks);
        return facet;
    }

    /// A row of two values of one kind; `text` gives their unit.
    template <typename Text>
    static void addRow(FacetComparison& facet, const char* label, double a, double b, Text&& text,
                       const std::string& difference = "–") {
        facet.values.push_back({label, text(a), text(b), difference});
    }

    static std::string apartDb(double a, double b) {
        return isMeasured(a) && isMeasured(b) ? signedText(b - a, 1, "dB") : std::string("–");
    }

    FacetComparison noise() const {
        FacetComparison facet = begin(Facet::noise);
        const double a = reference.noise.harmonicToNoiseDb;
        const double b = render.noise.harmonicToNoiseDb;
        const auto ratio = [](double db) {
            return isMeasured(db) && db >= cleanRatioDb - 0.1 ? std::string("clean") : dbText(db);
        };
        facet.difference = distances.noiseDb();
        std::vector<Remark> remarks;
        if (isMeasured(a) && isMeasured(b))
            remarks.push_back(
                {std::abs(b - a) / 4.0, fmt::format("{:.0f} dB {} noise", std::abs(b - a), b > a ? "less" : "more")});
        if (isMeasured(facet.difference))
            remarks.push_back(
                {facet.difference / 6.0, fmt::format("{:.0f} dB apart in noise over the notes", facet.difference)});
        addRow(facet, "Harmonics to noise", a, b, ratio, apartDb(a, b));
        for (std::size_t k = 0; k < noiseBandHz.size(); ++k) {
            const double x = reference.noise.bandNoiseDb[k];
            const double y = render.noise.bandNoiseDb[k];
            if (!isMeasured(x) && !isMeasured(y)) continue;
            const std::string label = noiseBandHz[k] >= 1000.0
                                          ? fmt::format("Noise at {:.0f} kHz", noiseBandHz[k] / 1000.0)
                                          : fmt::format("Noise at {:.0f} Hz", noiseBandHz[k]);
            addRow(facet, label.c_str(), x, y, dbText, apartDb(x, y));
        }
        addRow(facet, "Slope of the noise", reference.noise.slopeDbPerOctave, render.noise.slopeDbPerOctave,
               [](double v) { return isMeasured(v) ? signedText(v, 1, "dB/oct") : std::string("–"); });
        const double clickA = reference.noise.clickDb;
        const double clickB = render.noise.clickDb;
        addRow(facet, "Onset click", clickA, clickB, dbText, apartDb(clickA, clickB));
        finish(facet, noiseScale, remarks);
        return facet;
    }

    /// Rows and remarks of one kind of motion; returns its difference in easily heard steps.
    static double addMotion(FacetComparison& facet, std::vector<Remark>& remarks, const char* noun,
                            const PeriodicChange& a, const PeriodicChange& b, double depthStep,
                            const std::function<std::string(const PeriodicChange&)>& depthText) {
        if (!a.found() && !b.found()) return 0.0;
        const auto rate = [](double hz) { return isMeasured(hz) ? fmt::format("{:.2f} Hz", hz) : std::string("–"); };
        std::string label = noun;
        label[0] = static_cast<char>(std::toupper(label[0]));
        const double depthA = a.found() ? a.depth : 0.0;
        const double depthB = b.found() ? b.depth : 0.0;
        facet.values.push_back({label + " rate", rate(a.rateHz), rate(b.rateHz),
                                a.found() && b.found() ? signedText(b.rateHz - a.rateHz, 2, "Hz") : "–"});
        facet.values.push_back({label + " depth", depthText(a), depthText(b), "–"});
        facet.values.push_back({label + " shape", nameOfCycle(a), nameOfCycle(b),
                                std::string(nameOfCycle(a)) == nameOfCycle(b) ? "–" : "differs"});
        // What fluctuates irregularly can pass for a cycle; the less sure it is, the less it counts.
        const double sure = std::clamp((std::max(a.confidence, b.confidence) - 0.55) / 0.35, 0.0, 1.0);
        double steps = sure * std::abs(depthB - depthA) / depthStep;
        if (!b.found())
            remarks.push_back({2.0 * sure + steps, fmt::format("no {}, reference {:.1f} Hz", noun, a.rateHz)});
        else if (!a.found())
            remarks.push_back({2.0 * sure + steps, fmt::format("{} of {:.1f} Hz, reference has none", noun, b.rateHz)});
        else {
            const double apart = sure * std::abs(std::log2(b.rateHz / a.rateHz)) / 0.05;
            remarks.push_back({apart, fmt::format("{} {:.2f} Hz, not {:.2f}", noun, b.rateHz, a.rateHz)});
            remarks.push_back({steps, fmt::format("{} {}, not {}", noun, depthText(b), depthText(a))});
            steps += std::min(6.0, apart);
        }
        return std::min(12.0, steps);
    }

    /// Steps by which the irregular changes of the level within notes differ, in depth and in rate.
    double irregularSteps() const {
        const Fluctuation a = fluctuationOf(reference), b = fluctuationOf(render);
        double steps = std::max(0.0, std::abs(a.depthDb - b.depthDb) - 0.5) / 1.0;
        if (a.depthDb > 1.0 && b.depthDb > 1.0 && a.rateHz > 0.0 && b.rateHz > 0.0)
            steps += std::max(0.0, std::abs(std::log2(b.rateHz / a.rateHz)) - 0.3) / 0.3;
        const double octaves = std::abs(a.octaves - b.octaves) - 0.05 - 0.35 * std::min(a.octaves, b.octaves);
        steps += std::max(0.0, octaves) / 0.1;
        if (a.octaves > 0.05 && b.octaves > 0.05 && a.octaveRateHz > 0.0 && b.octaveRateHz > 0.0)
            steps += std::max(0.0, std::abs(std::log2(b.octaveRateHz / a.octaveRateHz)) - 0.8) / 0.5;
        return std::min(12.0, steps);
    }

    FacetComparison motion() const {
        FacetComparison facet = begin(Facet::motion);
        const MotionProfile& a = reference.motion;
        const MotionProfile& b = render.motion;
        std::vector<Remark> remarks;
        if (a.noteCount > 0 && b.noteCount > 0) {
            facet.difference =
                addMotion(facet, remarks, "vibrato", a.vibrato, b.vibrato, 5.0,
                          [](const PeriodicChange& c) {
                              return c.found() ? fmt::format("±{:.0f} ct", c.depth) : std::string("–");
                          }) +
                addMotion(facet, remarks, "filter movement", a.filter, b.filter, 0.2, [](const PeriodicChange& c) {
                    return c.found() ? fmt::format("±{:.2f} oct", c.depth) : std::string("–");
                });
            // What beats can pass for a tremolo now and then; its depth and rate then tell more.
            const double irregular = irregularSteps();
            const bool beats = isMeasured(a.detuneCents) || isMeasured(b.detuneCents) ||
                               (a.tremolo.found() != b.tremolo.found() && irregular < 2.0);
            std::vector<Remark> unused;
            const double tremolo = addMotion(
                facet, beats ? unused : remarks, "tremolo", a.tremolo, b.tremolo, 0.12, [](const PeriodicChange& c) {
                    return c.found() ? fmt::format("{:.1f} dB", tremoloDb(c)) : std::string("–");
                });
            if (!beats) facet.difference += tremolo;
            // A rate that changes along the phrase is not one figure.
            const auto course = [](const std::vector<CurvePoint>& rates) {
                return rates.empty() ? std::string("–")
                                     : fmt::format("{:.1f} → {:.1f} Hz", rates.front().value, rates.back().value);
            };
            const auto changes = [](const std::vector<CurvePoint>& rates) {
                return !rates.empty() && std::abs(std::log2(rates.back().value / rates.front().value)) > 0.15;
            };
            if (changes(a.tremoloRate) || changes(b.tremoloRate))
                facet.values.push_back(
                    {"Tremolo rate along the note", course(a.tremoloRate), course(b.tremoloRate), "–"});
            const double apartA = isMeasured(a.detuneCents) ? a.detuneCents : 0.0;
            const double apartB = isMeasured(b.detuneCents) ? b.detuneCents : 0.0;
            const auto text = [](double v) {
                return isMeasured(v) ? fmt::format("{:.1f} ct", v) : std::string("none");
            };
            facet.values.push_back(
                {"Beating voices apart",
                 isMeasured(a.detuneCents) ? doubted(text(a.detuneCents), a.detuneConfidence) : "none",
                 isMeasured(b.detuneCents) ? doubted(text(b.detuneCents), b.detuneConfidence) : "none",
                 apartA + apartB > 0.0 ? signedText(apartB - apartA, 1, "ct") : "–"});
            const bool both = apartA > 0.0 && apartB > 0.0;
            const double steps = both ? std::min(12.0, std::abs(apartB - apartA) / 3.0) : irregular;
            facet.difference = std::max(0.0, facet.difference + std::max(steps, irregular) - noticedSteps);
            if (apartA + apartB <= 0.0)
                remarks.push_back(
                    {irregular, fmt::format("level fluctuates by {:.1f} dB, not {:.1f}", fluctuationOf(render).depthDb,
                                            fluctuationOf(reference).depthDb)});
            else if (apartB <= 0.0)
                remarks.push_back({steps, fmt::format("no beating, reference {:.0f} cents", apartA)});
            else if (apartA <= 0.0)
                remarks.push_back({steps, fmt::format("beats at {:.0f} cents, reference does not", apartB)});
            else
                remarks.push_back({steps, fmt::format("voices {:.0f} cents apart, not {:.0f}", apartB, apartA)});
            const auto drift = [](double v) { return isMeasured(v) ? fmt::format("{:.1f} ct", v) : std::string("–"); };
            addRow(facet, "Drift below 1 Hz", a.driftCents, b.driftCents, drift);
        } else {
            facet.difference = notMeasurable;
        }
        finish(facet, motionScale, remarks);
        if (!facet.measured) facet.words = "notes too short to tell";
        return facet;
    }

    FacetComparison width() const {
        FacetComparison facet = begin(Facet::width);
        const WidthProfile& a = reference.width;
        const WidthProfile& b = render.width;
        facet.difference = distances.widthDb();
        std::vector<Remark> remarks;
        if (reference.channelCount > 1 && render.channelCount > 1) {
            const auto heard = [](double db) { return std::max(-30.0, db); };
            const double apart = heard(b.sideDb) - heard(a.sideDb);
            remarks.push_back({std::abs(apart) / 2.0,
                               fmt::format("side {:.0f} dB {}", std::abs(apart), apart < 0 ? "weaker" : "stronger")});
            remarks.push_back({std::abs(b.balanceDb - a.balanceDb) / 1.5,
                               fmt::format("{:.1f} dB further {}", std::abs(b.balanceDb - a.balanceDb),
                                           b.balanceDb > a.balanceDb ? "right" : "left")});
            remarks.push_back(
                {facet.difference / 4.0, fmt::format("side {:.0f} dB apart over the bands", facet.difference)});
        }
        addRow(facet, "Side re mid", a.sideDb, b.sideDb, dbText, apartDb(a.sideDb, b.sideDb));
        addRow(facet, "Correlation of the sides", a.correlation, b.correlation, [](double v) {
            return isMeasured(v) ? fmt::format("{}{:.2f}", v < -0.005 ? "−" : "", std::abs(v)) : std::string("–");
        });
        addRow(facet, "Balance, right re left", a.balanceDb, b.balanceDb, dbText, apartDb(a.balanceDb, b.balanceDb));
        addRow(facet, "Mono below", a.monoBelowHz, b.monoBelowHz, hzText);
        finish(facet, widthScale, remarks);
        if (!facet.measured) facet.words = "mono recording";
        return facet;
    }

    FacetComparison space() const {
        FacetComparison facet = begin(Facet::space);
        const SpaceProfile& a = reference.space;
        const SpaceProfile& b = render.space;
        std::vector<Remark> remarks;
        double steps = 0.0;
        facet.difference = notMeasurable;
        if (a.echo.found() || b.echo.found()) {
            // Below −40 dB an echo counts as none.
            const auto levelOf = [](const Echo& e) { return e.found() ? std::max(-40.0, e.levelDb) : -40.0; };
            const double apart = std::abs(levelOf(b.echo) - levelOf(a.echo)) / 4.0;
            steps += apart;
            if (!b.echo.found())
                remarks.push_back({10.0, fmt::format("no echo, reference {}", msText(a.echo.seconds))});
            else if (!a.echo.found())
                remarks.push_back({10.0, fmt::format("echo of {}, reference has none", msText(b.echo.seconds))});
            else {
                const double by = std::abs(std::log2(b.echo.seconds / a.echo.seconds)) / 0.02;
                steps += std::min(8.0, by);
                remarks.push_back({by, fmt::format("echo {}, not {}", msText(b.echo.seconds), msText(a.echo.seconds))});
                remarks.push_back({apart, fmt::format("echo {:.0f} dB {}", 4.0 * apart,
                                                      b.echo.levelDb < a.echo.levelDb ? "weaker" : "stronger")});
            }
        }
        addRow(facet, "Echo time", a.echo.seconds, b.echo.seconds, msText);
        addRow(facet, "Echo level", a.echo.levelDb, b.echo.levelDb, dbText, apartDb(a.echo.levelDb, b.echo.levelDb));
        addRow(facet, "Echo feedback", a.echo.feedbackDb, b.echo.feedbackDb, dbText,
               apartDb(a.echo.feedbackDb, b.echo.feedbackDb));
        const auto side = [](double v) {
            return std::abs(v) < 0.2 ? std::string("middle")
                                     : fmt::format("{:.0f} % {}", 100.0 * std::abs(v), v < 0 ? "left" : "right");
        };
        facet.values.push_back(
            {"Echo side", a.echo.found() ? side(a.echo.side) : "–", b.echo.found() ? side(b.echo.side) : "–", "–"});
        // What rings on behind echoes is the echoes.
        if (!a.echo.found() && !b.echo.found() && (isMeasured(a.tailSeconds) || isMeasured(b.tailSeconds))) {
            const double tailA = isMeasured(a.tailSeconds) ? a.tailSeconds : 0.0;
            const double tailB = isMeasured(b.tailSeconds) ? b.tailSeconds : 0.0;
            const double by = std::abs(std::log2((tailB + 0.1) / (tailA + 0.1))) / 0.25;
            remarks.push_back({by, fmt::format("decay {} {}", msText(std::abs(tailB - tailA)),
                                               tailB > tailA ? "longer" : "shorter")});
        }
        if (isMeasured(a.preDelay) || isMeasured(b.preDelay))
            addRow(facet, "Pre-delay", a.preDelay, b.preDelay, msText);
        const double tail = distances.tailDb();
        if (isMeasured(tail)) {
            steps += std::min(10.0, tail / 2.5);
            remarks.push_back({tail / 5.0, fmt::format("tail {:.0f} dB apart", tail)});
        }
        if (a.gapSeconds > 0.0) facet.difference = std::max(0.0, steps - noticedSteps);
        for (std::size_t k = 0; k < std::min(a.decays.size(), b.decays.size()); ++k) {
            const double hz = a.decays[k].centerHz;
            if (!isMeasured(a.decays[k].t20) && !isMeasured(b.decays[k].t20)) continue;
            const std::string label = hz >= 1000.0 ? fmt::format("Decay (T20) at {:.0f} kHz", hz / 1000.0)
                                                   : fmt::format("Decay (T20) at {:.0f} Hz", hz);
            addRow(facet, label.c_str(), a.decays[k].t20, b.decays[k].t20, msText);
        }
        finish(facet, spaceScale, remarks);
        if (!facet.measured) facet.words = "no pause to hear a tail in";
        return facet;
    }

    const Profile& reference;
    const Profile& render;
    const Distances distances;
};

} // namespace

const FacetComparison* Comparison::find(Facet facet) const {
    const auto found = std::find_if(facets.begin(), facets.end(), [facet](const auto& f) { return f.facet == facet; });
    return found == facets.end() ? nullptr : &*found;
}

double wholeLikeness(const std::vector<FacetComparison>& facets, const FacetWeights& weights) {
    const auto weightOf = [&](const FacetComparison& facet) { return weights[static_cast<std::size_t>(facet.facet)]; };
    double heaviest = 0.0;
    for (const auto& facet : facets)
        if (facet.measured) heaviest = std::max(heaviest, weightOf(facet));
    double missing = 0.0, total = 0.0, worst = 0.0;
    for (const auto& facet : facets) {
        if (!facet.measured) continue;
        const double weight = heaviest > 0.0 ? weightOf(facet) / heaviest : 1.0;
        missing += weight * (100.0 - facet.likeness);
        total += weight;
        worst = std::max(worst, weight * (100.0 - facet.likeness));
    }
    return total > 0.0 ? 100.0 - 0.5 * missing / total - 0.5 * worst : 0.0;
}

Comparison compare(const Profile& reference, const Profile& render, const FacetWeights& weights) {
    Comparison result = Comparer(reference, render).run();
    result.weights = weights;
    result.likeness = wholeLikeness(result.facets, weights);
    return result;
}

} // namespace facet
