// A filter behind the layers.
#include "core/engine/effects/filter_effect.h"
#include "core/parameters/field.h"

#include <memory>

namespace facet {

namespace {

kernels::FilterStructure structureOf(const EffectGraph& graph) {
    constexpr auto kind = ModuleKind::postFilter;
    static const Field which(kind, "kind"), slope(kind, "slope"), stages(kind, "stages");
    kernels::FilterStructure structure;
    structure.on = true;
    structure.kind = static_cast<FilterKind>(which.whole(graph.values));
    structure.fourPole = static_cast<FilterSlope>(slope.whole(graph.values)) == FilterSlope::fourPole;
    structure.stages = stages.whole(graph.values);
    return structure;
}

class PostFilter : public FilterEffect {
public:
    PostFilter(const EffectGraph& graph, const EffectSetting& setting)
        : FilterEffect(structureOf(graph), setting), structure_(structureOf(graph)) {}
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::postFilter;
        static const Field cutoff(kind, "cutoff"), resonance(kind, "resonance"), drive(kind, "drive"),
            feedback(kind, "feedback");
        const kernels::FilterTargets targets =
            kernels::filterTargets(structure_, cutoff.of(v), resonance.of(v), drive.of(v), feedback.of(v) / 100.0);
        targets_[2 * c] = targets_[2 * c + 1] = targets;
    }

private:
    kernels::FilterStructure structure_;
};

} // namespace

std::unique_ptr<Effect> makePostFilter(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<PostFilter>(graph, setting);
}

} // namespace facet
