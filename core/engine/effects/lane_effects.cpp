// Effects that work sample after sample: filters, curves, dynamics and bands, 16 candidates side by side.
#include "core/base/units.h"
#include "core/dsp/low_pass.h"
#include "core/engine/effects/lane_kernels.h"
#include "core/engine/effects/turning.h"
#include "core/engine/field.h"
#include "core/engine/filter_kernels.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

using kernels::laneCount;
using kernels::LaneValue;
using kernels::Section;
using kernels::StereoLanes;

constexpr double highestShare = 0.47; ///< of the rate, for cutoffs

/// What these effects have in common: lanes, and values that are at once where they belong when sound begins.
class LaneEffect : public Effect {
public:
    explicit LaneEffect(const EffectSetting& setting) : rateHz_(setting.rateHz) {}
    void setValues(std::size_t c, std::span<const double> values) override {
        take(c, values, !started_[c]);
        started_[c] = true;
    }
    void process(std::span<StereoRow> rows, int frames) override {
        kernels::toLanes(rows, lanes_, frames);
        run(frames);
        kernels::fromLanes(lanes_, rows, frames);
    }
    void clear(std::size_t c) final {
        started_[c] = false;
        forget(c);
    }
    int memoryFrames(std::size_t) const override { return static_cast<int>(0.1 * rateHz_); }

protected:
    virtual void forget(std::size_t c) = 0;
    virtual void take(std::size_t c, std::span<const double> values, bool atOnce) = 0;
    virtual void run(int frames) = 0;

    double tangent(double hz) const {
        return std::tan(std::numbers::pi * std::clamp(hz / rateHz_, 1e-5, highestShare));
    }
    /// Of a one-pole that has gone 1 − 1/e of its way after a time.
    double decayPerFrame(double ms) const { return ms <= 0.0 ? 0.0 : std::exp(-1.0 / (ms * 1e-3 * rateHz_)); }

    const double rateHz_;
    StereoLanes lanes_{};

private:
    std::array<bool, laneCount> started_{};
};

/// Sets a section of second order; `gainDb` of bells and shelves.
struct SectionSetter {
    Section& section;
    std::size_t lane;
    bool atOnce;
    void set(double g, double damping, double in, double band, double low) const {
        section.g.set(lane, g, atOnce);
        section.damping.set(lane, damping, atOnce);
        section.in.set(lane, in, atOnce);
        section.band.set(lane, band, atOnce);
        section.low.set(lane, low, atOnce);
    }
    void pass() const { set(0.5, std::numbers::sqrt2, 1.0, 0.0, 0.0); }
    void lowPass(double g, double q) const { set(g, 1.0 / q, 0.0, 0.0, 1.0); }
    void highPass(double g, double q) const { set(g, 1.0 / q, 1.0, -1.0 / q, -1.0); }
    void bell(double g, double q, double gainDb) const {
        const double a = std::pow(10.0, gainDb / 40.0);
        const double k = 1.0 / (q * a);
        set(g, k, 1.0, k * (a * a - 1.0), 0.0);
    }
    void lowShelf(double g, double gainDb) const {
        const double a = std::pow(10.0, gainDb / 40.0);
        const double k = std::numbers::sqrt2;
        set(g / std::sqrt(a), k, 1.0, k * (a - 1.0), a * a - 1.0);
    }
    void highShelf(double g, double gainDb) const {
        const double a = std::pow(10.0, gainDb / 40.0);
        const double k = std::numbers::sqrt2;
        set(g * std::sqrt(a), k, a * a, k * (1.0 - a) * a, 1.0 - a * a);
    }
};

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

class ShifterEffect : public LaneEffect {
public:
    explicit ShifterEffect(const EffectSetting& setting) : LaneEffect(setting) { run(1); }
    void forget(std::size_t c) override {
        for (auto& side : shifter_.sides) {
            for (auto& row : side.memory) row[c] = 0.0f;
            side.lastIn[c] = 0.0f;
        }
    }
    void rest(int frames) override {
        for (auto& candidate : turns_)
            for (Turning& turn : candidate) turn.advance(frames);
    }

protected:
    void take(std::size_t c, std::span<const double> v, bool) override {
        constexpr auto kind = ModuleKind::shifter;
        static const Field shift(kind, "shift"), apart(kind, "apart");
        turns_[c][0].setRate(shift.of(v), rateHz_);
        turns_[c][1].setRate(shift.of(v) * (1.0 - 0.02 * apart.of(v)), rateHz_);
    }
    void run(int frames) override {
        for (std::size_t c = 0; c < laneCount; ++c)
            for (std::size_t side = 0; side < 2; ++side) {
                shifter_.phase[side][c] = static_cast<float>(turns_[c][side].cycles());
                shifter_.step[side][c] = static_cast<float>(turns_[c][side].perFrame());
            }
        kernels::runShifter(shifter_, lanes_, frames);
        rest(frames);
    }

private:
    kernels::Shifter shifter_;
    std::array<std::array<Turning, 2>, laneCount> turns_;
};

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
        bands_.lowSplit.set(c, tangent(lowSplit.of(v)), atOnce);
        bands_.highSplit.set(c, tangent(highSplit.of(v)), atOnce);
        bands_.downThreshold.set(c, downThreshold.of(v), atOnce);
        bands_.downSlope.set(c, 1.0 - 1.0 / downRatio.of(v), atOnce);
        bands_.upThreshold.set(c, upThreshold.of(v), atOnce);
        bands_.upSlope.set(c, 1.0 - 1.0 / upRatio.of(v), atOnce);
        bands_.attack.set(c, decayPerFrame(attack.of(v)), atOnce);
        bands_.release.set(c, decayPerFrame(release.of(v)), atOnce);
        for (std::size_t b = 0; b < 3; ++b) bands_.gains[b].set(c, gainFromDb(gains[b].of(v)), atOnce);
    }
    void run(int frames) override { kernels::runBandCompressor(bands_, lanes_, frames); }

private:
    kernels::BandCompressor bands_;
};

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

/// Filters of the layers' kinds, for all notes together: the voices' own kernel, two lanes a candidate.
class FilterEffect : public Effect {
public:
    FilterEffect(const kernels::FilterStructure& structure, const EffectSetting& setting)
        : rateHz_(setting.rateHz), states_(2 * setting.candidates), targets_(2 * setting.candidates) {
        pair_.first = structure;
        jobs_.resize(states_.size());
        pointers_.resize(states_.size());
        for (auto& state : states_) state.prepare(structure, setting.rateHz);
    }
    void process(std::span<StereoRow> rows, int frames) override {
        aim(frames);
        for (std::size_t i = 0; i < states_.size(); ++i) {
            kernels::FilterJob job{};
            job.first = &states_[i];
            job.row = i % 2 == 0 ? rows[i / 2].left.data() : rows[i / 2].right.data();
            job.firstTo = targets_[i];
            job.firstCutoffs = &targets_[i].cutoffLog2;
            jobs_[i] = job;
            pointers_[i] = &jobs_[i];
        }
        kernels::runFilters(pointers_, pair_, static_cast<float>(rateHz_), frames);
    }
    void clear(std::size_t c) override {
        states_[2 * c].clear();
        states_[2 * c + 1].clear();
    }
    int memoryFrames(std::size_t) const override { return static_cast<int>(0.2 * rateHz_); }

protected:
    /// Brings the targets to the end of a block of so many frames.
    virtual void aim(int /*frames*/) {}

    const double rateHz_;
    std::vector<kernels::FilterState> states_; ///< [candidate][side]
    std::vector<kernels::FilterTargets> targets_;

private:
    kernels::FilterPair pair_;
    std::vector<kernels::FilterJob> jobs_;
    std::vector<const kernels::FilterJob*> pointers_;
};

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
        : FilterEffect(phaserStructure(graph), setting), turns_(setting.candidates), values_(setting.candidates) {}
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::phaser;
        static const Field rate(kind, "rate"), center(kind, "center"), depth(kind, "depth"), feedback(kind, "feedback"),
            phase(kind, "phase"), sides(kind, "sides");
        turns_[c].setRate(rate.of(v), rateHz_);
        values_[c] = {std::log2(center.of(v)), depth.of(v) / 12.0, phase.of(v) / 360.0, sides.of(v) / 360.0};
        targets_[2 * c].feedback = targets_[2 * c + 1].feedback = feedback.real(v) / 100.0f;
    }
    void rest(int frames) override {
        for (Turning& turn : turns_) turn.advance(frames);
    }

protected:
    void aim(int frames) override {
        rest(frames);
        for (std::size_t c = 0; c < turns_.size(); ++c)
            for (std::size_t side = 0; side < 2; ++side) {
                const Values& v = values_[c];
                const double place = turns_[c].cycles() + v.phase + (side == 0 ? 0.0 : v.sides);
                targets_[2 * c + side].cutoffLog2 =
                    static_cast<float>(v.center + v.depth * std::sin(2.0 * std::numbers::pi * place));
            }
    }

private:
    struct Values {
        double center = 10.0, depth = 0.0, phase = 0.0, sides = 0.0; ///< octaves, cycles
    };
    std::vector<Turning> turns_;
    std::vector<Values> values_;
};

} // namespace

std::unique_ptr<Effect> makeEqualizer(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<Equalizer>(setting);
}
std::unique_ptr<Effect> makeSpeaker(const EffectSetting& setting) { return std::make_unique<Speaker>(setting); }
std::unique_ptr<Effect> makeShaper(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<ShaperEffect>(graph, setting);
}
std::unique_ptr<Effect> makeReduction(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<ReductionEffect>(setting);
}
std::unique_ptr<Effect> makeShifter(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<ShifterEffect>(setting);
}
std::unique_ptr<Effect> makeDynamics(const EffectGraph& graph, const EffectSetting& setting) {
    if (graph.kind == ModuleKind::limiter) return std::make_unique<LimiterEffect>(setting);
    return std::make_unique<CompressorEffect>(setting);
}
std::unique_ptr<Effect> makeBands(const EffectGraph& graph, const EffectSetting& setting) {
    if (graph.kind == ModuleKind::width) return std::make_unique<BandWidthEffect>(setting);
    return std::make_unique<BandCompressorEffect>(setting);
}
std::unique_ptr<Effect> makePostFilter(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<PostFilter>(graph, setting);
}
std::unique_ptr<Effect> makePhaser(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Phaser>(graph, setting);
}

} // namespace facet
