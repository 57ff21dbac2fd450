// How far around the truth a distance still prefers it to other constructions.
//   build/release/bench/basin FOLDER TRUE WRONG [--draws N] [--only WORD]
// FOLDER: of references.py. TRUE: patches of the true construction (ID.json), see true_patch.py and ceiling. WRONG:
// folders ID with a patch.json that a search found. The values of the true patch are drawn at random around what they
// are, within a third, two thirds and all of what measurements leave open; printed is the share of draws that are
// nearer to the recording than every wrong patch, by the loss on a grid and by the one that follows the notes.
#include "bench/construction/known_sound.h"
#include "core/base/random.h"
#include "core/compare/loss.h"
#include "core/compare/note_loss.h"
#include "core/engine/render.h"
#include "core/match/match.h"
#include "core/match/optimize/search_space.h"
#include "core/match/search/inputs.h"
#include "core/match/targets/prepared_target.h"
#include "core/match/targets/telling_moments.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"

#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <numeric>

namespace facet {
namespace {

namespace fs = std::filesystem;

/// What measurements leave open of a parameter to either side, in its own coordinate of 0 … 1: half an octave of a
/// cutoff, the half of a time, 3.6 dB of a level, half of what a link moves; pitches, rates and delay times are read
/// far better.
double openOf(const Patch& patch, const SearchSpace& space, int i) {
    const Address& address = space.addresses()[static_cast<std::size_t>(i)];
    const ParameterDescriptor& d = patch.descriptor(address);
    if (d.unit == Unit::amount) return 0.5 * std::abs(d.toUnit(patch.value(address)) - d.toUnit(0.0));
    if (d.unit == Unit::cents || d.field == "octave" || d.field == "semitone" || d.field == "transpose") return 0.01;
    if (d.module == ModuleKind::delay && d.field == "time") return 0.002;
    if (d.module == ModuleKind::lfo && d.field == "rate") return 0.01;
    if (d.field.starts_with("ratio")) return 0.0;
    return 0.05;
}

Patch drawn(const Patch& patch, const SearchSpace& space, double size, Random& random) {
    Eigen::VectorXd position = space.positionOf(patch);
    for (int i = 0; i < space.size(); ++i) {
        position(i) += size * openOf(patch, space, i) * (2.0 * random.unit() - 1.0);
    }
    return space.patchAt(patch, position.cwiseMax(space.lower()).cwiseMin(space.upper()));
}

/// Without what only rings on.
Patch dry(Patch patch) {
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::delay || module.kind == ModuleKind::reverb) {
            const Address on{module.path, "on"};
            if (patch.has(on)) patch.set(on, 0.0);
        }
    return patch;
}

struct Judge {
    PreparedTarget target;
    Performance telling;
    NoteLoss notes;

    Judge(Recording reference, const Performance& played)
        : target(PreparedTarget::prepare({std::move(reference), played}, 1.0, {}, {})),
          telling(momentsOf(target.performance, tellingMoments(target.performance, 4), usualMoment)),
          notes(target.reference, target.performance, tellingMoments(target.performance, 4), 20.0, target.upperHz) {
        telling.frames = std::min(target.performance.frames, static_cast<int>(notes.until() * 48000.0) + 1);
    }

    std::vector<double> grid(const std::vector<Patch>& patches) const {
        std::vector<double> all(patches.size());
        renderEach(
            patches, target.performance, analysisRateHz,
            [&](std::size_t i, Recording&& r) { all[i] = Loss::value(target.loss->residual(r)); }, {}, 2);
        return all;
    }
    std::vector<double> followed(const std::vector<Patch>& patches) const {
        std::vector<Patch> some;
        for (const Patch& each : patches) some.push_back(dry(each));
        std::vector<double> all(patches.size());
        renderEach(
            some, telling, analysisRateHz,
            [&](std::size_t i, Recording&& r) { all[i] = Loss::value(notes.residual(r)); }, {}, 2);
        return all;
    }
};

double medianOf(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values.empty() ? 0.0 : values[values.size() / 2];
}

int run(int argc, char** argv) {
    const fs::path folder = argv[1], right = argv[2], wrong = argv[3];
    int draws = 24;
    std::string only;
    for (int i = 4; i + 1 < argc; i += 2) {
        if (!std::strcmp(argv[i], "--draws")) draws = std::atoi(argv[i + 1]);
        if (!std::strcmp(argv[i], "--only")) only = argv[i + 1];
    }
    std::vector<fs::path> ids;
    for (const auto& entry : fs::directory_iterator(right)) ids.push_back(entry.path());
    std::sort(ids.begin(), ids.end());
    const double sizes[] = {1.0 / 3.0, 2.0 / 3.0, 1.0};
    double shares[2][3] = {};
    int count = 0;
    std::printf("%-14s %28s   %28s\n", "", "grid: true wrong | preferred", "notes: true wrong | preferred");
    for (const fs::path& id : ids) {
        const std::string name = id.stem().string();
        if (name.find(only) == name.npos || !fs::exists(wrong / name / "patch.json")) continue;
        const auto [recording, played] = readKnownSound(folder, name);
        const Judge judge(recording, played);
        const Patch truth = readPatch(right / (name + ".json"));
        std::vector<Patch> wrongs{readPatch(wrong / name / "patch.json")};
        const SearchSpace space(truth, {}, Identifiable{});
        std::vector<Patch> all{truth};
        all.insert(all.end(), wrongs.begin(), wrongs.end());
        Random random(7);
        for (double size : sizes)
            for (int k = 0; k < draws; ++k) all.push_back(drawn(truth, space, size, random));
        std::string text;
        const std::vector<double> by[] = {judge.grid(all), judge.followed(all)};
        if (by[0][1] < by[0][0] + 0.1) {
            std::printf("%-14s what was found is no farther (%.2f, %.2f dB)\n", name.c_str(), by[0][1], by[0][0]);
            continue;
        }
        ++count;
        for (int d = 0; d < 2; ++d) {
            const double bound =
                *std::min_element(by[d].begin() + 1, by[d].begin() + 1 + static_cast<long>(wrongs.size()));
            text += fmt::format("  {:5.2f} {:5.2f} |", by[d][0], bound);
            for (int s = 0; s < 3; ++s) {
                const auto from = by[d].begin() + 1 + static_cast<long>(wrongs.size()) + s * draws;
                const auto nearer = std::count_if(from, from + draws, [&](double v) { return v < bound; });
                const double share = static_cast<double>(nearer) / draws;
                shares[d][s] += share;
                text += fmt::format(" {:3.0f}%", 100.0 * share);
            }
            text += fmt::format(" ({:.1f})", medianOf({by[d].end() - draws, by[d].end()}));
        }
        std::printf("%-14s%s\n", name.c_str(), text.c_str());
        std::fflush(stdout);
    }
    for (int d = 0; d < 2; ++d)
        std::printf("%s: a third %.1f %%, two thirds %.1f %%, all %.1f %%\n", d ? "notes" : "grid",
                    100.0 * shares[d][0] / count, 100.0 * shares[d][1] / count, 100.0 * shares[d][2] / count);
    return 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    if (argc < 4) {
        std::puts("basin FOLDER TRUE WRONG [--draws N] [--only WORD]");
        return 2;
    }
    return facet::run(argc, argv);
}
