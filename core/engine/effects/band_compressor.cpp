// Compressor of three bands, downward and upward.
#include "core/base/units.h"
#include "core/engine/effects/lane_effect.h"
#include "core/parameters/field.h"

#include <array>
#include <memory>

namespace facet {

namespace {

class BandCompressorEffect : public LaneEffect {
public:
    explicit BandCompressorEffect(const EffectSetting& setting) : LaneEffect(setting) {}
    void forget(std::size_t c) override {
        for (auto& splitter : bands_.splitters) splitter.clear(c);
        for (auto& level : bands_.level) level[c] = 0.0f;
        bands_.reduction[c] = 0.0f;
    }
    double reductionDb(std::size_t c) const override { return static_cast<double>(bands_.reduction[c]); }
    int memoryFrames(std::size_t) const override { return static_cast<int>(rateHz_); }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::bandCompressor;
        static const Field lowSplit(kind, "low_split"), highSplit(kind, "high_split"),
            downThreshold(kind, "down_threshold"), downRatio(kind, "down_ratio"), upThreshold(kind, "up_threshold"),
            upRatio(kind, "up_ratio"), attack(kind, "attack"), release(kind, "release");
        static const std::array<Field, 3> gains{Field(kind, "low_gain"), Field(kind, "mid_gain"),
                                                Field(kind, "high_gain")};
        static const std::array<Field, 3> downs{Field(kind, "low_down"), Field(kind, "mid_down"),
                                                Field(kind, "high_down")};
        static const std::array<Field, 3> ups{Field(kind, "low_up"), Field(kind, "mid_up"), Field(kind, "high_up")};
        bands_.lowSplit.set(c, tangent(lowSplit.of(v)), atOnce);
        bands_.highSplit.set(c, tangent(highSplit.of(v)), atOnce);
        bands_.downSlope.set(c, 1.0 - 1.0 / downRatio.of(v), atOnce);
        bands_.upSlope.set(c, 1.0 - 1.0 / upRatio.of(v), atOnce);
        bands_.attack.set(c, decayPerFrame(attack.of(v)), atOnce);
        bands_.release.set(c, decayPerFrame(release.of(v)), atOnce);
        for (std::size_t b = 0; b < 3; ++b) {
            bands_.gains[b].set(c, gainFromDb(gains[b].of(v)), atOnce);
            bands_.downThresholds[b].set(c, downThreshold.of(v) + downs[b].of(v), atOnce);
            bands_.upThresholds[b].set(c, upThreshold.of(v) + ups[b].of(v), atOnce);
        }
    }
    void run(int frames) override { kernels::runBandCompressor(bands_, lanes_, frames); }

private:
    kernels::BandCompressor bands_;
};

} // namespace

std::unique_ptr<Effect> makeBandCompressor(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<BandCompressorEffect>(setting);
}

} // namespace facet
