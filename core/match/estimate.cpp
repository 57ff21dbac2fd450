#include "core/match/estimate.h"

#include "core/base/units.h"
#include "core/dsp/envelope.h"

#include <algorithm>
#include <fmt/format.h>

namespace facet {

namespace {

Wave waveOf(TextbookWave wave) {
    switch (wave) {
    case TextbookWave::sine: return Wave::sine;
    case TextbookWave::triangle: return Wave::triangle;
    case TextbookWave::saw: return Wave::saw;
    case TextbookWave::pulse: return Wave::pulse;
    }
    return Wave::saw;
}

std::string waveName(const Patch& patch, const std::string& source) {
    const auto& d = patch.descriptor({source, "wave"});
    const double wave = patch.value({source, "wave"});
    std::string name(d.choices[static_cast<std::size_t>(wave)]);
    if (static_cast<Wave>(wave) == Wave::pulse) name += fmt::format(" {:.0f} %", patch.value({source, "width"}));
    if (patch.value({source, "voices"}) > 1) name = fmt::format("{} stacked {}", patch.value({source, "voices"}), name);
    return name;
}

} // namespace

std::string Structure::text() const {
    const auto name = [](ModuleKind kind, const char* field, int value) {
        return parametersOf(kind)[static_cast<std::size_t>(fieldIndex(kind, field))]
            .choices[static_cast<std::size_t>(value)];
    };
    return fmt::format("{}, low-pass {}", name(ModuleKind::source, "wave", static_cast<int>(wave)),
                       name(ModuleKind::filter, "slope", static_cast<int>(slope)));
}

std::string structureText(const Patch& patch) {
    std::string text;
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::source && patch.value({module.path, "on"}) >= 0.5)
            text += (text.empty() ? "" : " + ") + waveName(patch, module.path);
    if (text.empty()) return "silent";
    if (patch.value({"layer:a/filter:a", "on"}) < 0.5) {
        text += ", no filter";
    } else {
        const auto& slope = patch.descriptor({"layer:a/filter:a", "slope"});
        text += ", low-pass " +
                std::string(slope.choices[static_cast<std::size_t>(patch.value({"layer:a/filter:a", "slope"}))]);
    }
    for (const auto& module : patch.modules())
        if (isEffect(module.kind) && patch.value({module.path, "on"}) >= 0.5)
            text += ", " + std::string(wordOf(module.kind));
    return text;
}

std::vector<Structure> structuresFor(const Profile& profile) {
    std::vector<Wave> waves{waveOf(profile.source.wave)};
    for (Wave wave : {Wave::saw, Wave::pulse, Wave::triangle, Wave::sine})
        if (wave != waves.front()) waves.push_back(wave);
    std::vector<Structure> structures;
    for (Wave wave : waves)
        for (FilterSlope slope : {FilterSlope::fourPole, FilterSlope::twoPole}) structures.push_back({wave, slope});
    return structures;
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

} // namespace

Patch estimate(const Profile& profile, const Structure& structure, const Patch& base) {
    Patch patch = base;
    const std::string source = "layer:a/source:a";
    const std::string filter = "layer:a/filter:a";
    const std::string levelEnvelope = "layer:a/envelope:level";
    const std::string filterEnvelope = "layer:a/envelope:filter";
    patch.set({source, "on"}, 1.0);
    patch.set({source, "wave"}, static_cast<double>(structure.wave));
    if (profile.source.wave == TextbookWave::pulse)
        patch.setNearest({source, "width"}, 100.0 * profile.source.pulseWidth);
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "slope"}, static_cast<double>(structure.slope));
    estimateEcho(profile.space.echo, patch);
    if (profile.notes.empty()) return patch;

    // Long notes tell decay and sustain; attack and release are told by all.
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
