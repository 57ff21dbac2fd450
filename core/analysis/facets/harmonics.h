// Levels of the partials of pitched sound.
#pragma once

#include "core/analysis/series/track.h"

#include <array>
#include <memory>
#include <span>
#include <vector>

namespace facet {

inline constexpr int partialCount = 40;
/// Levels in dB re full scale (a sine of amplitude 1 is 0 dB), [0] the fundamental; silenceDb above the
/// band limit.
using Partials = std::array<float, partialCount>;

/// Measures partials of mono sound at 48 kHz; keeps its transform between calls. One thread.
class PartialMeter {
public:
    /// `f0Hz` around an instant sets the window: at least six periods under a Blackman–Harris window. `betweenDb`, when
    /// given, receives what is heard half-way to the neighbors of each partial, as the level of a sine: the noise, and
    /// where there is none what the window leaves of the partials (50 dB below them or less).
    Partials measure(std::span<const float> mono48k, double seconds, double f0Hz, Partials* betweenDb = nullptr);

private:
    struct Transform;
    std::vector<std::shared_ptr<Transform>> transforms_;
};

/// What the levels of partials say as a whole; notMeasurable when fewer than three are heard.
struct HarmonicBalance {
    double oddEvenDb = notMeasurable; ///< power of the odd partials from 3 on re that of the even ones
    double slopeDbPerOctave = notMeasurable;
    double fundamentalDb = notMeasurable; ///< re the strongest partial; 0 when it is the strongest
};
/// `partials` in dB re the strongest; those 60 dB below it do not count.
HarmonicBalance balanceOf(const Partials& partials);

/// A textbook waveform, its filter taken into account.
enum class TextbookWave { sine, triangle, saw, pulse };

/// Level in dB re the fundamental of a sine of amplitude 1 of partial n ≥ 1 of a waveform with peak 1; Fourier
/// series in Oppenheim, Willsky, Nawab, "Signals and Systems", 2nd ed. 1997, table 4.2 and example 3.5 (pulse
/// train: (2/πn) |sin(πnw)| × 2). silenceDb where a partial is absent.
double textbookPartialDb(TextbookWave wave, double pulseWidth, int n);

/// A waveform behind a low-pass that explains measured partials best.
struct SourceFit {
    TextbookWave wave = TextbookWave::saw;
    double pulseWidth = 0.5;        ///< ≤ 0.5
    double errorDb = notMeasurable; ///< mean deviation over the partials that count
};

/// Tries the textbook waveforms behind low-passes of either slope. `partials` of the brightest moment determine it
/// best. `betweenDb` as PartialMeter::measure() gives it: partials that do not stand out of it only say that no more
/// than that is let through.
SourceFit fitSource(const Partials& partials, double f0Hz, const Partials* betweenDb = nullptr);

/// Fits the same low-pass family to partials of a known source; effective (−6 dB) cutoff in Hz.
struct CutoffFit {
    double effectiveHz = notMeasurable;
    double resonanceDb = notMeasurable; ///< height of the peak above the pass band, ≥ 0
    int poles = 4;
    double errorDb = notMeasurable;
    /// Partials that stand out of the noise below and above the cutoff: with few of either, slope and resonance are
    /// guesses.
    int below = 0;
    int above = 0;
    bool tellsShape() const { return below >= 2 && above >= 3; }
};
/// `betweenDb` as PartialMeter::measure() gives it: partials that do not stand out of it only say that the filter lets
/// no more through than that.
CutoffFit fitCutoff(const Partials& partials, double f0Hz, TextbookWave wave, double pulseWidth,
                    const Partials* betweenDb = nullptr);

/// Slope in dB per octave of what a filter leaves of a source above its cutoff, fitted straight to the partials there
/// that stand out of the noise; notMeasurable with fewer than three of them or less than half an octave.
double slopeAbove(double cutoffHz, const Partials& partials, double f0Hz, TextbookWave wave, double pulseWidth,
                  const Partials* betweenDb = nullptr);

} // namespace facet
