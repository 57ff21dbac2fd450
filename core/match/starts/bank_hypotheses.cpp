// Beginnings that the seed bank knows: patches whose sound is near the longest note's.
#include "core/base/units.h"
#include "core/match/starts/estimate.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/starts/hypotheses.h"
#include "core/match/evidence/isolated_notes.h"
#include "core/match/proposals/measured_modulation.h"

#include <algorithm>

namespace facet {

namespace {

/// The structure of a patch with the values that were measured, but for what its room stands for.
Patch asMeasured(const Profile& profile, const Patch& patch) {
    Patch measured = estimate(profile, patch);
    measured.set({firstFilter, "on"}, patch.value({firstFilter, "on"}));
    const bool rings = std::any_of(patch.modules().begin(), patch.modules().end(),
                                   [](const auto& m) { return m.kind == ModuleKind::reverb; });
    if (rings) measured.set({firstLevelEnvelope, "release"}, patch.value({firstLevelEnvelope, "release"}));
    return measured;
}

} // namespace

std::vector<Hypothesis> hypothesesFrom(const SeedBank& bank, const Profile& profile, const Recording& reference48k,
                                       double upperHz, int count, int pass) {
    std::vector<Hypothesis> found;
    const IsolatedNote lone = longestIsolatedNote(profile, reference48k.seconds());
    if (!lone.note) return found;
    const Note& note = lone.note->note;
    const double hz = hzFromKey(note.key + note.cents / 100.0, profile.tuningCents);
    const auto signature = signatureOf(reference48k, note.start, note.end, lone.until, hz, upperHz);
    if (!signature) return found;
    constexpr double gateDb = 12.0;
    const PeriodicChange& tremolo = profile.motion.tremolo;
    const std::string shape = tremolo.found() ? nameOfCycle(tremolo) : "";
    const bool gated = (shape == "square" || shape.starts_with("pulse")) && tremoloDb(tremolo) > gateDb;
    const auto numbers = bank.nearest(*signature, count * (pass + 1));
    for (auto i = static_cast<std::size_t>(count) * static_cast<std::size_t>(pass); i < numbers.size(); ++i) {
        const std::uint64_t number = numbers[i];
        const Patch patch = plausiblePatchAt(number, hz);
        // What was measured to move may be the beating of what a patch has already, but not a gate.
        for (Patch each : {gated ? withMotion(profile, patch) : patch, withMotion(profile, asMeasured(profile, patch))})
            found.push_back({structureText(each), std::move(each)});
    }
    return found;
}

} // namespace facet
