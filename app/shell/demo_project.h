// The demo project "Night Dome", made from the references that ship with Facet.
#pragma once

#include "core/project/document.h"

#include <filesystem>

namespace facet {

/// Reads NAME.flac and NAME.mid of each cue in `folder`. Throws Error when the folder holds none.
Document makeDemoProject(const std::filesystem::path& folder);

} // namespace facet
