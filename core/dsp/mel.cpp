#include "core/dsp/mel.h"

#include "core/dsp/vector_math.h"

#include <algorithm>
#include <cmath>

namespace facet {

double melFromHz(double hz) { return 2595.0 * std::log10(1.0 + hz / 700.0); }
double hzFromMel(double mel) { return 700.0 * (std::pow(10.0, mel / 2595.0) - 1.0); }

MelBank::MelBank(int bandCount, double lowHz, double highHz, int fftSize, double rateHz) {
    const double lowMel = melFromHz(lowHz);
    const double stepMel = (melFromHz(highHz) - lowMel) / (bandCount + 1);
    const double hzPerBin = rateHz / fftSize;
    const int lastBin = fftSize / 2;
    for (int band = 0; band < bandCount; ++band) {
        const double left = hzFromMel(lowMel + stepMel * band) / hzPerBin;
        const double center = hzFromMel(lowMel + stepMel * (band + 1)) / hzPerBin;
        const double right = hzFromMel(lowMel + stepMel * (band + 2)) / hzPerBin;
        Band entry{center * hzPerBin, 0, static_cast<int>(weights_.size()), 0};
        std::vector<double> weights;
        // A triangle reaches at least one bin to either side, which turns narrow ones into interpolation.
        const double leftReach = std::max(center - left, 1.0);
        const double rightReach = std::max(right - center, 1.0);
        entry.firstBin = std::max(0, static_cast<int>(std::floor(center - leftReach)) + 1);
        double sum = 0.0;
        for (int bin = entry.firstBin; bin <= lastBin && bin < center + rightReach; ++bin) {
            const double weight = bin < center ? 1.0 - (center - bin) / leftReach : 1.0 - (bin - center) / rightReach;
            weights.push_back(weight);
            sum += weight;
        }
        entry.weightCount = static_cast<int>(weights.size());
        for (double weight : weights) weights_.push_back(static_cast<float>(weight / sum));
        bands_.push_back(entry);
    }
}

double MelBank::binsOf(int band) const {
    const Band& entry = bands_[static_cast<std::size_t>(band)];
    const float* weights = weights_.data() + entry.weightBegin;
    return 1.0 / static_cast<double>(dotProduct(weights, weights, entry.weightCount));
}

void MelBank::apply(std::span<const float> power, std::span<float> out) const {
    for (std::size_t band = 0; band < bands_.size(); ++band) {
        out[band] = dotProduct(weights_.data() + bands_[band].weightBegin, power.data() + bands_[band].firstBin,
                               bands_[band].weightCount);
    }
}

} // namespace facet
