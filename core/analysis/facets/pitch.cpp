#include "core/analysis/facets/pitch.h"

#include "core/audio/recording.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

namespace facet {

namespace {

constexpr int integrationFrames = 2048;
constexpr int transformFrames = 4096;
constexpr int candidateCount = 6;
constexpr float silenceBelowLoudest = 1e-6f; ///< of power: −60 dB
constexpr double unvoicedCost = 0.45;
constexpr double voicingChangeCost = 0.12;
constexpr double jumpCost = 0.22; ///< at most, for any change of pitch
constexpr double jumpCostPerOctave = 3.0;
constexpr double longPeriodCost = 0.03; ///< per octave, so that the shortest of equal periods wins

struct Candidate {
    double lag = 0.0; ///< samples; 0 stands for no pitch
    double cost = unvoicedCost;
};

/// Difference function of one frame by autocorrelation, and its normalized minima.
class FrameAnalyzer {
public:
    FrameAnalyzer(const PitchSettings& settings)
        : fft_(transformFrames), other_(transformFrames),
          lowestLag_(std::max(4, static_cast<int>(analysisRateHz / settings.highestHz))),
          highestLag_(
              std::min(transformFrames - integrationFrames - 2, static_cast<int>(analysisRateHz / settings.lowestHz))),
          difference_(static_cast<std::size_t>(highestLag_ + 2)) {}

    int span() const { return integrationFrames + highestLag_ + 1; }

    /// Of integrationFrames samples from `x` on.
    static double powerOf(const float* x) {
        std::array<double, 4> parts{}; // four sums side by side need not wait for each other
        for (int i = 0; i < integrationFrames; i += 4)
            for (std::size_t k = 0; k < 4; ++k) {
                const double value = x[static_cast<std::size_t>(i) + k];
                parts[k] += value * value;
            }
        return (parts[0] + parts[1] + parts[2] + parts[3]) / integrationFrames;
    }

    /// `x`: span() samples; `power` of its first integrationFrames.
    void analyze(const float* x, double power) {
        const auto time = fft_.time();
        std::fill(time.begin(), time.end(), 0.0f);
        std::copy_n(x, span(), time.begin());
        fft_.forward();
        const auto head = other_.time();
        std::fill(head.begin(), head.end(), 0.0f);
        std::copy_n(x, integrationFrames, head.begin());
        other_.forward();
        const auto bins = fft_.bins();
        const auto headBins = other_.bins();
        for (std::size_t i = 0; i < bins.size(); ++i) {
            const float real = bins[i].real() * headBins[i].real() + bins[i].imag() * headBins[i].imag();
            const float imaginary = bins[i].imag() * headBins[i].real() - bins[i].real() * headBins[i].imag();
            bins[i] = {real, imaginary};
        }
        fft_.inverse();
        const double energy = power * integrationFrames;
        double shifted = energy;
        double sum = 0.0;
        const float* correlation = fft_.time().data();
        for (int lag = 1; lag <= highestLag_ + 1; ++lag) {
            shifted += static_cast<double>(x[lag + integrationFrames - 1]) * x[lag + integrationFrames - 1] -
                       static_cast<double>(x[lag - 1]) * x[lag - 1];
            const double raw = std::max(0.0, energy + shifted - 2.0 * correlation[lag] / transformFrames);
            sum += raw;
            difference_[static_cast<std::size_t>(lag)] = sum > 0.0 ? raw * lag / sum : 1.0;
        }
    }

    /// The best minima, cheapest first; fewer than candidateCount when there are fewer.
    std::vector<Candidate> candidates() const {
        std::vector<Candidate> found;
        for (int lag = lowestLag_; lag <= highestLag_; ++lag) {
            const double a = difference_[static_cast<std::size_t>(lag - 1)];
            const double b = difference_[static_cast<std::size_t>(lag)];
            const double c = difference_[static_cast<std::size_t>(lag + 1)];
            if (b > a || b >= c || b > 0.8) continue;
            const double curvature = a - 2.0 * b + c;
            const double shift = curvature > 0.0 ? std::clamp(0.5 * (a - c) / curvature, -0.5, 0.5) : 0.0;
            const double exact = lag + shift;
            found.push_back({exact, b - 0.25 * (a - c) * shift + longPeriodCost * std::log2(exact / lowestLag_)});
        }
        std::sort(found.begin(), found.end(), [](const Candidate& a, const Candidate& b) { return a.cost < b.cost; });
        if (found.size() > candidateCount) found.resize(candidateCount);
        return found;
    }

    double lowestDifference() const {
        return *std::min_element(difference_.begin() + lowestLag_, difference_.begin() + highestLag_);
    }

private:
    RealFft fft_;
    RealFft other_;
    int lowestLag_;
    int highestLag_;
    std::vector<double> difference_;
};

double transitionCost(const Candidate& from, const Candidate& to) {
    if (from.lag == 0.0 && to.lag == 0.0) return 0.0;
    if (from.lag == 0.0 || to.lag == 0.0) return voicingChangeCost;
    return std::min(jumpCost, jumpCostPerOctave * std::abs(std::log2(from.lag / to.lag)));
}

/// Cheapest path through the candidates of all frames.
std::vector<Candidate> cheapestPath(const std::vector<std::vector<Candidate>>& frames) {
    std::vector<std::vector<double>> total(frames.size());
    std::vector<std::vector<int>> from(frames.size());
    for (std::size_t f = 0; f < frames.size(); ++f) {
        total[f].resize(frames[f].size());
        from[f].resize(frames[f].size(), 0);
        for (std::size_t j = 0; j < frames[f].size(); ++j) {
            double best = 0.0;
            if (f > 0) {
                best = std::numeric_limits<double>::infinity();
                for (std::size_t i = 0; i < frames[f - 1].size(); ++i) {
                    const double cost = total[f - 1][i] + transitionCost(frames[f - 1][i], frames[f][j]);
                    if (cost < best) {
                        best = cost;
                        from[f][j] = static_cast<int>(i);
                    }
                }
            }
            total[f][j] = best + frames[f][j].cost;
        }
    }
    std::vector<Candidate> path(frames.size());
    if (frames.empty()) return path;
    auto j =
        static_cast<std::size_t>(std::min_element(total.back().begin(), total.back().end()) - total.back().begin());
    for (std::size_t f = frames.size(); f-- > 0;) {
        path[f] = frames[f][j];
        j = static_cast<std::size_t>(from[f][j]);
    }
    return path;
}

} // namespace

PitchTrack trackPitch(std::span<const float> mono48k, const PitchSettings& settings, const Task& task) {
    const int frames = static_cast<int>(mono48k.size());
    const int count = static_cast<int>(frames / (settings.stepSeconds * analysisRateHz)) + 1;
    FrameAnalyzer analyzer(settings);
    std::vector<float> window(static_cast<std::size_t>(analyzer.span()));
    std::vector<std::vector<Candidate>> candidates(static_cast<std::size_t>(count));
    std::vector<double> power(static_cast<std::size_t>(count));
    PitchTrack result;
    result.hz.stepSeconds = result.aperiodicity.stepSeconds = settings.stepSeconds;
    const auto cutOut = [&](int i) {
        // The middle of what a medium lag compares lies on the instant.
        const int begin =
            static_cast<int>(std::lround(i * settings.stepSeconds * analysisRateHz)) - (integrationFrames + 400) / 2;
        const int first = std::clamp(-begin, 0, analyzer.span());
        const int last = std::clamp(frames - begin, first, analyzer.span());
        std::fill(window.begin(), window.end(), 0.0f);
        std::copy(mono48k.begin() + begin + first, mono48k.begin() + begin + last, window.begin() + first);
    };
    for (int i = 0; i < count; ++i) {
        cutOut(i);
        power[static_cast<std::size_t>(i)] = FrameAnalyzer::powerOf(window.data());
    }
    const double loudest = *std::max_element(power.begin(), power.end());
    for (int i = 0; i < count; ++i) {
        if (i % 16 == 0) task.check();
        const auto at = static_cast<std::size_t>(i);
        float aperiodicity = 1.0f;
        if (power[at] > loudest * silenceBelowLoudest && loudest >= 1e-12) {
            cutOut(i);
            analyzer.analyze(window.data(), power[at]);
            candidates[at] = analyzer.candidates();
            aperiodicity = static_cast<float>(std::min(1.0, analyzer.lowestDifference()));
        }
        candidates[at].push_back(Candidate{});
        result.aperiodicity.values.push_back(aperiodicity);
    }
    for (const Candidate& chosen : cheapestPath(candidates))
        result.hz.values.push_back(chosen.lag > 0.0 ? static_cast<float>(analysisRateHz / chosen.lag) : notMeasurable);
    return result;
}

namespace {

/// Frames between the two windows of a refinement.
int advanceAt(double rateHz) { return static_cast<int>(std::lround(0.005 * rateHz)); }

/// Four main-lobe halves of a Blackman–Harris window must fit between neighboring partials.
int refinementFrames(double approximateHz, int partials, double rateHz) {
    const int longest = static_cast<int>(16384 * rateHz / analysisRateHz);
    // In a chord the other notes' partials must be kept out as well.
    int size = partials < allPartials ? longest : longest / 8;
    while (size < longest && size < 6.0 * rateHz / approximateHz) size *= 2;
    return size;
}

struct RefinementTransform {
    RealFft fft;
    std::vector<float> window;
};

/// Each thread keeps one transform of each size it has needed.
RefinementTransform& refinementTransform(int size) {
    static thread_local std::vector<RefinementTransform> kept;
    for (auto& transform : kept)
        if (transform.fft.size() == size) return transform;
    kept.push_back({RealFft(size), blackmanHarrisWindow(size)});
    return kept.back();
}

} // namespace

double restingPitch(std::span<const float> mono48k, double start, double end, double approximateHz, int partials) {
    const double reach =
        0.5 * (refinementFrames(approximateHz, partials, analysisRateHz) + advanceAt(analysisRateHz)) / analysisRateHz;
    const double latest = std::max(0.5 * (start + end), end - reach);
    const double earliest = std::min(latest, start + reach);
    std::vector<float> values;
    for (double share : {1.0, 0.85, 0.7}) {
        const double hz = refinePitch(mono48k, earliest + share * (latest - earliest), approximateHz, partials);
        if (isMeasured(hz) && std::abs(1200.0 * std::log2(hz / approximateHz)) < 80.0)
            values.push_back(static_cast<float>(hz));
    }
    return medianOf(values);
}

double refinePitch(std::span<const float> mono, double seconds, double approximateHz, int partials, double rateHz) {
    const int advance = advanceAt(rateHz);
    const int size = refinementFrames(approximateHz, partials, rateHz);
    const int begin = static_cast<int>(std::lround(seconds * rateHz)) - (size + advance) / 2;
    if (begin < 0 || begin + size + advance > static_cast<int>(mono.size())) return notMeasurable;
    auto& [fft, window] = refinementTransform(size);
    std::array<std::vector<std::complex<float>>, 2> spectra;
    for (int side = 0; side < 2; ++side) {
        for (int i = 0; i < size; ++i)
            fft.time()[static_cast<std::size_t>(i)] =
                window[static_cast<std::size_t>(i)] * mono[static_cast<std::size_t>(begin + side * advance + i)];
        fft.forward();
        spectra[static_cast<std::size_t>(side)].assign(fft.bins().begin(), fft.bins().end());
    }
    double weighted = 0.0;
    double weights = 0.0;
    for (int k = 1; k <= partials && k * approximateHz < 0.45 * rateHz; ++k) {
        // Beyond this order a quarter tone would be ambiguous in phase.
        if (k > 1 && k * approximateHz * 0.03 > 0.5 * rateHz / advance) break;
        const auto bin = static_cast<std::size_t>(std::lround(k * approximateHz * size / rateHz));
        const double turn = std::arg(spectra[1][bin] * std::conj(spectra[0][bin])) / (2.0 * std::numbers::pi);
        const double cyclesPerAdvance = k * approximateHz * advance / rateHz;
        const double cycles = turn + std::round(cyclesPerAdvance - turn);
        const double hz = cycles * rateHz / advance / k;
        const double weight = static_cast<double>(std::norm(spectra[0][bin])) * k * k;
        weighted += weight * hz;
        weights += weight;
    }
    return weights > 0.0 ? weighted / weights : notMeasurable;
}

} // namespace facet
