// The elements of construction that a sound is made of, in one closed vocabulary.
#pragma once

#include "core/parameters/patch.h"

#include <cstdint>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace facet {

/// One way of making a sound what it is. What the recording shows, what a patch holds, what a producer asks for and
/// what a report says are named by these and nothing else.
enum class Element : std::uint8_t {
    // What sounds:
    saw,
    pulse,
    triangle,
    sine,
    noise,
    partials, ///< levels of its own
    wavetable,
    sample,
    blend, ///< two waves in one cycle
    stacked,
    detunedSources, ///< a second source of the same wave at the same interval
    otherSource,    ///< one of another wave or interval
    fm,
    feedbackFm,
    ring,
    sync,
    movedWidth,
    movedTable, ///< a wavetable that is run through
    secondLayer,
    lateLayer,
    // What filters it:
    lowPass,
    highPass,
    bandPass,
    notch,
    comb,
    allPass,
    formants,    ///< two resonant filters side by side
    sweptFilter, ///< by an envelope
    filterLfo,
    filterOpens, ///< the cutoff moves once over the phrase
    velocityToFilter,
    keyTracking,
    // What moves it:
    vibrato,
    drift,
    pitchEnvelope,
    glide,
    tremolo, ///< level or sides, by an LFO
    gate,
    velocityToLevel,
    voiceDrive,
    // What stands behind the voices, in any order:
    saturation,
    folding,
    reduction,
    equalizer,
    compressor,
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
inline constexpr int elementCount = 55;

/// "saw", "second source", "filter envelope", …; unique.
std::string_view wordOf(Element element);
/// The element of a word; nothing for what is none.
std::optional<Element> elementOfWord(std::string_view word);
/// "saw, chorus" → elements; "effects" stands for all that come behind the voices. Throws Error that names the first
/// unknown word and lists all known ones.
std::set<Element> elementsOfWords(std::string_view list);

/// An element as one patch has it.
struct PatchElement {
    Element element;
    std::string words; ///< with its values as people read them: "low-pass 24 dB at 400 Hz"
    /// The same patch without it. Of the only source's wave, which cannot be taken out: nothing.
    std::optional<Patch> without{};
    /// Of what a curve of the performance moves: the curve's target, which has to go as well.
    std::string curve{};
};

/// What a patch is made of, in signal order, an element as often as it occurs; what takes no part is none. Whether it
/// is heard is another question (core/match/heard_elements.h). `curves`: what moves over the phrase besides, as
/// addresses.
std::vector<PatchElement> elementsOf(const Patch& patch, std::span<const std::string> curves = {});

/// The patch without what is named. An only source of an unwanted wave plays another one.
Patch withoutElements(Patch patch, const std::set<Element>& unwanted);

} // namespace facet
