// The one parameter table: everything Facet knows about a parameter stands here and nowhere else.
// Engine, files, editor, search and recipe all read it.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string_view>

namespace facet {

/// The eight facets of a sound, in the order they are worked.
enum class Facet : std::uint8_t { pitch, level, harmonics, brightness, noise, motion, width, space };
inline constexpr int facetCount = 8;
/// "Pitch", "Level", …
std::string_view labelOf(Facet facet);

/// How much each facet counts in the whole, in the order of Facet: 1 as usual, 0 set aside.
using FacetWeights = std::array<double, facetCount>;
inline constexpr FacetWeights equalWeights{1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0};

/// A set of facets; bit n stands for Facet n.
using FacetSet = std::uint8_t;
constexpr FacetSet facetBit(Facet facet) { return static_cast<FacetSet>(1u << static_cast<unsigned>(facet)); }

/// What a patch is made of. A module of a patch is one of these with a key of its own.
/// From postFilter on: effects, in chains of any order behind the layers.
enum class ModuleKind : std::uint8_t {
    output,
    voicing,
    layer,
    source,
    filter,
    envelope,
    lfo,
    link,
    macro,
    postFilter,
    saturation,
    folding,
    reduction,
    equalizer,
    compressor,
    bandCompressor,
    limiter,
    chorus,
    flanger,
    phaser,
    shifter,
    resonator,
    delay,
    reverb,
    response,
    width
};
inline constexpr int moduleKindCount = 26;
constexpr bool isEffect(ModuleKind kind) { return kind >= ModuleKind::postFilter; }
/// The word that stands for the kind in an address: "source", "filter", …
std::string_view wordOf(ModuleKind kind);
/// How people read it: "Source", "Filter", …
std::string_view labelOf(ModuleKind kind);

enum class Unit : std::uint8_t {
    choice,
    onOff,
    count,
    octaves,
    semitones,
    cents,
    hertz,
    milliseconds,
    decibels,
    percent,
    degrees,
    decibelsPerOctave,
    ratio, ///< a plain number: Q, or decibels in per decibel out
    amount ///< of a link: in the unit in which its destination is moved, see movementUnit()
};

/// How a value maps to the 0…1 of a slider and of the search: linear, or as log(value + offset).
enum class Scale : std::uint8_t { linear, logarithmic };

/// How the engine follows a change while a note sounds.
enum class Smoothing : std::uint8_t {
    block,    ///< interpolated linearly over an engine block of 16 samples
    nextNote, ///< read when a note starts
    graph,    ///< part of the graph: a new one is compiled and cross-faded in
};

/// All that the program knows of one parameter; engine, files, editor and search read the same record.
struct ParameterDescriptor {
    ModuleKind module;
    std::string_view field; ///< name in files and addresses
    std::string_view label; ///< name on the screen
    Unit unit;
    double low;  ///< lowest value, inclusive, in `unit`
    double high; ///< highest value, inclusive
    double defaultValue;
    Scale scale = Scale::linear;
    double logOffset = 0.0;                         ///< added before the logarithm, so that 0 ms has a place
    std::span<const std::string_view> choices = {}; ///< names of a choice's values 0, 1, …
    FacetSet facets = 0;                            ///< the facets it answers for
    Smoothing smoothing = Smoothing::block;
    double priorLow = 0.0; ///< plausible range for a search that knows nothing; empty (low ≥ high): not searched
    double priorHigh = 0.0;
    std::string_view help = {};

    /// Whether only whole values make sense.
    constexpr bool isDiscrete() const {
        return unit == Unit::choice || unit == Unit::onOff || unit == Unit::count || unit == Unit::octaves;
    }
    constexpr bool isSearched() const { return priorLow < priorHigh; }

    /// Position in [0, 1] of a value on this parameter's scale, and back. Both clamp.
    double toUnit(double value) const;
    double fromUnit(double position) const;
    /// The nearest allowed value: clamped, and rounded where the parameter is discrete.
    double nearest(double value) const;
};

/// All parameters of a kind, in the order of the editor. Indices into it are stable within one program only.
std::span<const ParameterDescriptor> parametersOf(ModuleKind kind);
/// Index of a field within parametersOf(kind), or −1.
int fieldIndex(ModuleKind kind, std::string_view field);
/// The whole table.
std::span<const ParameterDescriptor> parameterTable();

/// What moves a parameter (links, the search's steps) moves it along its scale: frequencies in semitones, other
/// logarithmic quantities in octaves (doublings of value + logOffset), everything else in its own unit.
Unit movementUnit(const ParameterDescriptor& descriptor);
double toMovement(const ParameterDescriptor& descriptor, double value);
/// Clamped to the parameter's range.
double fromMovement(const ParameterDescriptor& descriptor, double moved);
/// Whether a parameter stands on another scale than the quantity it means: levels for gains, intervals for ratios of
/// frequencies, logarithmic sliders for hertz and milliseconds.
bool canMoveLinearly(const ParameterDescriptor& descriptor);
/// A value moved by `by`: along its scale, or, where `linear`, as a share of where it stands (1: twice the gain, ratio,
/// frequency or time). Clamped to the parameter's range.
double movedBy(const ParameterDescriptor& descriptor, double value, double by, bool linear);

/// Values of source:…/wave and blend_wave.
enum class Wave : std::uint8_t { sine, triangle, saw, pulse, clippedSine, harmonics, wavetable, noise, sample };
/// Values of source:…/route.
enum class Route : std::uint8_t { filter1, filter2, both, pastFilters, pastEffects };
/// Values of every effect's chain.
enum class Chain : std::uint8_t { main, send };
/// Values of saturation:…/curve.
enum class SaturationCurve : std::uint8_t { soft, hard, cubic, uneven };
/// Values of folding:…/curve.
enum class FoldingCurve : std::uint8_t { triangle, sine };
/// Values of response:…/kind.
enum class ResponseKind : std::uint8_t { recorded, speaker };
/// Values of source:…/sync.
enum class Sync : std::uint8_t { off, itself, a, b, c, d };
/// Values of layer:…/routing.
enum class FilterRouting : std::uint8_t { serial, parallel };
/// Values of filter:…/kind.
enum class FilterKind : std::uint8_t { lowPass, highPass, bandPass, notch, ladder, comb, allPass };
/// Values of filter:…/slope.
enum class FilterSlope : std::uint8_t { twoPole, fourPole };
/// Values of lfo:…/shape.
enum class LfoShape : std::uint8_t { sine, triangle, risingSaw, fallingSaw, square, steps, wander, drawn };
/// Values of lfo:…/mode.
enum class LfoMode : std::uint8_t { eachNote, free, once };
/// Lengths in quarter notes of the values of lfo:…/beats.
std::span<const double> noteValueQuarters();
/// Values of voicing/mode.
enum class VoiceMode : std::uint8_t { poly, mono, legato };
/// Values of voicing/glide_when.
enum class GlideWhen : std::uint8_t { always, overlapping };

} // namespace facet
