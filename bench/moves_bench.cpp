// Whether the next moves name what was damaged: the table of docs/accuracy.md.
//   build/release/bench/moves_bench [SINGLES TRIPLES] [--keep FILE] [--write docs/accuracy.md]
// 200 and 60 when not given. Damages are drawn over all fixtures, each by a seed of its own. Reference and render have
// different random phases, and the reference lies 0.4 samples late. It takes hours: what --keep has put into FILE is
// not measured again.
#include "bench/page.h"
#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/engine/render.h"
#include "core/match/suggest/next_moves.h"
#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <cstdio>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <functional>
#include <map>
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
        target.finder = std::make_shared<MoveFinder>(
            std::vector{MoveTarget{std::make_shared<const Recording>(reference), target.profile, phrase(2)}});
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

constexpr std::uint64_t seedOfSingles = 20261125, seedOfTriples = 20271125;

std::size_t drawn(Random& random, std::size_t count) {
    return static_cast<std::size_t>(random.unit() * static_cast<double>(count));
}

/// A damage that costs what a damage is to cost.
Address costlyDamage(const Target& target, Patch& patch, Random& random) {
    while (true) {
        Patch alone = target.patch;
        Random same = random;
        const auto address = damage(alone, random);
        if (!address) continue;
        const double cost = target.undamaged - likenessOf(target, alone);
        if (cost < leastCost || cost > mostCost) continue;
        damage(patch, same);
        return *address;
    }
}

NextMoves movesFrom(const Target& target, const Patch& patch, std::size_t most) {
    MoveSettings settings;
    settings.most = most;
    settings.threads = hardwareThreads();
    return target.finder->find(patch, settings);
}

/// What a damage came to: 1 for the first move, 3 for one of the first three, 0 for none; of triples 1 or 0.
int single(const std::vector<Target>& all, int number) {
    Random random(combineSeeds(seedOfSingles, static_cast<std::uint64_t>(number)));
    const Target& target = all[drawn(random, all.size())];
    Patch damaged = target.patch;
    const Address address = costlyDamage(target, damaged, random);
    const NextMoves moves = movesFrom(target, damaged, 5);
    int restoredBy = 0;
    for (std::size_t i = std::min<std::size_t>(3, moves.best.size()); i-- > 0;)
        if (isRestored(target, moves.best[i].likeness)) restoredBy = i == 0 ? 1 : 3;
    std::printf("%3d %s %-18s %-34s %8.4g for %-8.4g %.0f → %.0f (floor %.0f)", number + 1,
                restoredBy == 1   ? "first"
                : restoredBy == 3 ? "third"
                                  : "  no ",
                target.name.c_str(), address.text().c_str(), damaged.value(address), target.patch.value(address),
                moves.before, moves.best.empty() ? moves.before : moves.best.front().likeness, target.undamaged);
    for (std::size_t i = 0; restoredBy != 1 && i < std::min<std::size_t>(2, moves.best.size()); ++i)
        std::printf("; %s (%.0f)", moves.best[i].what.c_str(), moves.best[i].likeness);
    std::puts("");
    return restoredBy;
}

int triple(const std::vector<Target>& all, int number) {
    Random random(combineSeeds(seedOfTriples, static_cast<std::uint64_t>(number)));
    const Target& target = all[drawn(random, all.size())];
    Patch damaged = target.patch;
    for (int k = 0; k < 3; ++k) costlyDamage(target, damaged, random);
    const double before = likenessOf(target, damaged);
    double likeness = before;
    int takes = 0;
    while (takes < takesAllowed && !isRestored(target, likeness)) {
        const NextMoves moves = movesFrom(target, damaged, 1);
        if (moves.best.empty()) break;
        damaged = moves.best.front().patch;
        likeness = moves.best.front().likeness;
        ++takes;
    }
    const bool repaired = isRestored(target, likeness);
    std::printf("%3d %s %-18s %.0f → %.0f after %d (floor %.0f)\n", number + 1, repaired ? "repaired" : "   no   ",
                target.name.c_str(), before, likeness, takes, target.undamaged);
    return repaired ? 1 : 0;
}

/// What was measured before, of lines "single 17 1".
class Kept {
public:
    explicit Kept(const char* file) : file_(file ? file : "") {
        std::ifstream in(file_);
        std::string kind;
        for (int number = 0, came = 0; in >> kind >> number >> came;) known_[{kind, number}] = came;
    }
    int of(const std::string& kind, int number, const std::function<int()>& measure) {
        const auto [at, isNew] = known_.try_emplace({kind, number}, 0);
        if (!isNew) return at->second;
        at->second = measure();
        std::fflush(stdout);
        if (!file_.empty()) std::ofstream(file_, std::ios::app) << kind << ' ' << number << ' ' << at->second << '\n';
        return at->second;
    }

private:
    std::string file_;
    std::map<std::pair<std::string, int>, int> known_;
};

int run(int singles, int triples, const char* keep, const char* page) {
    const auto all = targets();
    Kept kept(keep);
    int first = 0, third = 0, repaired = 0;
    for (int i = 0; i < singles; ++i) {
        const int by = kept.of("single", i, [&] { return single(all, i); });
        first += by == 1;
        third += by != 0;
    }
    for (int i = 0; i < triples; ++i) repaired += kept.of("triple", i, [&] { return triple(all, i); });
    std::string report = "| damage | asked | reached (95 % interval) |\n|---|---|---|\n";
    if (singles > 0) {
        report += fmt::format("| one parameter: the first move restores | ≥ 80 % | {} |\n", interval(first, singles));
        report += fmt::format("| one parameter: one of the first three | ≥ 95 % | {} |\n", interval(third, singles));
    }
    if (triples > 0)
        report += fmt::format("| three parameters: the first move taken at most six times | ≥ 70 % | {} |\n",
                              interval(repaired, triples));
    std::fputs(report.c_str(), stdout);
    return page && !writeBetween(page, "next moves", report) ? 2 : 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    const char *keep = nullptr, *page = nullptr;
    std::vector<int> counts;
    for (int i = 1; i < argc; ++i)
        if (std::strcmp(argv[i], "--keep") == 0 && i + 1 < argc)
            keep = argv[++i];
        else if (std::strcmp(argv[i], "--write") == 0 && i + 1 < argc)
            page = argv[++i];
        else
            counts.push_back(std::atoi(argv[i]));
    if (counts.empty()) counts = {200, 60};
    return facet::run(counts.front(), counts.size() > 1 ? counts[1] : 0, keep, page);
}
