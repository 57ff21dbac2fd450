// Equalizer: two cuts, two shelves and two bells.
#include "core/engine/effects/lane_effect.h"
#include "core/engine/effects/section_setter.h"
#include "core/parameters/field.h"

#include <array>
#include <memory>
#include <numbers>

namespace facet {

namespace {

using kernels::Section;

/// Cuts, shelves and bells with the responses of R. Bristow-Johnson's "Cookbook formulae for audio EQ biquad filter
/// coefficients" (bilinear designs, shelf slope 1).
class Equalizer : public LaneEffect {
public:
    explicit Equalizer(const EffectSetting& setting) : LaneEffect(setting) {
        for (std::size_t i = 0; i < sections_.size(); ++i) pointers_[i] = &sections_[i];
    }
    void forget(std::size_t c) override {
        for (Section& section : sections_) section.clear(c);
    }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::equalizer;
        static const Field lowCut(kind, "low_cut"), lowShelf(kind, "low_shelf"), lowGain(kind, "low_gain"),
            bell1(kind, "bell_1"), gain1(kind, "gain_1"), q1(kind, "q_1"), bell2(kind, "bell_2"), gain2(kind, "gain_2"),
            q2(kind, "q_2"), highShelf(kind, "high_shelf"), highGain(kind, "high_gain"), highCut(kind, "high_cut");
        const auto setter = [&](std::size_t i) { return SectionSetter{sections_[i], c, atOnce}; };
        const double flat = std::numbers::sqrt2 / 2.0;
        if (lowCut.of(v) > 10.0)
            setter(0).highPass(tangent(lowCut.of(v)), flat);
        else
            setter(0).pass();
        setter(1).lowShelf(tangent(lowShelf.of(v)), lowGain.of(v));
        setter(2).bell(tangent(bell1.of(v)), q1.of(v), gain1.of(v));
        setter(3).bell(tangent(bell2.of(v)), q2.of(v), gain2.of(v));
        setter(4).highShelf(tangent(highShelf.of(v)), highGain.of(v));
        if (highCut.of(v) < 20000.0)
            setter(5).lowPass(tangent(highCut.of(v)), flat);
        else
            setter(5).pass();
    }
    void run(int frames) override { kernels::runSections(pointers_, lanes_, frames); }

private:
    std::array<Section, 6> sections_;
    std::array<Section*, 6> pointers_{};
};

} // namespace

std::unique_ptr<Effect> makeEqualizer(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<Equalizer>(setting);
}

} // namespace facet
