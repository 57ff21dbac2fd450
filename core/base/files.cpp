#include "core/base/files.h"

#include "core/base/error.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <fstream>
#include <unistd.h>

namespace facet {

namespace fs = std::filesystem;

std::string readWholeFile(const fs::path& path, std::uintmax_t limitBytes) {
    std::error_code code;
    const auto status = fs::status(path, code);
    if (!fs::exists(status))
        throw Error(fmt::format("“{}” does not exist; check the name and folder.", path.string()), code.message());
    if (fs::is_directory(status)) throw Error(fmt::format("“{}” is a folder; choose a file in it.", path.string()));
    const auto size = fs::file_size(path, code);
    if (!code && size > limitBytes)
        throw Error(
            fmt::format("“{}” is too large ({} MB) to be such a file; choose another one.", path.string(), size >> 20));
    std::ifstream in(path, std::ios::binary);
    if (!in)
        throw Error(fmt::format("“{}” cannot be read; check its permissions.", path.string()), std::strerror(errno));
    std::string bytes(std::istreambuf_iterator<char>(in), {});
    if (in.bad()) throw Error(fmt::format("“{}” could not be read to its end; check the disk.", path.string()));
    return bytes;
}

fs::path temporaryBeside(const fs::path& path) {
    return path.parent_path() / fmt::format(".{}.{}.part", path.filename().string(), ::getpid());
}

namespace {

[[noreturn]] void failToWrite(const fs::path& path, int reason) {
    const char* advice = reason == ENOSPC || reason == EDQUOT ? "the disk is full; free some space and save again"
                         : reason == EACCES || reason == EROFS || reason == EPERM
                             ? "the folder is read-only; choose another folder"
                         : reason == ENOENT || reason == ENOTDIR ? "the folder does not exist; choose another folder"
                                                                 : "the system refused it; choose another folder";
    throw Error(fmt::format("“{}” cannot be written: {}.", path.string(), advice), std::strerror(reason));
}

} // namespace

void writeWholeFile(const fs::path& path, std::string_view bytes) {
    const fs::path temporary = temporaryBeside(path);
    const int file = ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (file < 0) failToWrite(path, errno);
    std::size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t count = ::write(file, bytes.data() + done, bytes.size() - done);
        if (count < 0 && errno == EINTR) continue;
        if (count < 0) {
            const int reason = errno;
            ::close(file);
            ::unlink(temporary.c_str());
            failToWrite(path, reason);
        }
        done += static_cast<std::size_t>(count);
    }
    ::close(file);
    replaceFile(temporary, path);
}

void replaceFile(const fs::path& temporary, const fs::path& path) {
    const int file = ::open(temporary.c_str(), O_RDWR | O_CLOEXEC);
    const bool flushed = file >= 0 && ::fsync(file) == 0;
    int reason = flushed ? 0 : errno;
    if (file >= 0) ::close(file);
    if (flushed && ::rename(temporary.c_str(), path.c_str()) == 0) {
        // The rename itself lasts only once the folder is on the disk.
        const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
        const int handle = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        if (handle >= 0) {
            ::fsync(handle);
            ::close(handle);
        }
        return;
    }
    if (flushed) reason = errno;
    ::unlink(temporary.c_str());
    failToWrite(path, reason);
}

void writeWholeFolder(const std::filesystem::path& folder,
                      const std::function<void(const std::filesystem::path& partial)>& write) {
    if (std::filesystem::exists(folder))
        throw Error(fmt::format("“{}” is there already; choose another name.", folder.filename().string()));
    const std::filesystem::path partial = temporaryBeside(folder);
    std::error_code code;
    try {
        std::filesystem::create_directories(partial);
        write(partial);
        std::filesystem::rename(partial, folder);
    } catch (const std::filesystem::filesystem_error& problem) {
        std::filesystem::remove_all(partial, code);
        throw Error(fmt::format("“{}” cannot be written; choose another folder or make room.", folder.string()),
                    problem.what());
    } catch (...) {
        std::filesystem::remove_all(partial, code);
        throw;
    }
}

std::string fileNameOf(const std::string& name, const std::string& otherwise) {
    std::string safe;
    for (char c : name) safe += c == '/' || c == '\\' || static_cast<unsigned char>(c) < 0x20 ? '-' : c;
    safe.erase(0, safe.find_first_not_of(" ."));
    while (!safe.empty() && safe.back() == ' ') safe.pop_back();
    return safe.empty() ? otherwise : safe.substr(0, 120);
}

std::filesystem::path freeFile(const std::filesystem::path& folder, const std::string& stem, std::string_view ending) {
    std::filesystem::path file = folder / fmt::format("{}{}", stem, ending);
    for (int number = 2; std::filesystem::exists(file); ++number)
        file = folder / fmt::format("{} {}{}", stem, number, ending);
    return file;
}

void makeFolder(const std::filesystem::path& folder, std::string_view what) {
    std::error_code problem;
    std::filesystem::create_directories(folder, problem);
    if (problem)
        throw Error(fmt::format("The folder of {}, {}, cannot be made; free its place.", what, folder.string()),
                    problem.message());
}

} // namespace facet
