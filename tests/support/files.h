// A folder of a test's own.
#pragma once

#include <filesystem>
#include <string>

namespace facet::testing {

/// Made empty at construction, removed at the end.
class TemporaryFolder {
public:
    TemporaryFolder();
    ~TemporaryFolder();
    TemporaryFolder(const TemporaryFolder&) = delete;
    TemporaryFolder& operator=(const TemporaryFolder&) = delete;
    std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
    const std::filesystem::path& path() const { return path_; }

private:
    std::filesystem::path path_;
};

/// Writes bytes plainly.
void writeBytes(const std::filesystem::path& path, const std::string& bytes);

/// A file of the demo.
std::filesystem::path demoFile(const std::string& name);

/// The sentence of the Error that a call throws; empty when it throws none.
template <typename F> std::string sentenceOf(F&& call) {
    try {
        call();
    } catch (const std::exception& problem) {
        return problem.what();
    }
    return {};
}

} // namespace facet::testing
