// Whether the steps of builds lead to the patch, how many there are, and what each costs: figures for docs/build.md.
//   build/release/bench/build_steps [--found REFERENCES FOUND]… [--write docs/build.md]
// Of all fixtures, toward their own renders; and of what searches have found: REFERENCES holds ID.flac, FOUND holds
// ID/patch.json and ID/performance.json.
#include "bench/found.h"
#include "bench/page.h"
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/match/suggest/build.h"
#include "core/parameters/patch_json.h"
#include "core/performance/performance.h"
#include "tests/support/fixtures.h"

#include <algorithm>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>

namespace facet {
namespace {

namespace fs = std::filesystem;

constexpr double mayFall = 2.0; // of likeness

struct Told {
    std::string group, name;
    std::size_t steps = 0;
    double largestFall = 0.0;
    bool isSame = false, hasElements = false;
};

Told tell(const std::string& group, const std::string& name, const Recording& reference, const Performance& played,
          const Patch& patch) {
    const auto profile = std::make_shared<const Profile>(
        measureProfile(reference, played, {.source = nullptr, .threads = hardwareThreads()}));
    BuildMaker maker({MoveTarget{std::make_shared<const Recording>(reference), profile, played}});
    const Build build = maker.make(patch, equalWeights, hardwareThreads());
    Told told{group, name, build.steps.size()};
    std::set<Element> brought, whole;
    for (const BuildStep& step : build.steps) {
        told.largestFall = std::max(told.largestFall, step.before - step.after);
        brought.insert(step.elements.begin(), step.elements.end());
    }
    for (const PatchElement& each : elementsOf(patch)) whole.insert(each.element);
    told.hasElements = build.steps.empty() || brought == whole;
    const Patch last = build.steps.empty() ? Patch() : build.steps.back().patch;
    told.isSame = last.soundsLike(patch) && render(last, played).channels == render(patch, played).channels;
    std::printf("%-8s %-20s %2zu steps, falls by %4.1f at most%s%s\n", group.c_str(), name.c_str(), told.steps,
                told.largestFall, told.isSame ? "" : ", ANOTHER SOUND", told.hasElements ? "" : ", OTHER ELEMENTS");
    std::fflush(stdout);
    return told;
}

std::string row(const std::string& group, const std::vector<Told>& all) {
    std::vector<std::size_t> steps;
    std::size_t same = 0, elements = 0, rising = 0;
    for (const Told& each : all) {
        if (each.group != group) continue;
        steps.push_back(each.steps);
        same += each.isSame;
        elements += each.hasElements;
        rising += each.largestFall <= mayFall;
    }
    if (steps.empty()) return {};
    std::sort(steps.begin(), steps.end());
    return fmt::format("| {} | {} | {} | {} | {} | {} | {} |\n", group, steps.size(), steps[steps.size() / 2],
                       steps.back(), same, rising, elements);
}

int run(const std::vector<std::pair<std::string, std::string>>& found, const char* page) {
    std::vector<Told> all;
    for (const std::string& name : testing::fixtureNames()) {
        const Patch patch = testing::fixturePatch(name);
        Performance played = testing::fixturePhrase();
        const Recording reference = render(patch, played);
        played.seed = 2;
        all.push_back(tell("fixtures", name, reference, played, patch));
    }
    std::vector<std::string> groups{"fixtures"};
    for (const auto& [references, matches] : found) {
        groups.push_back(fs::path(matches).filename().string());
        const std::vector<fs::path> folders = foundIn(matches);
        for (const fs::path& folder : folders) {
            const std::string name = folder.filename().string();
            const Recording reference = readAudio(fs::path(references) / (name + ".flac"));
            all.push_back(tell(groups.back(), name, reference, readPerformance(folder / "performance.json"),
                               readPatch(folder / "patch.json")));
        }
    }
    std::string report =
        "| patches | number | steps, median | most | same sound in the end | none falls by more than 2 | "
        "elements of the steps are the patch's |\n|---|---|---|---|---|---|---|\n";
    for (const std::string& group : groups) report += row(group, all);
    std::fputs(report.c_str(), stdout);
    return page && !writeBetween(page, "build steps", report) ? 2 : 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    std::vector<std::pair<std::string, std::string>> found;
    const char* page = nullptr;
    for (int i = 1; i < argc; ++i)
        if (std::strcmp(argv[i], "--found") == 0 && i + 2 < argc) {
            found.emplace_back(argv[i + 1], argv[i + 2]);
            i += 2;
        } else if (std::strcmp(argv[i], "--write") == 0 && i + 1 < argc) {
            page = argv[++i];
        }
    try {
        return facet::run(found, page);
    } catch (const std::exception& problem) {
        std::fprintf(stderr, "%s\n", problem.what());
        return 1;
    }
}
