// Compressor.
#include "core/base/units.h"
#include "core/engine/effects/lane_effect.h"
#include "core/parameters/field.h"

#include <memory>

namespace facet {

namespace {

class CompressorEffect : public LaneEffect {
public:
    explicit CompressorEffect(const EffectSetting& setting) : LaneEffect(setting) {}
    void forget(std::size_t c) override { compressor_.held[c] = compressor_.reduction[c] = 0.0f; }
    double reductionDb(std::size_t c) const override { return static_cast<double>(compressor_.reduction[c]); }
    int memoryFrames(std::size_t) const override { return static_cast<int>(rateHz_); }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::compressor;
        static const Field threshold(kind, "threshold"), ratio(kind, "ratio"), knee(kind, "knee"),
            attack(kind, "attack"), release(kind, "release"), makeup(kind, "makeup");
        compressor_.threshold.set(c, threshold.of(v), atOnce);
        compressor_.slope.set(c, 1.0 - 1.0 / ratio.of(v), atOnce);
        compressor_.knee.set(c, knee.of(v), atOnce);
        compressor_.attack.set(c, decayPerFrame(attack.of(v)), atOnce);
        compressor_.release.set(c, decayPerFrame(release.of(v)), atOnce);
        compressor_.makeup.set(c, gainFromDb(makeup.of(v)), atOnce);
    }
    void run(int frames) override { kernels::runCompressor(compressor_, lanes_, frames); }

private:
    kernels::Compressor compressor_;
};

} // namespace

std::unique_ptr<Effect> makeCompressor(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<CompressorEffect>(setting);
}

} // namespace facet
