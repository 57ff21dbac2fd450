#include "core/parameters/table.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

using std::string_view;

constexpr std::array<string_view, 9> waveNames{"sine",      "triangle",  "saw",   "pulse", "clipped sine",
                                               "harmonics", "wavetable", "noise", "sample"};
constexpr std::array<string_view, 5> blendNames{"sine", "triangle", "saw", "pulse", "clipped sine"};
constexpr std::array<string_view, 4> routeNames{"filter 1", "filter 2", "both", "past filters"};
constexpr std::array<string_view, 6> syncNames{"off", "itself", "source a", "source b", "source c", "source d"};
constexpr std::array<string_view, 2> routingNames{"serial", "parallel"};
constexpr std::array<string_view, 7> filterKindNames{"low-pass", "high-pass", "band-pass", "notch", "ladder", "comb", "all-pass"};
constexpr std::array<string_view, 8> lfoShapeNames{"sine", "triangle", "rising saw", "falling saw",
                                                   "square", "steps",  "wander",     "drawn"};
constexpr std::array<string_view, 3> lfoModeNames{"each note", "free", "once"};
constexpr std::array<string_view, 28> noteValueNames{
    "1/64 triplet", "1/64", "1/32 triplet", "1/64 dotted", "1/32",       "1/16 triplet", "1/32 dotted", "1/16",    "1/8 triplet",
    "1/16 dotted",  "1/8",  "1/4 triplet",  "1/8 dotted",  "1/4",        "1/2 triplet",  "1/4 dotted",  "1/2",     "1 bar triplet",
    "1/2 dotted",   "1 bar", "2 bars triplet", "1 bar dotted", "2 bars", "4 bars triplet", "2 bars dotted", "4 bars", "6 bars", "8 bars"};
constexpr std::array<double, 28> noteValueLengths{
    1.0 / 24, 1.0 / 16, 1.0 / 12, 3.0 / 32, 1.0 / 8, 1.0 / 6, 3.0 / 16, 1.0 / 4, 1.0 / 3,
    3.0 / 8,  1.0 / 2,  2.0 / 3,  3.0 / 4,  1.0,     4.0 / 3, 1.5,      2.0,     8.0 / 3,
    3.0,      4.0,      16.0 / 3, 6.0,      8.0,     32.0 / 3, 12.0,    16.0,    24.0,    32.0};
constexpr std::array<string_view, 2> slopeNames{"12 dB", "24 dB"};
constexpr std::array<string_view, 3> voiceModeNames{"poly", "mono", "legato"};
constexpr std::array<string_view, 2> glideWhenNames{"always", "overlapping"};

constexpr FacetSet pitch = facetBit(Facet::pitch);
constexpr FacetSet level = facetBit(Facet::level);
constexpr FacetSet harmonics = facetBit(Facet::harmonics);
constexpr FacetSet brightness = facetBit(Facet::brightness);
constexpr FacetSet noise = facetBit(Facet::noise);
constexpr FacetSet motion = facetBit(Facet::motion);
constexpr FacetSet width = facetBit(Facet::width);

using K = ModuleKind;
using U = Unit;
constexpr auto linear = Scale::linear;
constexpr auto logarithmic = Scale::logarithmic;
constexpr auto block = Smoothing::block;
constexpr auto nextNote = Smoothing::nextNote;
constexpr auto graph = Smoothing::graph;

// clang-format off: a row a parameter reads like a table
// Rows stand in the order of their kinds; parametersOf() relies on it.
constexpr ParameterDescriptor table[] = {
    {K::output, "level", "Output level", U::decibels, -60, 24, 0, linear, 0, {}, level, block, 0, 0,
     "Loudness of the whole patch; matching solves it, it is never searched"},

    {K::voicing, "mode", "Voices", U::choice, 0, 2, 0, linear, 0, voiceModeNames, pitch | level, graph, 0, 0,
     "poly: notes sound together; mono: the newest note alone, struck anew; legato: overlapping notes go on sounding"},
    {K::voicing, "voices", "Voice limit", U::count, 1, 16, 8, linear, 0, {}, level, nextNote, 0, 0,
     "How many notes sound at once before the oldest gives way"},
    {K::voicing, "glide", "Glide", U::milliseconds, 0, 5000, 0, logarithmic, 5, {}, pitch, nextNote, 0, 0,
     "Time the pitch takes from one note to the next"},
    {K::voicing, "glide_when", "Glide when", U::choice, 0, 1, 1, linear, 0, glideWhenNames, pitch, nextNote, 0, 0,
     "always, or only when notes overlap"},
    {K::voicing, "glide_curve", "Glide curve", U::percent, -100, 100, 0, linear, 0, {}, pitch, nextNote, 0, 0,
     "0 % even in cents; above: fast first; below: slow first"},
    {K::voicing, "tuning_spread", "Tuning spread", U::cents, 0, 100, 0, linear, 0, {}, pitch | motion, nextNote, 0, 0,
     "How far the voices that notes take in turn are out of tune with each other; each keeps its own deviation"},
    {K::voicing, "cutoff_spread", "Cutoff spread", U::semitones, 0, 24, 0, linear, 0, {}, brightness, nextNote, 0, 0,
     "How far their cutoffs differ; each voice keeps its own deviation"},
    {K::voicing, "bend_range", "Bend range", U::semitones, 0, 48, 2, linear, 0, {}, pitch, block, 0, 0,
     "Pitch change at full bend of the wheel, up and down"},

    {K::layer, "level", "Layer level", U::decibels, -60, 12, 0, linear, 0, {}, level, block, 0, 0, "Loudness of the layer"},
    {K::layer, "pan", "Layer pan", U::percent, -100, 100, 0, linear, 0, {}, width, block, 0, 0, "−100 % left, 100 % right"},
    {K::layer, "velocity", "Velocity to level", U::decibels, 0, 48, 0, linear, 0, {}, level, nextNote, 0, 0,
     "How much softer the softest note is than the hardest"},
    {K::layer, "transpose", "Transpose", U::semitones, -48, 48, 0, linear, 0, {}, pitch, nextNote, 0, 0,
     "Semitones by which the layer plays higher"},
    {K::layer, "offset", "Offset", U::milliseconds, 0, 500, 0, logarithmic, 2, {}, level, nextNote, 0, 0,
     "Time by which the layer starts after the note"},
    {K::layer, "low_key", "Lowest key", U::count, 0, 127, 0, linear, 0, {}, level, nextNote, 0, 0, "Keys below do not play the layer"},
    {K::layer, "high_key", "Highest key", U::count, 0, 127, 127, linear, 0, {}, level, nextNote, 0, 0,
     "Keys above do not play the layer"},
    {K::layer, "low_velocity", "Lowest velocity", U::count, 1, 127, 1, linear, 0, {}, level, nextNote, 0, 0,
     "Softer notes do not play the layer"},
    {K::layer, "high_velocity", "Highest velocity", U::count, 1, 127, 127, linear, 0, {}, level, nextNote, 0, 0,
     "Harder notes do not play the layer"},
    {K::layer, "routing", "Filters", U::choice, 0, 1, 0, linear, 0, routingNames, brightness, graph, 0, 0,
     "serial: filter 1 into filter 2; parallel: side by side, added"},
    {K::layer, "feedback", "Filter feedback", U::percent, -100, 100, 0, linear, 0, {}, brightness | harmonics, block, 0, 0,
     "What comes out of the filters goes in again, softly limited"},

    {K::source, "on", "On", U::onOff, 0, 1, 0, linear, 0, {}, harmonics, graph, 0, 0, "Whether the source sounds"},
    {K::source, "wave", "Wave", U::choice, 0, 8, 2, linear, 0, waveNames, harmonics, graph, 0, 0,
     "Shape of one cycle, or noise, or a recording"},
    {K::source, "blend_wave", "Blend with", U::choice, 0, 4, 0, linear, 0, blendNames, harmonics, graph, 0, 0,
     "Second shape of the same cycle"},
    {K::source, "blend", "Blend", U::percent, 0, 100, 0, linear, 0, {}, harmonics, block, 0, 0,
     "Share of the second shape"},
    {K::source, "width", "Pulse width", U::percent, 2, 98, 50, linear, 0, {}, harmonics, block, 5, 50,
     "Share of the cycle that a pulse is high; 50 % is a square"},
    {K::source, "clip", "Clip", U::decibels, 0, 36, 12, linear, 0, {}, harmonics, block, 0, 0,
     "How far a clipped sine would go beyond its limit"},
    {K::source, "position", "Table position", U::percent, 0, 100, 0, linear, 0, {}, harmonics | brightness, block, 0, 0,
     "Place in a wavetable, between its first and its last frame"},
    {K::source, "color", "Color", U::decibelsPerOctave, -9, 6, 0, linear, 0, {}, FacetSet(noise | brightness), block, 0, 0,
     "Slope of noise: 0 white, −3 pink, −6 brown"},
    {K::source, "octave", "Octave", U::octaves, -4, 4, 0, linear, 0, {}, pitch | harmonics, block, 0, 0, "Octaves from the note"},
    {K::source, "semitone", "Semitone", U::semitones, -24, 24, 0, linear, 0, {}, pitch | harmonics, block, 0, 0,
     "Semitones from the note"},
    {K::source, "cents", "Cents", U::cents, -100, 100, 0, linear, 0, {}, pitch | motion, block, -25, 25,
     "Fine tuning from the note"},
    {K::source, "ratio_over", "Ratio over", U::count, 1, 32, 1, linear, 0, {}, pitch | harmonics, block, 0, 0,
     "The source plays at over : under times the note's frequency"},
    {K::source, "ratio_under", "Ratio under", U::count, 1, 32, 1, linear, 0, {}, pitch | harmonics, block, 0, 0,
     "The source plays at over : under times the note's frequency"},
    {K::source, "follow", "Follows the key", U::onOff, 0, 1, 1, linear, 0, {}, pitch, graph, 0, 0,
     "Off: every note sounds at one pitch"},
    {K::source, "fixed", "Fixed pitch", U::hertz, 1, 12000, 440, logarithmic, 0, {}, pitch, block, 0, 0,
     "Pitch of a source that does not follow the key"},
    {K::source, "route", "Goes to", U::choice, 0, 3, 0, linear, 0, routeNames, brightness, graph, 0, 0,
     "Where it enters: serial, what enters filter 1 passes both"},
    {K::source, "level", "Level", U::decibels, -60, 12, 0, linear, 0, {}, harmonics | level, block, -40, 6,
     "Loudness of the source before the filter"},
    {K::source, "amplitude", "Amplitude", U::percent, -200, 200, 100, linear, 0, {}, harmonics | level, block, 0, 0,
     "Factor of the source: at 0 % it sounds only as far as another source is linked to it (ring modulation)"},
    {K::source, "pan", "Pan", U::percent, -100, 100, 0, linear, 0, {}, width, block, -100, 100, "−100 % left, 100 % right"},
    {K::source, "voices", "Stacked voices", U::count, 1, 12, 1, linear, 0, {}, motion | width, graph, 0, 0,
     "Copies of the source, evenly spaced in pitch over twice the detune, of equal power together"},
    {K::source, "detune", "Detune", U::cents, 0, 100, 10, logarithmic, 2, {}, motion | pitch, block, 1, 60,
     "Distance of the outermost stacked voice from the middle"},
    {K::source, "spread", "Spread", U::percent, 0, 100, 0, linear, 0, {}, width, block, 0, 100,
     "How far the stacked voices are panned apart"},
    {K::source, "phase", "Start phase", U::degrees, 0, 360, 0, linear, 0, {}, level, nextNote, 0, 360,
     "Place in the cycle where a note starts"},
    {K::source, "phase_random", "Phase random", U::percent, 0, 100, 100, linear, 0, {}, level, nextNote, 0, 0,
     "Share of a cycle by which each start differs, by the seed"},
    {K::source, "retrigger", "Starts anew", U::onOff, 0, 1, 1, linear, 0, {}, level, graph, 0, 0,
     "Off: the cycle runs on between the notes"},
    {K::source, "sync", "Hard sync", U::choice, 0, 5, 0, linear, 0, syncNames, harmonics, graph, 0, 0,
     "The cycle is begun anew by that of another source, or by one of the note's own frequency"},
    {K::source, "sync_ratio", "Sync ratio", U::semitones, 0, 60, 0, linear, 0, {}, harmonics, block, 0, 0,
     "How much higher than what begins it anew a source in sync with itself runs"},

    {K::filter, "on", "On", U::onOff, 0, 1, 0, linear, 0, {}, brightness, graph, 0, 0, "Whether the filter works"},
    {K::filter, "kind", "Kind", U::choice, 0, 6, 0, linear, 0, filterKindNames, FacetSet(brightness | harmonics), graph, 0, 0,
     "Clean state-variable kinds, a saturating ladder, a comb, a chain of all-passes"},
    {K::filter, "slope", "Slope", U::choice, 0, 1, 1, linear, 0, slopeNames, brightness, graph, 0, 0,
     "Fall per octave above the cutoff of the low-pass"},
    {K::filter, "cutoff", "Cutoff", U::hertz, 20, 20000, 20000, logarithmic, 0, {}, brightness | harmonics, block, 40,
     16000, "Frequency of the poles, at rest"},
    {K::filter, "resonance", "Resonance", U::decibels, -12, 36, -3, linear, 0, {}, brightness | harmonics, block, -11, 20,
     "Gain at the cutoff; −3 dB is maximally flat"},
    {K::filter, "drive", "Drive", U::decibels, -12, 36, 0, linear, 0, {}, harmonics, block, 0, 0,
     "Level into the filter; a ladder saturates above 0 dB"},
    {K::filter, "feedback", "Feedback", U::percent, -100, 100, 50, linear, 0, {}, brightness | harmonics, block, 0, 0,
     "Of a comb or of all-passes; negative: the other sign"},
    {K::filter, "stages", "Stages", U::count, 2, 64, 8, linear, 0, {}, brightness, graph, 0, 0, "All-passes in the chain"},
    {K::filter, "mix", "Mix", U::percent, 0, 100, 100, linear, 0, {}, brightness, block, 0, 0,
     "Share of the filtered sound; the rest passes beside it"},
    {K::filter, "key_tracking", "Key tracking", U::percent, 0, 150, 0, linear, 0, {}, brightness, block, 0, 0,
     "How much the cutoff follows the key, from middle C (C4)"},
    {K::filter, "envelope", "Envelope amount", U::semitones, -96, 96, 0, linear, 0, {}, brightness, block, -24, 84,
     "How far the filter's envelope moves the cutoff at its peak"},
    {K::filter, "velocity", "Velocity to cutoff", U::semitones, 0, 60, 0, linear, 0, {}, brightness, nextNote, 0, 0,
     "How much lower the cutoff of the softest note is than of the hardest"},

    {K::envelope, "delay", "Delay", U::milliseconds, 0, 2000, 0, logarithmic, 2, {}, level | brightness, nextNote, 0, 0,
     "Time before the attack begins"},
    {K::envelope, "attack", "Attack", U::milliseconds, 0, 10000, 2, logarithmic, 2, {}, level | brightness, nextNote, 0,
     1500, "Time from nothing to the peak"},
    {K::envelope, "hold", "Hold", U::milliseconds, 0, 5000, 0, logarithmic, 2, {}, level | brightness, nextNote, 0, 0,
     "Time at the peak"},
    {K::envelope, "decay", "Decay", U::milliseconds, 1, 20000, 500, logarithmic, 2, {}, level | brightness, nextNote, 10,
     6000, "Time from the peak to the sustain"},
    {K::envelope, "sustain", "Sustain", U::percent, 0, 100, 100, linear, 0, {}, level | brightness, nextNote, 0, 100,
     "What remains of the peak while the note is held"},
    {K::envelope, "release", "Release", U::milliseconds, 1, 20000, 2, logarithmic, 2, {}, level | brightness, nextNote, 2,
     3000, "Time from the note's end to nothing"},
    {K::envelope, "attack_curve", "Attack curve", U::percent, -100, 100, 0, linear, 0, {}, level | brightness, nextNote,
     0, 0, "0 % straight; above: fast first; below: slow first"},
    {K::envelope, "decay_curve", "Decay curve", U::percent, -100, 100, 50, linear, 0, {}, level | brightness, nextNote, 0,
     90, "0 % straight; above: fast first; below: slow first"},
    {K::envelope, "release_curve", "Release curve", U::percent, -100, 100, 50, linear, 0, {}, level | brightness, nextNote,
     0, 90, "0 % straight; above: fast first; below: slow first"},

    {K::lfo, "shape", "Shape", U::choice, 0, 7, 0, linear, 0, lfoShapeNames, motion, graph, 0, 0,
     "steps: random values held; wander: random values joined; drawn: breakpoints"},
    {K::lfo, "timing", "Timed in notes", U::onOff, 0, 1, 0, linear, 0, {}, motion, graph, 0, 0,
     "On: a cycle lasts a note value at the tempo"},
    {K::lfo, "rate", "Rate", U::hertz, 0.01, 100, 2, logarithmic, 0, {}, motion, block, 0, 0, "Cycles per second"},
    {K::lfo, "beats", "Cycle", U::choice, 0, 27, 10, linear, 0, noteValueNames, motion, graph, 0, 0, "Length of a cycle at the tempo"},
    {K::lfo, "mode", "Runs", U::choice, 0, 2, 0, linear, 0, lfoModeNames, motion, graph, 0, 0,
     "each note: begins with the note; free: on through all notes; once: one cycle with each note"},
    {K::lfo, "phase", "Phase", U::degrees, 0, 360, 0, linear, 0, {}, motion, nextNote, 0, 0, "Place in the cycle where it begins"},
    {K::lfo, "fade", "Fade-in", U::milliseconds, 0, 10000, 0, logarithmic, 2, {}, motion, nextNote, 0, 0,
     "Time until it has its full depth"},
    {K::lfo, "duty", "Duty", U::percent, 1, 99, 50, linear, 0, {}, motion, block, 0, 0,
     "Share of the cycle that a square is high"},

    {K::link, "on", "On", U::onOff, 0, 1, 1, linear, 0, {}, 0, block, 0, 0, "Whether the link moves anything"},
    {K::link, "amount", "Amount", U::amount, -9600, 9600, 0, linear, 0, {}, 0, block, 0, 0,
     "How far the destination is moved by the whole of what moves it"},
    {K::link, "curve", "Curve", U::percent, -100, 100, 0, linear, 0, {}, 0, block, 0, 0,
     "0 % even; above: most at first; below: most at last"},

    {K::macro, "value", "Value", U::percent, 0, 100, 0, linear, 0, {}, 0, block, 0, 0, "Moves what it is linked to"},
};
// clang-format on

constexpr std::array<string_view, moduleKindCount> kindWords{"output",   "voicing", "layer", "source", "filter",
                                                               "envelope", "lfo",     "link",  "macro"};
constexpr std::array<string_view, moduleKindCount> kindLabels{"Output",   "Voicing", "Layer", "Source", "Filter",
                                                                "Envelope", "LFO",     "Link",  "Macro"};
constexpr std::array<string_view, facetCount> facetLabels{"Pitch", "Level",  "Harmonics", "Brightness",
                                                          "Noise", "Motion", "Width",     "Space"};

} // namespace

string_view labelOf(Facet facet) { return facetLabels[static_cast<std::size_t>(facet)]; }
string_view wordOf(ModuleKind kind) { return kindWords[static_cast<std::size_t>(kind)]; }
string_view labelOf(ModuleKind kind) { return kindLabels[static_cast<std::size_t>(kind)]; }

std::span<const ParameterDescriptor> parameterTable() { return table; }

namespace {

/// First row of each kind, and the end.
constexpr auto firstRows = [] {
    std::array<std::size_t, moduleKindCount + 1> rows{};
    for (std::size_t k = 0; k <= moduleKindCount; ++k)
        while (rows[k] < std::size(table) && static_cast<std::size_t>(table[rows[k]].module) < k) ++rows[k];
    return rows;
}();

} // namespace

std::span<const ParameterDescriptor> parametersOf(ModuleKind kind) {
    const auto k = static_cast<std::size_t>(kind);
    return {table + firstRows[k], table + firstRows[k + 1]};
}

int fieldIndex(ModuleKind kind, string_view field) {
    const auto fields = parametersOf(kind);
    const auto found = std::find_if(fields.begin(), fields.end(), [&](const auto& d) { return d.field == field; });
    return found == fields.end() ? -1 : static_cast<int>(found - fields.begin());
}

double ParameterDescriptor::toUnit(double value) const {
    value = std::clamp(value, low, high);
    if (scale == Scale::linear) return (value - low) / (high - low);
    return std::log((value + logOffset) / (low + logOffset)) / std::log((high + logOffset) / (low + logOffset));
}

double ParameterDescriptor::fromUnit(double position) const {
    position = std::clamp(position, 0.0, 1.0);
    const double value =
        scale == Scale::linear
            ? low + position * (high - low)
            : (low + logOffset) * std::pow((high + logOffset) / (low + logOffset), position) - logOffset;
    return nearest(value);
}

Unit movementUnit(const ParameterDescriptor& d) {
    if (d.scale == Scale::linear) return d.unit == Unit::octaves ? Unit::semitones : d.unit;
    return d.unit == Unit::hertz ? Unit::semitones : Unit::octaves;
}

double toMovement(const ParameterDescriptor& d, double value) {
    if (d.scale == Scale::linear) return d.unit == Unit::octaves ? 12.0 * value : value;
    return (d.unit == Unit::hertz ? 12.0 : 1.0) * std::log2(value + d.logOffset);
}

double fromMovement(const ParameterDescriptor& d, double moved) {
    if (d.scale == Scale::linear) return std::clamp(d.unit == Unit::octaves ? moved / 12.0 : moved, d.low, d.high);
    return std::clamp(std::exp2(moved / (d.unit == Unit::hertz ? 12.0 : 1.0)) - d.logOffset, d.low, d.high);
}

std::span<const double> noteValueQuarters() { return noteValueLengths; }

double ParameterDescriptor::nearest(double value) const {
    value = std::clamp(value, low, high);
    return isDiscrete() ? std::round(value) : value;
}

} // namespace facet
