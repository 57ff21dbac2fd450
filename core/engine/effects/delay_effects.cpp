// Effects that look back in time by a moving way: chorus, flanger, comb resonator, delay. One candidate after the
// other.
#include "core/base/units.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/ring.h"
#include "core/engine/effects/time_kernels.h"
#include "core/engine/effects/turning.h"
#include "core/engine/field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr double fullTurn = 2.0 * std::numbers::pi;

/// Two rings and where they are.
struct StereoRing {
    Ring left, right;
    int at = 0;
    explicit StereoRing(double samples)
        : left(static_cast<std::size_t>(samples) + 32), right(static_cast<std::size_t>(samples) + 32) {}
    void clear() {
        left.clear(at);
        right.clear(at);
    }
    double longest() const { return static_cast<double>(left.mask() - 24); }
};

/// A value that moves evenly over a block; at once where it belongs the first time.
struct Way {
    double now = 0.0, to = 0.0;
    bool started = false;
    void aim(double target) {
        to = target;
        if (!started) now = to;
        started = true;
    }
    void arrive() { now = to; }
};

class Chorus : public Effect {
public:
    Chorus(const EffectGraph& graph, const EffectSetting& setting) : rateHz_(setting.rateHz) {
        static const Field voices(ModuleKind::chorus, "voices");
        voices_ = voices.whole(graph.values);
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(0.075 * rateHz_);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::chorus;
        static const Field rate(kind, "rate"), depth(kind, "depth"), delay(kind, "delay"), spread(kind, "spread");
        Candidate& x = candidates_[c];
        x.turning.setRate(rate.of(v), rateHz_);
        x.depth = depth.of(v) * 1e-3 * rateHz_;
        x.delay = delay.of(v) * 1e-3 * rateHz_;
        for (int n = 0; n < voices_; ++n) {
            const double pan = spread.of(v) / 100.0 * (2.0 * n / (voices_ - 1) - 1.0);
            const double angle = (pan + 1.0) * std::numbers::pi / 4.0;
            const double gain = std::sqrt(2.0 / voices_);
            x.gains[static_cast<std::size_t>(n)] = {static_cast<float>(gain * std::cos(angle)),
                                                    static_cast<float>(gain * std::sin(angle))};
        }
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            Candidate& x = candidates_[c];
            StereoRing& ring = x.ring;
            ring.left.write(ring.at, rows[c].left.data(), frames);
            ring.right.write(ring.at, rows[c].right.data(), frames);
            rows[c] = StereoRow{};
            x.turning.advance(frames);
            for (int v = 0; v < voices_; ++v) {
                Way& way = x.ways[static_cast<std::size_t>(v)];
                const double place = x.turning.cycles() + static_cast<double>(v) / voices_;
                way.aim(std::clamp(x.delay + x.depth * std::sin(fullTurn * place), 3.0, ring.longest()));
                const Gains& gain = x.gains[static_cast<std::size_t>(v)];
                kernels::addDelayed(ring.left, ring.at, way.now, way.to, gain.left, frames, rows[c].left.data());
                kernels::addDelayed(ring.right, ring.at, way.now, way.to, gain.right, frames, rows[c].right.data());
                way.arrive();
            }
            ring.at += frames;
        }
    }
    void clear(std::size_t c) override {
        candidates_[c].ring.clear();
        for (Way& way : candidates_[c].ways) way.started = false;
    }
    int memoryFrames(std::size_t c) const override {
        return static_cast<int>(candidates_[c].delay + candidates_[c].depth) + 32;
    }
    void rest(int frames) override {
        for (Candidate& x : candidates_) x.turning.advance(frames);
    }

private:
    static constexpr std::size_t mostVoices = 8;
    struct Gains {
        float left = 0.0f, right = 0.0f;
    };
    struct Candidate {
        StereoRing ring;
        Turning turning;
        double depth = 0.0, delay = 100.0; ///< samples
        std::array<Way, mostVoices> ways{};
        std::array<Gains, mostVoices> gains{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    double rateHz_;
    int voices_;
    std::vector<Candidate> candidates_;
};

class Flanger : public Effect {
public:
    explicit Flanger(const EffectSetting& setting) : rateHz_(setting.rateHz) {
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(0.032 * rateHz_);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::flanger;
        static const Field rate(kind, "rate"), depth(kind, "depth"), delay(kind, "delay"), feedback(kind, "feedback"),
            phase(kind, "phase"), sides(kind, "sides");
        Candidate& x = candidates_[c];
        x.turning.setRate(rate.of(v), rateHz_);
        x.depth = depth.of(v) * 1e-3 * rateHz_;
        x.delay = delay.of(v) * 1e-3 * rateHz_;
        x.feedback = feedback.real(v) / 100.0f;
        x.phase = phase.of(v) / 360.0;
        x.sides = sides.of(v) / 360.0;
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            Candidate& x = candidates_[c];
            x.turning.advance(frames);
            run(x, x.ring.left, x.ways[0], 0.0, rows[c].left.data(), frames);
            run(x, x.ring.right, x.ways[1], x.sides, rows[c].right.data(), frames);
            x.ring.at += frames;
        }
    }
    void clear(std::size_t c) override {
        candidates_[c].ring.clear();
        for (Way& way : candidates_[c].ways) way.started = false;
    }
    int memoryFrames(std::size_t c) const override {
        return static_cast<int>(candidates_[c].delay + candidates_[c].depth) + 32;
    }
    void rest(int frames) override {
        for (Candidate& x : candidates_) x.turning.advance(frames);
    }

private:
    struct Candidate {
        StereoRing ring;
        Turning turning;
        double depth = 0.0, delay = 100.0, phase = 0.0, sides = 0.0; ///< samples, samples, cycles, cycles
        float feedback = 0.0f;
        std::array<Way, 2> ways{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    void run(const Candidate& x, Ring& ring, Way& way, double ahead, float* side, int frames) const {
        const double place = x.turning.cycles() + x.phase + ahead;
        way.aim(std::clamp(x.delay + x.depth * std::sin(fullTurn * place), 3.0, x.ring.longest()));
        auto back = static_cast<float>(way.now);
        const auto step = static_cast<float>((way.to - way.now) / frames);
        for (int t = 0; t < frames; ++t, back += step) {
            const float delayed = ring.before(x.ring.at + t, back);
            const float in = std::clamp(side[t] + x.feedback * delayed, -32.0f, 32.0f);
            ring.write(x.ring.at + t, in);
            side[t] = delayed;
        }
        way.arrive();
    }
    double rateHz_;
    std::vector<Candidate> candidates_;
};

/// y = x + f × low-passed y one period ago. The low-pass's own delay is part of the period, its loss at the pitch is
/// made up for: D. A. Jaffe, J. O. Smith, "Extensions of the Karplus–Strong plucked-string algorithm", Computer Music
/// Journal 7 (2), 1983.
class Resonator : public Effect {
public:
    Resonator(const EffectGraph& graph, const EffectSetting& setting) : rateHz_(setting.rateHz) {
        static const Field follow(ModuleKind::resonator, "follow"), odd(ModuleKind::resonator, "odd");
        follow_ = follow.on(graph.values);
        odd_ = odd.on(graph.values);
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(rateHz_ / 15.0);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::resonator;
        static const Field pitch(kind, "pitch"), semitone(kind, "semitone"), decay(kind, "decay"),
            damping(kind, "damping");
        Candidate& x = candidates_[c];
        x.fixedHz = pitch.of(v);
        x.ratio = std::exp2(semitone.of(v) / 12.0);
        x.decay = decay.of(v) * 1e-3;
        const double w = fullTurn * std::min(damping.of(v) / rateHz_, 0.45);
        x.pole = damping.of(v) >= 20000.0 ? 0.0 : std::exp(-w);
        tune(x);
    }
    bool followsNotes() const override { return follow_; }
    void newestNote(std::size_t c, double hz) override {
        Candidate& x = candidates_[c];
        if (!follow_ || x.noteHz == hz) return;
        x.noteHz = hz;
        tune(x);
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            Candidate& x = candidates_[c];
            const auto step = static_cast<float>((x.period.to - x.period.now) / frames);
            const float output = std::sqrt(1.0f - x.feedback * x.feedback);
            for (std::size_t side = 0; side < 2; ++side) {
                Ring& ring = side == 0 ? x.ring.left : x.ring.right;
                float* row = side == 0 ? rows[c].left.data() : rows[c].right.data();
                float& last = x.lowPass[side];
                auto back = static_cast<float>(x.period.now);
                const auto pole = static_cast<float>(x.pole);
                for (int t = 0; t < frames; ++t, back += step) {
                    const float delayed = ring.before(x.ring.at + t, back);
                    last = delayed + pole * (last - delayed);
                    const float y = row[t] + (odd_ ? -x.feedback : x.feedback) * last;
                    ring.write(x.ring.at + t, y);
                    row[t] = y * output;
                }
            }
            x.period.arrive();
            x.ring.at += frames;
        }
    }
    void clear(std::size_t c) override {
        candidates_[c].ring.clear();
        candidates_[c].lowPass = {};
        candidates_[c].period.started = false;
        tune(candidates_[c]);
    }
    int memoryFrames(std::size_t c) const override { return static_cast<int>(candidates_[c].period.to) + 32; }

private:
    struct Candidate {
        StereoRing ring;
        Way period;
        double fixedHz = 220.0, noteHz = 0.0, ratio = 1.0, decay = 0.5, pole = 0.0;
        float feedback = 0.0f;
        std::array<float, 2> lowPass{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    void tune(Candidate& x) const {
        const double hz = std::clamp(follow_ && x.noteHz > 0.0 ? x.noteHz * x.ratio : x.fixedHz, 16.0, 0.2 * rateHz_);
        const double w = fullTurn * hz / rateHz_;
        const double whole = rateHz_ / hz * (odd_ ? 0.5 : 1.0);
        const double lag = std::atan2(x.pole * std::sin(w), 1.0 - x.pole * std::cos(w)) / w;
        const double loss = (1.0 - x.pole) / std::sqrt(1.0 - 2.0 * x.pole * std::cos(w) + x.pole * x.pole);
        x.period.aim(std::clamp(whole - lag, 3.0, x.ring.longest()));
        x.feedback = static_cast<float>(std::min(std::pow(10.0, -3.0 * whole / (x.decay * rateHz_)) / loss, 0.9999));
    }
    double rateHz_;
    bool follow_ = false, odd_ = false;
    std::vector<Candidate> candidates_;
};

class Delay : public Effect {
public:
    Delay(const EffectGraph& graph, const EffectSetting& setting) : rateHz_(setting.rateHz), tempo_(setting.tempo) {
        static const Field cross(ModuleKind::delay, "cross");
        cross_ = cross.on(graph.values);
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(longestSeconds * rateHz_);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::delay;
        static const Field timing(kind, "timing"), time(kind, "time"), beats(kind, "beats"), offset(kind, "offset"),
            feedback(kind, "feedback"), lowCut(kind, "low_cut"), highCut(kind, "high_cut"), rate(kind, "rate"),
            depth(kind, "depth");
        Candidate& x = candidates_[c];
        const double quarters = noteValueQuarters()[static_cast<std::size_t>(beats.whole(v))];
        const double seconds = timing.on(v) ? 60.0 / tempo_ * quarters : time.of(v) * 1e-3;
        x.depth = depth.of(v) * 1e-3 * rateHz_;
        for (std::size_t side = 0; side < 2; ++side) {
            double samples = (seconds + (side == 0 ? 0.0 : offset.of(v) * 1e-3)) * rateHz_;
            // A time that stands still is a whole number of samples, and so loses no treble between two.
            if (x.depth == 0.0) samples = std::round(samples);
            x.wanted[side] = std::clamp(samples, 20.0 + x.depth, x.ring.longest() - x.depth);
            if (!x.started) x.time[side] = x.wanted[side];
        }
        x.started = true;
        x.feedback = feedback.real(v) / 100.0f;
        const auto poleOf = [&](double hz) {
            return static_cast<float>(std::exp(-fullTurn * std::min(hz / rateHz_, 0.45)));
        };
        x.lowPole = lowCut.of(v) <= 10.0 ? 1.0f : poleOf(lowCut.of(v));
        x.highPole = highCut.of(v) >= 20000.0 ? 0.0f : poleOf(highCut.of(v));
        x.turning.setRate(rate.of(v), rateHz_);
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) run(candidates_[c], rows[c], frames);
    }
    void clear(std::size_t c) override {
        Candidate& x = candidates_[c];
        x.ring.clear();
        x.filters = {};
        x.started = false; // at once where it belongs
        for (Way& way : x.ways) way.started = false;
    }
    int memoryFrames(std::size_t c) const override {
        return static_cast<int>(std::max(candidates_[c].time[0], candidates_[c].time[1]) + candidates_[c].depth) + 64;
    }
    void rest(int frames) override {
        for (Candidate& x : candidates_) x.turning.advance(frames);
    }

private:
    static constexpr double longestSeconds = 4.3;
    static constexpr double glideSeconds = 0.06; ///< of a time that was changed
    struct Candidate {
        StereoRing ring;
        Turning turning;
        std::array<double, 2> wanted{}, time{}; ///< samples
        std::array<Way, 2> ways{};
        double depth = 0.0;
        bool started = false;
        float feedback = 0.0f, lowPole = 1.0f, highPole = 0.0f;
        struct Filters {
            float low = 0.0f, high = 0.0f;
        };
        std::array<Filters, 2> filters{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    void run(Candidate& x, StereoRow& row, int frames) const {
        x.turning.advance(frames);
        const double sway = x.depth > 0.0 ? x.depth * std::sin(fullTurn * x.turning.cycles()) : 0.0;
        alignas(64) std::array<kernels::Row, 2> echoes;
        for (std::size_t side = 0; side < 2; ++side) {
            const double away = x.wanted[side] - x.time[side];
            // Like a tape that is brought to another speed; it arrives in the end.
            if (std::abs(away) < 0.01)
                x.time[side] = x.wanted[side];
            else
                x.time[side] += std::clamp(away * frames / (glideSeconds * rateHz_), -0.9 * frames, 0.9 * frames);
            x.ways[side].aim(x.time[side] + sway);
            const Ring& ring = side == 0 ? x.ring.left : x.ring.right;
            kernels::readDelayed(ring, x.ring.at, x.ways[side].now, x.ways[side].to, frames, echoes[side].data());
            x.ways[side].arrive();
            Candidate::Filters& f = x.filters[side];
            if (x.highPole > 0.0f) kernels::lowPassRow(echoes[side].data(), x.highPole, f.high, frames);
            if (x.lowPole == 1.0f) continue;
            kernels::Row low = echoes[side];
            kernels::lowPassRow(low.data(), x.lowPole, f.low, frames);
            for (std::size_t t = 0; t < low.size(); ++t) echoes[side][t] -= low[t];
        }
        kernels::Row inLeft, inRight;
        for (std::size_t t = 0; t < inLeft.size(); ++t) { // whatever stands behind the last
            const float backLeft = x.feedback * echoes[0][t];
            const float backRight = x.feedback * echoes[1][t];
            const float left = cross_ ? 0.5f * (row.left[t] + row.right[t]) + backRight : row.left[t] + backLeft;
            const float right = cross_ ? backLeft : row.right[t] + backRight;
            inLeft[t] = std::clamp(left, -16.0f, 16.0f);
            inRight[t] = std::clamp(right, -16.0f, 16.0f);
        }
        x.ring.left.write(x.ring.at, inLeft.data(), frames);
        x.ring.right.write(x.ring.at, inRight.data(), frames);
        x.ring.at += frames;
        row.left = echoes[0];
        row.right = echoes[1];
    }
    double rateHz_, tempo_;
    bool cross_ = false;
    std::vector<Candidate> candidates_;
};

} // namespace

std::unique_ptr<Effect> makeChorus(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Chorus>(graph, setting);
}
std::unique_ptr<Effect> makeFlanger(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<Flanger>(setting);
}
std::unique_ptr<Effect> makeResonator(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Resonator>(graph, setting);
}
std::unique_ptr<Effect> makeDelay(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Delay>(graph, setting);
}

} // namespace facet
