// The band of a small speaker, one kind of response.
#include "core/base/units.h"
#include "core/dsp/low_pass.h"
#include "core/engine/effects/lane_effect.h"
#include "core/engine/effects/section_setter.h"
#include "core/engine/effects/speaker.h"
#include "core/parameters/field.h"

#include <array>
#include <memory>

namespace facet {

namespace {

using kernels::Section;

/// The band of a small speaker: fourth-order Butterworth edges.
class Speaker : public LaneEffect {
public:
    explicit Speaker(const EffectSetting& setting) : LaneEffect(setting) {
        for (std::size_t i = 0; i < sections_.size(); ++i) pointers_[i] = &sections_[i];
    }
    void forget(std::size_t c) override {
        for (Section& section : sections_) section.clear(c);
    }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::response;
        static const Field low(kind, "low"), high(kind, "high"), level(kind, "level");
        const SectionQ q = sectionQ(4, -3.0103);
        const auto setter = [&](std::size_t i) { return SectionSetter{sections_[i], c, atOnce}; };
        setter(0).highPass(tangent(low.of(v)), q.first);
        setter(1).highPass(tangent(low.of(v)), q.second);
        setter(2).lowPass(tangent(high.of(v)), q.first);
        setter(3).lowPass(tangent(high.of(v)), q.second);
        sections_[3].low.set(c, gainFromDb(level.of(v)), atOnce);
    }
    void run(int frames) override { kernels::runSections(pointers_, lanes_, frames); }

private:
    std::array<Section, 4> sections_;
    std::array<Section*, 4> pointers_{};
};

} // namespace

std::unique_ptr<Effect> makeSpeaker(const EffectSetting& setting) { return std::make_unique<Speaker>(setting); }

} // namespace facet
