#include "core/match/starts/estimate.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/envelope.h"
#include "core/instruments/played_on.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace facet {

namespace {

std::string choiceOf(const Patch& patch, const Address& address) {
    return std::string(patch.descriptor(address).choices[static_cast<std::size_t>(patch.value(address))]);
}

std::string waveName(const Patch& patch, const std::string& source) {
    std::string name = choiceOf(patch, {source, "wave"});
    if (static_cast<Wave>(patch.value({source, "wave"})) == Wave::pulse)
        name += fmt::format(" {:.0f} %", patch.value({source, "width"}));
    const bool blends = matters(patch, *patch.find(source), patch.descriptor({source, "blend"}));
    if (blends && patch.value({source, "blend"}) > 0.0) name += "/" + choiceOf(patch, {source, "blend_wave"});
    if (patch.value({source, "sync"}) > 0.0) name = "synced " + name;
    if (patch.value({source, "voices"}) > 1) name = fmt::format("{} stacked {}", patch.value({source, "voices"}), name);
    return name;
}

/// What a link does, in a word; empty where it has none.
std::string movementOf(const Patch& patch, const Patch::Module& link) {
    const ModuleData& ends = link.contents();
    if (ends.to.empty() || !patch.has(Address::parse(ends.to))) return {};
    const Address to = Address::parse(ends.to);
    const auto* from = patch.find(ends.from);
    if (!from) return {};
    if (from->kind == ModuleKind::source) {
        if (to.field == "phase") return "phase moved by " + waveName(patch, from->path);
        if (to.field == "amplitude") return "times " + waveName(patch, from->path);
    }
    if (from->kind == ModuleKind::envelope) {
        if (to.field == "width") return "width swept";
        if (to.field == "sync_ratio") return "sync swept";
    }
    if (from->kind != ModuleKind::lfo) return {};
    if (to.field == "cents") return "vibrato";
    if (to.field == "level") return "tremolo";
    if (to.field == "cutoff") return "moving filter";
    if (to.field == "width") return "moving width";
    if (to.field == "sync_ratio") return "moving sync";
    if (to.field == "position") return "running through";
    return {};
}

/// A source that is not heard itself.
bool onlyMoves(const Patch& patch, const std::string& source) {
    return patch.value({source, "level"}) <= -60.0 &&
           std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
               return m.kind == ModuleKind::link && takesPart(patch, m) && m.contents().from == source;
           });
}

std::string filterText(const Patch& patch, const std::string& filter) {
    const std::string kind = choiceOf(patch, {filter, "kind"});
    return matters(patch, *patch.find(filter), patch.descriptor({filter, "slope"}))
               ? kind + " " + choiceOf(patch, {filter, "slope"})
               : kind;
}

} // namespace

std::string structureText(const Patch& whole) {
    const Patch patch = withoutSilent(whole);
    std::string text;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::source && takesPart(patch, module) && !onlyMoves(patch, module.path))
            text += (text.empty() ? "" : " + ") + waveName(patch, module.path);
    if (text.empty()) return "silent";
    std::set<std::string> named;
    const auto add = [&](const std::string& word) {
        if (!word.empty() && named.insert(word).second) text += ", " + word;
    };
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::link && takesPart(patch, module)) add(movementOf(patch, module));
    bool filtered = false;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::filter && takesPart(patch, module)) {
            add(filterText(patch, module.path));
            filtered = true;
        }
    if (!filtered) add("no filter");
    for (const auto& module : patch.modules())
        if (isEffect(module.kind) && takesPart(patch, module)) add(std::string(wordOf(module.kind)));
    return text;
}

namespace {

/// A delay with the echo that was heard, unless the patch has one already.
void estimateEcho(const Echo& echo, Patch& patch) {
    constexpr double sureEnough = 0.5, toOneSide = 0.3;
    const bool has = std::any_of(patch.modules().begin(), patch.modules().end(),
                                 [](const Patch::Module& m) { return m.kind == ModuleKind::delay; });
    const auto effects = std::count_if(patch.modules().begin(), patch.modules().end(),
                                       [](const Patch::Module& m) { return isEffect(m.kind); });
    if (!echo.found() || !isMeasured(echo.levelDb) || echo.confidence < sureEnough || has || effects >= mostEffects)
        return;
    const std::string path = patch.freePath(ModuleKind::delay);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    patch.setNearest({path, "time"}, 1000.0 * echo.seconds);
    const double gain = gainFromDb(echo.levelDb); // of wet re dry
    patch.setNearest({path, "mix"}, 100.0 * gain / (1.0 + gain));
    patch.setNearest({path, "feedback"}, isMeasured(echo.feedbackDb) ? 100.0 * gainFromDb(echo.feedbackDb) : 0.0);
    if (echo.side < -toOneSide && echo.secondSide > toOneSide) patch.set({path, "cross"}, 1.0);
}

/// By how many dB the level follows from the softest to the hardest velocity: the line through what the notes show.
/// Not measurable where they hardly differ.
double velocityDbOf(const Profile& profile) {
    constexpr double leastSpread = 5.0, most = 36.0;
    std::vector<std::pair<double, double>> shown; // velocity, dB
    for (const NoteProfile& note : profile.notes)
        if (isMeasured(note.level.peakDb)) shown.emplace_back(note.note.velocity, note.level.peakDb);
    double velocity = 0.0, level = 0.0;
    for (const auto& [v, db] : shown) {
        velocity += v / static_cast<double>(shown.size());
        level += db / static_cast<double>(shown.size());
    }
    double squares = 0.0, products = 0.0, farthest = 0.0;
    for (const auto& [v, db] : shown) {
        squares += (v - velocity) * (v - velocity);
        products += (v - velocity) * (db - level);
        farthest = std::max(farthest, std::abs(v - velocity));
    }
    if (farthest < 0.5 * leastSpread) return notMeasurable;
    return std::clamp(127.0 * products / squares, 0.0, most);
}

/// Seconds in which the level falls by 20 dB once notes that sounded together have ended, the typical of their ends;
/// found from as far as it falls, 6 dB at least. The levels of single notes of a chord say little. Not measurable where
/// no notes sound together.
double chordFallOf(const Profile& profile) {
    constexpr double before = 0.02, alike = 0.05, leastDb = 6.0, mostDb = 20.0; // seconds, dB
    std::vector<float> falls;
    for (const NoteProfile& each : profile.notes) {
        const double end = each.note.end;
        double next = profile.seconds;
        bool together = false, last = true;
        for (const NoteProfile& other : profile.notes) {
            if (&other == &each) continue;
            if (other.note.start < end - alike && other.note.end > each.note.start + alike) {
                together = true;
                last = last && other.note.end < end + alike;
            } else if (other.note.start >= end - alike) {
                next = std::min(next, other.note.start);
            }
        }
        if (!together || !last) continue;
        const float top = profile.levelDb.at(end - before);
        double until = end, fallen = 0.0;
        for (; until < next && fallen < mostDb; until += profile.levelDb.stepSeconds)
            fallen = std::max(fallen, static_cast<double>(top - profile.levelDb.at(until)));
        if (fallen >= leastDb) falls.push_back(static_cast<float>((until - end) * mostDb / std::min(fallen, mostDb)));
    }
    return medianOf(falls);
}

} // namespace

bool isInRoom(const Profile& profile) {
    constexpr double leastSeconds = 0.7;
    const SpaceProfile& space = profile.space;
    return isMeasured(space.tailSeconds) && space.tailSeconds > leastSeconds && !space.echo.found() &&
           profile.width.stereo;
}

std::vector<Patch> withMeasuredRoom(const Profile& profile, const Patch& patch) {
    constexpr double leastSeconds = 0.5; // what is shorter may be a release
    constexpr double shortReleaseMs = 60.0;
    const double tail = profile.space.tailSeconds;
    const auto is = [](ModuleKind kind) { return [kind](const Patch::Module& m) { return m.kind == kind; }; };
    const auto& modules = patch.modules();
    if (!isMeasured(tail) || tail < leastSeconds ||
        std::any_of(modules.begin(), modules.end(), is(ModuleKind::reverb)) ||
        std::count_if(modules.begin(), modules.end(), [](const auto& m) { return isEffect(m.kind); }) >= mostEffects)
        return {};
    std::vector<Patch> rooms;
    for (double mix : {12.0, 25.0, 45.0}) {
        Patch room = patch;
        const std::string path = room.freePath(ModuleKind::reverb);
        room.add(path);
        room.set({path, "on"}, 1.0);
        room.setNearest({path, "decay"}, 1000.0 * tail);
        room.set({path, "mix"}, mix);
        for (const auto& module : patch.modules())
            if (module.path.ends_with("/envelope:level"))
                room.setNearest({module.path, "release"},
                                std::min(shortReleaseMs, patch.value({module.path, "release"})));
        rooms.push_back(std::move(room));
    }
    return rooms;
}

Patch withMeasuredEcho(const Profile& profile, Patch patch) {
    estimateEcho(profile.space.echo, patch);
    return patch;
}

Patch estimate(const Profile& profile, const Patch& base) {
    Patch patch = base;
    const std::string filter = "layer:a/filter:a";
    const std::string levelEnvelope = "layer:a/envelope:level";
    const std::string filterEnvelope = "layer:a/envelope:filter";
    patch.set({filter, "on"}, 1.0);
    estimateEcho(profile.space.echo, patch);
    if (profile.notes.empty()) return patch;

    // Decay and sustain come from long notes, attack and release from all.
    const NoteProfile& longest =
        *std::max_element(profile.notes.begin(), profile.notes.end(), [](const NoteProfile& a, const NoteProfile& b) {
            return a.note.end - a.note.start < b.note.end - b.note.start;
        });
    std::vector<float> glides;
    std::vector<float> delays;
    std::vector<float> attacks;
    std::vector<float> releases;
    std::vector<float> releaseBends;
    for (const NoteProfile& note : profile.notes) {
        glides.push_back(static_cast<float>(note.glide.seconds));
        delays.push_back(static_cast<float>(note.level.delay));
        attacks.push_back(static_cast<float>(note.level.attack));
        releases.push_back(static_cast<float>(note.level.release));
        releaseBends.push_back(static_cast<float>(note.level.releaseBend));
    }
    const auto setMeasured = [&](const Address& address, double value, double factor = 1.0) {
        if (isMeasured(value)) patch.setNearest(address, value * factor);
    };
    setMeasured({"layer:a", "velocity"}, velocityDbOf(profile));
    // Notes that the pitch slides into are not struck anew.
    if (const double glide = medianOf(glides); glide > 0.0) {
        patch.set({"voicing", "mode"}, static_cast<double>(VoiceMode::legato));
        patch.setNearest({"voicing", "glide"}, 1000.0 * glide);
    }
    setMeasured({levelEnvelope, "delay"}, medianOf(delays), 1000.0);
    setMeasured({levelEnvelope, "attack"}, medianOf(attacks), 1000.0);
    setMeasured({levelEnvelope, "attack_curve"}, longest.level.attackBend, 10.0);
    setMeasured({levelEnvelope, "hold"}, longest.level.hold, 1000.0);
    setMeasured({levelEnvelope, "decay"}, longest.level.decay, 1000.0);
    setMeasured({levelEnvelope, "decay_curve"}, longest.level.decayBend, 10.0);
    if (isMeasured(longest.level.sustainDb))
        patch.setNearest({levelEnvelope, "sustain"}, 100.0 * gainFromDb(longest.level.sustainDb));
    setMeasured({levelEnvelope, "release"}, medianOf(releases), 1000.0);
    setMeasured({levelEnvelope, "release_curve"}, medianOf(releaseBends), 10.0);
    if (const double fall = chordFallOf(profile); isMeasured(fall)) {
        constexpr double curve = 50.0, shareToFall = 0.449; // of such a release, until it is 20 dB down
        patch.setNearest({levelEnvelope, "release"}, 1000.0 * fall / shareToFall);
        patch.set({levelEnvelope, "release_curve"}, curve);
    }

    setMeasured({filter, "cutoff"}, longest.restingCutoffHz);
    if (isMeasured(longest.closingTime) && isMeasured(longest.highestCutoffHz)) {
        const double fall = 12.0 * std::log2(longest.highestCutoffHz / longest.restingCutoffHz);
        const double share = SegmentCurve(5.0).timeConstantShare();
        patch.setNearest({filter, "envelope"}, fall);
        patch.set({filterEnvelope, "attack"}, 0.0);
        patch.setNearest({filterEnvelope, "decay"}, 1000.0 * longest.closingTime / share);
        patch.set({filterEnvelope, "sustain"}, 0.0);
        setMeasured({filterEnvelope, "release"}, medianOf(releases), 1000.0);
    }
    return patch;
}

} // namespace facet
