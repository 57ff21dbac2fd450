#include "core/engine/kernels/sample_table.h"

#include "core/dsp/resample.h"

#include <cmath>
#include <map>
#include <mutex>

namespace facet {

SampleTable::SampleTable(const std::vector<float>& sound, int rateHz)
    : sound_{sound}, rateHz_(rateHz), seconds_(static_cast<double>(sound.size()) / rateHz) {
    for (int level = 1; level < levels; ++level) {
        const auto& before = sound_.back();
        sound_.push_back(before.size() < 8 ? before : resample(before, 2, 1, static_cast<int>(before.size() + 1) / 2));
    }
}

int SampleTable::levelFor(double samplesPerSample) {
    int level = 0;
    while (level + 1 < levels && samplesPerSample > 1.2 * (1 << level)) ++level;
    return level;
}

float SampleTable::at(int level, double place) const {
    const auto& sound = sound_[static_cast<std::size_t>(level)];
    const double position = place / (1 << level);
    const double whole = std::floor(position);
    const auto t = static_cast<float>(position - whole);
    const auto index = static_cast<long>(whole);
    const auto value = [&](long i) {
        return i >= 0 && i < static_cast<long>(sound.size()) ? sound[static_cast<std::size_t>(i)] : 0.0f;
    };
    const float a = value(index - 1), b = value(index), c = value(index + 1), d = value(index + 2);
    return b + 0.5f * t * (c - a + t * (2.0f * a - 5.0f * b + 4.0f * c - d + t * (3.0f * (b - c) + d - a)));
}

std::shared_ptr<const SampleTable> sharedSampleTable(std::uint64_t key, const std::vector<float>& sound, int rateHz) {
    static std::mutex mutex;
    static auto& tables = *new std::map<std::uint64_t, std::weak_ptr<const SampleTable>>;
    const std::lock_guard lock(mutex);
    if (auto table = tables[key].lock()) return table;
    std::erase_if(tables, [](const auto& entry) { return entry.second.expired(); });
    auto table = std::make_shared<const SampleTable>(sound, rateHz);
    tables[key] = table;
    return table;
}

} // namespace facet
