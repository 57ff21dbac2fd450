// Frequency shifter: every partial by equally many hertz.
#include "core/engine/effects/lane_effect.h"
#include "core/engine/effects/phase_accumulator.h"
#include "core/parameters/field.h"

#include <array>
#include <memory>

namespace facet {

namespace {

class ShifterEffect : public LaneEffect {
public:
    explicit ShifterEffect(const EffectSetting& setting) : LaneEffect(setting) { run(1); }
    void forget(std::size_t c) override {
        for (auto& side : shifter_.sides) {
            for (auto& row : side.memory) row[c] = 0.0f;
            side.lastIn[c] = 0.0f;
        }
    }
    void rest(int frames) override {
        for (auto& candidate : phases_)
            for (PhaseAccumulator& phase : candidate) phase.advance(frames);
    }

protected:
    void take(std::size_t c, std::span<const double> v, bool) override {
        constexpr auto kind = ModuleKind::shifter;
        static const Field shift(kind, "shift"), apart(kind, "apart");
        phases_[c][0].setRate(shift.of(v), rateHz_);
        phases_[c][1].setRate(shift.of(v) * (1.0 - 0.02 * apart.of(v)), rateHz_);
    }
    void run(int frames) override {
        for (std::size_t c = 0; c < kernels::laneCount; ++c)
            for (std::size_t side = 0; side < 2; ++side) {
                shifter_.phase[side][c] = static_cast<float>(phases_[c][side].cycles());
                shifter_.step[side][c] = static_cast<float>(phases_[c][side].perFrame());
            }
        kernels::runShifter(shifter_, lanes_, frames);
        rest(frames);
    }

private:
    kernels::Shifter shifter_;
    std::array<std::array<PhaseAccumulator, 2>, kernels::laneCount> phases_;
};

} // namespace

std::unique_ptr<Effect> makeShifter(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<ShifterEffect>(setting);
}

} // namespace facet
