// Whether the rounded values of sheets sound as alike as the patch, and how many there are: figures for docs/sheet.md.
//   build/release/bench/sheet_values [--found REFERENCES FOUND [MOST]]… [--write docs/sheet.md]
// Of all fixtures, toward their own renders; and of what searches have found, at most MOST of them: REFERENCES holds
// ID.flac, FOUND holds ID/patch.json and ID/performance.json.
#include "bench/found.h"
#include "bench/page.h"
#include "core/audio/audio_file.h"
#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"
#include "core/performance/performance.h"
#include "core/recipe/recipe.h"
#include "tests/support/fixtures.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>

namespace facet {
namespace {

namespace fs = std::filesystem;

struct Figures {
    std::string group;
    double exact = 0.0, likeness = 0.0, share = 0.0, seconds = 0.0;
    bool isAlike = false;
};

/// How many values of a patch could be heard.
std::size_t heardValues(const Patch& patch) {
    std::size_t count = 0;
    for (const auto& module : patch.modules())
        if (takesPart(patch, module))
            for (const auto& d : parametersOf(module.kind)) count += matters(patch, module, d);
    return count;
}

Figures round(const std::string& group, const std::string& name, const Recording& reference, const Performance& played,
              const Patch& patch) {
    const int threads = hardwareThreads();
    const auto begin = std::chrono::steady_clock::now();
    const auto profile =
        std::make_shared<const Profile>(measureProfile(reference, played, {.source = nullptr, .threads = threads}));
    const ReferenceScore score({MoveTarget{std::make_shared<const Recording>(reference), profile, played}});
    const Task task;
    const RoundedPatch rounded = roundedPatch(patch, likenessToward(score, equalWeights, threads, task));
    Figures figures{group, rounded.exact, rounded.likeness, 0.0, 0.0, rounded.isAlike()};
    figures.share = static_cast<double>(rounded.values.size()) / static_cast<double>(heardValues(patch));
    figures.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    std::printf("%-8s %-20s %5.1f → %5.1f, %2zu values, %2.0f %% of all, %4.1f s\n", group.c_str(), name.c_str(),
                figures.exact, figures.likeness, rounded.values.size(), 100.0 * figures.share, figures.seconds);
    std::fflush(stdout);
    return figures;
}

std::string row(const std::string& group, const std::vector<Figures>& all) {
    std::size_t count = 0, alike = 0, few = 0;
    double worst = 0.0;
    std::vector<double> shares, seconds;
    for (const Figures& each : all) {
        if (each.group != group) continue;
        ++count;
        alike += each.isAlike;
        few += each.share <= 0.6;
        worst = std::max(worst, each.exact - each.likeness);
        shares.push_back(each.share);
        seconds.push_back(each.seconds);
    }
    if (count == 0) return {};
    std::sort(shares.begin(), shares.end());
    std::sort(seconds.begin(), seconds.end());
    return fmt::format("| {} | {} | {} | {:.1f} | {:.0f} % | {} | {:.1f} s |\n", group, count, alike, worst,
                       100.0 * shares[count / 2], few, seconds[count / 2]);
}

struct Found {
    std::string references, matches;
    std::size_t most = 1000;
};

int run(const std::vector<Found>& found, const char* page) {
    std::vector<Figures> all;
    for (const std::string& name : testing::fixtureNames()) {
        const Patch patch = testing::fixturePatch(name);
        Performance played = testing::fixturePhrase();
        const Recording reference = render(patch, played);
        played.seed = 2;
        all.push_back(round("fixtures", name, reference, played, patch));
    }
    std::vector<std::string> groups{"fixtures"};
    for (const Found& each : found) {
        groups.push_back(fs::path(each.matches).filename().string());
        const std::vector<fs::path> folders = foundIn(each.matches);
        const std::size_t step = std::max<std::size_t>(1, folders.size() / each.most);
        for (std::size_t i = 0; i < folders.size() && i / step < each.most; i += step) {
            const std::string name = folders[i].filename().string();
            const Recording reference = readAudio(fs::path(each.references) / (name + ".flac"));
            all.push_back(round(groups.back(), name, reference, readPerformance(folders[i] / "performance.json"),
                                readPatch(folders[i] / "patch.json")));
        }
    }
    std::string report =
        "| patches | number | no more than 1 less alike | most that is lost | values set, of those that "
        "could be heard, median | at most 60 % | time, median |\n|---|---|---|---|---|---|---|\n";
    for (const std::string& group : groups) report += row(group, all);
    std::fputs(report.c_str(), stdout);
    return page && !writeBetween(page, "sheet values", report) ? 2 : 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    std::vector<facet::Found> found;
    const char* page = nullptr;
    for (int i = 1; i < argc; ++i)
        if (std::strcmp(argv[i], "--found") == 0 && i + 2 < argc) {
            found.push_back({argv[i + 1], argv[i + 2]});
            i += 2;
            if (i + 1 < argc && std::atoi(argv[i + 1]) > 0)
                found.back().most = static_cast<std::size_t>(std::atoi(argv[++i]));
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
