// Effects against theory and published formulas. Sounds pass a single effect behind a plain source.
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/ring.h"
#include "core/engine/effects/time_kernels.h"
#include "core/parameters/field.h"
#include "core/engine/kernels/lanes.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::componentDb;

constexpr double turn = 2.0 * std::numbers::pi;
constexpr int rate = 48000;
using Values = std::vector<std::pair<const char*, double>>;

/// One effect by itself, fed with any sound.
class Bench {
public:
    Bench(ModuleKind kind, const Values& values, const ModuleData& data = {}) {
        graph_.kind = kind;
        for (const auto& d : parametersOf(kind)) graph_.values.push_back(d.defaultValue);
        for (const auto& [name, value] : values)
            graph_.values.at(static_cast<std::size_t>(fieldIndex(kind, name))) = value;
        if (!data.empty()) graph_.data = std::make_shared<const ModuleData>(data);
        effect_ = makeEffect(graph_, {static_cast<double>(rate), 120.0, 1});
        effect_->setValues(0, graph_.values);
    }
    /// What comes out of both sides, the effect alone (its mix is the chain's).
    Recording operator()(const std::vector<float>& left, const std::vector<float>& right) {
        Recording out{rate, {left, right}};
        for (std::size_t at = 0; at < left.size(); at += 16) {
            StereoRow row{};
            const std::size_t count = std::min<std::size_t>(16, left.size() - at);
            std::copy_n(left.begin() + static_cast<std::ptrdiff_t>(at), count, row.left.begin());
            std::copy_n(right.begin() + static_cast<std::ptrdiff_t>(at), count, row.right.begin());
            effect_->process({&row, 1}, static_cast<int>(count));
            std::copy_n(row.left.begin(), count, out.channels[0].begin() + static_cast<std::ptrdiff_t>(at));
            std::copy_n(row.right.begin(), count, out.channels[1].begin() + static_cast<std::ptrdiff_t>(at));
        }
        return out;
    }
    Recording operator()(const std::vector<float>& both) { return (*this)(both, both); }
    Effect& effect() { return *effect_; }

private:
    EffectGraph graph_;
    std::unique_ptr<Effect> effect_;
};

std::vector<float> sine(double hz, double seconds, double amplitude = 1.0) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rate));
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] = static_cast<float>(amplitude * std::sin(turn * hz * static_cast<double>(i) / rate));
    return x;
}

std::vector<float> impulse(double seconds, float amplitude = 1.0f) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rate));
    x[0] = amplitude;
    return x;
}

std::vector<float> noise(double seconds, std::uint64_t seed, double amplitude = 1.0) {
    Random random(seed);
    std::vector<float> x(static_cast<std::size_t>(seconds * rate));
    for (float& v : x) v = static_cast<float>(random.between(-amplitude, amplitude));
    return x;
}

/// Response in dB of an impulse response at a frequency.
double responseDb(const std::vector<float>& h, double hz) {
    std::complex<double> sum = 0.0;
    for (std::size_t i = 0; i < h.size(); ++i)
        sum += static_cast<double>(h[i]) * std::polar(1.0, -turn * hz / rate * static_cast<double>(i));
    return 20.0 * std::log10(std::abs(sum) + 1e-12);
}

double rms(const std::vector<float>& x, double from, double to) {
    double sum = 0.0;
    for (auto i = static_cast<std::size_t>(from * rate); i < static_cast<std::size_t>(to * rate); ++i)
        sum += static_cast<double>(x[i]) * x[i];
    return std::sqrt(sum / ((to - from) * rate));
}

// ---- equalizer ----

/// R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients" (W3C note, 2021): magnitude in dB.
struct Cookbook {
    double b0, b1, b2, a0, a1, a2;
    double db(double hz) const {
        const auto z = std::polar(1.0, -turn * hz / rate);
        return 20.0 * std::log10(std::abs((b0 + b1 * z + b2 * z * z) / (a0 + a1 * z + a2 * z * z)));
    }
    static Cookbook peaking(double hz, double q, double gain) {
        const double A = std::pow(10.0, gain / 40.0), w = turn * hz / rate, alpha = std::sin(w) / (2.0 * q);
        const double c = std::cos(w);
        return {1 + alpha * A, -2 * c, 1 - alpha * A, 1 + alpha / A, -2 * c, 1 - alpha / A};
    }
    static Cookbook shelf(bool high, double hz, double gain) {
        const double A = std::pow(10.0, gain / 40.0), w = turn * hz / rate;
        const double alpha = std::sin(w) / 2.0 * std::numbers::sqrt2; // slope 1
        const double c = high ? -std::cos(w) : std::cos(w), s = high ? -1.0 : 1.0, root = 2.0 * std::sqrt(A) * alpha;
        return {A * ((A + 1) - (A - 1) * c + root), s * 2 * A * ((A - 1) - (A + 1) * c),
                A * ((A + 1) - (A - 1) * c - root), (A + 1) + (A - 1) * c + root,
                s * -2 * ((A - 1) + (A + 1) * c),   (A + 1) + (A - 1) * c - root};
    }
    static Cookbook cut(bool high, double hz) {
        const double w = turn * hz / rate, alpha = std::sin(w) / std::numbers::sqrt2, c = std::cos(w);
        if (high) return {(1 - c) / 2, 1 - c, (1 - c) / 2, 1 + alpha, -2 * c, 1 - alpha};
        return {(1 + c) / 2, -(1 + c), (1 + c) / 2, 1 + alpha, -2 * c, 1 - alpha};
    }
};

TEST(Equalizer, HasTheResponsesOfTheCookbook) {
    const struct {
        Values values;
        Cookbook expected;
    } cases[] = {
        {{{"bell_1", 700}, {"gain_1", 9}, {"q_1", 2}}, Cookbook::peaking(700, 2, 9)},
        {{{"bell_2", 5000}, {"gain_2", -15}, {"q_2", 0.5}}, Cookbook::peaking(5000, 0.5, -15)},
        {{{"low_shelf", 200}, {"low_gain", -8}}, Cookbook::shelf(false, 200, -8)},
        {{{"high_shelf", 6000}, {"high_gain", 12}}, Cookbook::shelf(true, 6000, 12)},
        {{{"low_cut", 150}}, Cookbook::cut(false, 150)},
        {{{"high_cut", 3000}}, Cookbook::cut(true, 3000)},
    };
    for (const auto& c : cases) {
        SCOPED_TRACE(c.values[0].first);
        const auto h = Bench(ModuleKind::equalizer, c.values)(impulse(0.5)).channels[0];
        for (double hz : {40.0, 150.0, 300.0, 700.0, 2000.0, 6000.0, 15000.0})
            EXPECT_NEAR(responseDb(h, hz), c.expected.db(hz), 0.02) << hz; // single precision
    }
}

TEST(Equalizer, PassesEverythingByItself) {
    const auto x = noise(0.1, 1);
    const auto y = Bench(ModuleKind::equalizer, {})(x).channels[0];
    for (std::size_t i = 0; i < x.size(); ++i) ASSERT_NEAR(y[i], x[i], 1e-5f);
}

// ---- curves ----

TEST(Saturation, IsItsCurve) {
    // A slow sine is at every moment what the curve makes of it; measured by the third partial of a clipped sine. For
    // a hard limit at half the amplitude: b_n = 2/π ∫ clip(2 sin x) sin(nx) dx, computed here by the rectangle rule.
    const auto partial = [](int n, auto&& curve) {
        double sum = 0.0;
        constexpr int steps = 20000;
        for (int i = 0; i < steps; ++i) {
            const double x = turn * (i + 0.5) / steps;
            sum += curve(2.0 * std::sin(x)) * std::sin(n * x) * 2.0 / steps;
        }
        return 20.0 * std::log10(std::abs(sum) + 1e-12);
    };
    const auto cubic = [](double x) {
        x = std::clamp(x, -1.5, 1.5);
        return x - 4.0 / 27.0 * x * x * x;
    };
    for (const auto& [which, curve] : std::vector<std::pair<double, std::function<double(double)>>>{
             {1.0, [](double x) { return std::clamp(x, -1.0, 1.0); }}, {2.0, cubic}}) {
        const auto y = Bench(ModuleKind::saturation,
                             {{"curve", which}, {"drive", dbFromGain(2.0)}, {"output", 0.0}})(sine(200, 1.0))
                           .channels[0];
        for (int n : {1, 3, 5})
            EXPECT_NEAR(componentDb(y, 8000, 32768, 200.0 * n, rate), partial(n, curve), 0.1) << which << " " << n;
        EXPECT_LT(componentDb(y, 8000, 32768, 400.0, rate), -80.0) << "an even curve makes odd partials only";
    }
    const auto y =
        Bench(ModuleKind::saturation, {{"drive", 6.0}, {"bias", 50.0}, {"output", 0.0}})(sine(200, 1.0)).channels[0];
    EXPECT_GT(componentDb(y, 8000, 32768, 400.0, rate), -30.0) << "shifted, it makes even ones too";
    EXPECT_LT(componentDb(y, 8000, 32768, 2.0, rate), -60.0) << "and no constant";
}

TEST(Saturation, DoesNotAlias) {
    // 5 kHz driven 12 dB beyond: the partials beyond half the rate fold to 13, 8, 3 kHz, where nothing else lies.
    for (double curve : {0.0, 2.0}) {
        const auto y = Bench(ModuleKind::saturation, {{"curve", curve}, {"drive", 12}, {"output", 0}})(sine(5000, 1.0))
                           .channels[0];
        for (double hz : {3000.0, 8000.0, 13000.0})
            EXPECT_LT(componentDb(y, 8000, 32768, hz, rate), -65.0) << curve << " " << hz;
    }
}

TEST(Folding, BringsBackWhatGoesBeyond) {
    // sin(π/2 · a sin x) has partials 2 J_n(π a / 2), n odd: M. Abramowitz, I. Stegun, Handbook of Mathematical
    // Functions, 1964, 9.1.43. For a = 2: J_1(π) = 0.2846153432, J_3(π) = 0.3334583362 (computed by its series).
    const auto bessel = [](int n, double x) {
        double term = std::pow(x / 2.0, n) / std::tgamma(n + 1.0), sum = 0.0;
        for (int k = 0; k < 40; ++k) {
            sum += term;
            term *= -x * x / 4.0 / ((k + 1.0) * (k + 1.0 + n));
        }
        return sum;
    };
    const auto y = Bench(ModuleKind::folding, {{"curve", 1}, {"drive", dbFromGain(2.0)}, {"output", 0}})(sine(200, 1.0))
                       .channels[0];
    for (int n : {1, 3, 5})
        EXPECT_NEAR(componentDb(y, 8000, 32768, 200.0 * n, rate),
                    dbFromGain(2.0 * std::abs(bessel(n, std::numbers::pi))), 0.1)
            << n;
}

TEST(Reduction, LeavesTheNoiseOfItsBits) {
    // A full-scale sine over quantization noise: 6.02 b + 1.76 dB (W. R. Bennett, "Spectra of quantized signals", Bell
    // System Technical Journal 27, 1948; b the bits of a two-sided quantizer).
    for (double bits : {6.0, 8.0, 12.0}) {
        const auto x = sine(997.3, 2.0);
        const auto y = Bench(ModuleKind::reduction, {{"bits", bits}})(x).channels[0];
        double error = 0.0, signal = 0.0;
        for (std::size_t i = 0; i < x.size(); ++i) {
            error += std::pow(static_cast<double>(y[i]) - x[i], 2.0);
            signal += static_cast<double>(x[i]) * x[i];
        }
        EXPECT_NEAR(10.0 * std::log10(signal / error), 6.02 * bits + 1.76, 0.5) << bits;
    }
}

TEST(Reduction, HoldsItsSamples) {
    // Held for a twelfth of a ms, 1 kHz has an image at 12 − 1 kHz, by sinc(11/12) / sinc(1/12) below it.
    const auto y = Bench(ModuleKind::reduction, {{"bits", 24}, {"rate", 12000}})(sine(1000, 1.0)).channels[0];
    const auto heldDb = [](double share) {
        return 20.0 * std::log10(std::sin(std::numbers::pi * share) / (std::numbers::pi * share));
    };
    EXPECT_NEAR(componentDb(y, 4000, 32768, 11000, rate) - componentDb(y, 4000, 32768, 1000, rate),
                // staircases of four samples, not of continuous time: sin(4x)/sin(x) instead of sin(x)/x
                20.0 * std::log10(std::abs(std::sin(turn * 11.0 / 96.0 * 4.0) / std::sin(turn * 11.0 / 96.0) /
                                           (std::sin(turn * 1.0 / 96.0 * 4.0) / std::sin(turn * 1.0 / 96.0)))),
                0.1);
    EXPECT_LT(heldDb(11.0 / 12.0), heldDb(1.0 / 12.0));
}

// ---- dynamics ----

TEST(Compressor, HasItsStaticCurve) {
    // A constant is its own peak. Outside the knee: T + (x − T)/R; in its middle the knee lifts by (1 − 1/R) W/8 less.
    for (double in : {-40.0, -21.0, -18.0, -15.0, -6.0, 0.0}) {
        const std::vector<float> x(rate, static_cast<float>(gainFromDb(in)));
        const auto y = Bench(ModuleKind::compressor, {{"threshold", -18}, {"ratio", 4}, {"knee", 6}})(x).channels[0];
        const double over = in + 18.0;
        const double reduction = 0.75 * (over <= -3.0 ? 0.0 : over >= 3.0 ? over : (over + 3.0) * (over + 3.0) / 12.0);
        EXPECT_NEAR(dbFromGain(y.back()), in - reduction, 0.02) << in;
    }
}

TEST(Compressor, TakesItsTimes) {
    std::vector<float> x(2 * rate, 0.01f);
    std::fill(x.begin() + 24000, x.begin() + 72000, 1.0f);
    const auto y = Bench(ModuleKind::compressor,
                         {{"threshold", -20}, {"ratio", 20}, {"knee", 0}, {"attack", 30}, {"release", 200}})(x)
                       .channels[0];
    const double full = 19.0; // dB: 20 above, by 1 − 1/20
    const auto reductionAt = [&](std::size_t i) { return dbFromGain(x[i]) - dbFromGain(y[i]); };
    EXPECT_NEAR(reductionAt(24000 + 1440), full * (1.0 - std::exp(-1.0)), 0.3) << "after 30 ms of attack";
    EXPECT_NEAR(reductionAt(71990), full, 0.05);
    // Attack and release follow each other: the sum of both times, minus what the quicker one takes away.
    const double t = 0.2, a = 0.03;
    const double left = (t * std::exp(-1.0) - a * std::exp(-t / a)) / (t - a);
    EXPECT_NEAR(reductionAt(72000 + 9600), full * left, 0.4) << "after 200 ms of release";
}

TEST(Limiter, LetsNothingBeyond) {
    auto x = noise(1.0, 3, 4.0);
    const auto y = Bench(ModuleKind::limiter, {{"drive", 12}, {"ceiling", -3}, {"release", 50}})(x, noise(1.0, 4, 1.0));
    const float ceiling = static_cast<float>(gainFromDb(-3));
    float peak = 0.0f;
    for (const auto& channel : y.channels)
        for (float v : channel) peak = std::max(peak, std::abs(v));
    EXPECT_LE(peak, ceiling);
    EXPECT_GT(peak, 0.98f * ceiling);
    const auto quiet = sine(440, 0.3, 0.1);
    const auto same = Bench(ModuleKind::limiter, {{"ceiling", -3}})(quiet).channels[0];
    for (std::size_t i = 0; i < quiet.size(); ++i) ASSERT_NEAR(same[i], quiet[i], 1e-6f);
}

TEST(BandCompressor, WorksOnEachBandByItself) {
    // A loud low tone and a soft high one: down on the one, up on the other.
    auto x = sine(60, 2.0, 1.0);
    const auto high = sine(6000, 2.0, 0.003);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += high[i];
    const auto y = Bench(ModuleKind::bandCompressor, {{"down_threshold", -20},
                                                      {"down_ratio", 20},
                                                      {"up_threshold", -30},
                                                      {"up_ratio", 2},
                                                      {"attack", 0},
                                                      {"release", 1000}})(x)
                       .channels[0];
    const auto gain = [&](double hz) {
        return componentDb(y, 40000, 32768, hz, rate) - componentDb(x, 40000, 32768, hz, rate);
    };
    EXPECT_NEAR(gain(60), -19.0, 1.5);
    EXPECT_NEAR(gain(6000), (-30.0 - dbFromGain(0.003)) * 0.5, 1.5);
}

TEST(BandCompressor, HasThresholdsOfEachBand) {
    // Three tones, equally far above and below; each band's own threshold decides.
    auto x = sine(30, 2.0, 0.5); // far from the splits, so that little of a tone passes its neighbors' bands
    for (const auto& [hz, amplitude] : {std::pair{500.0, 0.25}, std::pair{9000.0, 0.003}}) {
        const auto more = sine(hz, 2.0, amplitude);
        for (std::size_t i = 0; i < x.size(); ++i) x[i] += more[i];
    }
    const auto gainsWith = [&](const Values& values) {
        const auto y = Bench(ModuleKind::bandCompressor, values)(x).channels[0];
        std::array<double, 3> gains{};
        for (std::size_t i = 0; i < 3; ++i) {
            const double hz = std::array{30.0, 500.0, 9000.0}[i];
            gains[i] = componentDb(y, 40000, 32768, hz, rate) - componentDb(x, 40000, 32768, hz, rate);
        }
        return gains;
    };
    Values values{{"down_threshold", -18}, {"down_ratio", 20}, {"up_threshold", -48},
                  {"up_ratio", 2},         {"attack", 0},      {"release", 200}};
    const auto alike = gainsWith(values);
    values.insert(values.end(), {{"low_down", -6}, {"mid_down", 24}, {"high_up", 12}});
    const auto apart = gainsWith(values);
    EXPECT_NEAR(apart[0] - alike[0], -6.0 * 0.95, 0.5); // 6 dB more above its threshold, at 20 : 1
    EXPECT_NEAR(apart[1], 0.0, 0.3);                    // all of it lies below now
    EXPECT_NEAR(apart[2] - alike[2], 6.0, 0.5);         // 12 dB more below its threshold, at 2 : 1
}

TEST(BandCompressor, SumsItsBandsToAnAllPass) {
    const auto h = Bench(ModuleKind::bandCompressor, {{"down_ratio", 1}, {"up_ratio", 1}})(impulse(0.5)).channels[0];
    for (double hz : {50.0, 160.0, 600.0, 2500.0, 9000.0}) EXPECT_NEAR(responseDb(h, hz), 0.0, 0.02) << hz;
    // Each band by itself, at its edge: −6 dB (Linkwitz 1976).
    const auto low =
        Bench(ModuleKind::bandCompressor, {{"down_ratio", 1}, {"mid_gain", -36}, {"high_gain", -36}})(impulse(0.5))
            .channels[0];
    EXPECT_NEAR(responseDb(low, 20.0), 0.0, 0.15);
    EXPECT_NEAR(responseDb(low, 160.0), -6.0, 0.4); // the middle band is not wholly gone
}

TEST(BandWidth, NarrowsTheLowEndAlone) {
    const auto left = noise(2.0, 5), right = noise(2.0, 6);
    const auto y = Bench(ModuleKind::width, {{"low", 0}, {"low_split", 200}})(left, right);
    std::vector<float> side(left.size()), before(left.size());
    for (std::size_t i = 0; i < side.size(); ++i) {
        side[i] = 0.5f * (y.channels[0][i] - y.channels[1][i]);
        before[i] = 0.5f * (left[i] - right[i]);
    }
    const auto power = [&](const std::vector<float>& x, double hz) {
        double sum = 0.0;
        for (double f = 0.8 * hz; f < 1.2 * hz; f += 0.01 * hz)
            sum += std::pow(10.0, componentDb(x, 8000, 65536, f, rate) / 10.0);
        return 10.0 * std::log10(sum);
    };
    EXPECT_LT(power(side, 60) - power(before, 60), -30.0);
    EXPECT_NEAR(power(side, 1500) - power(before, 1500), 0.0, 0.3);
    const auto same = Bench(ModuleKind::width, {})(impulse(0.3), std::vector<float>(14400));
    for (double hz : {50.0, 500.0, 8000.0}) {
        EXPECT_NEAR(responseDb(same.channels[0], hz), 0.0, 0.02);
        EXPECT_LT(responseDb(same.channels[1], hz), -60.0) << "what is left stays left";
    }
}

// ---- shift ----

TEST(FrequencyShift, MovesEveryPartialAlike) {
    for (double shift : {150.0, -150.0}) {
        const auto y = Bench(ModuleKind::shifter, {{"shift", shift}})(sine(1000, 1.0)).channels[0];
        EXPECT_NEAR(componentDb(y, 8000, 32768, 1000 + shift, rate), 0.0, 0.05);
        EXPECT_LT(componentDb(y, 8000, 32768, 1000 - shift, rate), -60.0) << "the other side band";
        EXPECT_LT(componentDb(y, 8000, 32768, 1000, rate), -60.0);
    }
}

// ---- filters ----

TEST(PostFilter, IsTheLayersFilterForAllNotes) {
    const auto h = Bench(ModuleKind::postFilter, {{"cutoff", 1000}})(impulse(0.5)).channels[0];
    // Butterworth of fourth order, by the bilinear transform: 1 / √(1 + (tan/tan)^8).
    for (double hz : {300.0, 1000.0, 2000.0, 6000.0}) {
        const double ratio = std::tan(std::numbers::pi * hz / rate) / std::tan(std::numbers::pi * 1000.0 / rate);
        EXPECT_NEAR(responseDb(h, hz), -10.0 * std::log10(1.0 + std::pow(ratio, 8.0)), 0.3) << hz;
    }
}

TEST(Phaser, NotchesWhereItsAllPassesTurnByHalfACycle) {
    // n first-order all-passes turn by n × 2 atan(f/fc), and cancel the dry sound at odd multiples of half a cycle.
    const auto wet = Bench(ModuleKind::phaser,
                           {{"stages", 4}, {"rate", 0}, {"center", 1000}, {"depth", 0}, {"feedback", 0}})(impulse(0.5))
                         .channels[0];
    auto half = wet;
    half[0] += 1.0f;
    for (double degrees : {180.0, 540.0}) {
        const double hz = rate / std::numbers::pi *
                          std::atan(std::tan(std::numbers::pi * 1000.0 / rate) *
                                    std::tan(degrees / 4.0 / 2.0 * std::numbers::pi / 180.0));
        EXPECT_LT(responseDb(half, hz), -40.0) << hz;
        EXPECT_NEAR(responseDb(wet, hz), 0.0, 0.02);
    }
}

TEST(Phaser, StandsStillAtRateZeroWithItsSidesApart) {
    const auto y = Bench(
        ModuleKind::phaser,
        {{"stages", 2}, {"rate", 0}, {"center", 1000}, {"depth", 12}, {"feedback", 0}, {"phase", 90}, {"sides", 180}})(
        impulse(0.5));
    // A quarter of a cycle on: an octave up on the left, half a cycle further on the right an octave down. Two stages
    // cancel the dry sound at their frequency.
    auto left = y.channels[0], right = y.channels[1];
    left[0] += 1.0f;
    right[0] += 1.0f;
    EXPECT_LT(responseDb(left, 2000.0), -35.0);
    EXPECT_LT(responseDb(right, 500.0), -35.0);
}

// ---- delays ----

TEST(Delay, EchoesToTheSample) {
    const auto y = Bench(ModuleKind::delay, {{"time", 125}, {"feedback", 50}, {"offset", 10}})(impulse(1.0));
    for (int side = 0; side < 2; ++side) {
        const auto& x = y.channels[static_cast<std::size_t>(side)];
        const int time = 6000 + side * 480;
        for (int n = 1; n <= 4; ++n)
            EXPECT_NEAR(x[static_cast<std::size_t>(n * time)], std::pow(0.5, n - 1), 1e-5) << n;
        double others = 0.0;
        for (std::size_t i = 0; i < x.size(); ++i)
            if (static_cast<int>(i) % time != 0) others = std::max(others, static_cast<double>(std::abs(x[i])));
        EXPECT_LT(others, 1e-6);
    }
}

TEST(Delay, LastsANoteValueAndChangesSides) {
    // A dotted eighth at 120 beats per minute: 3/4 × 500 ms = 375 ms.
    const auto y =
        Bench(ModuleKind::delay, {{"timing", 1}, {"beats", 12}, {"feedback", 60}, {"cross", 1}})(impulse(1.6));
    EXPECT_NEAR(y.channels[0][18000], 1.0f, 1e-5f);
    EXPECT_NEAR(y.channels[1][36000], 0.6f, 1e-5f);
    EXPECT_NEAR(y.channels[0][54000], 0.36f, 1e-5f);
    EXPECT_NEAR(y.channels[1][18000], 0.0f, 1e-6f);
}

TEST(Delay, MayCrossFromBothSidesAtEqualLevel) {
    // Each side's first echo comes out where it went in, the next on the other side, both as loud as the other's.
    const std::vector<float> silence(76800, 0.0f);
    Bench delay(ModuleKind::delay, {{"time", 100}, {"feedback", 50}, {"cross", 1}, {"begin", 1}});
    const auto left = delay(impulse(1.6), silence);
    Bench other(ModuleKind::delay, {{"time", 100}, {"feedback", 50}, {"cross", 1}, {"begin", 1}});
    const auto right = other(silence, impulse(1.6));
    for (int n = 1; n <= 4; ++n) {
        const auto at = static_cast<std::size_t>(4800 * n);
        const std::size_t side = n % 2 == 1 ? 0 : 1;
        EXPECT_NEAR(left.channels[side][at], std::pow(0.5, n - 1), 1e-5) << n;
        EXPECT_NEAR(left.channels[1 - side][at], 0.0f, 1e-6f) << n;
        EXPECT_NEAR(right.channels[1 - side][at], left.channels[side][at], 1e-6f) << n;
    }
}

TEST(Delay, DarkensEveryEcho) {
    const auto y =
        Bench(ModuleKind::delay, {{"time", 100}, {"feedback", 70}, {"high_cut", 2000}})(impulse(1.0)).channels[0];
    const auto echo = [&](int n) { return std::vector<float>(y.begin() + n * 4800 - 10, y.begin() + n * 4800 + 2400); };
    const double once = responseDb(echo(1), 8000) - responseDb(echo(1), 100);
    const double thrice = responseDb(echo(3), 8000) - responseDb(echo(3), 100);
    EXPECT_LT(once, -9.0);
    EXPECT_NEAR(thrice, 3.0 * once, 1.0);
}

TEST(Delay, StaysBoundedAtAnyFeedback) {
    const auto y = Bench(ModuleKind::delay, {{"time", 5}, {"feedback", 110}})(noise(4.0, 9));
    for (float v : y.channels[0]) ASSERT_LE(std::abs(v), 17.0f);
}

TEST(MovingDelay, ReadsASineWhereItStands) {
    constexpr double cyclesPerSample = 0.01;
    const auto sine = [&](double sample) { return std::sin(2.0 * std::numbers::pi * cyclesPerSample * sample); };
    Ring ring(1000);
    for (int i = 0; i < 3000; ++i) ring.write(i, static_cast<float>(sine(i)));
    constexpr int at = 2900, frames = 16;
    // From standing to faster than the tape runs.
    for (double way : {0.0, 0.1, -0.1, 0.5, -0.9, 5.0, -5.0, 11.0, 14.0, -14.0}) {
        const double from = 400.3, to = from + way;
        float out[frames] = {};
        kernels::addDelayed(ring, at, from, to, 0.5f, frames, out);
        for (int i = 0; i < frames; ++i)
            ASSERT_NEAR(out[i], 0.5 * sine(at + i - (from + way * i / frames)), 2e-5) << way << " at " << i;
    }
}

TEST(Chorus, DetunesByItsDepthAndRate) {
    // A delay that moves as d sin(2π r t) changes the pitch by up to 2π r d: 0.5 Hz and 4 ms make 21.8 cents.
    const auto y =
        Bench(ModuleKind::chorus, {{"voices", 2}, {"rate", 0.5}, {"depth", 4}, {"spread", 100}})(sine(1000, 4.0))
            .channels[0];
    // Fully spread, the left side is one copy. Its pitch by the time between zero crossings.
    double lowest = 1e9, highest = 0.0, last = -1.0;
    for (std::size_t i = 9600; i + 1 < y.size(); ++i) {
        if (!(y[i] < 0.0f && y[i + 1] >= 0.0f)) continue;
        const double at = static_cast<double>(i) + y[i] / (y[i] - y[i + 1]);
        if (last > 0.0) {
            lowest = std::min(lowest, rate / (at - last));
            highest = std::max(highest, rate / (at - last));
        }
        last = at;
    }
    const double cents = 1200.0 * std::log2(highest / 1000.0);
    EXPECT_NEAR(cents, 1200.0 * std::log2(1.0 + turn * 0.5 * 0.004), 0.7);
    EXPECT_NEAR(1200.0 * std::log2(lowest / 1000.0), -cents, 0.7);
}

TEST(Chorus, MovesItsRightSideAtARateOfItsOwn) {
    // Fully spread, either side is one copy: its delay is over a cycle when its pitch has gone up and down once.
    const auto y =
        Bench(ModuleKind::chorus,
              {{"voices", 2}, {"rate", 0.5}, {"right_rate", 300}, {"depth", 4}, {"spread", 100}})(sine(1000, 6.0));
    const auto highestCents = [&](const std::vector<float>& x) {
        double highest = 0.0, last = -1.0;
        for (std::size_t i = 9600; i + 1 < x.size(); ++i) {
            if (!(x[i] < 0.0f && x[i + 1] >= 0.0f)) continue;
            const double at = static_cast<double>(i) + x[i] / (x[i] - x[i + 1]);
            if (last > 0.0) highest = std::max(highest, rate / (at - last));
            last = at;
        }
        return 1200.0 * std::log2(highest / 1000.0);
    };
    // The change of pitch grows with the rate: 2π r d.
    EXPECT_NEAR(highestCents(y.channels[0]), 1200.0 * std::log2(1.0 + turn * 0.5 * 0.004), 0.7);
    EXPECT_NEAR(highestCents(y.channels[1]), 1200.0 * std::log2(1.0 + turn * 1.5 * 0.004), 1.5);
}

TEST(Chorus, KeepsThePower) {
    // The interpolation between samples loses treble near half the rate: noise below.
    auto x = noise(3.0, 11);
    for (std::size_t i = x.size() - 1; i >= 4; --i) x[i] = 0.25f * (x[i] + x[i - 1] + x[i - 2] + x[i - 3]);
    for (double voices : {2.0, 4.0, 8.0}) {
        const auto y = Bench(ModuleKind::chorus, {{"voices", voices}, {"depth", 3}, {"spread", 0}})(x).channels[0];
        EXPECT_NEAR(20.0 * std::log10(rms(y, 0.5, 3.0) / rms(x, 0.5, 3.0)), 0.0, 0.7) << voices;
    }
}

TEST(Flanger, HasTheTeethOfItsDelay) {
    const auto wet =
        Bench(ModuleKind::flanger, {{"delay", 2}, {"depth", 0}, {"rate", 0}, {"feedback", 0}})(impulse(0.2))
            .channels[0];
    auto half = wet;
    half[0] += 1.0f;
    EXPECT_NEAR(responseDb(half, 1000.0), 6.02, 0.05); // 2 ms: two cycles
    EXPECT_LT(responseDb(half, 750.0), -40.0);
    const auto fed =
        Bench(ModuleKind::flanger, {{"delay", 2}, {"depth", 0}, {"rate", 0}, {"feedback", 80}})(impulse(1.0))
            .channels[0];
    EXPECT_NEAR(responseDb(fed, 1000.0), 20.0 * std::log10(1.0 / (1.0 - 0.8)), 0.1);
    EXPECT_NEAR(responseDb(fed, 750.0), 20.0 * std::log10(1.0 / (1.0 + 0.8)), 0.1);
}

TEST(Resonator, RingsInTuneForItsTime) {
    for (double damping : {20000.0, 3000.0}) {
        auto x = noise(0.02, 13);
        x.resize(2 * rate);
        const auto z =
            Bench(ModuleKind::resonator, {{"pitch", 311.1}, {"decay", 800}, {"damping", damping}})(x).channels[0];
        double best = -300.0, at = 0.0;
        for (double hz = 306.0; hz < 316.0; hz += 0.05)
            if (const double db = componentDb(z, 4800, 16384, hz, rate); db > best) best = db, at = hz;
        EXPECT_NEAR(1200.0 * std::log2(at / 311.1), 0.0, 2.0) << damping;
        const double fall = componentDb(z, 4800, 8192, 311.1, rate) - componentDb(z, 4800 + 19200, 8192, 311.1, rate);
        EXPECT_NEAR(fall, 60.0 * 0.4 / 0.8, 1.5) << damping;
    }
    auto x = noise(0.02, 13);
    x.resize(rate);
    const auto odd = Bench(ModuleKind::resonator, {{"pitch", 200}, {"odd", 1}, {"damping", 20000}})(x).channels[0];
    EXPECT_GT(componentDb(odd, 9600, 16384, 600, rate), componentDb(odd, 9600, 16384, 400, rate) + 30.0);
}

// ---- rooms ----

/// Reverberation time by the slope of the backward integral from −5 to −35 dB (M. R. Schroeder, "New method of
/// measuring reverberation time", J. Acoust. Soc. Am. 37, 1965; range of ISO 3382-1), in a band of so many octaves.
double decaySeconds(const std::vector<float>& x, double hz, double octaves = 1.0) {
    int size = 1;
    while (size < static_cast<int>(x.size())) size *= 2;
    RealFft fft(size);
    std::fill(fft.time().begin(), fft.time().end(), 0.0f);
    std::copy(x.begin(), x.end(), fft.time().begin());
    fft.forward();
    for (int b = 0; b < fft.binCount(); ++b) {
        const double away = std::abs(std::log2(std::max(1, b) * static_cast<double>(rate) / size / hz)) / octaves;
        fft.bins()[static_cast<std::size_t>(b)] *= away >= 1.0 ? 0.0f : static_cast<float>(std::cos(away * turn / 4.0));
    }
    fft.inverse();
    std::vector<double> left(x.size() + 1, 0.0);
    for (std::size_t i = x.size(); i-- > 0;)
        left[i] = left[i + 1] + std::pow(static_cast<double>(fft.time()[i]) / size, 2.0);
    const auto firstBelow = [&](double db) {
        for (std::size_t i = 0; i < x.size(); ++i)
            if (left[i] < left[0] * std::pow(10.0, db / 10.0)) return static_cast<double>(i) / rate;
        return 1e9;
    };
    return 2.0 * (firstBelow(-35.0) - firstBelow(-5.0));
}

TEST(Reverb, FallsBy60DecibelsInItsTime) {
    for (const auto& [size, decay] : {std::pair(8.0, 400.0), {35.0, 1500.0}, {35.0, 300.0}, {90.0, 4000.0}}) {
        const auto y =
            Bench(ModuleKind::reverb, {{"size", size}, {"decay", decay}, {"damping", 20000}, {"movement", 0}})(
                impulse(1.3 * decay / 1000.0 + 0.3))
                .channels[0];
        for (double hz : {500.0, 1000.0, 4000.0})
            EXPECT_NEAR(decaySeconds(y, hz), decay / 1000.0, 0.1 * decay / 1000.0) << size << " " << decay << " " << hz;
    }
}

TEST(Reverb, FallsTwiceAsFastAtItsDamping) {
    const auto y =
        Bench(ModuleKind::reverb, {{"size", 30}, {"decay", 2000}, {"damping", 5000}, {"movement", 0}})(impulse(2.8))
            .channels[0];
    EXPECT_NEAR(decaySeconds(y, 5000, 0.1), 1.0, 0.1);
    EXPECT_NEAR(decaySeconds(y, 500), 2.0, 0.2);
}

TEST(Reverb, BeginsAfterItsPreDelayAndIsWide) {
    const auto y = Bench(ModuleKind::reverb, {{"size", 30}, {"pre_delay", 100}, {"movement", 0}})(impulse(2.0));
    std::size_t first = 0;
    while (std::abs(y.channels[0][first]) < 1e-4f) ++first;
    EXPECT_GT(first, 4800u);
    EXPECT_LT(first, 4800u + 1200u);
    double both = 0.0, left = 0.0, right = 0.0;
    for (std::size_t i = 9600; i < y.channels[0].size(); ++i) {
        both += static_cast<double>(y.channels[0][i]) * y.channels[1][i];
        left += std::pow(y.channels[0][i], 2.0);
        right += std::pow(y.channels[1][i], 2.0);
    }
    EXPECT_LT(std::abs(both / std::sqrt(left * right)), 0.25);
    const auto mono = Bench(ModuleKind::reverb, {{"spread", 0}, {"movement", 0}})(impulse(0.5));
    EXPECT_EQ(mono.channels[0], mono.channels[1]);
}

TEST(Response, IsADirectConvolution) {
    for (int length : {1, 100, 128, 1000, 20000}) {
        ModuleData data;
        data.sample = noise(1.0, 17);
        data.sample.resize(static_cast<std::size_t>(length));
        double energy = 0.0;
        for (std::size_t i = 0; i < data.sample.size(); ++i) {
            data.sample[i] *= static_cast<float>(std::exp(-3.0 * static_cast<double>(i) / length));
            energy += static_cast<double>(data.sample[i]) * data.sample[i];
        }
        const auto x = noise(0.6, 18);
        const auto y = Bench(ModuleKind::response, {{"kind", 0}}, data)(x).channels[0];
        for (std::size_t t = 0; t < x.size(); t += 977) {
            double sum = 0.0;
            for (std::size_t k = 0; k <= std::min(t, data.sample.size() - 1); ++k)
                sum += static_cast<double>(data.sample[k]) * x[t - k];
            ASSERT_NEAR(y[t], sum / std::sqrt(energy), 2e-5) << length << " at " << t;
        }
    }
}

TEST(Response, OfASpeakerIsABandOfFourthOrder) {
    const auto h = Bench(ModuleKind::response, {{"low", 400}, {"high", 3000}})(impulse(0.5)).channels[0];
    EXPECT_NEAR(responseDb(h, 400), -3.01, 0.15);
    EXPECT_NEAR(responseDb(h, 3000), -3.01, 0.15);
    EXPECT_NEAR(responseDb(h, 1100), 0.0, 0.1);
    EXPECT_NEAR(responseDb(h, 100) - responseDb(h, 50), 24.0, 0.5);
}

TEST(Flanger, IsTheSameWhetherItComesBackWithinABlockOrAfterIt) {
    // A comb that is fed back: poles at all multiples of 1/τ, whatever τ (J. O. Smith, Physical Audio Signal
    // Processing, feedback comb filters).
    for (const double ms : {0.2, 0.35, 0.5, 1.0, 4.0, 11.0}) {
        const auto fed =
            Bench(ModuleKind::flanger, {{"delay", ms}, {"depth", 0}, {"rate", 0}, {"feedback", 70}})(impulse(1.0))
                .channels[0];
        const double hz = 1000.0 / ms, peak = hz <= 3000.0 ? std::ceil(500.0 / hz) * hz : hz;
        EXPECT_NEAR(responseDb(fed, peak), 20.0 * std::log10(1.0 / (1.0 - 0.7)), 0.3) << ms;
        EXPECT_NEAR(responseDb(fed, peak - 0.5 * hz), 20.0 * std::log10(1.0 / (1.0 + 0.7)), 0.3) << ms;
    }
}

} // namespace
} // namespace facet
