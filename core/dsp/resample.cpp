#include "core/dsp/resample.h"

#include "core/base/error.h"

#include <cmath>
#include <soxr.h>

namespace facet {

std::vector<float> resample(std::span<const float> input, int fromHz, int toHz, int frames) {
    const auto wanted = frames >= 0
                            ? static_cast<std::size_t>(frames)
                            : static_cast<std::size_t>(std::llround(static_cast<double>(input.size()) * toHz / fromHz));
    std::vector<float> output(input.begin(), input.end());
    if (fromHz != toHz) {
        const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_VHQ, 0);
        std::size_t done = 0;
        output.assign(std::max<std::size_t>(wanted, 1) + 64, 0.0f);
        const soxr_error_t failure = soxr_oneshot(fromHz, toHz, 1, input.data(), input.size(), nullptr, output.data(),
                                                  output.size(), &done, nullptr, &quality, nullptr);
        if (failure) throw Error("The sample rate could not be converted; check the file's rate.", failure);
        output.resize(done);
    }
    output.resize(wanted, 0.0f);
    return output;
}

} // namespace facet
