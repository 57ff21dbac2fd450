// A page as PDF. Without Qt in sight, for programs that know none.
#pragma once

#include "core/recipe/page.h"

#include <filesystem>
#include <string>

namespace facet {

/// Writes a page as PDF in A4, with `patch` (JSON) attached to it as “patch.json”. Needs no window: where the program
/// is no graphical one, it becomes one without a screen meanwhile. All or nothing. Throws Error for a file that cannot
/// be written. GUI or main thread.
void writePdf(const std::filesystem::path& path, const Page& page, const std::string& patch);

} // namespace facet
