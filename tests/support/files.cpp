#include "tests/support/files.h"

#include <cstdlib>
#include <fstream>

namespace facet::testing {

TemporaryFolder::TemporaryFolder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "facet-test-XXXXXX").string();
    path_ = ::mkdtemp(pattern.data());
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code code;
    std::filesystem::permissions(path_, std::filesystem::perms::owner_all, code);
    std::filesystem::remove_all(path_, code);
}

void writeBytes(const std::filesystem::path& path, const std::string& bytes) {
    std::ofstream(path, std::ios::binary) << bytes;
}

std::filesystem::path demoFile(const std::string& name) {
    return std::filesystem::path(FACET_SOURCE_DIR) / "demo" / name;
}

} // namespace facet::testing
