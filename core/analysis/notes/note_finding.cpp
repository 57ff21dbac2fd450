#include "core/analysis/notes/note_finding.h"

#include "core/analysis/facets/glide.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/notes/bends.h"
#include "core/analysis/notes/chord_notes.h"
#include "core/analysis/notes/heard_sound.h"
#include "core/analysis/notes/key_releases.h"
#include "core/analysis/notes/note_starts.h"
#include "core/analysis/notes/one_sound.h"
#include "core/analysis/notes/pitched_spans.h"
#include "core/analysis/notes/shifted_spectra.h"
#include "core/analysis/notes/tuning.h"
#include "core/analysis/notes/velocity.h"
#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <utility>
#include <vector>

namespace facet {

namespace {

constexpr const char* noClearPitch =
    "No single clear pitch was found in most of this recording: it may hold chords, noise or "
    "several sounds; import or draw its notes.";
constexpr double trustedShare = 0.55;
constexpr double overlapSeconds = 0.02; ///< notes this close are held into each other
constexpr double leastGlide = 0.012;    ///< seconds
constexpr double intendedCents = 8.0;   ///< smaller deviations are the filter's and the measurement's

/// Exact fundamental of a span as a fractional key.
double exactPitch(const HeardSound& sound, const NoteSpan& span) {
    const double hz = restingPitch(sound.mono, span.start, span.end, hzFromKey(span.pitch));
    constexpr double near = 0.25; // semitones; farther off is the way there
    return isMeasured(hz) && std::abs(keyFromHz(hz) - span.pitch) < near ? keyFromHz(hz) : span.pitch;
}

/// How bright each note begins, in octaves of its spectral centroid, with what follows the key taken out.
std::vector<double> brightnessOf(const HeardSound& sound, const std::vector<NoteSpan>& spans) {
    constexpr int size = 2048;
    RealFft fft(size);
    std::vector<double> octaves;
    double mean = 0.0;
    double keys = 0.0;
    for (const NoteSpan& span : spans) {
        double weighted = 0.0;
        double power = 0.0;
        // Four looks at the first 60 ms, where an envelope has the filter open.
        for (int look = 0; look < 4; ++look) {
            const double at = span.start + 0.015 * (look + 1);
            windowedFrame(sound.mono, static_cast<int>(at * analysisRateHz) - size / 2, hannWindow(size), fft.time());
            fft.forward();
            for (int b = 1; b < fft.binCount(); ++b) {
                const double p = std::norm(fft.bins()[static_cast<std::size_t>(b)]);
                weighted += p * b;
                power += p;
            }
        }
        octaves.push_back(std::log2(weighted / std::max(power, 1e-20) + 1e-3));
        mean += octaves.back() / static_cast<double>(spans.size());
        keys += span.pitch / static_cast<double>(spans.size());
    }
    double xx = 0.0;
    double xy = 0.0;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        xx += (spans[i].pitch - keys) * (spans[i].pitch - keys);
        xy += (spans[i].pitch - keys) * (octaves[i] - mean);
    }
    // Between none and all of the key, whatever a few notes seem to say.
    const double slope = xx > 0.0 ? std::clamp(xy / xx, 0.0, 1.0 / 12.0) : 0.0;
    for (std::size_t i = 0; i < spans.size(); ++i) octaves[i] -= slope * (spans[i].pitch - keys);
    return octaves;
}

/// `tuned`: whether the pitches say how the recording is tuned; those of inharmonic sounds lie anywhere.
void toNotes(const HeardSound& sound, const std::vector<NoteSpan>& spans, Performance& performance, bool tuned = true) {
    std::vector<double> pitches;
    std::vector<double> levels;
    for (const NoteSpan& span : spans) {
        pitches.push_back(exactPitch(sound, span));
        levels.push_back(span.topDb);
    }
    const Tuning tuning = tuningOf(spans, pitches);
    performance.tuningCents = tuned ? tuning.cents() : 0.0;
    const auto loudestSpan = static_cast<std::size_t>(std::max_element(levels.begin(), levels.end()) - levels.begin());
    const double top = levels[loudestSpan];
    const std::vector<double> brightness = brightnessOf(sound, spans);
    const std::vector<NoteEnd> ends = endsOf(sound, spans);
    for (std::size_t i = 0; i < spans.size(); ++i) {
        sound.task.check();
        Note note;
        note.start = spans[i].start;
        const double inTune = pitches[i] - tuning.heard / 100.0;
        note.key = std::clamp(static_cast<int>(std::lround(inTune)), 0, 127);
        const double cents = 100.0 * (inTune - note.key);
        note.cents = std::abs(cents) < std::max(intendedCents, tuning.doubt) ? 0.0 : cents;
        const double end = isMeasured(ends[i].seconds) ? ends[i].seconds : spans[i].end;
        note.end = std::min(std::max(end, note.start + 0.02), ends[i].next);
        const double byBrightness =
            std::clamp(velocityPerOctave * (brightness[i] - brightness[loudestSpan]), -15.0, 15.0);
        note.velocity = std::clamp(100.0 + velocityPerDb * (levels[i] - top) + byBrightness, 20.0, 127.0);
        performance.notes.push_back(note);
    }
    performance.normalize();
}

/// Notes that swell out of silence, as breath and bow let them, begin where the swell does.
void beginSwells(const HeardSound& sound, std::vector<Note>& notes) {
    constexpr double longest = 0.12, leastLead = 0.02; // seconds
    constexpr float heardDb = 38.0f, leastSwellDb = 6.0f, waverDb = 2.0f;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        Note& note = notes[i];
        float top = silenceDb;
        for (double t = note.start; t < note.end; t += sound.coarse.stepSeconds)
            top = std::max(top, sound.coarse.at(t));
        const double earliest = std::max(i > 0 ? notes[i - 1].start + shortestFoundNote : 0.0, note.start - longest);
        double foot = note.start;
        float lowest = sound.coarse.at(note.start);
        for (double t = note.start; t >= earliest; t -= sound.coarse.stepSeconds) {
            const float level = sound.coarse.at(t);
            if (level < std::max<float>(top - heardDb, static_cast<float>(sound.quietest)) || level > lowest + waverDb)
                break;
            if (level > lowest) continue;
            lowest = level;
            foot = t;
        }
        foot += 0.5 * sound.smoothing; // the level is smoothed
        if (note.start - foot < leastLead || sound.coarse.at(note.start) < lowest + leastSwellDb) continue;
        note.start = std::max(0.0, foot);
        if (i > 0) notes[i - 1].end = std::min(notes[i - 1].end, note.start);
    }
}

/// Notes that the pitch slides into begin where the way to them does, and the note before is held until then: an
/// overlap, which is what a glide is played by. Returns how many there are.
int joinSlidNotes(const HeardSound& sound, Performance& performance) {
    int glides = 0;
    auto& notes = performance.notes;
    const auto hzOf = [&](const Note& n) { return hzFromKey(n.key + n.cents / 100.0, performance.tuningCents); };
    for (std::size_t i = 1; i < notes.size(); ++i) {
        Note& before = notes[i - 1];
        if (before.end < notes[i].start - overlapSeconds) continue;
        sound.task.check();
        const Glide glide = fitGlide(sound.mono, sound.pitch.hz, notes[i].start, hzOf(before), hzOf(notes[i]),
                                     std::max(before.start, notes[i].start - 0.5), notes[i].end);
        if (!glide.found() || glide.seconds < leastGlide || glide.start < before.start + shortestFoundNote) continue;
        notes[i].start = glide.start;
        before.end = glide.start + overlapSeconds;
        ++glides;
    }
    return glides;
}

/// By how many dB the level falls before each span, below its own top; by a lot where most bands are struck anew, but
/// for what follows a moment of sound: an attack of two parts.
std::vector<double> dipsBefore(const HeardSound& sound, const std::vector<NoteSpan>& spans) {
    constexpr double before = 0.05, after = 0.06, moment = 0.08; // seconds
    constexpr double struckShare = 0.85, struckDb = 60.0;
    std::vector<double> dips;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        const NoteSpan& span = spans[i];
        const double from = std::max(i > 0 ? spans[i - 1].start + 0.5 * before : 0.0, span.start - before);
        const float top = sound.highestBetween(span.start, std::min(span.end, span.start + after));
        const bool afterMoment =
            i > 0 && span.start - spans[i - 1].start < moment && span.end - span.start > 2.0 * moment;
        const bool struck = !afterMoment && span.rises && shareOfBandsRising(sound, span.start) > struckShare;
        dips.push_back(struck ? struckDb : top - sound.lowestBetween(sound.coarse, from, span.start + 0.01));
    }
    return dips;
}

FoundNotes lineOf(const HeardSound& sound, const LineRead& how) {
    FoundNotes found;
    std::vector<NoteStart> rises;
    for (const Stroke& stroke : how.strokes) rises.push_back({stroke.seconds, true});
    if (rises.empty()) rises = struckRises(sound, risesOf(sound));
    std::vector<NoteSpan> spans =
        spansBetween(sound, withPitchChanges(sound, std::move(rises), how.slowMovesAreKeys), true);
    found.confidence = sound.pitchedShare();
    placeByShift(sound, spans);
    joinContinued(spans, dipsBefore(sound, spans));
    if (spans.empty()) return found;
    if (found.confidence < trustedShare) found.problem = noClearPitch;
    toNotes(sound, spans, found.performance);
    return found;
}

FoundNotes chordsOf(const ChordNotes& chords) {
    FoundNotes found;
    found.problem = "This recording seems to hold several notes at once: the notes shown are a proposal; "
                    "check them, or import or draw the right ones.";
    found.performance = chords.performance;
    return found;
}

FoundNotes oneSoundOf(const HeardSound& sound, const ChordNotes& chords) {
    FoundNotes found;
    const std::vector<NoteSpan> spans = lineOfOneSound(sound, chords);
    if (spans.empty()) return found;
    found.confidence = sound.pitchedShare();
    toNotes(sound, spans, found.performance, false);
    return found;
}

/// One note for each stretch of sound between silences.
FoundNotes stretchesOf(const HeardSound& sound) {
    constexpr double shortestSilence = 0.08; // seconds
    FoundNotes found;
    found.problem = noClearPitch;
    auto& notes = found.performance.notes;
    for (double t = 0.0; t < sound.seconds(); t += sound.coarse.stepSeconds) {
        if (!sound.sounds(t)) continue;
        if (notes.empty() || t - notes.back().end > shortestSilence)
            notes.push_back({.start = t, .end = t + shortestFoundNote, .key = 60});
        else
            notes.back().end = std::max(notes.back().end, t);
    }
    std::erase_if(notes, [&](const Note& note) {
        return sound.highestBetween(note.start, note.end) < sound.loudest - chordRangeDb;
    });
    return found;
}

} // namespace

FoundNotes notesAs(Texture texture, const HeardSound& sound, const ChordNotes& chords, const LineRead& how) {
    switch (texture) {
    case Texture::line: return lineOf(sound, how);
    case Texture::chords: return chordsOf(chords);
    case Texture::oneSound: return oneSoundOf(sound, chords);
    case Texture::noise: return stretchesOf(sound);
    }
    return {};
}

FoundNotes hitsOf(const HeardSound& sound) {
    FoundNotes found;
    found.problem = noClearPitch;
    proposeHits(sound, risesOf(sound), found.performance);
    return found;
}

void finishLine(const HeardSound& sound, FoundNotes& found) {
    if (found.performance.notes.empty()) return;
    beginSwells(sound, found.performance.notes);
    found.glides = joinSlidNotes(sound, found.performance);
    found.performance.bends = findBends(sound.pitch.hz, found.performance);
}

std::string FoundNotes::evidence() const {
    std::string text = gateEvidence;
    const auto add = [&](const std::string& sentence) { text += (text.empty() ? "" : " ") + sentence; };
    if (repeatsLeftOut > 0)
        add(fmt::format("{} repeat{} of an echo of {:.0f} ms {} left out.", repeatsLeftOut,
                        repeatsLeftOut == 1 ? "" : "s", 1000.0 * echoSeconds, repeatsLeftOut == 1 ? "was" : "were"));
    if (glides > 0)
        add(fmt::format("The pitch slides into {} note{}: drawn as overlaps.", glides, glides == 1 ? "" : "s"));
    if (!performance.bends.empty()) add("Held notes change their pitch: drawn as bends.");
    return text;
}

} // namespace facet
