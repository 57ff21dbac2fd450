// Chorus: two to eight voices with moving delays.
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

class Chorus : public Effect {
public:
    Chorus(const EffectGraph& graph, const EffectSetting& setting) : rateHz_(setting.rateHz) {
        static const Field voices(ModuleKind::chorus, "voices");
        voices_ = voices.whole(graph.values);
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(0.075 * rateHz_);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::chorus;
        static const Field rate(kind, "rate"), depth(kind, "depth"), delay(kind, "delay"), spread(kind, "spread"),
            rightRate(kind, "right_rate"), phase(kind, "phase"), sides(kind, "sides");
        Candidate& x = candidates_[c];
        x.phases[0].setRate(rate.of(v), rateHz_);
        x.phases[1].setRate(rate.of(v) * rightRate.of(v) / 100.0, rateHz_);
        x.starts = {phase.of(v) / 360.0, (phase.of(v) + sides.of(v)) / 360.0};
        x.depth = depth.of(v) * 1e-3 * rateHz_;
        x.delay = delay.of(v) * 1e-3 * rateHz_;
        for (int n = 0; n < voices_; ++n) {
            const double pan = spread.of(v) / 100.0 * (2.0 * n / (voices_ - 1) - 1.0);
            const double angle = (pan + 1.0) * std::numbers::pi / 4.0;
            const double gain = std::sqrt(2.0 / voices_);
            x.gains[0][static_cast<std::size_t>(n)] = static_cast<float>(gain * std::cos(angle));
            x.gains[1][static_cast<std::size_t>(n)] = static_cast<float>(gain * std::sin(angle));
        }
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            Candidate& x = candidates_[c];
            StereoRing& ring = x.ring;
            ring.left.write(ring.at, rows[c].left.data(), frames);
            ring.right.write(ring.at, rows[c].right.data(), frames);
            rows[c] = StereoRow{};
            for (std::size_t side = 0; side < 2; ++side) {
                const Ring& from = side == 0 ? ring.left : ring.right;
                kernels::Row& to = side == 0 ? rows[c].left : rows[c].right;
                x.phases[side].advance(frames);
                for (int v = 0; v < voices_; ++v) {
                    LinearRamp& ramp = x.ramps[side][static_cast<std::size_t>(v)];
                    const double place = x.phases[side].cycles() + x.starts[side] + static_cast<double>(v) / voices_;
                    ramp.aim(std::clamp(x.delay + x.depth * std::sin(fullTurn * place), 3.0, ring.longest()));
                    const float gain = x.gains[side][static_cast<std::size_t>(v)];
                    kernels::addDelayed(from, ring.at, ramp.now, ramp.to, gain, frames, to.data());
                    ramp.arrive();
                }
            }
            ring.at += frames;
        }
    }
    void clear(std::size_t c) override {
        candidates_[c].ring.clear();
        for (auto& side : candidates_[c].ramps)
            for (LinearRamp& ramp : side) ramp.started = false;
    }
    int memoryFrames(std::size_t c) const override {
        return static_cast<int>(candidates_[c].delay + candidates_[c].depth) + 32;
    }
    void rest(int frames) override {
        for (Candidate& x : candidates_)
            for (PhaseAccumulator& phase : x.phases) phase.advance(frames);
    }

private:
    static constexpr std::size_t mostVoices = 8;
    struct Candidate {
        StereoRing ring;
        double depth = 0.0, delay = 100.0; ///< samples
        // Of both sides:
        std::array<double, 2> starts{}; ///< cycles
        std::array<PhaseAccumulator, 2> phases;
        std::array<std::array<LinearRamp, mostVoices>, 2> ramps{};
        std::array<std::array<float, mostVoices>, 2> gains{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    double rateHz_;
    int voices_;
    std::vector<Candidate> candidates_;
};

} // namespace

std::unique_ptr<Effect> makeChorus(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Chorus>(graph, setting);
}

} // namespace facet
