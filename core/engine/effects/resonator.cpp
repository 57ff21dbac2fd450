// Comb resonator, tuned to a pitch or to the note.
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

/// y = x + f × low-passed y one period ago. The low-pass's own delay is part of the period, its loss at the pitch is
/// made up for: D. A. Jaffe, J. O. Smith, "Extensions of the Karplus–Strong plucked-string algorithm", Computer Music
/// Journal 7 (2), 1983.
class Resonator : public Effect {
public:
    Resonator(const EffectGraph& graph, const EffectSetting& setting) : rateHz_(setting.rateHz) {
        static const Field follow(ModuleKind::resonator, "follow"), odd(ModuleKind::resonator, "odd");
        follow_ = follow.on(graph.values);
        odd_ = odd.on(graph.values);
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(rateHz_ / 15.0);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::resonator;
        static const Field pitch(kind, "pitch"), semitone(kind, "semitone"), decay(kind, "decay"),
            damping(kind, "damping");
        Candidate& x = candidates_[c];
        x.fixedHz = pitch.of(v);
        x.ratio = std::exp2(semitone.of(v) / 12.0);
        x.decay = decay.of(v) * 1e-3;
        const double w = fullTurn * std::min(damping.of(v) / rateHz_, 0.45);
        x.pole = damping.of(v) >= 20000.0 ? 0.0 : std::exp(-w);
        tune(x);
    }
    bool followsNotes() const override { return follow_; }
    void newestNote(std::size_t c, double hz) override {
        Candidate& x = candidates_[c];
        if (!follow_ || x.noteHz == hz) return;
        x.noteHz = hz;
        tune(x);
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            Candidate& x = candidates_[c];
            const auto step = static_cast<float>((x.period.to - x.period.now) / frames);
            const float output = std::sqrt(1.0f - x.feedback * x.feedback);
            for (std::size_t side = 0; side < 2; ++side) {
                Ring& ring = side == 0 ? x.ring.left : x.ring.right;
                float* row = side == 0 ? rows[c].left.data() : rows[c].right.data();
                float& last = x.lowPass[side];
                auto back = static_cast<float>(x.period.now);
                const auto pole = static_cast<float>(x.pole);
                for (int t = 0; t < frames; ++t, back += step) {
                    const float delayed = ring.before(x.ring.at + t, back);
                    last = delayed + pole * (last - delayed);
                    const float y = row[t] + (odd_ ? -x.feedback : x.feedback) * last;
                    ring.write(x.ring.at + t, y);
                    row[t] = y * output;
                }
            }
            x.period.arrive();
            x.ring.at += frames;
        }
    }
    void clear(std::size_t c) override {
        candidates_[c].ring.clear();
        candidates_[c].lowPass = {};
        candidates_[c].period.started = false;
        tune(candidates_[c]);
    }
    int memoryFrames(std::size_t c) const override { return static_cast<int>(candidates_[c].period.to) + 32; }

private:
    struct Candidate {
        StereoRing ring;
        LinearRamp period;
        double fixedHz = 220.0, noteHz = 0.0, ratio = 1.0, decay = 0.5, pole = 0.0;
        float feedback = 0.0f;
        std::array<float, 2> lowPass{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    void tune(Candidate& x) const {
        const double hz = std::clamp(follow_ && x.noteHz > 0.0 ? x.noteHz * x.ratio : x.fixedHz, 16.0, 0.2 * rateHz_);
        const double w = fullTurn * hz / rateHz_;
        const double whole = rateHz_ / hz * (odd_ ? 0.5 : 1.0);
        const double lag = std::atan2(x.pole * std::sin(w), 1.0 - x.pole * std::cos(w)) / w;
        const double loss = (1.0 - x.pole) / std::sqrt(1.0 - 2.0 * x.pole * std::cos(w) + x.pole * x.pole);
        x.period.aim(std::clamp(whole - lag, 3.0, x.ring.longest()));
        x.feedback = static_cast<float>(std::min(std::pow(10.0, -3.0 * whole / (x.decay * rateHz_)) / loss, 0.9999));
    }
    double rateHz_;
    bool follow_ = false, odd_ = false;
    std::vector<Candidate> candidates_;
};

} // namespace

std::unique_ptr<Effect> makeResonator(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Resonator>(graph, setting);
}

} // namespace facet
