// Which keys sound together, of one sound that plays them all.
#pragma once

#include "core/analysis/notes/heard_sound.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// How loud each key of a range sounds, at some instants.
struct KeyLevels {
    int lowestKey = 0;
    std::vector<double> instants;            ///< seconds
    std::vector<std::vector<double>> levels; ///< for each instant one amplitude a key, re the loudest of all; 0: silent
    double explained = 0.0;                  ///< share of the divergence from silence, 0 … 1
    double overtones = 0.0; ///< share of what is explained that lies above the keys' fundamentals, 0 … 1
};

/// Takes the magnitude spectra at some instants apart into keys of one sound. The levels of all keys and the spectrum
/// that all of them share (how strong each partial is, times how much passes at each frequency) are found together, by
/// multiplicative updates for the Kullback-Leibler divergence (D. D. Lee, H. S. Seung, "Algorithms for non-negative
/// matrix factorization", NIPS 2000) with harmonic templates (as in E. Vincent, N. Bertin, R. Badeau, "Adaptive
/// harmonic spectral decomposition for multiple pitch estimation", IEEE Trans. ASLP 18(3), 2010). Keys without which
/// the spectrum is explained about as well are left out. Throws Cancelled.
KeyLevels keysTogether(const HeardSound& sound, const std::vector<double>& instants, double tuningCents);

/// The same of stretches of time, each by the mean power of the spectra at its instants.
KeyLevels keysTogether(const HeardSound& sound, const std::vector<std::vector<double>>& stretches, double tuningCents);

} // namespace facet
