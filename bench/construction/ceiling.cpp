// How near the true construction comes to a recording once its values are refined: what a search could reach.
//   build/release/bench/ceiling FOLDER TRUE OUT SECONDS [WORD …]
// FOLDER: of references.py; TRUE: of true_patch.py. Writes OUT/ID.json, the patches with refined values, and prints
// loss and likeness before and after.
#include "bench/construction/known_sound.h"
#include "core/match/match.h"
#include "core/match/search/inputs.h"
#include "core/match/search/refine.h"
#include "core/match/search/score.h"
#include "core/match/search/state.h"
#include "core/parameters/patch_json.h"

#include <chrono>
#include <cstdio>
#include <filesystem>

namespace facet {
namespace {

namespace fs = std::filesystem;

void refineUntilSpent(SearchState& state) {
    const Evaluator evaluator = state.evaluator({});
    try {
        evaluator.evaluate({state.inputs.settings.start});
        refine(state, evaluator, state.leaderboard.best(), 6);
        for (double deviation = 0.08;; deviation = std::max(0.02, 0.8 * deviation)) {
            auto near = evaluator.evaluate(scattered(state, state.leaderboard.best().patch, deviation, 32));
            refineBest(state, evaluator, near, 2, 3);
            refine(state, evaluator, state.leaderboard.best(), 4);
        }
    } catch (const BudgetSpent&) {} // that is its end
}

int run(int argc, char** argv) {
    const fs::path folder = argv[1], right = argv[2], out = argv[3];
    const double seconds = std::atof(argv[4]);
    fs::create_directories(out);
    std::vector<fs::path> ids;
    for (const auto& entry : fs::directory_iterator(right)) ids.push_back(entry.path());
    std::sort(ids.begin(), ids.end());
    for (const fs::path& id : ids) {
        const std::string name = id.stem().string();
        bool wanted = argc <= 5;
        for (int i = 5; i < argc; ++i) wanted = wanted || name.find(argv[i]) != name.npos;
        if (!wanted || !fs::exists(folder / (name + ".flac"))) continue;
        const auto [recording, played] = readKnownSound(folder, name);
        MatchSettings settings;
        settings.start = readPatch(id);
        settings.seconds = seconds;
        settings.threads = 1;
        const Task task;
        const std::vector<PreparedTarget> targets{
            PreparedTarget::prepare({recording, played}, 1.0, settings.forTargets(), task)};
        const SearchInputs inputs{targets, targets, settings, task, identifiableBy(targets)};
        Budget budget(seconds, 0, std::chrono::steady_clock::now());
        const MatchListener nobody;
        SearchState state(inputs, budget, nobody);
        refineUntilSpent(state);
        const Patch& best = state.leaderboard.best().patch;
        const auto before = scoreAll(settings.start, targets, 1, settings),
                   after = scoreAll(best, targets, 1, settings);
        writePatch(out / (name + ".json"), best);
        std::printf("%-14s loss %5.2f -> %5.2f dB  likeness %3.0f -> %3.0f  %5d renders\n", name.c_str(), before.loss,
                    after.loss, before.likeness, after.likeness, budget.evaluations());
        std::fflush(stdout);
    }
    return 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    if (argc < 5) {
        std::puts("ceiling FOLDER TRUE OUT SECONDS [WORD …]");
        return 2;
    }
    return facet::run(argc, argv);
}
