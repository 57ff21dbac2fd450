#include "core/engine/kernels/wave_table.h"

#include "core/dsp/fft.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <mutex>
#include <numbers>

namespace facet {

WaveTable::WaveTable(std::span<const float> cycles)
    : frames_(static_cast<int>(cycles.size()) / size), data_(static_cast<std::size_t>(frames_) * levels * (size + 1)) {
    RealFft forward(size);
    RealFft back(size);
    for (int frame = 0; frame < frames_; ++frame) {
        std::copy_n(cycles.begin() + static_cast<std::ptrdiff_t>(frame) * size, size, forward.time().begin());
        forward.forward();
        for (int level = 0; level < levels; ++level) {
            const int highest = 1 << (10 - level);
            auto bins = back.bins();
            std::fill(bins.begin(), bins.end(), 0.0f);
            for (int n = 1; n <= highest && n < size / 2; ++n)
                bins[static_cast<std::size_t>(n)] =
                    forward.bins()[static_cast<std::size_t>(n)] / static_cast<float>(size);
            back.inverse();
            float* out = const_cast<float*>(row(frame, level));
            std::copy_n(back.time().begin(), size, out);
            out[size] = out[0];
        }
    }
}

int WaveTable::levelFor(double cyclesPerSample) {
    // Highest partial at 0.6 of the rate: it folds to 0.4.
    int level = 0;
    while (level + 1 < levels && (1 << (10 - level)) * cyclesPerSample > 0.6) ++level;
    return level;
}

float WaveTable::at(int level, double phase, float place) const {
    const double position = phase * size;
    const int index = std::clamp(static_cast<int>(position), 0, size - 1);
    const auto share = static_cast<float>(position - index);
    const auto valueOf = [&](int frame) {
        const float* cycle = row(frame, level);
        return cycle[index] + share * (cycle[index + 1] - cycle[index]);
    };
    const float frame = std::clamp(place, 0.0f, 1.0f) * static_cast<float>(frames_ - 1);
    const int low = std::min(static_cast<int>(frame), frames_ - 1);
    const float between = frame - static_cast<float>(low);
    const float value = valueOf(low);
    return between > 0.0f ? value + between * (valueOf(low + 1) - value) : value;
}

std::vector<float> cycleOfPartials(std::span<const double> partialsDb) {
    static const auto sine = [] {
        std::array<double, WaveTable::size> values{};
        for (std::size_t i = 0; i < values.size(); ++i)
            values[i] = std::sin(2.0 * std::numbers::pi * static_cast<double>(i) / WaveTable::size);
        return values;
    }();
    std::vector<float> cycle(WaveTable::size);
    for (std::size_t n = 0; n < partialsDb.size(); ++n) {
        if (partialsDb[n] <= -120.0) continue;
        const double level = std::pow(10.0, partialsDb[n] / 20.0);
        for (std::size_t i = 0; i < cycle.size(); ++i)
            cycle[i] += static_cast<float>(level * sine[(n + 1) * i % cycle.size()]);
    }
    return cycle;
}

std::shared_ptr<const WaveTable> sharedWaveTable(std::uint64_t key, const std::function<std::vector<float>()>& cycles) {
    static std::mutex mutex;
    static auto& tables = *new std::map<std::uint64_t, std::weak_ptr<const WaveTable>>;
    const std::lock_guard lock(mutex);
    if (auto table = tables[key].lock()) return table;
    std::erase_if(tables, [](const auto& entry) { return entry.second.expired(); });
    auto table = std::make_shared<const WaveTable>(cycles());
    tables[key] = table;
    return table;
}

namespace {

WaveTable fourierTable(double (*levelOf)(int n)) {
    std::vector<float> cycle(WaveTable::size);
    for (int n = 1; n < WaveTable::size / 2; ++n)
        if (const double level = levelOf(n); level != 0.0)
            for (int i = 0; i < WaveTable::size; ++i)
                cycle[static_cast<std::size_t>(i)] += static_cast<float>(
                    level * std::sin(2.0 * std::numbers::pi * n * (static_cast<double>(i) / WaveTable::size)));
    return WaveTable(cycle);
}

} // namespace

const WaveTable& sawTable() {
    // Rising from −1 at phase 0: −Σ sin(nφ) 2/(πn).
    static const WaveTable& table = *new WaveTable(fourierTable([](int n) { return -2.0 / (std::numbers::pi * n); }));
    return table;
}

const WaveTable& triangleTable() {
    static const WaveTable& table = *new WaveTable([] {
        std::vector<float> cycle;
        for (int i = 0; i < WaveTable::size; ++i) {
            const float phase = static_cast<float>(i) / WaveTable::size;
            cycle.push_back(phase < 0.5f ? 4.0f * phase - 1.0f : 3.0f - 4.0f * phase);
        }
        return WaveTable(cycle);
    }());
    return table;
}

} // namespace facet
