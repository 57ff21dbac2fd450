// Mel-spaced triangular filter bank.
#pragma once

#include <span>
#include <vector>

namespace facet {

/// O'Shaughnessy's mel scale, 2595 log10(1 + f/700) (Speech Communication: Human and Machine, 1987, p. 150).
double melFromHz(double hz);
double hzFromMel(double mel);

/// Triangles with centers equally spaced on the mel scale between two frequencies, applied to the power
/// spectrum of a real DFT. Each band is a weighted mean of the bins under it (weights sum to 1); a triangle
/// narrower than a bin takes the interpolated power at its center, so no band is ever empty.
class MelBank {
public:
    /// `lowHz` < `highHz` ≤ rate/2.
    MelBank(int bandCount, double lowHz, double highHz, int fftSize, double rateHz);

    int bandCount() const { return static_cast<int>(bands_.size()); }
    /// Center frequency of a band in Hz.
    double centerHz(int band) const { return bands_[static_cast<std::size_t>(band)].centerHz; }
    /// How many bins a band is the mean of, as far as their chance deviations go: 1 / Σ w².
    double binsOf(int band) const;
    /// `power`: fftSize/2+1 bins; `out`: bandCount() values in the same unit.
    void apply(std::span<const float> power, std::span<float> out) const;

private:
    struct Band {
        double centerHz;
        int firstBin;
        int weightBegin;
        int weightCount;
    };
    std::vector<Band> bands_;
    std::vector<float> weights_;
};

} // namespace facet
