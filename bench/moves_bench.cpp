// Whether the next moves name what was damaged: the table of docs/accuracy.md.
//   build/release/bench/moves_bench [SINGLES TRIPLES] [--write docs/accuracy.md]     200 and 60 when not given
// Damages are drawn by a fixed seed over all fixtures. Reference and render have different random phases, and the
// reference lies 0.4 samples late.
#include "bench/page.h"
#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/engine/render.h"
#include "core/match/moves.h"
#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fmt/format.h>
#include <optional>

namespace facet {
namespace {

using testing::fixtureNames;
using testing::fixturePatch;
using testing::fixturePhrase;

constexpr double leastCost = 5.0, mostCost = 20.0, restored = 95.0;
constexpr int takesAllowed = 6;

struct Target {
    std::string name;
    Patch patch;
    ProfilePtr profile;
    std::shared_ptr<MoveFinder> finder;
    double undamaged = 0.0; ///< likeness of the right patch: its floor
};

Performance phrase(std::uint64_t seed) {
    Performance performance = fixturePhrase();
    performance.seed = seed;
    return performance;
}

double likenessOf(const Target& target, const Patch& patch) {
    return compare(*target.profile, measureProfile(render(patch, phrase(2)), phrase(2),
                                                   {.source = &target.profile->source, .threads = hardwareThreads()}))
        .likeness;
}

std::vector<Target> targets() {
    std::vector<Target> all;
    for (const std::string& name : fixtureNames()) {
        Target target{name, fixturePatch(name), nullptr, nullptr};
        const Recording reference = testing::later(render(target.patch, phrase(1)), 0.4);
        target.profile = std::make_shared<const Profile>(
            measureProfile(reference, phrase(2), {.source = nullptr, .threads = hardwareThreads()}));
        target.finder = std::make_shared<MoveFinder>(reference, target.profile, phrase(2), Attention{});
        target.undamaged = likenessOf(target, target.patch);
        all.push_back(std::move(target));
    }
    return all;
}

/// One parameter that is heard, put elsewhere.
std::optional<Address> damage(Patch& patch, Random& random) {
    std::vector<Address> heard;
    for (const auto& module : patch.modules()) {
        if (!takesPart(patch, module)) continue;
        for (const auto& d : parametersOf(module.kind))
            if (matters(patch, module, d) && (d.facets != 0 || d.unit == Unit::amount) && d.field != "on")
                heard.push_back({module.path, std::string(d.field)});
    }
    const Address address = heard[static_cast<std::size_t>(random.unit() * static_cast<double>(heard.size()))];
    const ParameterDescriptor d = patch.shownDescriptor(address);
    const double now = patch.value(address);
    double value = 0.0;
    if (d.isDiscrete())
        value = d.nearest(d.low + std::floor(random.unit() * (d.high - d.low + 1.0)));
    else if (d.unit == Unit::amount || patch.descriptor(address).unit == Unit::amount)
        value = d.nearest(now * std::exp2(4.0 * random.unit() - 2.0));
    else
        value = d.fromUnit(d.toUnit(now) + (random.unit() < 0.5 ? -1.0 : 1.0) * 0.02 * std::exp2(4.6 * random.unit()));
    patch.setNearest(address, value);
    if (patch.value(address) == now) return std::nullopt;
    return address;
}

bool isRestored(const Target& target, double likeness) {
    return likeness >= restored || likeness >= target.undamaged - 0.5;
}

/// Wilson's interval of 95 % for a share (E. B. Wilson, JASA 22, 1927).
std::string interval(int good, int all) {
    const double z = 1.96, n = all, p = good / n;
    const double middle = (p + z * z / (2 * n)) / (1 + z * z / n);
    const double half = z / (1 + z * z / n) * std::sqrt(p * (1 - p) / n + z * z / (4 * n * n));
    return fmt::format("{} of {}, {:.0f} % ({:.0f}–{:.0f})", good, all, 100 * p, 100 * (middle - half),
                       100 * (middle + half));
}

struct Times {
    std::vector<double> first, last;
    static double percentile(std::vector<double> values, double share) {
        std::sort(values.begin(), values.end());
        return values.empty() ? 0.0 : values[static_cast<std::size_t>(share * static_cast<double>(values.size() - 1))];
    }
};

NextMoves timedMoves(const Target& target, const Patch& patch, std::size_t most, Times& times) {
    const auto begin = std::chrono::steady_clock::now();
    const auto passed = [&] { return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(); };
    MoveSettings settings;
    settings.most = most;
    settings.threads = hardwareThreads();
    NextMoves moves = target.finder->find(patch, settings, {}, [&](const NextMoves& list) {
        if (!list.complete) times.first.push_back(passed());
    });
    times.last.push_back(passed());
    return moves;
}

int run(int singles, int triples, const char* path) {
    const auto all = targets();
    Random random(20261125);
    Times times;
    int drawn = 0, first = 0, third = 0;
    while (drawn < singles) {
        const Target& target = all[static_cast<std::size_t>(random.unit() * static_cast<double>(all.size()))];
        Patch damaged = target.patch;
        const auto address = damage(damaged, random);
        if (!address) continue;
        const double likeness = likenessOf(target, damaged);
        const double cost = target.undamaged - likeness;
        if (cost < leastCost || cost > mostCost) continue;
        ++drawn;
        const NextMoves moves = timedMoves(target, damaged, 5, times);
        bool one = !moves.best.empty() && isRestored(target, moves.best.front().likeness), three = false;
        for (std::size_t i = 0; i < std::min<std::size_t>(3, moves.best.size()); ++i)
            three = three || isRestored(target, moves.best[i].likeness);
        first += one;
        third += three;
        std::printf("%3d %s %-18s %-34s %8.4g for %-8.4g %.0f → %.0f (floor %.0f)%s", drawn,
                    one     ? "first"
                    : three ? "third"
                            : "  no ",
                    target.name.c_str(), address->text().c_str(), damaged.value(*address), target.patch.value(*address),
                    likeness, moves.best.empty() ? likeness : moves.best.front().likeness, target.undamaged,
                    one ? "" : ":");
        for (std::size_t i = 0; !one && i < std::min<std::size_t>(2, moves.best.size()); ++i)
            std::printf(" %s (%.0f);", moves.best[i].what.c_str(), moves.best[i].likeness);
        std::puts("");
        std::fflush(stdout);
    }
    int repaired = 0;
    for (int t = 0; t < triples; ++t) {
        const Target& target = all[static_cast<std::size_t>(random.unit() * static_cast<double>(all.size()))];
        Patch damaged = target.patch;
        // Each of the three costs something on its own.
        for (int k = 0; k < 3;) {
            Patch alone = target.patch;
            Random same = random;
            const auto address = damage(alone, random);
            if (!address) continue;
            const double cost = target.undamaged - likenessOf(target, alone);
            if (cost < leastCost || cost > mostCost) continue;
            damage(damaged, same);
            ++k;
        }
        const double before = likenessOf(target, damaged);
        double likeness = before;
        int takes = 0;
        while (takes < takesAllowed && !isRestored(target, likeness)) {
            const NextMoves moves = timedMoves(target, damaged, 1, times);
            if (moves.best.empty()) break;
            damaged = moves.best.front().patch;
            likeness = moves.best.front().likeness;
            ++takes;
        }
        repaired += isRestored(target, likeness);
        std::printf("%3d %s %-18s %.0f → %.0f after %d (floor %.0f)\n", t + 1,
                    isRestored(target, likeness) ? "repaired" : "   no   ", target.name.c_str(), before, likeness,
                    takes, target.undamaged);
        std::fflush(stdout);
    }
    std::string report = "| damage | asked | reached (95 % interval) |\n|---|---|---|\n";
    if (singles > 0) {
        report += fmt::format("| one parameter: the first move restores | ≥ 80 % | {} |\n", interval(first, singles));
        report += fmt::format("| one parameter: one of the first three | ≥ 95 % | {} |\n", interval(third, singles));
    }
    if (triples > 0)
        report += fmt::format("| three parameters: the first move taken at most six times | ≥ 70 % | {} |\n",
                              interval(repaired, triples));
    report += fmt::format("\nFirst list after {:.1f} s (median; 90th percentile {:.1f} s), last list after {:.1f} s "
                          "({:.1f} s), {} threads.\n",
                          Times::percentile(times.first, 0.5), Times::percentile(times.first, 0.9),
                          Times::percentile(times.last, 0.5), Times::percentile(times.last, 0.9), hardwareThreads());
    std::fputs(report.c_str(), stdout);
    return path && !writeBetween(path, "next moves", report) ? 2 : 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    const bool counts = argc > 2 && std::strcmp(argv[1], "--write") != 0;
    const char* path = argc > 2 && std::strcmp(argv[argc - 2], "--write") == 0 ? argv[argc - 1] : nullptr;
    return facet::run(counts ? std::atoi(argv[1]) : 200, counts ? std::atoi(argv[2]) : 60, path);
}
