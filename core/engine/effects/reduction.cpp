// Reduction of bit depth and of sample rate.
#include "core/engine/effects/lane_effect.h"
#include "core/parameters/field.h"

#include <cmath>
#include <memory>

namespace facet {

namespace {

class ReductionEffect : public LaneEffect {
public:
    explicit ReductionEffect(const EffectSetting& setting) : LaneEffect(setting) { reduction_.step.now.fill(1.0f); }
    void forget(std::size_t c) override {
        reduction_.phase[c] = 0.0f;
        for (auto& side : reduction_.held) side[c] = 0.0f;
    }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::reduction;
        static const Field bits(kind, "bits"), rate(kind, "rate");
        reduction_.step.set(c, std::exp2(1.0 - bits.of(v)), atOnce);
        reduction_.share.set(c, rate.of(v) / rateHz_, atOnce);
    }
    void run(int frames) override { kernels::runReduction(reduction_, lanes_, frames); }

private:
    kernels::Reduction reduction_;
};

} // namespace

std::unique_ptr<Effect> makeReduction(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<ReductionEffect>(setting);
}

} // namespace facet
