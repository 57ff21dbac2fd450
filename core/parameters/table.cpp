#include "core/parameters/table.h"

#include "core/parameters/limits.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

using std::string_view;

constexpr std::array<string_view, 9> waveNames{"sine",      "triangle",  "saw",   "pulse", "clipped sine",
                                               "harmonics", "wavetable", "noise", "sample"};
constexpr std::array<string_view, 5> blendNames{"sine", "triangle", "saw", "pulse", "clipped sine"};
constexpr std::array<string_view, 5> routeNames{"filter 1", "filter 2", "both", "past filters", "past effects"};
constexpr std::array<string_view, 2> chainNames{"main", "send"};
constexpr std::array<string_view, 4> saturationNames{"soft", "hard", "cubic", "uneven"};
constexpr std::array<string_view, 2> foldingNames{"triangle", "sine"};
constexpr std::array<string_view, 2> responseNames{"recorded", "speaker"};
constexpr std::array<string_view, 6> syncNames{"off", "itself", "source a", "source b", "source c", "source d"};
constexpr std::array<string_view, 2> routingNames{"serial", "parallel"};
constexpr std::array<string_view, 7> filterKindNames{"low-pass", "high-pass", "band-pass", "notch",
                                                     "ladder",   "comb",      "all-pass"};
constexpr std::array<string_view, 8> lfoShapeNames{"sine",   "triangle", "rising saw", "falling saw",
                                                   "square", "steps",    "wander",     "drawn"};
constexpr std::array<string_view, 3> lfoModeNames{"each note", "free", "once"};
constexpr std::array<string_view, 28> noteValueNames{
    "1/64 triplet",  "1/64",   "1/32 triplet",   "1/64 dotted",  "1/32",   "1/16 triplet",
    "1/32 dotted",   "1/16",   "1/8 triplet",    "1/16 dotted",  "1/8",    "1/4 triplet",
    "1/8 dotted",    "1/4",    "1/2 triplet",    "1/4 dotted",   "1/2",    "1 bar triplet",
    "1/2 dotted",    "1 bar",  "2 bars triplet", "1 bar dotted", "2 bars", "4 bars triplet",
    "2 bars dotted", "4 bars", "6 bars",         "8 bars"};
constexpr std::array<double, 28> noteValueLengths{1.0 / 24, 1.0 / 16, 1.0 / 12, 3.0 / 32, 1.0 / 8, 1.0 / 6, 3.0 / 16,
                                                  1.0 / 4,  1.0 / 3,  3.0 / 8,  1.0 / 2,  2.0 / 3, 3.0 / 4, 1.0,
                                                  4.0 / 3,  1.5,      2.0,      8.0 / 3,  3.0,     4.0,     16.0 / 3,
                                                  6.0,      8.0,      32.0 / 3, 12.0,     16.0,    24.0,    32.0};
constexpr std::array<string_view, 2> slopeNames{"12 dB", "24 dB"};
constexpr std::array<string_view, 3> voiceModeNames{"poly", "mono", "legato"};
constexpr std::array<string_view, 2> glideWhenNames{"always", "overlapping"};
constexpr std::array<string_view, 2> velocityScaleNames{"decibels", "gain"};
constexpr std::array<string_view, 7> driveNames{"off", "soft", "hard", "cubic", "uneven", "folded", "folded sine"};
constexpr std::array<string_view, 2> echoesBeginNames{"left", "both sides"};

constexpr FacetSet pitch = facetBit(Facet::pitch);
constexpr FacetSet level = facetBit(Facet::level);
constexpr FacetSet harmonics = facetBit(Facet::harmonics);
constexpr FacetSet brightness = facetBit(Facet::brightness);
constexpr FacetSet noise = facetBit(Facet::noise);
constexpr FacetSet motion = facetBit(Facet::motion);
constexpr FacetSet width = facetBit(Facet::width);
constexpr FacetSet space = facetBit(Facet::space);

using K = ModuleKind;
using U = Unit;
constexpr auto linear = Scale::linear;
constexpr auto logarithmic = Scale::logarithmic;
constexpr auto block = Smoothing::block;
constexpr auto nextNote = Smoothing::nextNote;
constexpr auto graph = Smoothing::graph;

/// Rows that every effect begins with.
constexpr ParameterDescriptor onOf(K kind, FacetSet facets) {
    return {kind, "on", "On", U::onOff, 0, 1, 0, linear, 0, {}, facets, graph, 0, 0, "Whether the effect works"};
}
constexpr ParameterDescriptor chainOf(K kind, FacetSet facets) {
    return {
        kind,   "chain", "Chain", U::choice, 0,
        1,      0,       linear,  0,         chainNames,
        facets, graph,   0,       0,         "main: everything passes; send: what the layers send passes beside it"};
}
constexpr ParameterDescriptor mixOf(K kind, FacetSet facets, double byDefault) {
    return {kind,   "mix",     "Mix",  U::percent, 0,
            100,    byDefault, linear, 0,          {},
            facets, block,     0,      100,        "Share of what the effect makes; the rest passes unchanged"};
}

// A row a parameter reads like a table.
// clang-format off
// Rows stand in the order of their kinds; parametersOf() relies on it.
constexpr ParameterDescriptor table[] = {
    {K::output, "level", "Output level", U::decibels, -60, 24, 0, linear, 0, {}, level, block, 0, 0,
     "Loudness of the whole patch; matching solves it, it is never searched"},
    {K::output, "send", "Send return", U::decibels, -60, 12, 0, linear, 0, {}, space, block, 0, 0,
     "Level at which the effects of the send come back"},

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
    {K::layer, "velocity", "Velocity to level", U::decibels, 0, 48, 0, linear, 0, {}, level, nextNote, 0, 36,
     "How much softer the softest note is than the hardest"},
    {K::layer, "velocity_scale", "Velocity evenly in", U::choice, 0, 1, 0, linear, 0, velocityScaleNames, level, nextNote, 0, 0,
     "Between the softest note and the hardest the level goes evenly in decibels, or in gain"},
    {K::layer, "drive_curve", "Drive curve", U::choice, 0, 6, 0, linear, 0, driveNames, harmonics, graph, 0, 0,
     "Each note by itself is driven into a curve, behind the filters and before its level envelope"},
    {K::layer, "drive", "Drive", U::decibels, -12, 48, 12, linear, 0, {}, harmonics | level, block, 0, 36,
     "Level into that curve, which lets no more than full scale through"},
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

    {K::layer, "send", "Send", U::decibels, -60, 12, -60, linear, 0, {}, space, block, 0, 0,
     "Level at which the layer goes to the effects of the send; −60 dB: not at all"},

    {K::source, "on", "On", U::onOff, 0, 1, 0, linear, 0, {}, harmonics, graph, 0, 0, "Whether the source sounds"},
    {K::source, "wave", "Wave", U::choice, 0, 8, 2, linear, 0, waveNames, harmonics, graph, 0, 0,
     "Shape of one cycle, or noise, or a recording"},
    {K::source, "blend_wave", "Blend with", U::choice, 0, 4, 0, linear, 0, blendNames, harmonics, graph, 0, 0,
     "Second shape of the same cycle"},
    {K::source, "blend", "Blend", U::percent, 0, 100, 0, linear, 0, {}, harmonics, block, 0, 100,
     "Share of the second shape"},
    {K::source, "width", "Pulse width", U::percent, 2, 98, 50, linear, 0, {}, harmonics, block, 5, 50,
     "Share of the cycle that a pulse is high; 50 % is a square"},
    {K::source, "clip", "Clip", U::decibels, 0, 36, 12, linear, 0, {}, harmonics, block, 0, 30,
     "How far a clipped sine would go beyond its limit"},
    {K::source, "position", "Table position", U::percent, 0, 100, 0, linear, 0, {}, harmonics | brightness, block, 0, 100,
     "Place in a wavetable, between its first and its last frame"},
    {K::source, "color", "Color", U::decibelsPerOctave, -9, 6, 0, linear, 0, {}, FacetSet(noise | brightness), block, -6, 3,
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
    {K::source, "route", "Goes to", U::choice, 0, 4, 0, linear, 0, routeNames, FacetSet(brightness | space | width), graph, 0, 0,
     "Where it enters: serial, what enters filter 1 passes both; past effects: past the filters too"},
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
    {K::source, "sync_ratio", "Sync ratio", U::semitones, 0, 60, 0, linear, 0, {}, harmonics, block, 0, 40,
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
    {K::filter, "drive", "Drive", U::decibels, -12, 36, 0, linear, 0, {}, harmonics, block, 0, 24,
     "Level into the filter; a ladder saturates above 0 dB"},
    {K::filter, "feedback", "Feedback", U::percent, -100, 100, 50, linear, 0, {}, brightness | harmonics, block, 0, 0,
     "Of a comb or of all-passes; negative: the other sign"},
    {K::filter, "stages", "Stages", U::count, 2, 64, 8, linear, 0, {}, brightness, graph, 0, 0, "All-passes in the chain"},
    {K::filter, "mix", "Mix", U::percent, 0, 100, 100, linear, 0, {}, brightness, block, 0, 0,
     "Share of the filtered sound; the rest passes beside it"},
    {K::filter, "key_tracking", "Key tracking", U::percent, 0, 150, 0, linear, 0, {}, brightness, block, 0, 120,
     "How much the cutoff follows the key, from middle C (C4)"},
    {K::filter, "envelope", "Envelope amount", U::semitones, -96, 96, 0, linear, 0, {}, brightness, block, -24, 84,
     "How far the filter's envelope moves the cutoff at its peak"},
    {K::filter, "velocity", "Velocity to cutoff", U::semitones, 0, 60, 0, linear, 0, {}, brightness, nextNote, 0, 36,
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
    {K::lfo, "rate", "Rate", U::hertz, 0.01, 100, 2, logarithmic, 0, {}, motion, block, 0.1, 20, "Cycles per second"},
    {K::lfo, "beats", "Cycle", U::choice, 0, 27, 10, linear, 0, noteValueNames, motion, graph, 0, 0, "Length of a cycle at the tempo"},
    {K::lfo, "mode", "Runs", U::choice, 0, 2, 0, linear, 0, lfoModeNames, motion, graph, 0, 0,
     "each note: begins with the note; free: on through all notes; once: one cycle with each note"},
    {K::lfo, "phase", "Phase", U::degrees, 0, 360, 0, linear, 0, {}, motion, nextNote, 0, 360, "Place in the cycle where it begins"},
    {K::lfo, "fade", "Fade-in", U::milliseconds, 0, 10000, 0, logarithmic, 2, {}, motion, nextNote, 0, 0,
     "Time until it has its full depth"},
    {K::lfo, "duty", "Duty", U::percent, 1, 99, 50, linear, 0, {}, motion, block, 10, 90,
     "Share of the cycle that a square is high"},

    {K::link, "on", "On", U::onOff, 0, 1, 1, linear, 0, {}, 0, block, 0, 0, "Whether the link moves anything"},
    {K::link, "amount", "Amount", U::amount, -9600, 9600, 0, linear, 0, {}, 0, block, 0, 0,
     "How far the destination is moved by the whole of what moves it"},
    {K::link, "curve", "Curve", U::percent, -100, 100, 0, linear, 0, {}, 0, block, 0, 0,
     "0 % even; above: most at first; below: most at last"},
    {K::link, "linear", "Linear", U::onOff, 0, 1, 0, linear, 0, {}, 0, graph, 0, 0,
     "On: gains, pitches, frequencies and times move by so many percent of where they stand, not along their scale"},

    {K::macro, "value", "Value", U::percent, 0, 100, 0, linear, 0, {}, 0, block, 0, 0, "Moves what it is linked to"},

    onOf(K::postFilter, brightness), chainOf(K::postFilter, brightness), mixOf(K::postFilter, brightness, 100),
    {K::postFilter, "kind", "Kind", U::choice, 0, 6, 0, linear, 0, filterKindNames, FacetSet(brightness | harmonics), graph, 0, 0,
     "The kinds of a layer's filter, for all notes together"},
    {K::postFilter, "slope", "Slope", U::choice, 0, 1, 1, linear, 0, slopeNames, brightness, graph, 0, 0, "Fall per octave beyond the cutoff"},
    {K::postFilter, "cutoff", "Cutoff", U::hertz, 20, 20000, 2000, logarithmic, 0, {}, brightness | harmonics, block, 40, 16000,
     "Frequency of the poles"},
    {K::postFilter, "resonance", "Resonance", U::decibels, -12, 36, -3, linear, 0, {}, brightness | harmonics, block, -11, 20,
     "Gain at the cutoff; −3 dB is maximally flat"},
    {K::postFilter, "drive", "Drive", U::decibels, -12, 36, 0, linear, 0, {}, harmonics, block, 0, 0, "Level into a ladder"},
    {K::postFilter, "feedback", "Feedback", U::percent, -100, 100, 50, linear, 0, {}, brightness | harmonics, block, 0, 0,
     "Of a comb or of all-passes; negative: the other sign"},
    {K::postFilter, "stages", "Stages", U::count, 2, 64, 8, linear, 0, {}, brightness, graph, 0, 0, "All-passes in the chain"},

    onOf(K::saturation, harmonics), chainOf(K::saturation, harmonics), mixOf(K::saturation, harmonics, 100),
    {K::saturation, "curve", "Curve", U::choice, 0, 3, 0, linear, 0, saturationNames, harmonics, graph, 0, 0,
     "soft: like tanh; hard: clipped; cubic: between; uneven: softer below than above"},
    {K::saturation, "drive", "Drive", U::decibels, -12, 48, 12, linear, 0, {}, FacetSet(harmonics | level), block, 0, 36,
     "Level into the curve, which lets no more than full scale through"},
    {K::saturation, "bias", "Bias", U::percent, -100, 100, 0, linear, 0, {}, harmonics, block, 0, 0,
     "Shift along the curve; brings even partials"},
    {K::saturation, "output", "Output", U::decibels, -48, 12, -6, linear, 0, {}, FacetSet(level | harmonics), block, 0, 0, "Level out of the curve"},

    onOf(K::folding, harmonics), chainOf(K::folding, harmonics), mixOf(K::folding, harmonics, 100),
    {K::folding, "curve", "Curve", U::choice, 0, 1, 0, linear, 0, foldingNames, harmonics, graph, 0, 0,
     "What goes beyond full scale comes back: along a triangle or a sine"},
    {K::folding, "drive", "Drive", U::decibels, -12, 36, 12, linear, 0, {}, harmonics, block, 0, 30, "Level into the folds"},
    {K::folding, "bias", "Bias", U::percent, -100, 100, 0, linear, 0, {}, harmonics, block, 0, 0, "Shift along the folds; brings even partials"},
    {K::folding, "output", "Output", U::decibels, -48, 12, -6, linear, 0, {}, FacetSet(level | harmonics), block, 0, 0, "Level out of the folds"},

    onOf(K::reduction, FacetSet(noise | harmonics)), chainOf(K::reduction, FacetSet(noise | harmonics)), mixOf(K::reduction, FacetSet(noise | harmonics), 100),
    {K::reduction, "bits", "Bits", U::count, 1, 24, 12, linear, 0, {}, FacetSet(noise | harmonics), block, 0, 0,
     "Depth of the samples: steps of 2 / 2^bits of full scale"},
    {K::reduction, "rate", "Hold rate", U::hertz, 100, 96000, 96000, logarithmic, 0, {}, FacetSet(noise | harmonics), block, 2000, 48000,
     "How often a new sample is taken; it is held till the next"},

    onOf(K::equalizer, brightness), chainOf(K::equalizer, brightness), mixOf(K::equalizer, brightness, 100),
    {K::equalizer, "low_cut", "Low cut", U::hertz, 10, 4000, 10, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 10, 400,
     "12 dB per octave below; 10 Hz: none"},
    {K::equalizer, "low_shelf", "Low shelf", U::hertz, 20, 4000, 120, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 0, 0,
     "Middle of the low shelf's slope"},
    {K::equalizer, "low_gain", "Low gain", U::decibels, -24, 24, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain below the low shelf"},
    {K::equalizer, "bell_1", "Bell 1", U::hertz, 20, 20000, 500, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 60, 2000,
     "Middle of the first bell"},
    {K::equalizer, "gain_1", "Gain 1", U::decibels, -24, 24, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain in its middle"},
    {K::equalizer, "q_1", "Q 1", U::ratio, 0.1, 20, 1, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 0, 0,
     "Its narrowness: middle over width"},
    {K::equalizer, "bell_2", "Bell 2", U::hertz, 20, 20000, 2500, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 500, 12000,
     "Middle of the second bell"},
    {K::equalizer, "gain_2", "Gain 2", U::decibels, -24, 24, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain in its middle"},
    {K::equalizer, "q_2", "Q 2", U::ratio, 0.1, 20, 1, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 0, 0,
     "Its narrowness: middle over width"},
    {K::equalizer, "high_shelf", "High shelf", U::hertz, 200, 20000, 6000, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 0, 0,
     "Middle of the high shelf's slope"},
    {K::equalizer, "high_gain", "High gain", U::decibels, -24, 24, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain above the high shelf"},
    {K::equalizer, "high_cut", "High cut", U::hertz, 200, 20000, 20000, logarithmic, 0, {}, FacetSet(brightness | harmonics), block, 2000, 20000,
     "12 dB per octave above; 20 kHz: none"},

    onOf(K::compressor, level), chainOf(K::compressor, level), mixOf(K::compressor, level, 100),
    {K::compressor, "threshold", "Threshold", U::decibels, -60, 0, -18, linear, 0, {}, level, block, -40, 0, "Peaks above are made smaller"},
    {K::compressor, "ratio", "Ratio", U::ratio, 1, 20, 4, logarithmic, 0, {}, level, block, 1, 12,
     "Decibels above the threshold that come out as one"},
    {K::compressor, "knee", "Knee", U::decibels, 0, 24, 6, linear, 0, {}, level, block, 0, 0, "Width of the way from none to the whole ratio"},
    {K::compressor, "attack", "Attack", U::milliseconds, 0, 200, 5, logarithmic, 0.1, {}, level, block, 0, 60,
     "Time to 63 % of a reduction that begins"},
    {K::compressor, "release", "Release", U::milliseconds, 5, 2000, 120, logarithmic, 0, {}, level, block, 20, 600, "Time to 63 % of one that ends"},
    {K::compressor, "makeup", "Make-up", U::decibels, -12, 36, 0, linear, 0, {}, level, block, 0, 0, "Gain behind it"},

    onOf(K::bandCompressor, FacetSet(level | brightness)), chainOf(K::bandCompressor, FacetSet(level | brightness)), mixOf(K::bandCompressor, FacetSet(level | brightness), 100),
    {K::bandCompressor, "low_split", "Low split", U::hertz, 40, 1000, 160, logarithmic, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "Between the low and the middle band"},
    {K::bandCompressor, "high_split", "High split", U::hertz, 1000, 12000, 2500, logarithmic, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "Between the middle and the high band"},
    {K::bandCompressor, "down_threshold", "Down threshold", U::decibels, -60, 0, -20, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "A band's level above is made smaller"},
    {K::bandCompressor, "down_ratio", "Down ratio", U::ratio, 1, 20, 4, logarithmic, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "Decibels above that come out as one"},
    {K::bandCompressor, "up_threshold", "Up threshold", U::decibels, -80, 0, -40, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "A band's level below is made greater, by 36 dB at most"},
    {K::bandCompressor, "up_ratio", "Up ratio", U::ratio, 1, 20, 1, logarithmic, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "Decibels below that come out as one"},
    {K::bandCompressor, "attack", "Attack", U::milliseconds, 0, 200, 10, logarithmic, 0.1, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "Time to 63 % of a louder level"},
    {K::bandCompressor, "release", "Release", U::milliseconds, 5, 2000, 100, logarithmic, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "Time to 63 % of a softer level"},
    {K::bandCompressor, "low_gain", "Low gain", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain of the low band"},
    {K::bandCompressor, "mid_gain", "Middle gain", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain of the middle band"},
    {K::bandCompressor, "high_gain", "High gain", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(brightness | harmonics), block, -12, 12,
     "Gain of the high band"},
    {K::bandCompressor, "low_down", "Low band, down", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "By how much its down threshold lies above the others'"},
    {K::bandCompressor, "low_up", "Low band, up", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "By how much its up threshold lies above the others'"},
    {K::bandCompressor, "mid_down", "Middle band, down", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "By how much its down threshold lies above the others'"},
    {K::bandCompressor, "mid_up", "Middle band, up", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "By how much its up threshold lies above the others'"},
    {K::bandCompressor, "high_down", "High band, down", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "By how much its down threshold lies above the others'"},
    {K::bandCompressor, "high_up", "High band, up", U::decibels, -36, 36, 0, linear, 0, {}, FacetSet(level | brightness | harmonics), block, 0, 0,
     "By how much its up threshold lies above the others'"},

    onOf(K::limiter, level), chainOf(K::limiter, level), mixOf(K::limiter, level, 100),
    {K::limiter, "drive", "Drive", U::decibels, -12, 36, 0, linear, 0, {}, FacetSet(level | harmonics), block, 0, 24, "Level into it"},
    {K::limiter, "ceiling", "Ceiling", U::decibels, -36, 0, -0.3, linear, 0, {}, FacetSet(level | harmonics), block, 0, 0, "No sample goes beyond"},
    {K::limiter, "release", "Release", U::milliseconds, 1, 1000, 60, logarithmic, 0, {}, FacetSet(level | harmonics), block, 5, 300,
     "Time to 63 % of the way back"},

    onOf(K::chorus, FacetSet(motion | width)), chainOf(K::chorus, FacetSet(motion | width)), mixOf(K::chorus, FacetSet(motion | width), 50),
    {K::chorus, "voices", "Voices", U::count, 2, 8, 2, linear, 0, {}, FacetSet(motion | width | harmonics), graph, 0, 0,
     "Delayed copies, of equal power together"},
    {K::chorus, "rate", "Rate", U::hertz, 0, 10, 0.6, logarithmic, 0.02, {}, motion, block, 0.05, 5, "Cycles of the delays per second"},
    {K::chorus, "right_rate", "Right side's rate", U::percent, 25, 400, 100, logarithmic, 0, {}, motion | width, block, 0, 0,
     "Of the left side's"},
    {K::chorus, "depth", "Depth", U::milliseconds, 0, 20, 2, logarithmic, 0.1, {}, FacetSet(motion | pitch), block, 0.1, 8,
     "How far the delays go to either side"},
    {K::chorus, "delay", "Delay", U::milliseconds, 1, 50, 12, logarithmic, 0, {}, FacetSet(motion | harmonics), block, 2, 30, "Delay in the middle"},
    {K::chorus, "phase", "Start phase", U::degrees, 0, 360, 0, linear, 0, {}, FacetSet(motion | harmonics), block, 0, 360,
     "Place in the cycle at the beginning"},
    {K::chorus, "sides", "Left to right", U::degrees, -180, 180, 0, linear, 0, {}, width, block, -180, 180,
     "How far the right side is ahead in the cycle"},
    {K::chorus, "spread", "Spread", U::percent, 0, 100, 100, linear, 0, {}, width, block, 0, 100, "How far the copies are panned apart"},

    onOf(K::flanger, FacetSet(motion | harmonics)), chainOf(K::flanger, FacetSet(motion | harmonics)), mixOf(K::flanger, FacetSet(motion | harmonics), 50),
    {K::flanger, "rate", "Rate", U::hertz, 0, 20, 0.3, logarithmic, 0.02, {}, motion, block, 0.05, 5, "Cycles of the delay per second; 0: it stands"},
    {K::flanger, "depth", "Depth", U::milliseconds, 0, 10, 1, logarithmic, 0.05, {}, FacetSet(motion | harmonics), block, 0.05, 5,
     "How far the delay goes to either side"},
    {K::flanger, "delay", "Delay", U::milliseconds, 0.1, 20, 2, logarithmic, 0, {}, FacetSet(motion | harmonics), block, 0.3, 10,
     "Delay in the middle"},
    {K::flanger, "feedback", "Feedback", U::percent, -98, 98, 40, linear, 0, {}, FacetSet(motion | harmonics), block, -90, 90,
     "What comes out goes in again"},
    {K::flanger, "phase", "Start phase", U::degrees, 0, 360, 0, linear, 0, {}, FacetSet(motion | harmonics), block, 0, 360,
     "Place in the cycle at the beginning"},
    {K::flanger, "sides", "Left to right", U::degrees, 0, 180, 0, linear, 0, {}, width, block, 0, 180, "How far the right side is ahead in the cycle"},

    onOf(K::phaser, FacetSet(motion | harmonics)), chainOf(K::phaser, FacetSet(motion | harmonics)), mixOf(K::phaser, FacetSet(motion | harmonics), 50),
    {K::phaser, "stages", "Stages", U::count, 2, 64, 6, linear, 0, {}, FacetSet(motion | harmonics), graph, 0, 0, "All-passes in the chain"},
    {K::phaser, "rate", "Rate", U::hertz, 0, 20, 0.4, logarithmic, 0.02, {}, motion, block, 0.05, 5, "Cycles per second; 0: it stands"},
    {K::phaser, "center", "Center", U::hertz, 50, 10000, 800, logarithmic, 0, {}, FacetSet(motion | harmonics), block, 100, 5000,
     "Frequency about which it moves"},
    {K::phaser, "depth", "Depth", U::semitones, 0, 60, 24, linear, 0, {}, FacetSet(motion | harmonics), block, 0, 48,
     "How far it goes to either side"},
    {K::phaser, "feedback", "Feedback", U::percent, -98, 98, 30, linear, 0, {}, FacetSet(motion | harmonics), block, -90, 90,
     "What comes out goes in again"},
    {K::phaser, "phase", "Start phase", U::degrees, 0, 360, 0, linear, 0, {}, FacetSet(motion | harmonics), block, 0, 360,
     "Place in the cycle at the beginning"},
    {K::phaser, "sides", "Left to right", U::degrees, 0, 180, 0, linear, 0, {}, width, block, 0, 180, "How far the right side is ahead in the cycle"},

    onOf(K::shifter, FacetSet(pitch | harmonics)), chainOf(K::shifter, FacetSet(pitch | harmonics)), mixOf(K::shifter, FacetSet(pitch | harmonics), 100),
    {K::shifter, "shift", "Shift", U::hertz, -4000, 4000, 0, linear, 0, {}, FacetSet(pitch | harmonics | motion), block, -500, 500,
     "Every partial moves by so many hertz"},
    {K::shifter, "apart", "Sides apart", U::percent, 0, 100, 0, linear, 0, {}, width, block, 0, 0,
     "0 %: both alike; 100 %: the right side the other way"},

    onOf(K::resonator, FacetSet(harmonics | brightness)), chainOf(K::resonator, FacetSet(harmonics | brightness)), mixOf(K::resonator, FacetSet(harmonics | brightness), 50),
    {K::resonator, "follow", "Follows the key", U::onOff, 0, 1, 0, linear, 0, {}, FacetSet(harmonics | brightness), graph, 0, 0,
     "On: the newest note sets its pitch"},
    {K::resonator, "pitch", "Pitch", U::hertz, 20, 8000, 220, logarithmic, 0, {}, FacetSet(harmonics | brightness), block, 40, 2000,
     "Lowest frequency at which it rings"},
    {K::resonator, "semitone", "Semitone", U::semitones, -36, 36, 0, linear, 0, {}, FacetSet(harmonics | brightness), block, 0, 0,
     "Semitones from the newest note"},
    {K::resonator, "decay", "Decay", U::milliseconds, 5, 20000, 500, logarithmic, 0, {}, FacetSet(harmonics | brightness | space | level), block, 30, 3000,
     "Time in which the ringing falls by 60 dB"},
    {K::resonator, "damping", "Damping", U::hertz, 200, 20000, 8000, logarithmic, 0, {}, FacetSet(harmonics | brightness), block, 800, 20000,
     "Partials above die away sooner"},
    {K::resonator, "odd", "Odd only", U::onOff, 0, 1, 0, linear, 0, {}, harmonics, graph, 0, 0, "Rings at odd multiples only"},

    onOf(K::delay, space), chainOf(K::delay, space), mixOf(K::delay, space, 35),
    {K::delay, "timing", "Timed in notes", U::onOff, 0, 1, 0, linear, 0, {}, space, graph, 0, 0, "On: the time is a note value at the tempo"},
    {K::delay, "time", "Time", U::milliseconds, 1, 4000, 375, logarithmic, 0, {}, space, block, 30, 1000, "From one echo to the next"},
    {K::delay, "beats", "Note value", U::choice, 0, 27, 12, linear, 0, noteValueNames, space, graph, 0, 0, "The time at the tempo"},
    {K::delay, "offset", "Right offset", U::milliseconds, -100, 100, 0, linear, 0, {}, FacetSet(space | width), block, 0, 0,
     "How much later the right side's echoes come"},
    {K::delay, "feedback", "Feedback", U::percent, 0, 110, 35, linear, 0, {}, space, block, 0, 90, "Each echo's share of the one before"},
    {K::delay, "cross", "Ping-pong", U::onOff, 0, 1, 0, linear, 0, {}, FacetSet(space | width), graph, 0, 0,
     "Echoes change sides, beginning on the left"},
    {K::delay, "begin", "Ping-pong begins", U::choice, 0, 1, 0, linear, 0, echoesBeginNames, FacetSet(space | width), graph, 0, 0,
     "left: with both sides together; both sides: each with its own, which then cross at equal level"},
    {K::delay, "low_cut", "Low cut", U::hertz, 10, 4000, 10, logarithmic, 0, {}, FacetSet(space | brightness), block, 10, 800,
     "Each echo loses what lies below; 10 Hz: nothing"},
    {K::delay, "high_cut", "High cut", U::hertz, 200, 20000, 20000, logarithmic, 0, {}, FacetSet(space | brightness), block, 800, 20000,
     "Each echo loses what lies above; 20 kHz: nothing"},
    {K::delay, "rate", "Movement rate", U::hertz, 0, 20, 0.5, logarithmic, 0.02, {}, FacetSet(space | motion), block, 0, 0,
     "Cycles of the time per second"},
    {K::delay, "depth", "Movement", U::milliseconds, 0, 20, 0, logarithmic, 0.1, {}, FacetSet(space | motion), block, 0, 0,
     "How far the time goes to either side"},

    onOf(K::reverb, space), chainOf(K::reverb, space), mixOf(K::reverb, space, 25),
    {K::reverb, "size", "Size", U::milliseconds, 1, 150, 35, logarithmic, 0, {}, space, block, 2, 100,
     "Mean time between two reflections: a few ms are metallic, 100 a hall"},
    {K::reverb, "decay", "Decay", U::milliseconds, 20, 30000, 1500, logarithmic, 0, {}, space, block, 100, 8000, "Time in which it falls by 60 dB"},
    {K::reverb, "pre_delay", "Pre-delay", U::milliseconds, 0, 500, 10, logarithmic, 2, {}, space, block, 0, 100,
     "Time before the first reflection, beyond the size"},
    {K::reverb, "damping", "Damping", U::hertz, 500, 20000, 6000, logarithmic, 0, {}, FacetSet(space | brightness), block, 1000, 20000,
     "Where it falls twice as fast as in the middle; 20 kHz: nowhere"},
    {K::reverb, "low_cut", "Low cut", U::hertz, 10, 2000, 10, logarithmic, 0, {}, FacetSet(space | brightness), block, 10, 400,
     "Nothing below is reflected; 10 Hz: all is"},
    {K::reverb, "movement", "Movement", U::percent, 0, 100, 10, linear, 0, {}, FacetSet(space | motion), block, 0, 0,
     "How far the reflections wander, which takes the ringing away"},
    {K::reverb, "spread", "Spread", U::percent, 0, 100, 100, linear, 0, {}, FacetSet(space | width), block, 0, 0, "0 %: the same on both sides"},

    onOf(K::response, FacetSet(brightness | space)), chainOf(K::response, FacetSet(brightness | space)), mixOf(K::response, FacetSet(brightness | space), 100),
    {K::response, "kind", "Kind", U::choice, 0, 1, 1, linear, 0, responseNames, FacetSet(brightness | space), graph, 0, 0,
     "A recorded impulse response, or the band of a small speaker"},
    {K::response, "low", "Low edge", U::hertz, 20, 2000, 300, logarithmic, 0, {}, brightness, block, 0, 0,
     "A speaker falls by 24 dB per octave below"},
    {K::response, "high", "High edge", U::hertz, 1000, 20000, 4000, logarithmic, 0, {}, brightness, block, 0, 0, "And above"},
    {K::response, "level", "Level", U::decibels, -48, 24, 0, linear, 0, {}, level, block, 0, 0, "Level behind it"},

    onOf(K::width, width), chainOf(K::width, width), mixOf(K::width, width, 100),
    {K::width, "low_split", "Low split", U::hertz, 40, 1000, 120, logarithmic, 0, {}, width, block, 60, 400, "Between the low and the middle band"},
    {K::width, "high_split", "High split", U::hertz, 1000, 12000, 3000, logarithmic, 0, {}, width, block, 0, 0,
     "Between the middle and the high band"},
    {K::width, "low", "Low width", U::percent, 0, 200, 100, linear, 0, {}, width, block, 0, 200, "0 %: mono; 100 %: as it is"},
    {K::width, "mid", "Middle width", U::percent, 0, 200, 100, linear, 0, {}, width, block, 0, 200, "0 %: mono; 100 %: as it is"},
    {K::width, "high", "High width", U::percent, 0, 200, 100, linear, 0, {}, width, block, 0, 200, "0 %: mono; 100 %: as it is"},
};
// clang-format on

// clang-format off
constexpr std::array<string_view, moduleKindCount> kindWords{
    "output",    "voicing",    "layer",           "source",  "filter", "envelope", "lfo",    "link",    "macro",
    "post-filter", "saturation", "folding",       "reduction", "equalizer", "compressor", "band-compressor", "limiter", "chorus",
    "flanger",   "phaser",     "shifter",         "resonator", "delay", "reverb",  "response", "width"};
constexpr std::array<string_view, moduleKindCount> kindLabels{
    "Output",    "Voicing",    "Layer",           "Source",  "Filter", "Envelope", "LFO",    "Link",    "Macro",
    "Post-filter", "Saturation", "Wave folding",  "Bit reduction", "Equalizer", "Compressor", "Band compressor", "Limiter", "Chorus",
    "Flanger",   "Phaser",     "Frequency shift", "Comb resonator", "Delay", "Reverb", "Response", "Band width"};
// clang-format on

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

constexpr bool fitsLimits() {
    for (std::size_t k = 0; k < moduleKindCount; ++k)
        if (firstRows[k + 1] - firstRows[k] > static_cast<std::size_t>(mostFields)) return false;
    return true;
}
static_assert(fitsLimits(), "A module has more parameters than mostFields; raise it in limits.h.");

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

bool canMoveLinearly(const ParameterDescriptor& d) {
    return d.scale == Scale::logarithmic || d.unit == Unit::decibels || d.unit == Unit::semitones ||
           d.unit == Unit::cents || d.unit == Unit::octaves;
}

double movedBy(const ParameterDescriptor& d, double value, double by, bool linear) {
    if (!linear || !canMoveLinearly(d)) return fromMovement(d, toMovement(d, value) + by);
    const double factor = std::max(1e-6, 1.0 + by); // below, nothing is left
    if (d.scale == Scale::logarithmic) return std::clamp(value * factor, d.low, d.high);
    switch (d.unit) {
    case Unit::decibels: value += 20.0 * std::log10(factor); break;
    case Unit::semitones: value += 12.0 * std::log2(factor); break;
    case Unit::cents: value += 1200.0 * std::log2(factor); break;
    default: value += std::log2(factor); break; // octaves
    }
    return std::clamp(value, d.low, d.high);
}

std::span<const double> noteValueQuarters() { return noteValueLengths; }

double ParameterDescriptor::nearest(double value) const {
    value = std::clamp(value, low, high);
    return isDiscrete() ? std::round(value) : value;
}

} // namespace facet
