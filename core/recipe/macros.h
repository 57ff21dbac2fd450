// Macros worth playing: the directions in which a patch changes most, each on one control.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <string>
#include <vector>

namespace facet {

/// What a producer turns a sound into.
enum class Direction : std::uint8_t { brighter, darker, longer, shorter, softer, wider, wilder };
std::string_view nameOf(Direction direction);

/// How a sound stands, as far as macros go. Directions move these.
struct SoundMeasures {
    double centroidOctaves = 0.0; ///< of the mean spectrum, in octaves above 1 kHz
    double seconds = 0.0;         ///< for which the sound is within 30 dB of its loudest 20 ms
    double sideDb = -60.0;        ///< of what differs between the sides re what they share; −60 at least
    double motionDb = 0.0;        ///< mean change of the spectrum from one twentieth of a second to the next
    double levelDb = -120.0;      ///< of the loudest 20 ms, RMS re full scale
    double harshDb = -120.0;      ///< power above 6 kHz re the whole
    double onsetDb = 0.0;         ///< of notes' first 20 ms re the loudest of their first 300, mean; −40 at least
};
/// `performance`: where notes begin.
SoundMeasures measuresOf(const Recording& sound, const Performance& performance);

/// A control that is not in the patch yet. At 0 the patch sounds as it does.
struct ProposedMacro {
    Direction direction;
    std::string name; ///< "Brighter"
    struct Move {
        std::string target;  ///< address
        double amount = 0.0; ///< at the macro's end, in the unit in which the target is moved
        std::string words;   ///< "Filter cutoff +24 st"
    };
    std::vector<Move> moves;
    std::string changes;   ///< at its end: "1.6 octaves brighter"
    double strength = 0.0; ///< how far it goes, re what is asked of a direction: 1 all of it
};

/// The limits that the end of a macro keeps to; common practice, no source.
struct MacroLimits {
    static constexpr double softer = 12.0, louder = 6.0; ///< dB against the patch as it is
    static constexpr double harshDb = -6.0;              ///< SoundMeasures::harshDb, or where the patch itself is
};

/// The three or four directions that lead farthest, of which each moves the one to three parameters that change it most
/// and hardly anything else; pitches are never moved. Each end keeps to the limits. Some 2 renders for each parameter.
/// The same on any number of threads. Throws Cancelled.
std::vector<ProposedMacro> proposedMacros(const Patch& patch, const Performance& performance, int threads,
                                          const Task& task = {});

/// The patch with one of them. Throws Error where there is no room for it.
Patch withMacro(Patch patch, const ProposedMacro& macro);

} // namespace facet
