// Levels of the partials of textbook sources, by formula: what a story about a sound's source says of it.
#pragma once

#include "core/match/evidence/partial_lines.h"
#include "core/parameters/elements.h"
#include "core/parameters/table.h"

#include <array>
#include <string>
#include <vector>

namespace facet {

/// What is periodic in a story.
struct SourceStory {
    enum class Moving {
        nothing,
        width,    ///< of a pulse, percent
        index,    ///< of a sine whose phase another sine moves, radians
        feedback, ///< of a sine whose phase it moves itself, radians
        sync      ///< semitones of a saw that the note's own cycle begins anew
    };
    Wave wave = Wave::saw;
    double width = 50.0; ///< percent, of a pulse that stands
    Moving moving = Moving::nothing;
    double ratio = 1.0; ///< of the modulator to the note
    bool second = false;
    Wave secondWave = Wave::sine;
    int secondHalf = 2; ///< half multiple of the note's pitch at which a second source plays: 1 an octave below, 2 with
                        ///< it, 3 a fifth, 4 an octave above
    double secondDb = 0.0;            ///< re the first
    std::vector<double> partialsDb{}; ///< of a source that is nothing else than its partials, else empty
};

/// "pulse 30 % + sine an octave below"
std::string wordsOf(const SourceStory& story);

/// What it is made of: its waves, what moves in it, a second source.
std::vector<Element> elementsOf(const SourceStory& story);

/// A value of each half multiple 1 … `lineCount` of the pitch.
using LineLevels = std::array<float, lineCount>;
using LinePower = std::array<double, lineCount>;

inline constexpr double ofSecondSource = 0.25; ///< dB that a second source costs
inline constexpr float absentDb = -90.0f;      ///< stands for partials that a source does not have

/// dB, at least `absentDb`.
LineLevels inDecibels(const LinePower& power);

/// A story with the powers of its lines: at one place where nothing moves in it, else from place to place of what does.
struct SourceSpectra {
    struct Place {
        double value = 0.0;  ///< in the unit of what moves
        LinePower power{};   ///< of the first source
        LineLevels levels{}; ///< dB of all sources
    };
    SourceStory story;
    std::vector<Place> places; ///< in ascending order, evenly apart
    LinePower second{};        ///< of the second source at 0 dB
    double cost = 0.0;         ///< dB that its parts cost

    /// With a second source of this wave, octave and level besides.
    SourceSpectra withSecond(Wave wave, int half, double db) const;
};

/// All stories that are told: textbook waves, pulses of ten widths, some pairs of these; a pulse whose width moves, a
/// sine whose phase another sine or itself moves, a synced saw.
std::vector<SourceSpectra> sourceStories();

/// A source with just these levels of its partials, dB; at most half of `lineCount`.
SourceSpectra sourceOfPartials(std::vector<double> partialsDb);

/// A pulse at any width, 4 … 50 %.
SourceSpectra pulseOfAnyWidth();

} // namespace facet
