// The published ways of finding a patch, on Facet's engine and its own references: covariance matrix adaptation on a
// multi-resolution spectral loss, and a genetic algorithm on a distance of cepstra. For bench/evaluation/baselines.py:
//   baselines REFERENCE NOTES.json OUT RENDERS cma|genetic|facet SEED
// Writes the render of the best patch and prints how many renders were used. Every render counts, of any lane.
#include "core/audio/audio_file.h"
#include "core/base/memory.h"
#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/dsp/evolution.h"
#include "core/dsp/fft.h"
#include "core/dsp/mel.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/window.h"
#include "core/engine/render.h"
#include "core/match/match.h"
#include "core/parameters/patch.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <nlohmann/json.hpp>
#include <numeric>

namespace facet {
namespace {

/// A voice as these methods are given one: two sources, a filter, envelopes and a room, every choice a number like the
/// others.
class FlatVoice {
public:
    FlatVoice() {
        base_.set({"layer:a/filter:a", "on"}, 1.0);
        base_.set({"layer:a/source:b", "on"}, 1.0);
        base_.add("reverb:a");
        base_.set({"reverb:a", "on"}, 1.0);
        for (const auto& module : base_.modules())
            for (const auto& d : parametersOf(module.kind)) {
                const Address address{module.path, std::string(d.field)};
                const bool choice =
                    d.field == "wave" || d.field == "slope" || d.field == "octave" || d.field == "voices";
                const bool takesPart = module.kind != ModuleKind::voicing && module.kind != ModuleKind::output &&
                                       module.kind != ModuleKind::layer;
                if (takesPart && (d.isSearched() || choice || d.field == "mix")) addresses_.push_back(address);
            }
    }
    int size() const { return static_cast<int>(addresses_.size()); }
    Patch at(const Eigen::VectorXd& point) const {
        Patch patch = base_;
        for (int i = 0; i < size(); ++i) {
            const Address& address = addresses_[static_cast<std::size_t>(i)];
            const auto& d = patch.descriptor(address);
            const auto [low, high] = endsOf(d);
            patch.setNearest(address, d.fromUnit(low + std::clamp(point(i), 0.0, 1.0) * (high - low)));
        }
        return patch;
    }

private:
    /// Waves that need no data of their own, octaves and stacks as people use them.
    static std::pair<double, double> endsOf(const ParameterDescriptor& d) {
        if (d.field == "wave") return {d.toUnit(0.0), d.toUnit(4.0)};
        if (d.field == "octave") return {d.toUnit(-2.0), d.toUnit(2.0)};
        if (d.field == "voices") return {d.toUnit(1.0), d.toUnit(9.0)};
        if (d.field == "mix") return {0.0, d.toUnit(60.0)};
        return d.isSearched() ? std::pair{d.toUnit(d.priorLow), d.toUnit(d.priorHigh)} : std::pair{0.0, 1.0};
    }
    Patch base_;
    std::vector<Address> addresses_;
};

std::vector<float> monoOf(const Recording& recording) {
    std::vector<float> mono(static_cast<std::size_t>(recording.frameCount()));
    for (const auto& channel : recording.channels)
        for (std::size_t i = 0; i < mono.size(); ++i)
            mono[i] += channel[i] / static_cast<float>(recording.channelCount());
    double power = 1e-12;
    for (float x : mono) power += static_cast<double>(x * x);
    const auto gain = static_cast<float>(0.1 / std::sqrt(power / static_cast<double>(mono.size())));
    for (float& x : mono) x *= gain;
    return mono;
}

std::vector<float> magnitudes(const std::vector<float>& mono, int size, int hop) {
    RealFft fft(size);
    const auto& window = hannWindow(size);
    std::vector<float> all;
    const auto frames = (mono.size() + static_cast<std::size_t>(size) / 2) / static_cast<std::size_t>(hop) + 1;
    all.reserve(frames * fft.bins().size());
    for (int begin = -size / 2; begin < static_cast<int>(mono.size()); begin += hop) {
        windowedFrame(mono, begin, window, fft.time());
        fft.forward();
        const std::size_t before = all.size();
        all.resize(before + fft.bins().size());
        squaredMagnitudes(fft.bins().data(), all.data() + before, static_cast<int>(fft.bins().size()));
    }
    for (float& x : all) x = std::sqrt(x);
    return all;
}

using Distance = std::function<double(const Recording&)>;

/// Linear and logarithmic magnitudes at six sizes, a quarter apart (J. Engel and others, "DDSP: differentiable digital
/// signal processing", ICLR 2020, sect. 4.2).
Distance multiResolution(const Recording& reference) {
    static constexpr int sizes[] = {2048, 1024, 512, 256, 128, 64};
    struct Spectra {
        Eigen::ArrayXf linear, decibels;
        Spectra(const std::vector<float>& mono, int size) {
            const auto all = magnitudes(mono, size, size / 4);
            linear = Eigen::Map<const Eigen::ArrayXf>(all.data(), static_cast<Eigen::Index>(all.size()));
            decibels.resize(linear.size());
            decibelsAbove(all.data(), 1e-5f, decibels.data(), static_cast<int>(all.size()));
        }
    };
    auto wanted = std::make_shared<std::vector<Spectra>>();
    const auto mono = monoOf(reference);
    for (int size : sizes) wanted->emplace_back(mono, size);
    return [wanted](const Recording& candidate) {
        constexpr float perDecibel = static_cast<float>(M_LN10) / 10.0f;
        const auto sound = monoOf(candidate);
        double sum = 0.0;
        for (std::size_t r = 0; r < wanted->size(); ++r) {
            const Spectra found(sound, sizes[r]);
            const Spectra& right = (*wanted)[r];
            sum += static_cast<double>((found.linear - right.linear).abs().mean() +
                                       perDecibel * (found.decibels - right.decibels).abs().mean());
        }
        return sum;
    };
}

/// Thirteen mel cepstral coefficients of frames of 25 ms every 10 ms (S. Davis, P. Mermelstein, IEEE Trans. ASSP 28,
/// 1980); mean Euclidean distance of frames, as in the genetic searches for patches since K. Tatar and others (2016).
Distance cepstral(const Recording& reference) {
    constexpr int size = 2048, hop = 480, bands = 40, coefficients = 13;
    const auto cepstra = [](const std::vector<float>& mono) {
        static const MelBank bank(bands, 20.0, 16000.0, size, 48000.0);
        const auto spectra = magnitudes(mono, size, hop);
        const std::size_t bins = size / 2 + 1;
        std::vector<double> all;
        std::vector<float> power(bins), mel(bands);
        for (std::size_t f = 0; f + bins <= spectra.size(); f += bins) {
            for (std::size_t b = 0; b < bins; ++b) power[b] = spectra[f + b] * spectra[f + b];
            bank.apply(power, mel);
            for (int c = 0; c < coefficients; ++c) {
                double sum = 0.0;
                for (int b = 0; b < bands; ++b)
                    sum += std::log(static_cast<double>(mel[static_cast<std::size_t>(b)]) + 1e-8) *
                           std::cos(M_PI * c * (b + 0.5) / bands);
                all.push_back(sum);
            }
        }
        return all;
    };
    auto wanted = std::make_shared<std::vector<double>>(cepstra(monoOf(reference)));
    return [wanted, cepstra](const Recording& candidate) {
        const auto found = cepstra(monoOf(candidate));
        double sum = 0.0;
        const std::size_t frames = std::min(found.size(), wanted->size()) / coefficients;
        for (std::size_t f = 0; f < frames; ++f) {
            double square = 0.0;
            for (std::size_t c = 0; c < coefficients; ++c)
                square += std::pow(found[f * coefficients + c] - (*wanted)[f * coefficients + c], 2.0);
            sum += std::sqrt(square);
        }
        return sum / static_cast<double>(std::max<std::size_t>(1, frames));
    };
}

class Problem {
public:
    Problem(const Performance& performance, Distance distance)
        : performance_(performance), distance_(std::move(distance)) {}
    const FlatVoice& voice() const { return voice_; }
    int renders() const { return renders_; }
    std::vector<double> of(const std::vector<Eigen::VectorXd>& points) {
        std::vector<Patch> patches;
        for (const auto& point : points) patches.push_back(voice_.at(point));
        const auto sounds = renderAt48k(patches, performance_, {}, hardwareThreads());
        std::vector<double> values(points.size());
        parallelFor(static_cast<int>(points.size()), hardwareThreads(), [&](int i) {
            values[static_cast<std::size_t>(i)] = distance_(sounds[static_cast<std::size_t>(i)]);
        });
        renders_ += static_cast<int>(points.size());
        for (std::size_t i = 0; i < points.size(); ++i)
            if (values[i] < bestValue) {
                bestValue = values[i];
                best = points[i];
            }
        return values;
    }
    double bestValue = 1e300;
    Eigen::VectorXd best;

private:
    FlatVoice voice_;
    Performance performance_;
    Distance distance_;
    int renders_ = 0;
};

void adaptCovariance(Problem& problem, int renders, std::uint64_t seed) {
    const int n = problem.voice().size();
    evolve([&](const std::vector<Eigen::VectorXd>& points) { return problem.of(points); },
           Eigen::VectorXd::Constant(n, 0.5), Eigen::VectorXd::Zero(n), Eigen::VectorXd::Ones(n),
           {.deviation = 0.3, .evaluations = renders, .seed = seed});
}

double normal(Random& random) {
    return std::sqrt(-2.0 * std::log(1.0 - random.unit())) * std::cos(2.0 * M_PI * random.unit());
}

/// Tournaments of three, blended crossover, normal mutation, the best two kept.
void breed(Problem& problem, int renders, Random& random) {
    constexpr std::size_t population = 100, kept = 2;
    const int n = problem.voice().size();
    std::vector<Eigen::VectorXd> people(population, Eigen::VectorXd(n));
    for (auto& each : people)
        for (int i = 0; i < n; ++i) each(i) = random.unit();
    auto values = problem.of(people);
    while (problem.renders() < renders) {
        std::vector<std::size_t> order(population);
        std::iota(order.begin(), order.end(), 0u);
        std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return values[a] < values[b]; });
        const auto chosen = [&] {
            std::size_t best = population;
            for (int i = 0; i < 3; ++i) {
                const auto one = static_cast<std::size_t>(random.unit() * population);
                if (best == population || values[one] < values[best]) best = one;
            }
            return best;
        };
        std::vector<Eigen::VectorXd> children;
        while (children.size() < population - kept) {
            const auto &a = people[chosen()], &b = people[chosen()];
            Eigen::VectorXd child(n);
            for (int i = 0; i < n; ++i) {
                const double share = random.between(-0.25, 1.25);
                child(i) = share * a(i) + (1.0 - share) * b(i);
                if (random.unit() < 0.1) child(i) += 0.15 * normal(random);
                child(i) = std::clamp(child(i), 0.0, 1.0);
            }
            children.push_back(std::move(child));
        }
        auto next = problem.of(children);
        for (std::size_t k = 0; k < kept; ++k) {
            children.push_back(people[order[k]]);
            next.push_back(values[order[k]]);
        }
        people = std::move(children);
        values = std::move(next);
    }
}

Performance notesOf(const char* path, const Recording& reference) {
    std::ifstream in(path);
    const auto truth = nlohmann::json::parse(in);
    Performance performance;
    for (const auto& note : truth["notes"])
        performance.notes.push_back(
            {note[0].get<double>(), note[1].get<double>(), note[2].get<int>(), 0.0, note[3].get<double>()});
    performance.tuningCents = truth["tuning_cents"].get<double>();
    performance.rateHz = reference.rateHz;
    performance.frames = reference.frameCount();
    performance.channelCount = reference.channelCount();
    return performance;
}

int run(char** words) {
    const Recording reference = atRate(readAudio(words[1]), 48000);
    const Performance performance = notesOf(words[2], reference);
    const int renders = std::atoi(words[4]);
    const std::string method = words[5];
    const std::uint64_t seed = std::strtoull(words[6], nullptr, 10);
    Random random(combineSeeds(seed, 77));
    Patch best;
    int used = 0;
    if (method == "facet") {
        MatchSettings settings;
        settings.seconds = 0.0;
        settings.evaluations = renders;
        settings.threads = hardwareThreads();
        settings.seed = seed;
        settings.bank = std::make_shared<const SeedBank>(SeedBank::load(SeedBank::cacheFile()));
        const MatchResult result = match(reference, performance, settings);
        best = result.best.patch;
        used = result.evaluations;
    } else {
        Problem problem(performance, method == "cma" ? multiResolution(reference) : cepstral(reference));
        method == "cma" ? adaptCovariance(problem, renders, seed) : breed(problem, renders, random);
        best = problem.voice().at(problem.best);
        used = problem.renders();
    }
    writeAudio(words[3], render(best, performance), SampleFormat::wavFloat);
    std::printf("%d\n", used);
    return 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    if (argc != 7) {
        std::fputs("baselines REFERENCE NOTES.json OUT RENDERS cma|genetic|facet SEED\n", stderr);
        return 2;
    }
    facet::keepFreedMemory();
    return facet::run(argv);
}
