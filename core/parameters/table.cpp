#include "core/parameters/table.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

using std::string_view;

constexpr std::array<string_view, 4> waveNames{"sine", "triangle", "saw", "pulse"};
constexpr std::array<string_view, 2> slopeNames{"12 dB", "24 dB"};
constexpr std::array<string_view, 3> voiceModeNames{"poly", "mono", "legato"};
constexpr std::array<string_view, 2> glideWhenNames{"always", "overlapping"};

constexpr FacetSet pitch = facetBit(Facet::pitch);
constexpr FacetSet level = facetBit(Facet::level);
constexpr FacetSet harmonics = facetBit(Facet::harmonics);
constexpr FacetSet brightness = facetBit(Facet::brightness);
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
// Rows of one kind stand together; parametersOf() relies on it.
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
    {K::voicing, "bend_range", "Bend range", U::semitones, 0, 48, 2, linear, 0, {}, pitch, block, 0, 0,
     "Pitch change at full bend of the wheel, up and down"},

    {K::layer, "level", "Layer level", U::decibels, -60, 12, 0, linear, 0, {}, level, block, 0, 0, "Loudness of the layer"},
    {K::layer, "pan", "Layer pan", U::percent, -100, 100, 0, linear, 0, {}, width, block, 0, 0, "−100 % left, 100 % right"},
    {K::layer, "velocity", "Velocity to level", U::decibels, 0, 48, 0, linear, 0, {}, level, nextNote, 0, 0,
     "How much softer the softest note is than the hardest"},

    {K::source, "on", "On", U::onOff, 0, 1, 0, linear, 0, {}, harmonics, graph, 0, 0, "Whether the source sounds"},
    {K::source, "wave", "Wave", U::choice, 0, 3, 2, linear, 0, waveNames, harmonics, graph, 0, 0, "Shape of one cycle"},
    {K::source, "width", "Pulse width", U::percent, 2, 98, 50, linear, 0, {}, harmonics, block, 5, 50,
     "Share of the cycle that a pulse is high; 50 % is a square"},
    {K::source, "octave", "Octave", U::octaves, -4, 4, 0, linear, 0, {}, pitch | harmonics, block, 0, 0, "Octaves from the note"},
    {K::source, "semitone", "Semitone", U::semitones, -24, 24, 0, linear, 0, {}, pitch | harmonics, block, 0, 0,
     "Semitones from the note"},
    {K::source, "cents", "Cents", U::cents, -100, 100, 0, linear, 0, {}, pitch | motion, block, -25, 25,
     "Fine tuning from the note"},
    {K::source, "level", "Level", U::decibels, -60, 12, 0, linear, 0, {}, harmonics | level, block, -40, 6,
     "Loudness of the source before the filter"},
    {K::source, "pan", "Pan", U::percent, -100, 100, 0, linear, 0, {}, width, block, -100, 100, "−100 % left, 100 % right"},
    {K::source, "voices", "Stacked voices", U::count, 1, 8, 1, linear, 0, {}, motion | width, graph, 0, 0,
     "Copies of the source, evenly spaced in pitch over twice the detune, of equal power together"},
    {K::source, "detune", "Detune", U::cents, 0, 100, 10, logarithmic, 2, {}, motion | pitch, block, 1, 60,
     "Distance of the outermost stacked voice from the middle"},
    {K::source, "spread", "Spread", U::percent, 0, 100, 0, linear, 0, {}, width, block, 0, 100,
     "How far the stacked voices are panned apart"},
    {K::source, "phase", "Start phase", U::degrees, 0, 360, 0, linear, 0, {}, level, nextNote, 0, 360,
     "Place in the cycle where a note starts"},
    {K::source, "phase_random", "Phase random", U::percent, 0, 100, 100, linear, 0, {}, level, nextNote, 0, 0,
     "Share of a cycle by which each start differs, by the seed"},

    {K::filter, "on", "On", U::onOff, 0, 1, 0, linear, 0, {}, brightness, graph, 0, 0, "Whether the filter works"},
    {K::filter, "slope", "Slope", U::choice, 0, 1, 1, linear, 0, slopeNames, brightness, graph, 0, 0,
     "Fall per octave above the cutoff of the low-pass"},
    {K::filter, "cutoff", "Cutoff", U::hertz, 20, 20000, 20000, logarithmic, 0, {}, brightness | harmonics, block, 40,
     16000, "Frequency of the poles, at rest"},
    {K::filter, "resonance", "Resonance", U::decibels, -12, 36, -3, linear, 0, {}, brightness | harmonics, block, -11, 20,
     "Gain at the cutoff; −3 dB is maximally flat"},
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
};
// clang-format on

constexpr std::array<string_view, moduleKindCount> kindWords{"output", "voicing", "layer", "source", "filter", "envelope"};
constexpr std::array<string_view, moduleKindCount> kindLabels{"Output", "Voicing", "Layer", "Source", "Filter", "Envelope"};
constexpr std::array<string_view, facetCount> facetLabels{"Pitch", "Level",  "Harmonics", "Brightness",
                                                          "Noise", "Motion", "Width",     "Space"};

} // namespace

string_view labelOf(Facet facet) { return facetLabels[static_cast<std::size_t>(facet)]; }
string_view wordOf(ModuleKind kind) { return kindWords[static_cast<std::size_t>(kind)]; }
string_view labelOf(ModuleKind kind) { return kindLabels[static_cast<std::size_t>(kind)]; }

std::span<const ParameterDescriptor> parameterTable() { return table; }

std::span<const ParameterDescriptor> parametersOf(ModuleKind kind) {
    const auto ofKind = [kind](const ParameterDescriptor& d) { return d.module == kind; };
    const auto first = std::find_if(std::begin(table), std::end(table), ofKind);
    return {first, std::find_if_not(first, std::end(table), ofKind)};
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

double ParameterDescriptor::nearest(double value) const {
    value = std::clamp(value, low, high);
    return isDiscrete() ? std::round(value) : value;
}

} // namespace facet
