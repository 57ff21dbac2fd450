#include "core/match/proposals/measured_modulation.h"

#include "core/base/error.h"
#include "core/dsp/envelope.h"
#include "core/match/proposals/links.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace facet {

namespace {

/// How an LFO stands for a measured change: its shape, and the place in its cycle at which the change's fundamental
/// rises through its middle.
struct Cycle {
    LfoShape shape = LfoShape::sine;
    double duty = 0.5;
    double rise = 0.0;
};

Cycle cycleOf(const PeriodicChange& change) {
    const std::string name = nameOfCycle(change);
    if (name == "triangle") return {LfoShape::triangle, 0.5, 0.0};
    if (name == "rising saw") return {LfoShape::risingSaw, 0.5, 0.5};
    if (name == "falling saw") return {LfoShape::fallingSaw, 0.5, 0.75};
    if (name == "square" || name.starts_with("pulse")) {
        const double duty = std::clamp(dutyOf(change), 0.01, 0.99);
        return {LfoShape::square, duty, 0.5 * duty - 0.25}; // its middle is the fundamental's crest
    }
    return {};
}

bool isMoved(const Patch& patch, const std::string& target) {
    return std::any_of(patch.modules().begin(), patch.modules().end(),
                       [&](const Patch::Module& m) { return m.kind == ModuleKind::link && m.contents().to == target; });
}

/// Lets an LFO move `targets` as a change was measured. Throws Error where there is no room for it.
void cycle(const PeriodicChange& change, const std::vector<std::string>& targets, double amount, double fadeMs,
           Patch& patch) {
    if (!change.found() || targets.empty()) return;
    for (const std::string& target : targets)
        if (isMoved(patch, target)) return;
    const std::string lfo = patch.freePath(ModuleKind::lfo, layerOfPath(targets.front()));
    patch.add(lfo);
    const Cycle like = cycleOf(change);
    patch.set({lfo, "shape"}, static_cast<double>(like.shape));
    patch.setNearest({lfo, "duty"}, 100.0 * like.duty);
    patch.setNearest({lfo, "rate"}, change.rateHz);
    patch.setNearest({lfo, "fade"}, fadeMs);
    const double phase = change.phase + like.rise;
    patch.setNearest({lfo, "phase"}, 360.0 * (phase - std::floor(phase)));
    for (const std::string& target : targets) addLink(patch, lfo, target, amount);
}

/// The pitches of what sounds, by layer, whose modules no other's can move.
std::map<std::string, std::vector<std::string>> pitchesOf(const Patch& patch) {
    std::map<std::string, std::vector<std::string>> pitches;
    for (const auto& module : patch.modules()) {
        const bool pitched = module.kind == ModuleKind::source && takesPart(patch, module) &&
                             patch.value({module.path, "wave"}) != static_cast<double>(Wave::noise);
        if (pitched) pitches[std::string(layerOfPath(module.path))].push_back(module.path + "/cents");
    }
    return pitches;
}

/// Lets a drawn LFO, which runs on through all notes, switch the amplitudes of all sources in the steps that were
/// heard.
void gate(const StepPattern& steps, Patch& patch) {
    std::map<std::string, std::string> lfoOf; // by layer
    std::vector<std::string> sources;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::source && takesPart(patch, module) &&
            patch.value({module.path, "amplitude"}) == 100.0 && patch.value({module.path, "level"}) > -60.0)
            sources.push_back(module.path);
    for (const std::string& source : sources) {
        if (isMoved(patch, source + "/amplitude")) continue;
        const std::string layer(layerOfPath(source));
        std::string& lfo = lfoOf[layer];
        if (lfo.empty()) {
            lfo = patch.freePath(ModuleKind::lfo, layer);
            patch.add(lfo);
            const double round = steps.stepSeconds * static_cast<double>(steps.levels.size());
            patch.set({lfo, "shape"}, static_cast<double>(LfoShape::drawn));
            patch.set({lfo, "mode"}, static_cast<double>(LfoMode::free));
            patch.setNearest({lfo, "rate"}, 1.0 / round);
            const double phase = -steps.begin / round;
            patch.setNearest({lfo, "phase"}, 360.0 * (phase - std::floor(phase)));
            ModuleData drawn;
            const auto count = static_cast<double>(steps.levels.size());
            for (std::size_t i = 0; i < steps.levels.size(); ++i) {
                constexpr double edge = 0.02; // of a step
                drawn.shape.push_back({static_cast<double>(i) / count, steps.levels[i]});
                drawn.shape.push_back({(static_cast<double>(i) + 1.0 - edge) / count, steps.levels[i]});
            }
            patch.setData(lfo, drawn);
        }
        patch.set({source, "amplitude"}, 50.0);
        addLink(patch, lfo, source + "/amplitude", 50.0);
    }
}

/// An envelope that lets sources begin off their pitch. Throws Error where there is no room for it.
void sweepPitches(const OnsetSweep& sweep, const std::vector<std::string>& pitches, Patch& patch) {
    for (const std::string& pitch : pitches)
        if (isMoved(patch, Address::parse(pitch).module + "/semitone")) return;
    const std::string envelope = patch.freePath(ModuleKind::envelope, layerOfPath(pitches.front()));
    patch.add(envelope);
    patch.set({envelope, "attack"}, 0.0);
    patch.setNearest({envelope, "decay"}, 1000.0 * sweep.seconds / SegmentCurve(5.0).timeConstantShare());
    patch.set({envelope, "sustain"}, 0.0);
    for (const std::string& pitch : pitches)
        addLink(patch, envelope, Address::parse(pitch).module + "/semitone", sweep.cents / 100.0);
}

} // namespace

OnsetSweep sweepOfNotes(const Profile& profile) {
    std::vector<float> cents, seconds;
    for (const NoteProfile& note : profile.notes) {
        if (!isMeasured(note.sweepCents) || !isMeasured(note.sweepSeconds)) continue;
        cents.push_back(static_cast<float>(note.sweepCents));
        seconds.push_back(static_cast<float>(note.sweepSeconds));
    }
    if (cents.empty() || 2 * cents.size() < profile.notes.size()) return {};
    return {medianOf(cents), medianOf(seconds)};
}

OnsetSweep sweepOfFirst(const Profile& profile) {
    constexpr double least = 100.0; // cents
    const auto first =
        std::min_element(profile.notes.begin(), profile.notes.end(),
                         [](const NoteProfile& a, const NoteProfile& b) { return a.note.start < b.note.start; });
    if (first == profile.notes.end() || !isMeasured(first->sweepCents) || std::abs(first->sweepCents) < least)
        return {};
    return {first->sweepCents, first->sweepSeconds};
}

Patch withSweep(const OnsetSweep& sweep, const Patch& patch) {
    Patch moved = patch;
    try {
        for (const auto& [of, sources] : pitchesOf(patch)) sweepPitches(sweep, sources, moved);
    } catch (const Error&) {
        return patch; // there is no room for it
    }
    return moved;
}

Patch withModulation(const Profile& profile, const Patch& patch, MeasuredModulation modulation) {
    std::vector<std::string> cutoffs;
    std::string layer;
    for (const auto& module : patch.modules()) {
        if (!takesPart(patch, module)) continue;
        if (module.kind == ModuleKind::layer && layer.empty()) layer = module.path;
        if (module.kind == ModuleKind::filter) cutoffs.push_back(module.path + "/cutoff");
    }
    const MotionProfile& motion = profile.motion;
    Patch moved = patch;
    try {
        switch (modulation) {
        case MeasuredModulation::vibrato: {
            const double onset = isMeasured(motion.vibratoOnset) ? 1000.0 * motion.vibratoOnset : 0.0;
            for (const auto& [of, sources] : pitchesOf(patch))
                cycle(motion.vibrato, sources, motion.vibrato.depth, onset, moved);
            break;
        }
        case MeasuredModulation::tremolo:
            // A plain on and off is a square tremolo, which says its duty too.
            if (motion.switched.found() && (motion.switched.levels.size() > 2 || !motion.tremolo.found()))
                gate(motion.switched, moved);
            else if (!layer.empty())
                cycle(motion.tremolo, {layer + "/level"}, 0.5 * tremoloDb(motion.tremolo), 0.0, moved);
            break;
        case MeasuredModulation::sweep:
            if (const OnsetSweep sweep = sweepOfNotes(profile); isMeasured(sweep.cents))
                moved = withSweep(sweep, patch);
            break;
        case MeasuredModulation::filter: cycle(motion.filter, cutoffs, 12.0 * motion.filter.depth, 0.0, moved); break;
        }
    } catch (const Error&) {
        return patch; // there is no room for it
    }
    return moved;
}

Patch withMotion(const Profile& profile, const Patch& patch) {
    Patch moved = patch;
    for (MeasuredModulation modulation : measuredModulations)
        // What is gated opens and closes no filter besides.
        if (modulation != MeasuredModulation::filter ||
            (!profile.motion.tremolo.found() && !profile.motion.switched.found()))
            moved = withModulation(profile, moved, modulation);
    return moved;
}

Patch withMotionButTremolo(const Profile& profile, const Patch& patch) {
    Patch moved = patch;
    for (MeasuredModulation modulation : {MeasuredModulation::vibrato, MeasuredModulation::sweep})
        moved = withModulation(profile, moved, modulation);
    return moved;
}

} // namespace facet
