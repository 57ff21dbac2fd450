// What searches have left behind.
#pragma once

#include <algorithm>
#include <filesystem>
#include <vector>

namespace facet {

/// The folders in `matches` that hold a patch, by name.
inline std::vector<std::filesystem::path> foundIn(const std::filesystem::path& matches) {
    std::vector<std::filesystem::path> folders;
    for (const auto& entry : std::filesystem::directory_iterator(matches))
        if (std::filesystem::exists(entry.path() / "patch.json")) folders.push_back(entry.path());
    std::sort(folders.begin(), folders.end());
    return folders;
}

} // namespace facet
