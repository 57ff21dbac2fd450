// Reverb: sixteen lines fed back.
#include "core/base/units.h"
#include "core/engine/effects/delay_line.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/phase_accumulator.h"
#include "core/engine/effects/time_kernels.h"
#include "core/parameters/field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <vector>

namespace facet {

namespace {

using kernels::reverbLines;

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
    PhaseAccumulator time_; ///< a common multiple of all the lines' cycles: 100 s
    std::vector<std::unique_ptr<Candidate>> candidates_;
};

} // namespace

std::unique_ptr<Effect> makeReverb(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<Reverb>(setting);
}

} // namespace facet
