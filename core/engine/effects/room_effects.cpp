// Effects that answer each sound with a response: reverb, convolution.
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/resample.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/ring.h"
#include "core/engine/effects/time_kernels.h"
#include "core/engine/effects/turning.h"
#include "core/engine/field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace facet {

std::unique_ptr<Effect> makeSpeaker(const EffectSetting& setting);

namespace {

using kernels::reverbLines;
constexpr double fullTurn = 2.0 * std::numbers::pi;

/// Lengths of the lines re their mean: spaced evenly on a logarithmic scale, with deviations that keep them from
/// having common multiples.
double lengthOf(std::size_t line) {
    constexpr std::array<double, reverbLines> astray{.013,  -.021, .008, .017,  -.012, .024,  -.006, .011,
                                                     -.019, .015,  .005, -.023, .020,  -.009, .014,  -.016};
    const double even = 0.55 * std::pow(1.62 / 0.55, static_cast<double>(line) / (reverbLines - 1));
    return even * (1.0 + astray[line]);
}

/// Sixteen lines fed back, behind two all-passes a side that thicken what goes in (M. R. Schroeder, "Natural sounding
/// artificial reverberation", J. Audio Eng. Soc. 10 (3), 1962).
class Reverb : public Effect {
public:
    explicit Reverb(const EffectSetting& setting) : rateHz_(setting.rateHz) {
        time_.setRate(0.01, rateHz_);
        for (std::size_t c = 0; c < setting.candidates; ++c)
            candidates_.push_back(std::make_unique<Candidate>(rateHz_));
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::reverb;
        static const Field size(kind, "size"), decay(kind, "decay"), preDelay(kind, "pre_delay"),
            damping(kind, "damping"), lowCut(kind, "low_cut"), movement(kind, "movement"), spread(kind, "spread");
        Candidate& x = *candidates_[c];
        const double mean = size.of(v) * 1e-3 * rateHz_;
        const double w = fullTurn * std::min(damping.of(v) / rateHz_, 0.45);
        for (std::size_t i = 0; i < reverbLines; ++i) {
            x.wanted[i] = std::max(20.0, std::round(mean * lengthOf(i)));
            // What a line loses in a turn so that all lose 60 dB in the decay time; as much again at the damping.
            const double gain = std::pow(10.0, -3.0 * x.wanted[i] / (decay.of(v) * 1e-3 * rateHz_));
            const double g2 = gain * gain;
            const double a = 1.0 - g2 * std::cos(w), b = 1.0 - g2;
            const double pole =
                damping.of(v) >= 20000.0 || b <= 0.0 ? 0.0 : (a - std::sqrt(std::max(0.0, a * a - b * b))) / b;
            x.lines.gains[i] = static_cast<float>(gain);
            x.lines.poles[i] = static_cast<float>(pole);
            // The low-pass holds each turn up.
            x.wanted[i] = std::max(20.0, std::round(x.wanted[i] - pole / (1.0 - pole)));
        }
        for (std::size_t k = 0; k < diffusers; ++k)
            for (std::size_t side = 0; side < 2; ++side)
                x.thickening[side][k] =
                    std::clamp(static_cast<int>(mean * (k == 0 ? 0.171 : 0.117) * (side == 0 ? 1.0 : 1.043)), 17,
                               x.diffuser(0, 0).mask() - 32);
        x.preDelay = static_cast<int>(std::lround(preDelay.of(v) * 1e-3 * rateHz_));
        x.lowPole = lowCut.of(v) <= 10.0 ? 1.0f : static_cast<float>(std::exp(-fullTurn * lowCut.of(v) / rateHz_));
        x.movement = movement.of(v) / 100.0;
        x.spread = spread.real(v) / 100.0f;
        if (!x.started) x.length = x.wanted;
        x.started = true;
    }
    void process(std::span<StereoRow> rows, int frames) override {
        time_.advance(frames);
        for (std::size_t c = 0; c < rows.size(); ++c) run(*candidates_[c], rows[c], frames);
    }
    void clear(std::size_t c) override {
        Candidate& x = *candidates_[c];
        for (std::size_t i = 0; i < reverbLines; ++i) x.rings[i].clear(x.at + x.lines.shifts[i]);
        for (std::size_t i = reverbLines; i < x.rings.size(); ++i) x.rings[i].clear(x.at);
        x.lines.lastOuts = {};
        x.low = {};
        x.started = x.swaying = false;
    }
    int memoryFrames(std::size_t c) const override {
        const Candidate& x = *candidates_[c];
        return x.preDelay + 4 * static_cast<int>(*std::max_element(x.wanted.begin(), x.wanted.end())) + 256;
    }
    void rest(int frames) override { time_.advance(frames); }

private:
    static constexpr std::size_t diffusers = 2;
    static constexpr double longestSeconds = 0.26, longestDiffuserSeconds = 0.03, longestPreDelaySeconds = 0.51;
    static constexpr double mostSwaySeconds = 0.0008;

    struct Candidate {
        std::vector<Ring> rings; ///< of the lines, of the diffusers of both sides, of what was early on both
        kernels::ReverbLines lines;
        int at = 0;
        std::array<double, reverbLines> wanted{}, length{}, place{};
        std::array<std::array<int, diffusers>, 2> thickening{};
        int preDelay = 0;
        double movement = 0.0;
        float lowPole = 1.0f, spread = 1.0f;
        std::array<float, 2> low{};
        bool started = false, swaying = false;

        explicit Candidate(double rate) {
            const auto add = [&](std::size_t count, double seconds) {
                for (std::size_t i = 0; i < count; ++i) rings.emplace_back(static_cast<std::size_t>(seconds * rate));
            };
            add(reverbLines, longestSeconds);
            add(2 * diffusers, longestDiffuserSeconds);
            add(2, longestPreDelaySeconds);
            for (std::size_t i = 0; i < reverbLines; ++i) {
                lines.rings[i] = &rings[i];
                lines.shifts[i] = static_cast<int>(80 * i); // five lines of the cache
            }
        }
        Ring& diffuser(std::size_t side, std::size_t k) { return rings[reverbLines + diffusers * side + k]; }
        Ring& early(std::size_t side) { return rings[reverbLines + 2 * diffusers + side]; }
    };

    /// Into the loop: what was heard some time ago, without its lows, thickened.
    void prepare(Candidate& x, std::size_t side, kernels::Row& row, int frames) const {
        x.early(side).write(x.at, row.data(), frames);
        std::copy_n(x.early(side).from(x.at - x.preDelay), row.size(), row.begin());
        if (x.lowPole < 1.0f) {
            kernels::Row low = row;
            kernels::lowPassRow(low.data(), x.lowPole, x.low[side], frames);
            for (std::size_t t = 0; t < row.size(); ++t) row[t] -= low[t];
        }
        for (std::size_t k = 0; k < diffusers; ++k) {
            constexpr float g = 0.6f;
            kernels::Row kept, in;
            std::copy_n(x.diffuser(side, k).from(x.at - x.thickening[side][k]), kept.size(), kept.begin());
            for (std::size_t t = 0; t < row.size(); ++t) {
                in[t] = row[t] + g * kept[t];
                row[t] = kept[t] - g * in[t];
            }
            x.diffuser(side, k).write(x.at, in.data(), frames);
        }
    }

    /// Brings the delays to where they are at the end of the block. False: they stand at whole samples.
    bool aim(Candidate& x, int frames) const {
        const bool growing = x.length != x.wanted;
        for (std::size_t i = 0; growing && i < reverbLines; ++i) {
            const double away = x.wanted[i] - x.length[i];
            x.length[i] = std::abs(away) < 0.01 ? x.wanted[i] : x.length[i] + std::clamp(away * 0.02, -0.15, 0.15);
        }
        if (!growing && x.movement == 0.0 && !x.swaying) {
            for (std::size_t i = 0; i < reverbLines; ++i) x.lines.delays[i] = static_cast<int>(x.length[i]);
            return false;
        }
        alignas(64) kernels::Row cycles, sways;
        const double time = time_.cycles();
        for (int i = 0; i < reverbLines; ++i) {
            // Each line sways by itself, 0.3 to 1.2 times a second.
            const double turns = time * (30.0 + 6.0 * i) + 0.37 * i;
            cycles[static_cast<std::size_t>(i)] = static_cast<float>(turns - static_cast<int>(turns));
        }
        kernels::sines(cycles.data(), sways.data());
        const double sway = x.movement * mostSwaySeconds * rateHz_;
        const double perFrame = 1.0 / frames;
        std::array<double, reverbLines> to;
        for (std::size_t i = 0; i < reverbLines; ++i)
            to[i] = std::max(19.0, x.length[i] + sway * static_cast<double>(sways[i]));
        if (!x.swaying) x.place = to;
        for (std::size_t i = 0; i < reverbLines; ++i) {
            const double from = x.place[i];
            const int whole = static_cast<int>(from);
            x.lines.delays[i] = whole;
            x.lines.fractions[i] = static_cast<float>(from - whole);
            x.lines.drifts[i] = static_cast<float>((to[i] - from) * perFrame);
        }
        x.place = to;
        // Once nothing moves any more, the delays have come to rest at whole samples.
        x.swaying = x.movement > 0.0 || x.length != x.wanted;
        return true;
    }

    void run(Candidate& x, StereoRow& row, int frames) {
        prepare(x, 0, row.left, frames);
        prepare(x, 1, row.right, frames);
        const bool moved = aim(x, frames);
        kernels::runReverb(x.lines, x.at, moved, row.left.data(), row.right.data(), frames);
        x.at += frames;
        for (std::size_t t = 0; t < row.left.size(); ++t) {
            const float middle = 0.5f * (row.left[t] + row.right[t]);
            const float side = 0.5f * (row.left[t] - row.right[t]) * x.spread;
            row.left[t] = middle + side;
            row.right[t] = middle - side;
        }
    }

    double rateHz_;
    Turning time_; ///< a common multiple of all the lines' cycles: 100 s
    std::vector<std::unique_ptr<Candidate>> candidates_;
};

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

std::unique_ptr<Effect> makeReverb(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<Reverb>(setting);
}
std::unique_ptr<Effect> makeResponse(const EffectGraph& graph, const EffectSetting& setting) {
    static const Field kind(ModuleKind::response, "kind");
    if (static_cast<ResponseKind>(kind.whole(graph.values)) == ResponseKind::speaker) return makeSpeaker(setting);
    return std::make_unique<Convolution>(graph, setting);
}

} // namespace facet
