// A profile as JSON, for scripts and other programs.
#pragma once

#include "core/analysis/profile.h"

#include <string>

namespace facet {

/// Everything measured, tracks included; null where something is not measurable. docs/formats.md names the keys.
std::string profileToJson(const Profile& profile, const Performance& performance);

} // namespace facet
