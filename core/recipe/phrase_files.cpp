#include "core/recipe/phrase_files.h"

#include "core/audio/audio_file.h"
#include "core/base/files.h"
#include "core/engine/render.h"
#include "core/parameters/audition.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

Patch withoutEffects(Patch patch) {
    for (const auto& module : std::vector<Patch::Module>(patch.modules()))
        if (isEffect(module.kind)) patch = without(patch, module.path);
    return patch;
}

std::vector<std::string> layersOf(const Patch& patch) {
    std::vector<std::string> layers;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::layer) layers.push_back(module.path);
    return layers;
}

/// From a time on, as long as it is heard.
Recording heardFrom(const Recording& sound, double begin) {
    constexpr float unheard = 3e-4f; // of the peak, −70 dB
    float peak = 0.0f;
    for (const auto& channel : sound.channels)
        for (const float sample : channel) peak = std::max(peak, std::abs(sample));
    std::size_t last = 0;
    for (const auto& channel : sound.channels)
        for (std::size_t i = channel.size(); i-- > last;)
            if (std::abs(channel[i]) > unheard * peak) {
                last = i;
                break;
            }
    return excerpt(sound, begin, std::max(begin + 0.01, static_cast<double>(last + 1) / sound.rateHz));
}

} // namespace

std::vector<PlayedPart> partsOfPhrase(const Patch& patch, const Performance& performance, const PhraseParts& wanted) {
    std::vector<PlayedPart> parts{{"phrase", patch, performance}};
    if (wanted.dry) parts.push_back({"phrase dry", withoutEffects(patch), performance});
    if (const auto layers = layersOf(patch); wanted.layers && layers.size() > 1)
        for (std::size_t i = 0; i < layers.size(); ++i)
            parts.push_back({fmt::format("layer {}", i + 1), alone(patch, layers[i]), performance});
    if (!wanted.eachNote) return parts;
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        Performance one = performance;
        one.notes = {performance.notes[i]};
        parts.push_back({fmt::format("note {:02} {}", i + 1, nameOfKey(one.notes.front().key)), patch, one, true});
    }
    return parts;
}

void writeParts(const std::filesystem::path& folder, const std::vector<PlayedPart>& parts, SampleFormat format,
                const Task& task) {
    const bool flac = format == SampleFormat::flac16 || format == SampleFormat::flac24;
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const PlayedPart& part = parts[i];
        task.report(static_cast<double>(i) / static_cast<double>(parts.size()), part.name);
        Recording sound = render(part.patch, part.performance, task);
        if (part.trimmed) sound = heardFrom(sound, part.performance.notes.front().start);
        writeAudio(folder / (part.name + (flac ? ".flac" : ".wav")), sound, format);
    }
}

void writePhrase(const std::filesystem::path& folder, const std::vector<PlayedPart>& parts, SampleFormat format,
                 const Task& task) {
    writeWholeFolder(folder, [&](const std::filesystem::path& partial) { writeParts(partial, parts, format, task); });
}

} // namespace facet
