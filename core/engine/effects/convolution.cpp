// Convolution with a short response, or the band of a small speaker.
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/resample.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/speaker.h"
#include "core/engine/effects/time_kernels.h"
#include "core/parameters/field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <vector>

namespace facet {

namespace {

/// Convolution without delay: the first 128 taps directly, the rest in partitions of 128 by FFT, each block of input
/// transformed once (T. G. Stockham, "High-speed convolution and correlation", AFIPS 28, 1966; without delay after W.
/// G. Gardner, "Efficient convolution without input–output delay", J. Audio Eng. Soc. 43 (3), 1995, with one size of
/// partition).
class Convolution : public Effect {
public:
    Convolution(const EffectGraph& graph, const EffectSetting& setting)
        : rateHz_(setting.rateHz), fft_(static_cast<int>(2 * size)) {
        std::vector<float> response = graph.data ? graph.data->sample : std::vector<float>();
        if (response.empty()) response = {1.0f};
        response = resample(response, graph.data ? graph.data->sampleRateHz : 48000, static_cast<int>(rateHz_));
        response.resize(std::min(response.size(), static_cast<std::size_t>(longestResponseSeconds * rateHz_)));
        double energy = 0.0;
        for (float v : response) energy += static_cast<double>(v) * v;
        // White noise comes out as loud as it went in.
        for (float& v : response) v *= static_cast<float>(1.0 / std::sqrt(std::max(energy, 1e-20)));
        length_ = static_cast<int>(response.size());
        response.resize((response.size() + size - 1) / size * size);
        head_.assign(response.data(), response.data() + size);
        partitions_ = response.size() / size - 1;
        for (std::size_t p = 1; p <= partitions_; ++p) {
            std::fill(fft_.time().begin(), fft_.time().end(), 0.0f);
            std::copy_n(response.data() + p * size, size, fft_.time().data());
            fft_.forward();
            appendBins(real_, imag_);
        }
        for (std::size_t c = 0; c < setting.candidates; ++c)
            for (std::size_t side = 0; side < 2; ++side) sides_.emplace_back(partitions_);
        gains_.resize(setting.candidates);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        static const Field level(ModuleKind::response, "level");
        gains_[c].to = static_cast<float>(gainFromDb(level.of(v)));
        if (!gains_[c].started) gains_[c].now = gains_[c].to;
        gains_[c].started = true;
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            run(sides_[2 * c], rows[c].left, frames);
            run(sides_[2 * c + 1], rows[c].right, frames);
            Gain& gain = gains_[c];
            const float step = (gain.to - gain.now) / static_cast<float>(frames);
            for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t) {
                const float g = gain.now + step * static_cast<float>(t);
                rows[c].left[t] *= g;
                rows[c].right[t] *= g;
            }
            gain.now = gain.to;
        }
    }
    void clear(std::size_t c) override {
        sides_[2 * c].clear();
        sides_[2 * c + 1].clear();
        gains_[c].started = false;
    }
    int memoryFrames(std::size_t) const override { return length_ + static_cast<int>(2 * size); }

private:
    static constexpr std::size_t size = 128;
    static constexpr std::size_t bins = (size + 1 + 15) / 16 * 16; ///< of a spectrum, in whole groups

    struct Side {
        std::vector<float> input;      ///< what came, from 128 samples before the present block of 128 on
        std::vector<float> tail;       ///< what the partitions add to the present block
        std::vector<float> later;      ///< and to the next
        std::vector<float> real, imag; ///< spectra of the last blocks of input, [block][bin]
        std::size_t newest = 0;
        std::size_t filled = 0; ///< of the present block
        explicit Side(std::size_t partitions)
            : input(2 * size + 16), tail(size), later(size), real(partitions * bins), imag(partitions * bins) {}
        void clear() {
            for (auto* values : {&input, &tail, &later, &real, &imag}) std::fill(values->begin(), values->end(), 0.0f);
            newest = 0;
            filled = 0;
        }
    };
    struct Gain {
        float now = 1.0f, to = 1.0f;
        bool started = false;
    };

    void appendBins(std::vector<float>& real, std::vector<float>& imag) {
        for (std::size_t b = 0; b < bins; ++b) {
            const bool there = b < fft_.bins().size();
            real.push_back(there ? fft_.bins()[b].real() : 0.0f);
            imag.push_back(there ? fft_.bins()[b].imag() : 0.0f);
        }
    }

    void run(Side& side, kernels::Row& row, int frames) {
        const auto all = static_cast<std::size_t>(frames);
        for (std::size_t done = 0; done < all;) {
            const std::size_t count = std::min(all - done, size - side.filled);
            float* input = side.input.data() + size + side.filled;
            std::copy_n(row.data() + done, count, input);
            alignas(64) kernels::Row out{};
            kernels::convolve(input, head_.data(), static_cast<int>(size), static_cast<int>(count), out.data());
            for (std::size_t t = 0; t < count; ++t) row[done + t] = out[t] + side.tail[side.filled + t];
            side.filled += count;
            done += count;
            if (side.filled == size) nextBlock(side);
        }
    }

    void nextBlock(Side& side) {
        side.filled = 0;
        if (partitions_ > 0) {
            std::copy_n(side.input.data() + size, size, fft_.time().data());
            std::fill_n(fft_.time().data() + size, size, 0.0f);
            fft_.forward();
            side.newest = (side.newest + partitions_ - 1) % partitions_;
            float* real = side.real.data() + side.newest * bins;
            float* imag = side.imag.data() + side.newest * bins;
            for (std::size_t b = 0; b < fft_.bins().size(); ++b) {
                real[b] = fft_.bins()[b].real();
                imag[b] = fft_.bins()[b].imag();
            }
            alignas(64) std::array<float, bins> sumReal{}, sumImag{};
            for (std::size_t p = 0; p < partitions_; ++p) {
                const std::size_t block = (side.newest + p) % partitions_ * bins;
                kernels::multiplyAdd(side.real.data() + block, side.imag.data() + block, real_.data() + p * bins,
                                     imag_.data() + p * bins, sumReal.data(), sumImag.data(), bins);
            }
            for (std::size_t b = 0; b < fft_.bins().size(); ++b) fft_.bins()[b] = {sumReal[b], sumImag[b]};
            fft_.inverse();
            // The first half belongs to the block that begins now, the second to the one after it.
            for (std::size_t t = 0; t < size; ++t) {
                side.tail[t] = side.later[t] + fft_.time()[t] / (2.0f * size);
                side.later[t] = fft_.time()[size + t] / (2.0f * size);
            }
        }
        std::copy_n(side.input.data() + size, size, side.input.data());
    }

    double rateHz_;
    RealFft fft_;
    std::vector<float> head_;
    std::vector<float> real_, imag_; ///< spectra of the response, [partition][bin]
    std::size_t partitions_ = 0;
    int length_ = 1;
    std::vector<Side> sides_; ///< [candidate][side]
    std::vector<Gain> gains_;
};

} // namespace

std::unique_ptr<Effect> makeResponse(const EffectGraph& graph, const EffectSetting& setting) {
    static const Field kind(ModuleKind::response, "kind");
    if (static_cast<ResponseKind>(kind.whole(graph.values)) == ResponseKind::speaker) return makeSpeaker(setting);
    return std::make_unique<Convolution>(graph, setting);
}

} // namespace facet
