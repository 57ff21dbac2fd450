// How the outline of a spectrum moves while notes last, where a single number describes it at any moment: the width
// of a pulse, the ratio of a synced saw, the center of a phaser, the delay of a flanger.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"

#include <vector>

namespace facet {

/// A family of outlines and how its number runs.
struct SpectralEnvelopeMotion {
    enum class Family {
        pulse,  ///< its width in percent, 2…98, about half at most: a pulse and its complement sound alike
        synced, ///< its ratio in semitones, 1…40
        phaser, ///< its center in semitones above 1 Hz
        flanger ///< its delay in ms
    };
    enum class Course {
        still, ///< at `from`
        ramp,  ///< with each note from `from` to `to`
        cycle  ///< a sine between `from`, its lowest, and `to`, its highest
    };
    Family family = Family::pulse;
    int stages = 0;        ///< of a phaser
    double feedback = 0.0; ///< of a phaser or flanger, −1…1
    Course course = Course::still;
    double from = 0.0, to = 0.0; ///< in the family's unit
    double seconds = 0.0;        ///< of a ramp: until it is there, or until 63 % of the way
    bool bent = false;           ///< of a ramp: an exponential, else a line
    double rateHz = 0.0;         ///< of a cycle
    double phase = 0.0;          ///< of a cycle, where its clock begins, 0…1; 0: rising through its middle
    bool withNotes = true;       ///< a cycle's clock begins with each note, else with the recording
    double errorDb = 0.0;        ///< RMS of what is left of the partials' levels beside a smooth outline
    double stillErrorDb = 0.0;   ///< the same, at the best place to stand still
    double plainErrorDb = 0.0;   ///< the same, of the smooth outline alone
};

/// The families that explain the partials of notes which sound alone much better than a smooth outline does (at most
/// three quarters of its error), best first, at most one of each. Of at most 200 moments, 10 ms or more apart, levels
/// of the lowest 16 partials are measured over four periods; a broken line over the logarithm of frequency, free at
/// each moment, stands for what a filter does. Series: Oppenheim, Willsky, Nawab, "Signals and Systems", 2nd ed. 1997,
/// example 3.5 (pulse); a synced saw's follows from its derivative, a slope and its jumps. Phaser and flanger: half of
/// the sound passes through first-order all-passes or a delay, with feedback (J. Dattorro, "Effect Design 2", J. Audio
/// Eng. Soc. 45 (10), 1997). Results do not depend on `threads`.
std::vector<SpectralEnvelopeMotion> spectralEnvelopeMotions(const Profile& profile, const Recording& recording48k,
                                                            int threads = 1);

} // namespace facet
