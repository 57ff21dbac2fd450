// The engine's low-pass as a formula.
#pragma once

namespace facet {

/// Q of the sections of a low-pass of 2 or 4 poles for a resonance in dB (the gain at the cutoff). One
/// section has Q = gain; of two, the first keeps the flat (Butterworth) alignment's 0.541 and the second
/// takes the rest, so −3 dB is maximally flat in either.
struct SectionQ {
    double first;
    double second;
};
SectionQ sectionQ(int poles, double resonanceDb);

/// Magnitude response in dB at `hz`: the bilinear transform of the analog prototype
/// 1 / (s² + s/Q + 1) per section (V. Zavalishin, "The Art of VA Filter Design", 2018, chapters 3.10 and 4).
/// Frequencies in Hz below rate/2.
double lowPassResponseDb(int poles, double cutoffHz, double resonanceDb, double hz, double rateHz);

/// Highest frequency in Hz at which that response is 6 dB below its level at 0 Hz.
double effectiveCutoffHz(int poles, double cutoffHz, double resonanceDb, double rateHz);

} // namespace facet
