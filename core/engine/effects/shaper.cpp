// Saturation and folding: curves at four times the rate.
#include "core/base/units.h"
#include "core/engine/effects/lane_effect.h"
#include "core/parameters/field.h"

#include <memory>

namespace facet {

namespace {

class ShaperEffect : public LaneEffect {
public:
    ShaperEffect(const EffectGraph& graph, const EffectSetting& setting) : LaneEffect(setting), kind_(graph.kind) {
        using C = kernels::ShaperCurve;
        constexpr C saturations[] = {C::soft, C::hard, C::cubic, C::uneven};
        constexpr C foldings[] = {C::triangle, C::sine};
        const auto which = static_cast<std::size_t>(Field(kind_, "curve").whole(graph.values));
        shaper_.curve = kind_ == ModuleKind::saturation ? saturations[which] : foldings[which];
        shaper_.rateHz = static_cast<float>(setting.rateHz);
        run(1); // coefficients are made before the audio thread asks
    }
    void forget(std::size_t c) override {
        for (auto& side : shaper_.sides) side.clear(c);
    }
    bool mixesItself() const override { return true; }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        const auto of = [&](const char* name) { return Field(kind_, name).of(v); };
        shaper_.drive.set(c, gainFromDb(of("drive")), atOnce);
        shaper_.bias.set(c, of("bias") / 100.0, atOnce);
        shaper_.output.set(c, gainFromDb(of("output")), atOnce);
        shaper_.mix.set(c, of("mix") / 100.0, atOnce);
    }
    void run(int frames) override { kernels::runShaper(shaper_, lanes_, frames); }

private:
    ModuleKind kind_;
    kernels::Shaper shaper_;
};

} // namespace

std::unique_ptr<Effect> makeShaper(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<ShaperEffect>(graph, setting);
}

} // namespace facet
