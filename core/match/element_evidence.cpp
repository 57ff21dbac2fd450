#include "core/match/element_evidence.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <utility>
#include <vector>

namespace facet {

namespace {

/// Of what was measured of the notes, the middle; notMeasurable of none.
template <typename Value> double middleOfNotes(const Profile& profile, Value&& value) {
    std::vector<float> values;
    for (const NoteProfile& note : profile.notes)
        if (const double each = value(note); isMeasured(each)) values.push_back(static_cast<float>(each));
    return static_cast<double>(medianOf(std::move(values)));
}

std::string hertz(double hz) {
    if (hz < 1000.0) return fmt::format("{:.0f} Hz", hz);
    return fmt::format("{:.1f} kHz", hz / 1000.0);
}
std::string duration(double seconds) {
    if (seconds < 1.0) return fmt::format("{:.0f} ms", 1000.0 * seconds);
    return fmt::format("{:.1f} s", seconds);
}

std::string wave(const Profile& profile, TextbookWave wave) {
    const SourceFit& fit = profile.source;
    if (fit.wave != wave || !isMeasured(fit.errorDb) || confidenceOf(fit.errorDb, sourceHalfAtDb) < 0.5) return {};
    return fmt::format("the partials are those of a {} to within {:.1f} dB", nameOf(fit), fit.errorDb);
}

std::string noise(const Profile& profile) {
    constexpr double hardlyAny = 45.0; // dB
    const double ratio = profile.noise.harmonicToNoiseDb;
    if (!isMeasured(ratio) || ratio > hardlyAny) return {};
    return fmt::format("what lies between the partials is {:.0f} dB below them", ratio);
}

std::string detuning(const Profile& profile) {
    constexpr double sure = 0.3;
    const MotionProfile& motion = profile.motion;
    if (!isMeasured(motion.detuneCents) || motion.detuneConfidence < sure) return {};
    return fmt::format("the partials beat, the higher the faster, as voices {:.0f} cents apart do", motion.detuneCents);
}

std::string subOctave(const Profile& profile) {
    constexpr double audible = -45.0; // dB
    const double level = middleOfNotes(profile, [](const NoteProfile& note) { return note.subOctaveDb; });
    if (!isMeasured(level) || level < audible) return {};
    return fmt::format("partials lie at halves of the pitch, {:.0f} dB below the strongest", -level);
}

std::string inharmonic(const Profile& profile) {
    constexpr double sure = 0.5, audible = 5.0; // cents
    const double cents = middleOfNotes(profile, [](const NoteProfile& note) {
        return note.inharmonicity.confidence > sure ? note.inharmonicity.tenthPartialCents() : notMeasurable;
    });
    if (!isMeasured(cents) || std::abs(cents) < audible) return {};
    return fmt::format("the partials are no multiples of the pitch: the tenth lies {:.0f} cents off", cents);
}

std::string lowPass(const Profile& profile) {
    const CutoffFit& fit = profile.filter;
    if (!isMeasured(fit.effectiveHz) || !fit.tellsShape()) return {};
    std::string words = fmt::format("above {} the partials fall by {} dB per octave more than the source's",
                                    hertz(fit.effectiveHz), 6 * fit.poles);
    if (isMeasured(fit.resonanceDb) && fit.resonanceDb >= 3.0)
        words += fmt::format(", with a peak of {:.0f} dB before", fit.resonanceDb);
    return words;
}

std::string sweep(const Profile& profile) {
    constexpr double leastOctaves = 0.4, leastSeconds = 0.02; // what is faster is the click of an onset
    const auto octaves = [](const NoteProfile& note) { return std::log2(note.highestCutoffHz / note.restingCutoffHz); };
    const double way = middleOfNotes(profile, octaves);
    if (!isMeasured(way) || way < leastOctaves) return {};
    const double seconds = middleOfNotes(profile, [](const NoteProfile& note) { return note.closingTime; });
    if (isMeasured(seconds) && seconds < leastSeconds) return {};
    std::string words =
        fmt::format("in each note the cutoff goes from {} to {}",
                    hertz(middleOfNotes(profile, [](const NoteProfile& note) { return note.highestCutoffHz; })),
                    hertz(middleOfNotes(profile, [](const NoteProfile& note) { return note.restingCutoffHz; })));
    if (isMeasured(seconds)) words += " within " + duration(seconds);
    return words;
}

std::string cycling(const PeriodicChange& change, const char* what, const std::string& depth) {
    if (!change.found()) return {};
    return fmt::format("{} {:.1f} times a second, {}", what, change.rateHz, depth);
}

std::string drift(const Profile& profile) {
    constexpr double audible = 1.5; // cents
    if (!isMeasured(profile.motion.driftCents) || profile.motion.driftCents < audible) return {};
    return fmt::format("the pitch strays by {:.1f} cents", profile.motion.driftCents);
}

std::string onsets(const Profile& profile) {
    const double cents = middleOfNotes(profile, [](const NoteProfile& note) { return note.sweepCents; });
    if (!isMeasured(cents)) return {};
    const double seconds = middleOfNotes(profile, [](const NoteProfile& note) { return note.sweepSeconds; });
    return fmt::format("notes begin {:.1f} semitones {} and settle within {}", std::abs(cents) / 100.0,
                       cents > 0.0 ? "above" : "below", duration(seconds));
}

std::string glides(const Profile& profile) {
    constexpr double step = 0.008; // seconds
    const double seconds = middleOfNotes(profile, [](const NoteProfile& note) {
        return note.glide.found() && note.glide.seconds > step ? note.glide.seconds : notMeasurable;
    });
    if (!isMeasured(seconds)) return {};
    return "the pitch slides from note to note within " + duration(seconds);
}

std::string gate(const Profile& profile) {
    if (profile.motion.switched.found())
        return fmt::format("the level is switched in steps of {} while notes are held",
                           duration(profile.motion.switched.stepSeconds));
    return {};
}

/// Least squares of the notes' peaks over their velocities.
std::string velocityToLevel(const Profile& profile) {
    constexpr double leastSpread = 12.0, leastDb = 1.5;
    double n = 0.0, sumV = 0.0, sumP = 0.0, sumVV = 0.0, sumVP = 0.0, low = 127.0, high = 0.0;
    for (const NoteProfile& each : profile.notes) {
        if (!isMeasured(each.level.peakDb)) continue;
        const double v = each.note.velocity, p = each.level.peakDb;
        n += 1.0;
        sumV += v;
        sumP += p;
        sumVV += v * v;
        sumVP += v * p;
        low = std::min(low, v);
        high = std::max(high, v);
    }
    if (n < 3.0 || high - low < leastSpread) return {};
    const double slope = (n * sumVP - sumV * sumP) / (n * sumVV - sumV * sumV);
    const double apart = slope * (high - low);
    if (apart < leastDb) return {};
    return fmt::format("the hardest notes are {:.0f} dB louder than the softest", apart);
}

std::string sides(const Profile& profile) {
    if (!profile.width.stereo || !isMeasured(profile.width.sideDb)) return {};
    return fmt::format("what differs between the sides is {:.0f} dB below what they share",
                       std::max(0.0, -profile.width.sideDb));
}

std::string echo(const Profile& profile) {
    const Echo& echo = profile.space.echo;
    if (!echo.found()) return {};
    constexpr double aside = 0.4;
    std::string words = fmt::format("what was played comes back after {}, {:.0f} dB softer", duration(echo.seconds),
                                    std::max(0.0, -echo.levelDb));
    if (std::abs(echo.side) > aside && echo.side * echo.secondSide < 0.0) words += ", from side to side";
    return words;
}

std::string tail(const Profile& profile) {
    constexpr double leastSeconds = 0.3; // shorter ones are the notes' own releases
    const double seconds = profile.space.tailSeconds;
    if (!isMeasured(seconds) || seconds < leastSeconds || profile.space.echo.found())
        return {}; // echoes have tails too
    return "after the notes the sound takes " + duration(seconds) + " to fall by 60 dB";
}

} // namespace

std::string evidenceFor(Element element, const Profile& profile) {
    switch (element) {
    case Element::saw: return wave(profile, TextbookWave::saw);
    case Element::pulse: return wave(profile, TextbookWave::pulse);
    case Element::triangle: return wave(profile, TextbookWave::triangle);
    case Element::sine: return wave(profile, TextbookWave::sine);
    case Element::noise: return noise(profile);
    case Element::stacked:
    case Element::detunedSources: return detuning(profile);
    case Element::otherSource: return subOctave(profile);
    case Element::fm:
    case Element::ring: return inharmonic(profile);
    case Element::lowPass: return lowPass(profile);
    case Element::sweptFilter: return sweep(profile);
    case Element::filterLfo:
        return cycling(profile.motion.filter, "the cutoff moves",
                       fmt::format("{:.1f} octaves in all", 2.0 * profile.motion.filter.depth));
    case Element::velocityToFilter:
        if (!isMeasured(profile.velocityToCutoff) || profile.velocityToCutoff < 0.1) return {};
        return fmt::format("notes 10 dB louder have their cutoff {:.1f} octaves higher", profile.velocityToCutoff);
    case Element::keyTracking:
        if (!isMeasured(profile.keyTracking) || profile.keyTracking < 0.1) return {};
        return fmt::format("the cutoff rises by {:.1f} octaves with each octave of the key", profile.keyTracking);
    case Element::vibrato:
        return cycling(profile.motion.vibrato, "the pitch sways",
                       fmt::format("by {:.0f} cents to either side", profile.motion.vibrato.depth));
    case Element::drift: return drift(profile);
    case Element::pitchEnvelope: return onsets(profile);
    case Element::glide: return glides(profile);
    case Element::tremolo:
        return cycling(profile.motion.tremolo, "the level goes up and down",
                       fmt::format("{:.1f} dB in all", profile.motion.tremoloDepthDb));
    case Element::gate: {
        std::string words = gate(profile);
        return words.empty() ? evidenceFor(Element::tremolo, profile) : words;
    }
    case Element::velocityToLevel: return velocityToLevel(profile);
    case Element::chorus:
    case Element::flanger:
    case Element::width: return sides(profile);
    case Element::delay: return echo(profile);
    case Element::reverb: return tail(profile);
    default: return {};
    }
}

std::string likelihoodOf(Element element, const ElementOdds& odds) {
    constexpr double likely = 0.65, unlikely = 0.15;
    const double share = odds.probabilityOf(element);
    if (!odds.known() || (share < likely && share > unlikely)) return {};
    return fmt::format("{}{:.0f} of 100 sounds like it have it", share < likely ? "only " : "",
                       std::clamp(100.0 * share, 1.0, 99.0));
}

std::map<Element, std::string> evidenceIn(const Profile& profile, const ElementOdds& odds) {
    std::map<Element, std::string> all;
    for (int e = 0; e < elementCount; ++e) {
        const auto element = static_cast<Element>(e);
        std::string words = evidenceFor(element, profile);
        const std::string likelihood = likelihoodOf(element, odds);
        if (words.empty() && odds.of(element) < 0.0) continue;
        if (!likelihood.empty()) words += (words.empty() ? "" : "; ") + likelihood;
        if (!words.empty()) all.emplace(element, std::move(words));
    }
    return all;
}

} // namespace facet
