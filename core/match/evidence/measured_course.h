// How a number goes within notes and through a phrase: read from values at instants.
#pragma once

#include "core/analysis/profile.h"
#include "core/match/evidence/partial_lines.h"

#include <vector>

namespace facet {

/// A way that a number goes: rest + moved by an envelope, the key, the velocity and the time.
struct MeasuredCourse {
    double rest = 0.0;                ///< at middle C and the hardest stroke, in the number's unit
    double envelope = 0.0;            ///< added at the envelope's peak
    double attack = 0.0, decay = 0.0; ///< seconds; decay 0: it stays
    double perOctave = 0.0;           ///< by octave of the key
    double velocity = 0.0;            ///< lost from the hardest to the softest
    double along = 0.0;               ///< gained from the beginning of the phrase to its end
    double cycleHz = 0.0;             ///< of a sine that moves it besides; 0: none
    double cycleDepth = 0.0;          ///< to either side
    double cyclePhase = 0.0;          ///< where its clock begins, 0…1; 0: rising through its middle
    bool cycleWithNotes = true;       ///< its clock begins with each note, else with the recording
    double errorRms = 0.0;            ///< of the course against what was measured
};

/// The phrase that instants lie in, as far as courses depend on it.
struct PhraseSpan {
    double begin = 0.0, length = 0.3;      ///< seconds
    bool keys = false, velocities = false; ///< whether they differ enough to tell what follows them
    bool through = false;                  ///< whether it lasts long enough to tell what goes through it

    PhraseSpan(const Profile& profile, const std::vector<LineInstant>& instants);
};

/// Where a course stands at an instant.
double valueAt(const MeasuredCourse& course, const PhraseSpan& span, const Note& note, const LineInstant& instant);

/// Reads a course from values at the instants: all combinations of attack and decay, everything else by least squares;
/// then a sine, where it explains much of what is left.
MeasuredCourse courseOf(const Profile& profile, const std::vector<LineInstant>& instants,
                        const std::vector<double>& values);

/// The same of a number that goes round and nothing else: rest and the sine that explains most.
MeasuredCourse cyclingCourseOf(const std::vector<LineInstant>& instants, const std::vector<double>& values);

} // namespace facet
