// The project file NAME.facet: one SQLite database that is written whole. docs/formats.md describes it.
#pragma once

#include "core/project/document.h"

#include <filesystem>

namespace facet {

inline constexpr int projectSchemaVersion = 1;

/// A project as read from its file.
struct LoadedProject {
    Document document;
    std::int64_t generation = 0; ///< counts saves; the journal belongs to one generation
};

/// Throws Error, with one sentence, for a missing, foreign, damaged or newer file.
LoadedProject loadProject(const std::filesystem::path& path);

/// Writes a temporary file, flushes it and renames it into place: the old file stays when anything fails. Throws
/// Error (read-only folder, full disk).
void saveProject(const std::filesystem::path& path, const Document& document, std::int64_t generation);

} // namespace facet
