// Patches out of files: of their own, or within a sheet.
#pragma once

#include "core/parameters/patch.h"

#include <filesystem>
#include <string>

namespace facet {

/// A patch file's patch, or that of a sheet in HTML or PDF. Throws Error for a file that holds none or cannot be read.
Patch readPatchOrSheet(const std::filesystem::path& path);

/// What is attached to a PDF under a name; empty where nothing is. Throws Error for what is no PDF.
std::string attachmentOfPdf(const std::string& bytes, const std::string& name);

} // namespace facet
