#include "core/project/document.h"

#include "core/audio/audio_file.h"
#include "core/base/files.h"
#include "core/base/hash.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <random>
#include <unistd.h>

namespace facet {

namespace fs = std::filesystem;

std::vector<Note> correctedNotes(const std::vector<Note>& found, const std::vector<NoteCorrection>& corrections) {
    std::vector<std::optional<Note>> notes(found.begin(), found.end());
    std::vector<bool> taken(found.size(), false);
    for (const NoteCorrection& correction : corrections) {
        if (!correction.from) {
            notes.push_back(correction.to);
            continue;
        }
        int best = -1;
        for (std::size_t i = 0; i < found.size(); ++i) {
            const double apart = std::abs(found[i].start - correction.from->start);
            if (taken[i] || apart > 0.05 || std::abs(found[i].key - correction.from->key) > 13) continue;
            if (best < 0 || apart < std::abs(found[static_cast<std::size_t>(best)].start - correction.from->start))
                best = static_cast<int>(i);
        }
        if (best < 0) continue;
        taken[static_cast<std::size_t>(best)] = true;
        notes[static_cast<std::size_t>(best)] = correction.to;
    }
    std::vector<Note> result;
    for (const auto& note : notes)
        if (note) result.push_back(*note);
    return result;
}

Performance Excerpt::corrected() const {
    Performance result = performance;
    result.notes = correctedNotes(performance.notes, corrections);
    result.normalize();
    return result;
}

const Cue* Document::find(std::uint64_t cueId) const {
    const auto found = std::find_if(cues.begin(), cues.end(), [cueId](const auto& cue) { return cue->id == cueId; });
    return found == cues.end() ? nullptr : found->get();
}

std::uint64_t takeId(Document& document) { return document.nextId++; }

Document newDocument() {
    Document document;
    std::random_device device; // the one thing that must differ between two projects
    document.projectId = fmt::format("{:08x}{:08x}", device(), device());
    Cue cue;
    cue.id = takeId(document);
    cue.name = "Cue 1";
    document.activeCue = cue.id;
    return withCue(document, std::move(cue));
}

Document withCue(const Document& document, Cue cue) {
    Document result = document;
    const auto found =
        std::find_if(result.cues.begin(), result.cues.end(), [&](const auto& c) { return c->id == cue.id; });
    auto shared = std::make_shared<const Cue>(std::move(cue));
    if (found == result.cues.end())
        result.cues.push_back(std::move(shared));
    else
        *found = std::move(shared);
    return result;
}

Document withoutCue(const Document& document, std::uint64_t cueId) {
    Document result = document;
    std::erase_if(result.cues, [cueId](const auto& cue) { return cue->id == cueId; });
    if (!result.active()) result.activeCue = result.cues.empty() ? 0 : result.cues.front()->id;
    return result;
}

Excerpt makeExcerpt(const std::string& path, const std::string& fileBytes, double begin, double end) {
    constexpr std::size_t keptWhole = 8u << 20;
    Excerpt excerpt;
    excerpt.sourcePath = path;
    excerpt.sourceHash = Hasher().text(fileBytes).hex();
    Recording whole = readAudioBytes(fileBytes, fs::path(path).filename().string());
    const double length = whole.seconds();
    excerpt.begin = std::clamp(begin, 0.0, length);
    excerpt.end = end > begin ? std::min(end, length) : length;
    const bool all = excerpt.begin == 0.0 && excerpt.end == length;
    Recording region = all ? std::move(whole) : facet::excerpt(whole, excerpt.begin, excerpt.end);
    requireUsable(region, fmt::format("“{}”", fs::path(path).filename().string()));
    if (all && fileBytes.size() <= keptWhole) {
        excerpt.bytes = std::make_shared<const std::string>(fileBytes);
    } else {
        const fs::path temporary =
            fs::temp_directory_path() /
            fmt::format("facet-excerpt-{}-{}.wav", ::getpid(), Hasher().number(excerpt.begin).text(path).hex());
        writeAudio(temporary, region, SampleFormat::wavFloat);
        excerpt.bytes = std::make_shared<const std::string>(readWholeFile(temporary, 4ull << 30));
        std::error_code code;
        fs::remove(temporary, code);
    }
    excerpt.audioKey = Hasher().text(*excerpt.bytes).hex();
    excerpt.performance.frames = region.frameCount();
    excerpt.performance.rateHz = region.rateHz;
    excerpt.performance.channelCount = region.channelCount();
    excerpt.audio = std::make_shared<const Recording>(std::move(region));
    return excerpt;
}

} // namespace facet
