// A sound with all that belongs to it, as one folder.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"
#include "core/recipe/page.h"

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace facet {

/// What is put into it.
struct Bundle {
    Patch patch{};
    Performance performance{};                                ///< as its phrase plays
    std::vector<RecordingPtr> references{};                   ///< excerpts that it rebuilds
    Page page{};                                              ///< the sheet
    Patch sheetPatch{};                                       ///< the patch that the sheet tells
    std::vector<std::pair<std::string, std::string>> files{}; ///< further ones: name and bytes
};

/// Fills a new folder, all or nothing: patch.json, notes.mid (with curves as controllers), notes.json (exact),
/// reference.flac …, sheet.html, sheet.md, sheet.txt, and the phrase in its parts as WAV. Throws Error, also where the
/// folder is there already, and Cancelled. Returns how many files it holds.
std::size_t writeBundle(const std::filesystem::path& folder, const Bundle& bundle, const Task& task = {});

} // namespace facet
