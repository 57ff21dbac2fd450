// Whole files in and out, safely.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>

namespace facet {

/// The bytes of a file. Throws Error when it is missing, a folder, unreadable or over `limitBytes`.
std::string readWholeFile(const std::filesystem::path& path, std::uintmax_t limitBytes = 64u << 20);

/// Puts `bytes` at `path` all or nothing: written beside it under a temporary name, flushed to the disk,
/// renamed. An existing file stays as it was when anything fails. Throws Error (read-only folder, full disk).
void writeWholeFile(const std::filesystem::path& path, std::string_view bytes);

/// Makes a finished temporary file take the place of `path`: flushes it to the disk and renames it.
/// The temporary file is removed when that fails. Throws Error.
void replaceFile(const std::filesystem::path& temporary, const std::filesystem::path& path);

/// A name beside `path` for writing it anew.
std::filesystem::path temporaryBeside(const std::filesystem::path& path);

/// Fills a new folder all or nothing: `write` fills one beside it, which is renamed at the end, and removed when
/// anything fails. Throws Error, also where the folder is there already; what `write` throws, such as Cancelled, goes
/// on.
void writeWholeFolder(const std::filesystem::path& folder,
                      const std::function<void(const std::filesystem::path& partial)>& write);
/// What a file may be called by a name: no separators, no leading dot; `otherwise` where nothing is left of it.
std::string fileNameOf(const std::string& name, const std::string& otherwise);
/// A path in a folder that nothing has yet: "STEM.json", "STEM 2.json" …
std::filesystem::path freeFile(const std::filesystem::path& folder, const std::string& stem, std::string_view ending);
/// Makes a folder with those that it lies in. `what` it is of: "the collection". Throws Error.
void makeFolder(const std::filesystem::path& folder, std::string_view what);

} // namespace facet
