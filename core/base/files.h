// Whole files in and out, safely.
#pragma once

#include <filesystem>
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

} // namespace facet
