// Limiter.
#include "core/base/units.h"
#include "core/engine/effects/lane_effect.h"
#include "core/parameters/field.h"

#include <memory>

namespace facet {

namespace {

class LimiterEffect : public LaneEffect {
public:
    explicit LimiterEffect(const EffectSetting& setting) : LaneEffect(setting) {
        limiter_.ceiling.now.fill(1.0f);
        limiter_.ceiling.to.fill(1.0f);
    }
    void forget(std::size_t c) override { limiter_.gain[c] = 0.0f; }
    double reductionDb(std::size_t c) const override {
        return -dbFromGain(1.0 - static_cast<double>(limiter_.gain[c]));
    }
    int memoryFrames(std::size_t) const override { return static_cast<int>(rateHz_); }

protected:
    void take(std::size_t c, std::span<const double> v, bool atOnce) override {
        constexpr auto kind = ModuleKind::limiter;
        static const Field drive(kind, "drive"), ceiling(kind, "ceiling"), release(kind, "release");
        limiter_.drive.set(c, gainFromDb(drive.of(v)), atOnce);
        limiter_.ceiling.set(c, gainFromDb(ceiling.of(v)), atOnce);
        limiter_.release.set(c, decayPerFrame(release.of(v)), atOnce);
    }
    void run(int frames) override { kernels::runLimiter(limiter_, lanes_, frames); }

private:
    kernels::Limiter limiter_;
};

} // namespace

std::unique_ptr<Effect> makeLimiter(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<LimiterEffect>(setting);
}

} // namespace facet
