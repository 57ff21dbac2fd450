// What the partials alone say of source and filter: sourceFilterFits() on references of known making.
//   build/release/bench/stories [--without-prior] FOLDER [WORD …]
#include "bench/construction/known_sound.h"
#include "core/match/evidence/source_filter.h"
#include "core/match/targets/prepared_target.h"

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <string>

namespace facet {
namespace {

int run(int argc, char** argv) {
    const bool prior = std::string(argv[1]) != "--without-prior";
    if (!prior) {
        ++argv;
        --argc;
    }
    if (argc < 2) return 2;
    const std::filesystem::path folder = argv[1];
    std::vector<std::filesystem::path> ids;
    for (const auto& entry : std::filesystem::directory_iterator(folder))
        if (entry.path().extension() == ".mid") ids.push_back(entry.path());
    std::sort(ids.begin(), ids.end());
    for (const auto& id : ids) {
        const std::string name = id.stem().string();
        bool wanted = argc <= 2;
        for (int i = 2; i < argc; ++i) wanted = wanted || name.find(argv[i]) != name.npos;
        if (!wanted) continue;
        const auto [recording, played] = readKnownSound(folder, name);
        const Recording at48k = atRate(recording, analysisRateHz);
        const Profile profile = measureProfile(at48k, played);
        const auto begun = std::chrono::steady_clock::now();
        const auto fits = sourceFilterFits(profile, at48k, upperCutoffHz(at48k, recording.rateHz), 12, 1, nullptr,
                                           prior ? elementOdds(at48k, played) : ElementOdds{});
        std::printf("%s (%.2f s)\n", name.c_str(),
                    std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count());
        if (profile.motion.switched.found()) {
            std::printf("   steps of %.4f s from %.3f:", profile.motion.switched.stepSeconds,
                        profile.motion.switched.begin);
            for (double v : profile.motion.switched.levels) std::printf(" %.2f", v);
            std::puts("");
        }
        for (const auto& fit : fits)
            std::printf("   %.2f (%.2f dB) %s, %.0f dB; cutoff %.0f Hz %+.1f oct attack %.0f decay %.0f ms, key %.2f "
                        "velocity %.1f along %.1f (%.2f)\n",
                        fit.cost, fit.errorDb, wordsOf(fit).c_str(), fit.resonanceDb, std::exp2(fit.cutoff.rest),
                        fit.cutoff.envelope, 1000 * fit.cutoff.attack, 1000 * fit.cutoff.decay, fit.cutoff.perOctave,
                        fit.cutoff.velocity, fit.cutoff.along, fit.cutoff.errorRms);
    }
    return 0;
}

} // namespace
} // namespace facet

int main(int argc, char** argv) { return argc < 2 ? 2 : facet::run(argc, argv); }
