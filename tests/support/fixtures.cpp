#include "tests/support/fixtures.h"

#include "core/parameters/patch_json.h"

#include <algorithm>
#include <filesystem>

namespace facet::testing {

namespace {
const std::filesystem::path folder = std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches";
}

std::vector<std::string> fixtureNames() {
    std::vector<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) names.push_back(entry.path().stem().string());
    std::sort(names.begin(), names.end());
    return names;
}

Patch fixturePatch(const std::string& name) { return readPatch(folder / (name + ".json")); }

void link(Patch& patch, const std::string& from, const std::string& to, double amount, const std::string& by) {
    const std::string path = patch.freePath(ModuleKind::link);
    patch.add(path);
    ModuleData data;
    data.from = from;
    data.to = to;
    data.by = by;
    patch.setData(path, data);
    patch.set({path, "amount"}, amount);
}

Performance fixturePhrase() {
    Performance performance;
    performance.notes = {{0.05, 1.3, 45, 0.0, 110.0}, {1.2, 2.0, 52, 0.0, 70.0}, {2.15, 2.4, 60, 0.0, 95.0}};
    performance.frames = static_cast<int>(3.2 * 48000);
    performance.channelCount = 2;
    return performance;
}

} // namespace facet::testing
