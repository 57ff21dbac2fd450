// Whether a search finds again what the engine itself made: the table of docs/accuracy.md.
//   build/release/bench/recovery_bench [SECONDS] [--write docs/accuracy.md]     10 when not given
// Each fixture is rendered with other random phases than the search uses, 0.4 samples late and with noise 60 dB below
// it. The search is told the notes and nothing else.
#include "bench/page.h"
#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/starts/estimate.h"
#include "core/match/match.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>
#include <vector>

namespace facet {
namespace {

Performance phrase(std::uint64_t seed) {
    Performance performance = testing::fixturePhrase();
    performance.seed = seed;
    return performance;
}

Recording referenceOf(const Patch& patch) {
    Recording reference = testing::later(render(patch, phrase(7)), 0.4);
    double power = 0.0;
    std::size_t count = 0;
    for (const auto& channel : reference.channels)
        for (float x : channel) {
            power += static_cast<double>(x) * static_cast<double>(x);
            ++count;
        }
    const double level = std::sqrt(power / static_cast<double>(count)) * gainFromDb(-60.0) * std::sqrt(3.0);
    Random random(11);
    for (auto& channel : reference.channels)
        for (float& x : channel) x += static_cast<float>(level * (2.0 * random.unit() - 1.0));
    return reference;
}

int run(double seconds, const char* path) {
    std::string report = "| fixture | likeness | of the right patch | loss (dB) | of the right patch | found |\n"
                         "|---|---|---|---|---|---|\n";
    int recovered = 0, all = 0;
    const auto bank = std::make_shared<const SeedBank>(SeedBank::load(SeedBank::cacheFile()));
    for (const std::string& name : testing::fixtureNames()) {
        const Patch right = testing::fixturePatch(name);
        const Recording reference = referenceOf(right);
        MatchSettings settings;
        settings.seconds = seconds;
        settings.threads = hardwareThreads();
        settings.bank = bank;
        const MatchResult result = match(reference, phrase(1), settings);
        const Recording at48k = atRate(reference, analysisRateHz);
        const Profile profile = measureProfile(reference, phrase(1));
        const ScoredPatch known = score(right, at48k, profile, phrase(1), 4);
        const bool good = result.best.likeness >= std::min(95.0, known.likeness - 0.5);
        recovered += good;
        ++all;
        const std::string line = fmt::format("| {} | {:.0f}{} | {:.0f} | {:.2f} | {:.2f} | {} |\n", name,
                                             result.best.likeness, good ? "" : " *", known.likeness, result.best.loss,
                                             known.loss, structureText(result.best.patch));
        std::fputs(line.c_str(), stdout);
        std::fflush(stdout);
        report += line;
    }
    report +=
        fmt::format("\n{} of {} reach 95 or what the right patch itself does with other random phases (asked: 10); "
                    "`*`: not. {:g} s each, {} threads.\n",
                    recovered, all, seconds, hardwareThreads());
    std::fputs(report.c_str() + report.rfind("\n\n") + 1, stdout);
    return path && !writeBetween(path, "recovery", report) ? 2 : 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    const bool writes = argc > 2 && std::strcmp(argv[argc - 2], "--write") == 0;
    const bool timed = argc > 1 && std::atof(argv[1]) > 0.0;
    return facet::run(timed ? std::atof(argv[1]) : 10.0, writes ? argv[argc - 1] : nullptr);
}
