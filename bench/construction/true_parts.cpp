// Which part of the true construction would bring a found patch nearer: what a search should have proposed.
//   build/release/bench/true_parts FOLDER TRUE FOUND [WORD …]
// FOLDER: of references.py; TRUE: patches of the true construction, refined (ceiling.cpp); FOUND: ID/patch.json of a
// search. Prints likeness − 6 · loss of both, and of the found patch with each part of the true one, as placed and once
// everything has been refined twice.
#include "bench/construction/known_sound.h"
#include "core/base/error.h"
#include "core/match/match.h"
#include "core/match/search/inputs.h"
#include "core/match/search/refine.h"
#include "core/match/search/score.h"
#include "core/match/search/state.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"
#include "core/parameters/table.h"

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <functional>

namespace facet {
namespace {

namespace fs = std::filesystem;
using Chosen = std::function<bool(const Patch::Module&)>;

/// The chosen modules of the other patch in place of those of this one; links whose ends are gone go as well.
Patch withModules(Patch patch, const Patch& other, const Chosen& chosen) {
    for (const auto& module : std::vector(patch.modules()))
        if (chosen(module) && !Patch::isFixed(module.path) && patch.find(module.path)) patch.remove(module.path);
    for (const auto& module : other.modules()) {
        if (!chosen(module)) continue;
        try {
            if (!patch.find(module.path)) patch.add(module.path);
            patch.setData(module.path, module.contents());
            for (const auto& d : parametersOf(module.kind)) {
                const Address address{module.path, std::string(d.field)};
                patch.setNearest(address, other.value(address));
            }
        } catch (const Error&) {} // no room, or an end that is missing
    }
    return patch;
}

struct Part {
    std::string name;
    Patch patch;
};

std::vector<Part> partsOf(const Patch& found, const Patch& right) {
    const auto isPart = [](ModuleKind kind) { return [kind](const Patch::Module& m) { return m.kind == kind; }; };
    const Chosen effects = [](const Patch::Module& m) { return isEffect(m.kind); };
    const Chosen filters = [](const Patch::Module& m) {
        return m.kind == ModuleKind::filter || m.path.ends_with("/envelope:filter");
    };
    const Chosen levels = [](const Patch::Module& m) { return m.path.ends_with("/envelope:level"); };
    std::vector<Part> parts{
        {"as found", found},
        {"effects", withModules(found, right, effects)},
        {"voices", withModules(right, found, effects)},
        {"sources", withModules(found, right, isPart(ModuleKind::source))},
        {"filters", withModules(found, right, filters)},
        {"sources, filters", withModules(withModules(found, right, isPart(ModuleKind::source)), right, filters)},
        {"levels", withModules(found, right, levels)},
        {"voicing", withModules(found, right, [](const Patch::Module& m) { return m.kind == ModuleKind::voicing; })}};
    for (const auto& module : right.modules()) {
        if (!isEffect(module.kind) || !takesPart(right, module)) continue;
        Patch with = found;
        bool has = false;
        for (const auto& mine : found.modules()) has = has || (mine.kind == module.kind && takesPart(found, mine));
        if (has) continue;
        const std::string path = with.freePath(module.kind);
        with.add(path);
        for (const auto& d : parametersOf(module.kind))
            with.setNearest({path, std::string(d.field)}, right.value({module.path, std::string(d.field)}));
        parts.push_back({"+ " + std::string(labelOf(module.kind)), std::move(with)});
    }
    return parts;
}

int run(int argc, char** argv) {
    const fs::path folder = argv[1], rightOnes = argv[2], found = argv[3];
    std::vector<fs::path> ids;
    for (const auto& entry : fs::directory_iterator(rightOnes)) ids.push_back(entry.path());
    std::sort(ids.begin(), ids.end());
    for (const fs::path& id : ids) {
        const std::string name = id.stem().string();
        bool wanted = argc <= 4;
        for (int i = 4; i < argc; ++i) wanted = wanted || name.find(argv[i]) != name.npos;
        if (!wanted || !fs::exists(found / name / "patch.json")) continue;
        const auto [recording, played] = readKnownSound(folder, name);
        const Patch right = readPatch(id), mine = readPatch(found / name / "patch.json");
        MatchSettings settings;
        settings.start = mine;
        settings.threads = 1;
        const Task task;
        const std::vector<PreparedTarget> targets{
            PreparedTarget::prepare({recording, played}, 1.0, settings.forTargets(), task)};
        const SearchInputs inputs{targets, targets, settings, task, identifiableBy(targets)};
        Budget budget(0.0, 0, std::chrono::steady_clock::now());
        const MatchListener nobody;
        SearchState state(inputs, budget, nobody);
        const Evaluator evaluator = state.evaluator({.ignoreBudget = true});
        const auto worth = [&](const Patch& patch) {
            const ScoredPatch scored = scoreAll(patch, targets, 1, settings);
            return scored.likeness - 6.0 * scored.loss;
        };
        std::printf("%-10s true %6.1f", name.c_str(), worth(right));
        for (const Part& part : partsOf(mine, right)) {
            const Candidate placed = evaluator.evaluate({part.patch}).front();
            const double before = worth(placed.patch);
            const Candidate refined = refine(state, evaluator, placed, 2);
            std::printf(" | %s %.1f -> %.1f", part.name.c_str(), before, worth(refined.patch));
        }
        std::printf("\n");
        std::fflush(stdout);
    }
    return 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    if (argc < 4) {
        std::puts("true_parts FOLDER TRUE FOUND [WORD …]");
        return 2;
    }
    return facet::run(argc, argv);
}
