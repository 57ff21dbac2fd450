// Examples for train.py: summaries of drawn sounds with the elements that they are made of.
//   prior_examples FILE FIRST COUNT [THREADS]
// Writes sounds FIRST … FIRST + COUNT − 1, sixteen patches each, one after the other: summarySize() half-precision
// numbers and elementCount bytes a patch, 1 where it has the element. A sound is disturbed as recordings are: notes
// that are not quite what was read, noise, a cut of the highest frequencies as lossy files have it, one channel.
#include "bench/prior/drawn_sound.h"
#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/engine/render.h"
#include "core/prior/sound_summary.h"
#include "core/parameters/elements.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <mutex>

using namespace facet;

namespace {

constexpr int patchesEach = 16;

void disturb(Recording& sound, Random& random) {
    const float peak = std::max(1e-6f, peakOf(sound));
    if (random.unit() < 0.3) {
        const auto level = static_cast<float>(peak * std::pow(10.0, random.between(-80.0, -50.0) / 20.0));
        for (auto& channel : sound.channels)
            for (float& x : channel) x += level * static_cast<float>(random.between(-1.0, 1.0));
    }
    if (random.unit() < 0.08) {
        for (std::size_t i = 0; i < sound.channels[0].size(); ++i)
            sound.channels[0][i] = 0.5f * (sound.channels[0][i] + sound.channels[1][i]);
        sound.channels.pop_back();
    }
    if (random.unit() < 0.15)
        sound = atRate(atRate(sound, static_cast<int>(random.between(28000.0, 40000.0))), analysisRateHz);
}

void disturb(Performance& performance, Random& random) {
    const double late = random.between(-0.008, 0.008);
    for (Note& note : performance.notes) {
        note.start = std::max(0.0, note.start + late + random.between(-0.004, 0.004));
        note.end = std::max(note.start + 0.02, note.end + random.between(-0.015, 0.015));
        note.velocity = std::clamp(note.velocity + random.between(-5.0, 5.0), 1.0, 127.0);
    }
    performance.normalize();
}

} // namespace

int main(int argc, char** argv) {
    if (argc < 4) {
        std::fputs("prior_examples FILE FIRST COUNT [THREADS]\n", stderr);
        return 2;
    }
    std::FILE* file = std::fopen(argv[1], "wb");
    if (!file) return 1;
    const auto first = std::strtoull(argv[2], nullptr, 10);
    const int count = std::atoi(argv[3]);
    std::mutex writing;
    parallelFor(count, argc > 4 ? std::atoi(argv[4]) : hardwareThreads(), [&](int i) {
        const std::uint64_t number = first + static_cast<std::uint64_t>(i);
        const DrawnSounds drawn = drawnSounds(number, patchesEach);
        Random random(combineSeeds(0x5eedd157, number));
        std::vector<unsigned char> bytes;
        std::size_t each = 0;
        for (Recording& sound : renderAt48k(drawn.patches, drawn.phrase)) {
            const Patch& patch = drawn.patches[each++];
            if (peakOf(sound) < 1e-4f) continue;
            disturb(sound, random);
            Performance read = drawn.phrase;
            disturb(read, random);
            for (const float value : soundSummary(sound, read)) {
                const auto half = static_cast<_Float16>(std::clamp(value, -1000.0f, 1000.0f));
                const auto* raw = reinterpret_cast<const unsigned char*>(&half);
                bytes.insert(bytes.end(), raw, raw + sizeof half);
            }
            std::vector<unsigned char> has(elementCount);
            for (const PatchElement& element : elementsOf(patch)) has[static_cast<std::size_t>(element.element)] = 1;
            bytes.insert(bytes.end(), has.begin(), has.end());
        }
        const std::lock_guard lock(writing);
        std::fwrite(bytes.data(), 1, bytes.size(), file);
    });
    std::fclose(file);
    std::printf("%d\n", summarySize());
    return 0;
}
