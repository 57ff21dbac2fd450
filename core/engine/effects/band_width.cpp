// Stereo width of three bands.
#include "core/engine/effects/lane_effect.h"
#include "core/parameters/field.h"

#include <array>
#include <memory>

namespace facet {

namespace {

class BandWidthEffect : public LaneEffect {
public:
    explicit BandWidthEffect(const EffectSetting& setting) : LaneEffect(setting) {}
    void forget(std::size_t c) override {
        width_.side.clear(c);
        width_.middle.clear(c);
    }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::width;
        static const Field lowSplit(kind, "low_split"), highSplit(kind, "high_split");
        static const std::array<Field, 3> widths{Field(kind, "low"), Field(kind, "mid"), Field(kind, "high")};
        width_.lowSplit.set(c, tangent(lowSplit.of(v)), atOnce);
        width_.highSplit.set(c, tangent(highSplit.of(v)), atOnce);
        for (std::size_t b = 0; b < 3; ++b) width_.widths[b].set(c, widths[b].of(v) / 100.0, atOnce);
    }
    void run(int frames) override { kernels::runBandWidth(width_, lanes_, frames); }

private:
    kernels::BandWidth width_;
};

} // namespace

std::unique_ptr<Effect> makeBandWidth(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<BandWidthEffect>(setting);
}

} // namespace facet
