// Which source behind which filter explains the partials of the notes, and how its cutoff runs: by formula, without a
// render.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/match/evidence/measured_course.h"
#include "core/match/evidence/side_comb.h"
#include "core/match/evidence/source_spectra.h"
#include "core/parameters/table.h"
#include "core/prior/element_odds.h"

#include <string>
#include <vector>

namespace facet {

/// One story with what it leaves unexplained.
struct SourceFilterFit {
    SourceStory source;
    int octave = 0; ///< of its sources above the notes: 0 or 1
    bool filtered = false;
    FilterKind filter = FilterKind::lowPass;
    FilterSlope slope = FilterSlope::twoPole;
    double resonanceDb = -3.0;
    double second = 0.0;   ///< octaves from a low-pass to the one beside it, together formants; 0: alone
    MeasuredCourse cutoff; ///< octaves above 1 Hz
    MeasuredCourse place;  ///< of what moves in the source
    double errorDb = 0.0;  ///< RMS of the partials' levels
    double cost = 0.0;     ///< the same with what its parts cost; by it they are ordered
};

/// The stories that explain the partials best, best first, at most `most`. Every source (source_spectra.h) behind no
/// filter and each kind with several resonances. First the cutoff is free at each instant, but may not leap within a
/// note; its way is read as an envelope, key tracking, velocity and a way through the phrase; then all values of a
/// story are fitted at once. Empty where no note shows enough partials. `comb`: of a chorus or flanger behind all of
/// it, where one was heard. Where every other partial is weak, stories are also told of sources an octave above the
/// notes: what lies below them may be what the notes were read from. `odds`: what is known of the recording's elements;
/// what is likely costs less. Results do not depend on `threads`.
std::vector<SourceFilterFit> sourceFilterFits(const Profile& profile, const Recording& recording48k, double upperHz,
                                              std::size_t most, int threads = 1, const SideComb* comb = nullptr,
                                              const ElementOdds& odds = {});

/// "pulse 30 % + sine an octave below, low-pass 24 dB"
std::string wordsOf(const SourceFilterFit& fit);

} // namespace facet
