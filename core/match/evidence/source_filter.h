// Which source behind which filter explains the partials of the notes, and how its cutoff runs: by formula, without a
// render.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/parameters/table.h"

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
    double secondDb = 0.0; ///< re the first
};

/// A way that a number goes within notes and through the phrase: rest + moved by an envelope, the key, the velocity and
/// the time.
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

/// One story with what it leaves unexplained.
struct SourceFilterFit {
    SourceStory source;
    bool filtered = false;
    FilterKind filter = FilterKind::lowPass;
    FilterSlope slope = FilterSlope::twoPole;
    double resonanceDb = -3.0;
    MeasuredCourse cutoff; ///< octaves above 1 Hz
    MeasuredCourse place;  ///< of what moves in the source
    double errorDb = 0.0;  ///< RMS of the partials' levels
    double cost = 0.0;     ///< the same with what its parts cost; by it they are ordered
};

/// The stories that explain the partials best, best first, at most `most`. Every source by formula (Fourier series of
/// the textbook waves; J. M. Chowning, "The synthesis of complex audio spectra by means of frequency modulation", J.
/// Audio Eng. Soc. 21(7), 1973) behind no filter and each kind with several resonances; the cutoff is free at each
/// instant, but may not leap within a note, and its course is then read as an envelope, key tracking, velocity and a
/// way through the phrase. Empty where no note shows enough partials. Results do not depend on `threads`.
std::vector<SourceFilterFit> sourceFilterFits(const Profile& profile, const Recording& recording48k, double upperHz,
                                              std::size_t most, int threads = 1);

/// "pulse 30 % + sine an octave below, low-pass 24 dB"
std::string wordsOf(const SourceFilterFit& fit);

} // namespace facet
