// Phaser: a chain of all-passes whose frequency an LFO moves.
#include "core/engine/effects/filter_effect.h"
#include "core/engine/effects/phase_accumulator.h"
#include "core/parameters/field.h"

#include <cmath>
#include <memory>
#include <numbers>
#include <vector>

namespace facet {

namespace {

kernels::FilterStructure phaserStructure(const EffectGraph& graph) {
    static const Field stages(ModuleKind::phaser, "stages");
    kernels::FilterStructure structure;
    structure.on = true;
    structure.kind = FilterKind::allPass;
    structure.stages = stages.whole(graph.values);
    return structure;
}

class Phaser : public FilterEffect {
public:
    Phaser(const EffectGraph& graph, const EffectSetting& setting)
        : FilterEffect(phaserStructure(graph), setting), phases_(setting.candidates), values_(setting.candidates) {}
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::phaser;
        static const Field rate(kind, "rate"), center(kind, "center"), depth(kind, "depth"), feedback(kind, "feedback"),
            phase(kind, "phase"), sides(kind, "sides");
        phases_[c].setRate(rate.of(v), rateHz_);
        values_[c] = {std::log2(center.of(v)), depth.of(v) / 12.0, phase.of(v) / 360.0, sides.of(v) / 360.0};
        targets_[2 * c].feedback = targets_[2 * c + 1].feedback = feedback.real(v) / 100.0f;
    }
    void rest(int frames) override {
        for (PhaseAccumulator& phase : phases_) phase.advance(frames);
    }

protected:
    void aim(int frames) override {
        rest(frames);
        for (std::size_t c = 0; c < phases_.size(); ++c)
            for (std::size_t side = 0; side < 2; ++side) {
                const Values& v = values_[c];
                const double place = phases_[c].cycles() + v.phase + (side == 0 ? 0.0 : v.sides);
                targets_[2 * c + side].cutoffLog2 =
                    static_cast<float>(v.center + v.depth * std::sin(2.0 * std::numbers::pi * place));
            }
    }

private:
    struct Values {
        double center = 10.0, depth = 0.0, phase = 0.0, sides = 0.0; ///< octaves, cycles
    };
    std::vector<PhaseAccumulator> phases_;
    std::vector<Values> values_;
};

} // namespace

std::unique_ptr<Effect> makePhaser(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Phaser>(graph, setting);
}

} // namespace facet
