// A phrase as files: as it sounds, without effects, layer by layer, note by note.
#pragma once

#include "core/audio/audio_stream.h"
#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <filesystem>
#include <string>
#include <vector>

namespace facet {

/// What is written of a phrase besides the whole.
struct PhraseParts {
    bool dry = true;       ///< without effects
    bool layers = true;    ///< each by itself, with the effects; where there are several
    bool eachNote = false; ///< with the effects, from its beginning until it has died away
};

/// A patch that plays notes.
struct PlayedPart {
    std::string name; ///< of a file, without its ending: "phrase", "phrase dry", "layer 1", "note 03 A2"
    Patch patch;
    Performance performance;
    bool trimmed = false; ///< only what is heard of it is written
};

/// The whole first. Effects hear each layer by itself, so that saturated layers add up to another sound than the whole.
std::vector<PlayedPart> partsOfPhrase(const Patch& patch, const Performance& performance, const PhraseParts& wanted);

/// Renders them into a folder. Throws Error and Cancelled.
void writeParts(const std::filesystem::path& folder, const std::vector<PlayedPart>& parts, SampleFormat format,
                const Task& task = {});
/// Renders them into a new folder, all or nothing. Throws Error, also where the folder is there already, and Cancelled.
void writePhrase(const std::filesystem::path& folder, const std::vector<PlayedPart>& parts, SampleFormat format,
                 const Task& task = {});

} // namespace facet
