#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

/// Reads a module's values by field.
class Values {
public:
    Values(const Patch& patch, const Patch::Module& module) : patch_(patch), module_(module) {}
    double operator()(const char* field) const { return patch_.value({module_.path, field}); }
    template <typename E> E choice(const char* field) const { return static_cast<E>((*this)(field)); }

private:
    const Patch& patch_;
    const Patch::Module& module_;
};

bool isLinkedTo(const Patch& patch, const std::string& address) {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        return m.kind == ModuleKind::link && m.contents().to == address;
    });
}

bool sourceMatters(const Patch& patch, const Patch::Module& module, std::string_view field) {
    const Values value(patch, module);
    const Wave wave = value.choice<Wave>("wave");
    const bool cyclic = wave != Wave::noise && wave != Wave::sample;
    const bool blended = cyclic && (value("blend") > 0.0 || isLinkedTo(patch, module.path + "/blend"));
    const auto has = [&](Wave w) { return wave == w || (blended && value.choice<Wave>("blend_wave") == w); };
    if (field == "width") return has(Wave::pulse);
    if (field == "clip") return has(Wave::clippedSine);
    if (field == "position") return wave == Wave::wavetable;
    if (field == "color") return wave == Wave::noise;
    if (field == "blend") return cyclic && wave != value.choice<Wave>("blend_wave"); // with itself it is the same
    if (field == "blend_wave") return blended;
    if (field == "detune") return value("voices") > 1.0 && wave != Wave::noise;
    if (field == "spread") return value("voices") > 1.0;
    if (field == "fixed") return value("follow") < 0.5 && wave != Wave::noise;
    if (field == "octave" || field == "semitone" || field == "cents" || field == "ratio_over" ||
        field == "ratio_under" || field == "follow")
        return wave != Wave::noise;
    if (field == "phase") return cyclic;
    if (field == "phase_random" || field == "retrigger" || field == "sync") return cyclic;
    if (field == "sync_ratio") return cyclic && value.choice<Sync>("sync") == Sync::itself;
    return true;
}

bool filterMatters(FilterKind kind, std::string_view field) {
    const bool sections = kind <= FilterKind::notch;
    if (field == "slope") return sections || kind == FilterKind::ladder;
    if (field == "resonance") return sections || kind == FilterKind::ladder;
    if (field == "drive") return kind == FilterKind::ladder;
    if (field == "feedback") return kind == FilterKind::comb || kind == FilterKind::allPass;
    if (field == "stages") return kind == FilterKind::allPass;
    return true;
}

bool effectMatters(const Patch& patch, const Patch::Module& module, std::string_view field) {
    const Values value(patch, module);
    const auto moved = [&](const char* name) {
        return value(name) > 0.0 || isLinkedTo(patch, module.path + "/" + name);
    };
    switch (module.kind) {
    case ModuleKind::postFilter: return filterMatters(value.choice<FilterKind>("kind"), field);
    case ModuleKind::chorus:
        if (field == "rate" || field == "right_rate" || field == "phase" || field == "sides") return moved("depth");
        return true;
    case ModuleKind::flanger:
    case ModuleKind::phaser:
        if (field == "rate" || field == "phase" || field == "sides") return moved("depth");
        return true;
    case ModuleKind::resonator:
        if (field == "pitch") return value("follow") < 0.5;
        if (field == "semitone") return value("follow") >= 0.5;
        return true;
    case ModuleKind::delay:
        if (field == "time") return value("timing") < 0.5;
        if (field == "beats") return value("timing") >= 0.5;
        if (field == "rate") return moved("depth");
        if (field == "begin") return value("cross") >= 0.5;
        return true;
    case ModuleKind::response: {
        const bool speaker = value.choice<ResponseKind>("kind") == ResponseKind::speaker;
        if (field == "low" || field == "high") return speaker;
        return true;
    }
    default: return true;
    }
}

bool anySend(const Patch& patch) {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        return isEffect(m.kind) && Values(patch, m)("on") >= 0.5 &&
               Values(patch, m).choice<Chain>("chain") == Chain::send;
    });
}

bool lfoMatters(const Patch& patch, const Patch::Module& module, std::string_view field) {
    const Values value(patch, module);
    if (field == "rate") return value("timing") < 0.5;
    if (field == "beats") return value("timing") >= 0.5;
    if (field == "duty") return value.choice<LfoShape>("shape") == LfoShape::square;
    return true;
}

bool anyFilterOn(const Patch& patch, std::string_view layer) {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        return m.kind == ModuleKind::filter && layerOfPath(m.path) == layer && Values(patch, m)("on") >= 0.5;
    });
}

} // namespace

bool takesPart(const Patch& patch, const Patch::Module& module) {
    const Values value(patch, module);
    switch (module.kind) {
    case ModuleKind::source:
    case ModuleKind::filter:
    case ModuleKind::link: return value("on") >= 0.5;
    case ModuleKind::envelope:
        if (module.path.ends_with("/envelope:filter")) {
            if (anyFilterOn(patch, layerOfPath(module.path))) return true;
            break;
        }
        if (module.path.ends_with("/envelope:level")) return true;
        break;
    case ModuleKind::lfo:
    case ModuleKind::macro: break;
    default: return !isEffect(module.kind) || value("on") >= 0.5;
    }
    // What only moves others takes part when a link says so.
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        return m.kind == ModuleKind::link && Values(patch, m)("on") >= 0.5 &&
               (m.contents().from == module.path || m.contents().by == module.path);
    });
}

bool matters(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& d) {
    if (!takesPart(patch, module)) return d.field == "on";
    switch (module.kind) {
    case ModuleKind::source: return sourceMatters(patch, module, d.field);
    case ModuleKind::filter: return filterMatters(Values(patch, module).choice<FilterKind>("kind"), d.field);
    case ModuleKind::lfo: return lfoMatters(patch, module, d.field);
    case ModuleKind::voicing: {
        const Values value(patch, module);
        const bool poly = value.choice<VoiceMode>("mode") == VoiceMode::poly;
        if (d.field == "voices") return poly;
        if (d.field == "glide_curve" || d.field == "glide_when") return value("glide") > 0.0;
        return true;
    }
    case ModuleKind::layer:
        if (d.field == "routing") return patch.find(module.path + "/filter:b") != nullptr;
        if (d.field == "feedback") return anyFilterOn(patch, module.path); // around filters, not by itself
        if (d.field == "send") return anySend(patch);
        if (d.field == "drive") return Values(patch, module)("drive_curve") >= 0.5;
        if (d.field == "velocity_scale") return Values(patch, module)("velocity") > 0.0;
        return true;
    case ModuleKind::link: {
        const std::string& to = module.contents().to;
        return d.field != "linear" ||
               (!to.empty() && patch.has(Address::parse(to)) && canMoveLinearly(patch.descriptor(Address::parse(to))));
    }
    case ModuleKind::output:
        if (d.field == "send") return anySend(patch);
        return true;
    default: return effectMatters(patch, module, d.field);
    }
}

} // namespace facet
