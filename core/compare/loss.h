// The loss that a search minimizes: how far a candidate's spectrum over time lies from the reference's.
#pragma once

#include "core/audio/attention.h"
#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <Eigen/Core>
#include <memory>

namespace facet {

/// Differences in dB between mel spectra at three resolutions (windows of 85, 21 and 5.3 ms; 128, 64 and
/// 24 bands), energy normalized and floored 70 dB below the reference's highest band or at its own noise, a share for
/// the level over time down to 60 dB below the highest, a small one for the difference of the channels, and the
/// fundamentals of the longest notes in cents, which no mel band can see, along the whole way where they begin far off.
/// Deaf to overall gain and to phase. For the search only; people see likeness. Multi-resolution spectral distance:
/// R. Yamamoto, E. Song, J.-M. Kim, "Parallel WaveGAN", ICASSP 2020, eq. 4–6 (there linear, here on mel bands in dB).
class Loss {
public:
    /// `reference` at 48 kHz or at half of that, where windows are as long in time and everything takes half as long;
    /// nothing outside the two frequencies, and above 0.45 of the rate, is looked at. Of both sounds only what is
    /// attended to counts, also in their levels and pitches: under a band each candidate takes a filter more.
    Loss(const Recording& reference, const Performance& performance, double lowerHz = 20.0, double upperHz = 20000.0,
         Attention attention = {});
    ~Loss();
    Loss(Loss&&) noexcept;

    /// Residuals whose mean magnitude is the loss in dB. `candidate` has the reference's shape and rate. May be
    /// called from several threads at once.
    Eigen::VectorXf residual(const Recording& candidate) const;
    /// The part of it that comes from levels: by how many dB each moment (every 10.7 ms)
    /// differs once the energies are equal. Silence is 60 dB below the loudest, or steady noise, at most 45 dB below
    /// it.
    Eigen::VectorXf levelDifference(const Recording& candidate) const;
    /// Mean |residual| in dB.
    static double value(const Eigen::VectorXf& residual);

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

/// Frequency in Hz above which a recording at 48 kHz holds nothing (a band-limited transfer); at most
/// 20 kHz and 0.45 of the rate it came from.
double upperCutoffHz(const Recording& recording48k, int originalRateHz);

} // namespace facet
