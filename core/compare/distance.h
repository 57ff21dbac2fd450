// How far two profiles lie apart in each facet, beyond what is just noticed.
#pragma once

#include "core/analysis/profile.h"

#include <vector>

namespace facet {

/// Irregular change within a note: what stays about a cubic trend of its level.
struct Fluctuation {
    double depthDb = 0.0; ///< standard deviation
    double rateHz = 0.0;  ///< half the rate at which it crosses its trend
    double octaves = 0.0; ///< standard deviation of the spectral centroid
    double octaveRateHz = 0.0;
};

/// Of the notes long enough to measure, the mean by their lengths; nothing when there are none.
Fluctuation fluctuationOf(const Profile& profile);

/// Distances of a render from a reference after loudness was made equal and a constant shift removed. Each is the
/// root mean square, weighted by level, of what exceeds the just noticeable difference: 0 when nothing does anywhere.
/// Two realizations of one random process are alike: where both sounds fluctuate irregularly within a note (detuned
/// voices, noise), their trends are compared, and how deep and fast they fluctuate counts as motion.
class Distances {
public:
    Distances(const Profile& reference, const Profile& render);

    double pitchCents() const;  ///< notMeasurable without a common pitch
    double levelDb() const;     ///< within 50 dB of the loudest
    double harmonicsDb() const; ///< of the partials within 50 dB of the strongest
    double brightnessOctaves() const;
    double noiseDb() const;
    /// Of the level from 0.15 s after notes on, where none sounds; notMeasurable when there is no such time.
    double tailDb() const;
    double widthDb() const; ///< of the side in third octaves; notMeasurable for mono recordings

    double shift() const { return shift_; }     ///< timeShift()
    double loudest() const { return loudest_; } ///< highest level of the reference in dB
    double gainDb() const { return gain_; }     ///< brings the render to the reference's loudness

private:
    /// Two tracks of one quantity, step by step, with what is noticed at each.
    struct Steps {
        std::vector<double> reference, render, tolerance, weight;
        double rms() const;
    };
    /// Values at the reference's times; where both fluctuate irregularly by more than `fluctuating`, their trends,
    /// which are uncertain by a share of the deviation.
    Steps alongside(std::vector<double> reference, std::vector<double> render, double step, double noticed,
                    double fluctuating, double uncertain, double rangeDb) const;
    /// The same of two tracks, each value scaled first.
    Steps alongside(const Track& reference, const Track& render, double noticed, double fluctuating, double uncertain,
                    double rangeDb, double (*scaled)(double)) const;
    double fluctuatingDb() const; ///< how uncertain the mean level of a band is
    double overlapOf(const Note& note) const;
    double ringsUntil(const Note& note) const; ///< where it has ended and the next begins, seconds
    double levelAt(double seconds) const;      ///< of the louder of the two, in the reference's dB

    const Profile& reference_;
    const Profile& render_;
    double shift_;
    double gain_;
    double loudest_;
    Fluctuation fluctuations_; ///< of the steadier of the two
    bool regular_;             ///< both move periodically
};

/// Constant shift in seconds (within ±30 ms) that brings the render's level envelope onto the reference's;
/// positive: the render is late.
double timeShift(const Profile& reference, const Profile& render);

} // namespace facet
