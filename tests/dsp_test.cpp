#include "core/base/units.h"
#include "core/dsp/envelope.h"
#include "core/dsp/exponential.h"
#include "core/dsp/fft.h"
#include "core/dsp/evolution.h"
#include "core/dsp/least_squares.h"
#include "core/dsp/loudness.h"
#include "core/dsp/low_pass.h"
#include "core/dsp/mel.h"
#include "core/dsp/resample.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/window.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

double sine(double hz, double t) { return std::sin(2.0 * std::numbers::pi * hz * t); }

TEST(Fft, FindsASineAndComesBack) {
    RealFft fft(1024);
    for (int i = 0; i < 1024; ++i) fft.time()[static_cast<std::size_t>(i)] = static_cast<float>(sine(10.0, i / 1024.0));
    fft.forward();
    EXPECT_NEAR(std::abs(fft.bins()[10]), 512.0, 1e-2);
    EXPECT_NEAR(std::abs(fft.bins()[11]), 0.0, 1e-2);
    fft.inverse();
    EXPECT_NEAR(fft.time()[25] / 1024.0, sine(10.0, 25 / 1024.0), 1e-5);
}

TEST(Windows, HaveHarrisFigures) {
    // F. J. Harris, Proc. IEEE 66(1), 1978, table I: coherent gain and equivalent noise bandwidth in bins of Hann
    // (0.50, 1.50) and four-term Blackman-Harris (0.36, 2.00).
    const auto figures = [](const std::vector<float>& w) {
        double sum = 0.0, square = 0.0;
        for (float v : w) {
            sum += v;
            square += static_cast<double>(v) * v;
        }
        const double n = static_cast<double>(static_cast<int>(w.size()));
        return std::pair(sum / n, n * square / (sum * sum));
    };
    const auto hann = figures(hannWindow(4096));
    EXPECT_NEAR(hann.first, 0.50, 0.005);
    EXPECT_NEAR(hann.second, 1.50, 0.005);
    const auto harris = figures(blackmanHarrisWindow(4096));
    EXPECT_NEAR(harris.first, 0.36, 0.005);
    EXPECT_NEAR(harris.second, 2.00, 0.01);
}

TEST(Windows, CutFramesWithSilenceBeyondTheEnds) {
    const std::vector<float> sound{1, 2, 3, 4};
    const std::vector<float> window{1, 1, 1};
    std::vector<float> frame(5, 9.0f);
    windowedFrame(sound, 1, window, frame);
    EXPECT_EQ(frame, (std::vector<float>{2, 3, 4, 0, 0}));
    windowedFrame(sound, -2, window, frame);
    EXPECT_EQ(frame, (std::vector<float>{0, 0, 1, 0, 0}));
    windowedFrame(sound, 3, window, frame);
    EXPECT_EQ(frame, (std::vector<float>{4, 0, 0, 0, 0}));
    windowedFrame(sound, 7, window, frame);
    EXPECT_EQ(frame, (std::vector<float>(5, 0.0f)));
    windowedFrame(sound, -9, window, frame);
    EXPECT_EQ(frame, (std::vector<float>(5, 0.0f)));
}

TEST(Resampling, KeepsASineASine) {
    const auto input = testing::soundOf(0.5, 44100, [](double t) { return sine(1000.0, t); }).channels[0];
    const auto output = resample(input, 44100, 48000);
    ASSERT_EQ(output.size(), 24000u);
    for (std::size_t i = 4000; i < 20000; i += 7) // away from the ends; 24 bits of accuracy is soxr's own promise
        ASSERT_NEAR(output[i], sine(1000.0, static_cast<double>(i) / 48000.0), 1e-5);
    EXPECT_EQ(resample(input, 44100, 48000, 123).size(), 123u);
}

TEST(Mel, BandsAreMeansAndNeverEmpty) {
    const MelBank bank(128, 20.0, 20000.0, 2048, 48000.0);
    const std::vector<float> flat(1025, 3.0f);
    std::vector<float> out(128);
    bank.apply(flat, out);
    for (float v : out) EXPECT_NEAR(v, 3.0f, 1e-5f);
    EXPECT_NEAR(melFromHz(1000.0), 1000.0, 0.1); // the scale's anchor (O'Shaughnessy 1987)
    EXPECT_NEAR(hzFromMel(melFromHz(4321.0)), 4321.0, 1e-6);
}

TEST(Loudness, GivesTheStandardsFigures) {
    // ITU-R BS.1770-4, annex 1: a 0 dBFS 997 Hz sine in one front channel reads -3.01 LKFS.
    const auto full = testing::soundOf(3.0, 48000, [](double t) { return sine(997.0, t); });
    EXPECT_NEAR(integratedLoudness(full.channels, 48000), -3.01, 0.05);
    EXPECT_NEAR(activeLoudness(full.channels), -3.01, 0.05);
    // EBU Tech 3341, test case 1: stereo 1 kHz sine at -23 dBFS peak per channel reads -23 LUFS.
    const auto quiet =
        testing::soundOf(20.0, 48000, [](double t) { return gainFromDb(-23.0) * sine(1000.0, t); }).channels[0];
    const std::vector<std::vector<float>> stereo{quiet, quiet};
    EXPECT_NEAR(integratedLoudness(stereo, 48000), -23.0, 0.1);
    EXPECT_NEAR(activeLoudness(stereo), -23.0, 0.1);
    EXPECT_EQ(integratedLoudness(std::vector<std::vector<float>>{std::vector<float>(48000, 0.0f)}, 48000), silenceDb);
}

TEST(Loudness, OfAShortSoundIsThatOfALongOne) {
    const auto brief = testing::soundOf(0.15, 48000, [](double t) { return sine(997.0, t); });
    EXPECT_NEAR(integratedLoudness(brief.channels, 48000), -3.01, 0.3);
}

TEST(VectorMath, DecibelsAreLogarithms) {
    std::vector<float> power;
    for (int i = 0; i < 1003; ++i) power.push_back(static_cast<float>(std::pow(10.0, -12.0 + 0.013 * i)));
    std::vector<float> db(power.size());
    decibelsAbove(power.data(), 1e-9f, db.data(), static_cast<int>(power.size()));
    for (std::size_t i = 0; i < power.size(); ++i)
        ASSERT_NEAR(db[i], 10.0 * std::log10(static_cast<double>(power[i]) + 1e-9), 2e-5); // floats of some tens
}

TEST(VectorMath, SumsTheTailToo) {
    std::vector<float> a(37), b(37), out(37);
    for (std::size_t i = 0; i < 37; ++i) {
        a[i] = static_cast<float>(i);
        b[i] = 2.0f;
    }
    EXPECT_FLOAT_EQ(dotProduct(a.data(), b.data(), 37), 1332.0f);
    EXPECT_FLOAT_EQ(multiplyByWindow(a.data(), b.data(), out.data(), 37), 4.0f * 16206.0f); // 4 Σ i², i < 37
    EXPECT_FLOAT_EQ(out[36], 72.0f);
}

TEST(EnvelopeCurve, KeepsItsTimes) {
    const EnvelopeShape shape{.attack = 0.01, .decay = 0.1, .sustain = 0.4, .release = 0.05};
    Envelope envelope;
    envelope.start();
    std::vector<float> out(48000);
    envelope.advance(shape, 1.0 / 48000.0, 12000, out.data());
    envelope.release();
    envelope.advance(shape, 1.0 / 48000.0, 12000, out.data() + 12000);
    const auto at = [&](double seconds) { return out[static_cast<std::size_t>(std::lround(seconds * 48000))]; };
    EXPECT_NEAR(at(0.005), 0.5, 1e-3);
    EXPECT_NEAR(at(0.01), 1.0, 2e-3);
    EXPECT_NEAR(at(0.01 + 0.1 * shape.decayCurve.timeConstantShare()), 1.0 - 0.6 * (1.0 - std::exp(-1.0)), 2e-3);
    EXPECT_NEAR(at(0.2), 0.4, 1e-6);
    EXPECT_GT(at(0.25 + 0.049), 0.0f);
    EXPECT_EQ(at(0.25 + 0.051), 0.0f);
    EXPECT_FALSE(envelope.active());
}

TEST(Exponential, IsThatOfTheLibrary) {
    double most = 0.0;
    for (double x = -700.0; x <= 700.0; x += 0.37) most = std::max(most, std::abs(exponential(x) / std::exp(x) - 1.0));
    EXPECT_LT(most, 1e-15);
    EXPECT_EQ(exponential(0.0), 1.0);
}

TEST(EnvelopeCurve, GivesTheSameBitsInBlocksOnEndAsOneByOne) {
    // Through delay, attack, hold, decay, sustain and release, with bends, blocks cut anywhere.
    const EnvelopeShape shape{.delay = 0.003,
                              .attack = 0.021,
                              .hold = 0.007,
                              .decay = 0.13,
                              .sustain = 0.3,
                              .release = 0.05,
                              .attackCurve = -3.0,
                              .decayCurve = 4.0,
                              .releaseCurve = 6.0};
    // Short: nearly all of them single blocks, which are computed ahead.
    const auto made = [&](bool together, bool isShort) {
        Envelope envelope;
        envelope.start();
        std::vector<float> all;
        int at = 0;
        bool released = false;
        for (int call = 0; at < 14400; ++call) {
            if (at > 10000 && !released) {
                envelope.release();
                released = true;
            }
            const int frames = call % 97 == 3 ? 19 : isShort ? 16 : 16 * (1 + call % 16);
            std::vector<float> out(static_cast<std::size_t>(frames)), ends(17);
            const auto blocks = static_cast<std::size_t>((frames + 15) / 16);
            if (together) {
                envelope.advanceBlocks(shape, 1.0 / 48000.0, frames, out.data(), ends.data());
            } else {
                for (std::size_t b = 0; b < blocks; ++b) {
                    const int part = std::min(16, frames - static_cast<int>(16 * b));
                    envelope.advance(shape, 1.0 / 48000.0, part, out.data() + 16 * b);
                    ends[b] = static_cast<float>(envelope.value());
                }
            }
            all.insert(all.end(), out.begin(), out.end());
            all.insert(all.end(), ends.begin(), ends.begin() + static_cast<std::ptrdiff_t>(blocks));
            at += frames;
        }
        return all;
    };
    EXPECT_EQ(made(true, false), made(false, false));
    EXPECT_EQ(made(true, true), made(false, true));
}

TEST(EnvelopeCurve, DoesNotDependOnBlocks) {
    const EnvelopeShape shape{
        .delay = 0.003, .attack = 0.021, .hold = 0.005, .decay = 0.3, .sustain = 0.3, .release = 0.1};
    const auto run = [&](int block) {
        Envelope envelope;
        envelope.start();
        std::vector<float> out(9600);
        for (int i = 0; i < 9600; i += block)
            envelope.advance(shape, 1.0 / 48000.0, std::min(block, 9600 - i), out.data() + i);
        return out;
    };
    const auto fine = run(1);
    const auto coarse = run(16);
    for (std::size_t i = 0; i < fine.size(); ++i) ASSERT_NEAR(fine[i], coarse[i], 2e-4); // straight lines of 16 samples
}

TEST(LowPassFormula, FallsByItsPoles) {
    // Two poles fall 12 dB per octave, four 24 (any filter handbook); far above the cutoff, far below half the rate.
    for (int poles : {2, 4}) {
        const double octave =
            lowPassResponseDb(poles, 200.0, -3.0, 3200.0, 1e6) - lowPassResponseDb(poles, 200.0, -3.0, 1600.0, 1e6);
        EXPECT_NEAR(octave, -6.02 * poles, 0.1);
        EXPECT_NEAR(lowPassResponseDb(poles, 200.0, 7.0, 200.0, 48000), 7.0, 1e-6)
            << "resonance is the gain at the cutoff";
        EXPECT_NEAR(lowPassResponseDb(poles, 1000.0, -3.0103, 1000.0, 48000), -3.01, 0.01);
    }
    // Butterworth of order 4 at w = 0.5: 1/sqrt(1 + 0.5^8).
    EXPECT_NEAR(lowPassResponseDb(4, 1000.0, -3.0103, 500.0, 1e6), -10.0 * std::log10(1.0 + std::pow(0.5, 8)), 1e-3);
    const double hz = effectiveCutoffHz(4, 1000.0, 12.0, 48000);
    EXPECT_NEAR(lowPassResponseDb(4, 1000.0, 12.0, hz, 48000), -6.0, 1e-3);
    EXPECT_GT(hz, 1000.0);
}

/// Of many points at once.
auto each(double (*function)(const Eigen::VectorXd&)) {
    return [function](const std::vector<Eigen::VectorXd>& points) {
        std::vector<double> values;
        for (const auto& point : points) values.push_back(function(point));
        return values;
    };
}

/// Test functions of N. Hansen's tutorial (arXiv:1604.00772, sect. B.3): an ellipsoid with axes in the ratio of 1 to
/// 1000, and Rosenbrock's valley.
double ellipsoid(const Eigen::VectorXd& x) {
    double sum = 0.0;
    for (Eigen::Index i = 0; i < x.size(); ++i)
        sum += std::pow(1e6, static_cast<double>(i) / static_cast<double>(x.size() - 1)) * x(i) * x(i);
    return sum;
}
double rosenbrock(const Eigen::VectorXd& x) {
    double sum = 0.0;
    for (Eigen::Index i = 0; i + 1 < x.size(); ++i)
        sum += 100.0 * std::pow(x(i) * x(i) - x(i + 1), 2.0) + std::pow(x(i) - 1.0, 2.0);
    return sum;
}

TEST(Evolution, FindsTheMinimaOfItsTutorial) {
    const Eigen::VectorXd low = Eigen::VectorXd::Constant(8, -5.0), high = Eigen::VectorXd::Constant(8, 5.0);
    const auto round = evolve(each(ellipsoid), Eigen::VectorXd::Constant(8, 2.0), low, high,
                              {.deviation = 0.5, .evaluations = 6000, .seed = 3});
    EXPECT_LT(round.value, 1e-9);
    EXPECT_LE(round.evaluations, 6000 + 10);
    const auto valley = evolve(each(rosenbrock), Eigen::VectorXd::Zero(8), low, high,
                               {.deviation = 0.3, .evaluations = 20000, .seed = 3});
    EXPECT_LT((valley.point - Eigen::VectorXd::Ones(8)).norm(), 1e-3);
}

TEST(Evolution, KeepsToItsBoundsAndIsTheSameForItsSeed) {
    const Eigen::VectorXd low = Eigen::VectorXd::Constant(4, 0.5), high = Eigen::VectorXd::Constant(4, 2.0);
    const auto run = [&](std::uint64_t seed) {
        return evolve(each(ellipsoid), Eigen::VectorXd::Constant(4, 1.0), low, high,
                      {.deviation = 0.3, .evaluations = 800, .seed = seed});
    };
    const auto found = run(1);
    EXPECT_TRUE((found.point.array() >= 0.5).all() && (found.point.array() <= 2.0).all());
    EXPECT_LT((found.point - low).norm(), 1e-3) << "the minimum lies beyond the bound";
    EXPECT_EQ(run(1).point, found.point);
    const Eigen::VectorXd wide = Eigen::VectorXd::Constant(4, 5.0);
    const auto after = [&](std::uint64_t seed) {
        return evolve(each(rosenbrock), high, -wide, wide, {.deviation = 0.3, .evaluations = 80, .seed = seed}).point;
    };
    EXPECT_NE(after(1), after(2));
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(evolve(each(ellipsoid), low, low, high, {}, {.stop = stop.get_token(), .progress = {}}), Cancelled);
    EXPECT_EQ(evolve(each(ellipsoid), {}, {}, {}, {}).evaluations, 0) << "nothing to move";
}

TEST(LeastSquares, FindsRosenbrocksMinimum) {
    // H. H. Rosenbrock, Computer Journal 3, 1960: (1 − x)² + 100 (y − x²)², minimum 0 at (1, 1).
    LeastSquaresProblem problem{Eigen::Vector2d(-2, -2), Eigen::Vector2d(2, 2),
                                [](const std::vector<Eigen::VectorXd>& points) {
                                    std::vector<Eigen::VectorXf> all;
                                    for (const auto& p : points)
                                        all.push_back(Eigen::Vector2f(static_cast<float>(1 - p(0)),
                                                                      static_cast<float>(10 * (p(1) - p(0) * p(0)))));
                                    return all;
                                }};
    LeastSquaresSettings settings;
    settings.iterations = 100;
    settings.tolerance = 0.0;
    const auto result = minimizeLeastSquares(problem, Eigen::Vector2d(-1.2, 1.0), settings);
    EXPECT_NEAR(result.point(0), 1.0, 1e-3);
    EXPECT_NEAR(result.point(1), 1.0, 1e-3);
}

TEST(LeastSquares, ObeysItsBox) {
    LeastSquaresProblem problem{Eigen::Vector2d(0, 0), Eigen::Vector2d(1, 1),
                                [](const std::vector<Eigen::VectorXd>& points) {
                                    std::vector<Eigen::VectorXf> all;
                                    for (const auto& p : points) {
                                        EXPECT_TRUE((p.array() >= 0).all() && (p.array() <= 1).all());
                                        all.push_back(Eigen::Vector2f(static_cast<float>(p(0) - 3),
                                                                      static_cast<float>(p(1) - 0.25 + 0.1 * p(0))));
                                    }
                                    return all;
                                }};
    const auto result = minimizeLeastSquares(problem, Eigen::Vector2d(0.5, 0.5), {.iterations = 30});
    EXPECT_NEAR(result.point(0), 1.0, 1e-6);
    EXPECT_NEAR(result.point(1), 0.15, 1e-3);
}

TEST(LeastSquares, UpdatesOfTheJacobianSaveEvaluations) {
    // Twelve numbers behind a mildly curved, badly scaled mixture of them.
    constexpr int n = 12;
    Eigen::MatrixXd mixture(40, n);
    for (int row = 0; row < 40; ++row)
        for (int column = 0; column < n; ++column)
            mixture(row, column) = std::sin(1.7 * row + 0.9 * column * (row % 5)) * (column % 3 + 1);
    const Eigen::VectorXd truth = Eigen::VectorXd::LinSpaced(n, 0.2, 0.8);
    const auto curved = [&](const Eigen::VectorXd& p) -> Eigen::VectorXd {
        return mixture * (p.array() + 0.3 * p.array().square()).matrix();
    };
    LeastSquaresProblem problem{Eigen::VectorXd::Zero(n), Eigen::VectorXd::Ones(n),
                                [&](const std::vector<Eigen::VectorXd>& points) {
                                    std::vector<Eigen::VectorXf> all;
                                    for (const auto& p : points)
                                        all.push_back((curved(p) - curved(truth)).cast<float>());
                                    return all;
                                }};
    const auto reach = [&](int updates, int iterations) {
        return minimizeLeastSquares(problem, Eigen::VectorXd::Constant(n, 0.5),
                                    {.iterations = iterations, .differenceStep = 1e-3, .updates = updates});
    };
    const auto plain = reach(0, 3), updated = reach(3, 1);
    const double start = reach(0, 0).cost;
    EXPECT_LT(plain.cost, 1e-4 * start);
    EXPECT_LT(updated.cost, 1e-4 * start);
    EXPECT_LT(2 * updated.evaluations, 3 * plain.evaluations);
    EXPECT_LT(reach(3, 8).cost, 1e-8 * start);
}

TEST(Envelopes, BendTheSameBitsOneByOneAndSixteenAtOnce) {
    for (double bend : {-8.0, -0.3, 0.0, 1e-3, 5.0}) {
        const SegmentCurve curve(bend);
        std::array<double, 16> x;
        for (std::size_t i = 0; i < x.size(); ++i) x[i] = -0.1 + 0.08 * static_cast<double>(i);
        const auto before = x;
        curve.apply(x);
        for (std::size_t i = 0; i < x.size(); ++i) EXPECT_EQ(x[i], curve(before[i])) << bend << " at " << before[i];
    }
}

TEST(LeastSquares, WalksSideBySideEndWhereEachEndsAlone) {
    const auto residualAt = [](const Eigen::VectorXd& p, double bend) -> Eigen::VectorXf {
        return Eigen::Vector3f(static_cast<float>(1.0 - p(0)), static_cast<float>(bend * (p(1) - p(0) * p(0))),
                               static_cast<float>(0.1 * p(1)));
    };
    const Eigen::Vector2d low(-2, -2), high(2, 2), start(-1.2, 1.0);
    const LeastSquaresSettings settings{.iterations = 12, .updates = 2};
    std::vector<LeastSquaresWalk> walks;
    const double bends[] = {10.0, 3.0};
    for (int i = 0; i < 2; ++i) walks.emplace_back(low, high, start, settings);
    for (bool going = true; going;) {
        going = false;
        for (std::size_t i = 0; i < walks.size(); ++i) {
            std::vector<Eigen::VectorXf> answers;
            for (const auto& point : walks[i].asked()) answers.push_back(residualAt(point, bends[i]));
            if (answers.empty()) continue;
            walks[i].answer(answers);
            going = true;
        }
    }
    for (std::size_t i = 0; i < walks.size(); ++i) {
        const LeastSquaresProblem alone{low, high, [&](const std::vector<Eigen::VectorXd>& points) {
                                            std::vector<Eigen::VectorXf> all;
                                            for (const auto& point : points) all.push_back(residualAt(point, bends[i]));
                                            return all;
                                        }};
        const LeastSquaresResult expected = minimizeLeastSquares(alone, start, settings);
        EXPECT_EQ(walks[i].result().point, expected.point);
        EXPECT_EQ(walks[i].result().evaluations, expected.evaluations);
        EXPECT_LT(expected.cost, 0.02);
    }
}

TEST(LeastSquares, BeginsFromSlopesThatAreKnownNearby) {
    // Two curves that bend a little; the slopes of the first are those at another place.
    const auto residualAt = [](const Eigen::VectorXd& p) -> Eigen::VectorXf {
        return Eigen::Vector3f(static_cast<float>(p(0) + 0.2 * p(0) * p(0) - 0.5),
                               static_cast<float>(2.0 * p(1) - p(0)), static_cast<float>(0.3 * p(0) * p(1)));
    };
    const Eigen::Vector2d low(-2, -2), high(2, 2), start(0.2, 0.9);
    const auto walked = [&](const Eigen::MatrixXf& slopes, std::size_t columns) {
        LeastSquaresWalk walk(low, high, start, {.iterations = 1, .updates = 3}, slopes);
        walk.answer({residualAt(walk.asked().front())});
        if (columns > 0) {
            EXPECT_EQ(walk.asked().size(), columns);
        }
        while (!walk.asked().empty()) {
            std::vector<Eigen::VectorXf> answers;
            for (const auto& point : walk.asked()) answers.push_back(residualAt(point));
            walk.answer(answers);
        }
        return walk.result();
    };
    Eigen::MatrixXf all(3, 2), first(3, 2);
    all << 1.0f, 0.0f, -1.0f, 2.0f, 0.0f, 0.0f;
    first = all;
    first.col(1).setZero();
    const LeastSquaresResult measured = walked({}, 2), known = walked(all, 0), half = walked(first, 1);
    EXPECT_LT(known.cost, 0.1 * static_cast<double>(residualAt(start).squaredNorm()) / 3.0);
    EXPECT_LT(half.cost, 1.5 * measured.cost + 1e-4);
    EXPECT_LT(known.evaluations, measured.evaluations);
    EXPECT_EQ(walked(Eigen::MatrixXf::Ones(2, 2), 2).point, measured.point) << "of another problem";
}

TEST(LeastSquares, OfAbsoluteValuesIgnoresOutliers) {
    // The mean of {0, 0, 0, 0, 10} is 2, its median 0.
    LeastSquaresProblem problem{Eigen::VectorXd::Constant(1, -20), Eigen::VectorXd::Constant(1, 20),
                                [](const std::vector<Eigen::VectorXd>& points) {
                                    std::vector<Eigen::VectorXf> all;
                                    for (const auto& p : points) {
                                        Eigen::VectorXf r(5);
                                        r << 0, 0, 0, 0, 10;
                                        all.push_back(r.array() - static_cast<float>(p(0)));
                                    }
                                    return all;
                                }};
    const auto result =
        minimizeLeastSquares(problem, Eigen::VectorXd::Constant(1, 7.0),
                             {.iterations = 60, .absoluteValues = true, .absoluteFloor = 0.01, .tolerance = 0.0});
    EXPECT_NEAR(result.point(0), 0.0, 0.05);
}

} // namespace
} // namespace facet
