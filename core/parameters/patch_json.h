// Patches as JSON: `"format": "facet-patch"`, version 1, physical units.
#pragma once

#include "core/parameters/patch.h"

#include <filesystem>
#include <string>

namespace facet {

/// UTF-8 JSON with every module and value, plus whatever `patch.unknown` holds.
std::string patchToJson(const Patch& patch);

/// Starts from the empty patch and takes what the text states; unknown keys are kept. Throws Error naming
/// the path to the first wrong value.
Patch patchFromJson(const std::string& text);

/// File versions of the two; errors name the file.
Patch readPatch(const std::filesystem::path& path);
void writePatch(const std::filesystem::path& path, const Patch& patch);

/// A JSON Schema (draft 2020-12) of the format, generated from the parameter table.
std::string patchSchema();

} // namespace facet
