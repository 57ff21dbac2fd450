#include "core/engine/compile/graph.h"

#include "core/base/hash.h"
#include "core/base/units.h"
#include "core/engine/compile/effect_graph.h"
#include "core/parameters/field.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

EnvelopeShape envelopeOf(std::span<const double> v) {
    constexpr auto kind = ModuleKind::envelope;
    static const Field delay(kind, "delay"), attack(kind, "attack"), hold(kind, "hold"), decay(kind, "decay"),
        sustain(kind, "sustain"), release(kind, "release"), attackCurve(kind, "attack_curve"),
        decayCurve(kind, "decay_curve"), releaseCurve(kind, "release_curve");
    return {
        .delay = delay.of(v) * 1e-3,
        .attack = attack.of(v) * 1e-3,
        .hold = hold.of(v) * 1e-3,
        .decay = decay.of(v) * 1e-3,
        .sustain = sustain.of(v) * 1e-2,
        .release = release.of(v) * 1e-3,
        .attackCurve = attackCurve.of(v) * curvePerPercent,
        .decayCurve = decayCurve.of(v) * curvePerPercent,
        .releaseCurve = releaseCurve.of(v) * curvePerPercent,
    };
}

/// Constant-power pan, 1 on both sides in the middle (exactly, so that mono stays mono).
std::pair<double, double> panGains(double pan) {
    if (pan == 0.0) return {1.0, 1.0};
    const double angle = (std::clamp(pan, -1.0, 1.0) + 1.0) * std::numbers::pi / 4.0;
    return {std::numbers::sqrt2 * std::cos(angle), std::numbers::sqrt2 * std::sin(angle)};
}

/// Everything of a source that may move while a note sounds.
/// `before`: what the source's values were taken from last, or empty; what depends on none that changed stays.
void takeSource(SourceValues& source, std::span<const double> v, std::span<const double> before = {}) {
    constexpr auto kind = ModuleKind::source;
    static const Field blend(kind, "blend"), width(kind, "width"), clip(kind, "clip"), position(kind, "position"),
        color(kind, "color"), octave(kind, "octave"), semitone(kind, "semitone"), cents(kind, "cents"),
        over(kind, "ratio_over"), under(kind, "ratio_under"), fixed(kind, "fixed"), level(kind, "level"),
        amplitude(kind, "amplitude"), pan(kind, "pan"), detune(kind, "detune"), spread(kind, "spread"),
        phase(kind, "phase"), phaseRandom(kind, "phase_random"), syncRatio(kind, "sync_ratio");
    const auto changed = [&](auto&... fields) {
        return before.empty() || ((fields.of(v) != fields.of(before)) || ...);
    };
    source.shape.blend = blend.real(v) / 100.0f;
    source.shape.width = width.real(v) / 100.0f;
    source.shape.position = position.real(v) / 100.0f;
    source.fixedHz = fixed.of(v);
    source.amplitude = amplitude.real(v) / 100.0f;
    source.phase = phase.of(v) / 360.0;
    source.phaseRandom = phaseRandom.of(v) / 100.0;
    if (changed(clip)) source.shape.clip = static_cast<float>(gainFromDb(clip.of(v)));
    if (changed(color)) source.shape.tilt = static_cast<float>(color.of(v) / (20.0 * std::log10(2.0)));
    if (changed(syncRatio)) source.syncRatio = std::exp2(syncRatio.of(v) / 12.0);
    if (!changed(octave, semitone, cents, over, under, level, pan, detune, spread)) return;
    source.ratio =
        std::exp2((12.0 * octave.of(v) + semitone.of(v) + cents.of(v) / 100.0) / 12.0) * over.of(v) / under.of(v);
    const double silent = level.of(v) <= -60.0 ? 0.0 : 1.0; // the lowest level is none
    const double gain = silent * gainFromDb(level.of(v)) / std::sqrt(static_cast<double>(source.voices));
    for (int k = 0; k < source.voices; ++k) {
        const double away = detune.of(v) * stackPosition(k, source.voices);
        const auto [left, right] = panGains((pan.of(v) + spread.of(v) * stackPan(k, source.voices)) / 100.0);
        source.stack[static_cast<std::size_t>(k)] = {source.ratio * std::exp2(away / 1200.0),
                                                     static_cast<float>(gain * left), static_cast<float>(gain * right)};
    }
}

SourceValues sourceOf(const Patch::Module& module) {
    constexpr auto kind = ModuleKind::source;
    static const Field wave(kind, "wave"), blendWave(kind, "blend_wave"), voices(kind, "voices"),
        follow(kind, "follow"), route(kind, "route"), retrigger(kind, "retrigger");
    const auto& v = module.values;
    SourceValues source;
    source.shape.wave = static_cast<Wave>(wave.whole(v));
    source.shape.blendWave = static_cast<Wave>(blendWave.whole(v));
    source.voices = voices.whole(v);
    source.key = Hasher().text(module.path).value();
    source.follows = follow.on(v);
    source.route = static_cast<Route>(route.whole(v));
    source.retrigger = retrigger.on(v);
    takeSource(source, v);
    const ModuleData& data = module.contents();
    if (source.shape.wave == Wave::harmonics) {
        static const std::vector<double> fundamental{0.0};
        const auto& partials = data.partialsDb.empty() ? fundamental : data.partialsDb;
        Hasher key;
        for (double db : partials) key.number(db);
        source.table = sharedWaveTable(key.value(), [&] { return cycleOfPartials(partials); });
    }
    if (source.shape.wave == Wave::wavetable && !data.frames.empty())
        source.table = sharedWaveTable(module.dataHash, [&] { return data.frames; });
    if (source.shape.wave == Wave::sample && !data.sample.empty()) {
        source.sample = sharedSampleTable(module.dataHash, data.sample, data.sampleRateHz);
        source.sampleHz = hzFromKey(data.sampleKey);
    }
    source.shape.table = source.table.get();
    source.shape.sample = source.sample.get();
    // Where nothing has a pitch or a cycle, nothing blends with it.
    if (source.shape.wave == Wave::noise || source.shape.wave == Wave::sample) source.shape.blend = 0.0f;
    return source;
}

void takeFilter(FilterValues& filter, std::span<const double> v) {
    constexpr auto kind = ModuleKind::filter;
    static const Field cutoff(kind, "cutoff"), resonance(kind, "resonance"), drive(kind, "drive"),
        feedback(kind, "feedback"), mix(kind, "mix"), tracking(kind, "key_tracking"), envelope(kind, "envelope"),
        velocity(kind, "velocity");
    filter.targets =
        kernels::filterTargets(filter.structure, cutoff.of(v), resonance.of(v), drive.of(v), feedback.of(v) / 100.0);
    filter.targets.mix = mix.real(v) / 100.0f;
    filter.keyTracking = tracking.real(v) / 100.0f;
    filter.cutoffEnvelope = envelope.real(v) / 12.0f;
    filter.velocityOctaves = velocity.real(v) / 12.0f;
}

FilterValues filterOf(const Patch::Module& module) {
    constexpr auto kind = ModuleKind::filter;
    static const Field on(kind, "on"), which(kind, "kind"), slope(kind, "slope"), stages(kind, "stages"),
        mix(kind, "mix");
    const auto& v = module.values;
    FilterValues filter;
    filter.structure.on = on.on(v);
    filter.structure.kind = static_cast<FilterKind>(which.whole(v));
    filter.structure.fourPole = static_cast<FilterSlope>(slope.whole(v)) == FilterSlope::fourPole;
    filter.structure.stages = stages.whole(v);
    filter.structure.mixed = mix.of(v) < 100.0;
    takeFilter(filter, v);
    return filter;
}

void takeLfo(LfoValues& lfo, std::span<const double> v, double tempo) {
    constexpr auto kind = ModuleKind::lfo;
    static const Field timing(kind, "timing"), rate(kind, "rate"), beats(kind, "beats"), phase(kind, "phase"),
        fade(kind, "fade"), duty(kind, "duty");
    const double quarters = noteValueQuarters()[static_cast<std::size_t>(beats.whole(v))];
    lfo.hz = timing.on(v) ? tempo / 60.0 / quarters : rate.of(v);
    lfo.phase = phase.of(v) / 360.0;
    lfo.fadeSeconds = fade.of(v) * 1e-3;
    lfo.duty = duty.of(v) / 100.0;
}

LfoValues lfoOf(const Patch::Module& module, double tempo) {
    constexpr auto kind = ModuleKind::lfo;
    static const Field shape(kind, "shape"), mode(kind, "mode");
    LfoValues lfo;
    lfo.shape = static_cast<LfoShape>(shape.whole(module.values));
    lfo.mode = static_cast<LfoMode>(mode.whole(module.values));
    lfo.key = Hasher().text(module.path).value();
    lfo.drawn = module.data;
    takeLfo(lfo, module.values, tempo);
    return lfo;
}

void takeLayer(LayerGraph& layer, std::span<const double> v) {
    constexpr auto kind = ModuleKind::layer;
    static const Field level(kind, "level"), pan(kind, "pan"), velocity(kind, "velocity"), transpose(kind, "transpose"),
        offset(kind, "offset"), lowKey(kind, "low_key"), highKey(kind, "high_key"), lowVelocity(kind, "low_velocity"),
        highVelocity(kind, "high_velocity"), feedback(kind, "feedback"), send(kind, "send"),
        velocityScale(kind, "velocity_scale"), drive(kind, "drive");
    layer.send = send.of(v) <= -60.0 ? 0.0f : static_cast<float>(gainFromDb(send.of(v)));
    const bool silent = level.of(v) <= -60.0; // the lowest level is none
    layer.gain = silent ? 0.0f : static_cast<float>(gainFromDb(level.of(v)));
    const auto [left, right] = panGains(pan.of(v) / 100.0);
    layer.leftGain = static_cast<float>(left);
    layer.rightGain = static_cast<float>(right);
    layer.velocityDb = velocity.of(v);
    layer.velocityInGain = velocityScale.whole(v) == 1;
    layer.drive = static_cast<float>(gainFromDb(drive.of(v)));
    layer.transpose = transpose.of(v);
    layer.offsetSeconds = offset.of(v) * 1e-3;
    layer.lowKey = lowKey.whole(v);
    layer.highKey = highKey.whole(v);
    layer.lowVelocity = lowVelocity.of(v);
    layer.highVelocity = highVelocity.of(v);
    layer.feedback = feedback.real(v) / 100.0f;
}

/// Values of layer/drive_curve from 1 on.
constexpr std::array driveCurves{kernels::ShaperCurve::soft,     kernels::ShaperCurve::hard,
                                 kernels::ShaperCurve::cubic,    kernels::ShaperCurve::uneven,
                                 kernels::ShaperCurve::triangle, kernels::ShaperCurve::sine};

/// Compiles one layer and the links that move what it holds.
class LayerCompiler {
public:
    LayerCompiler(const Patch& whole, const Patch::Module& module, double beatsPerMinute)
        : patch(whole), layerPath(module.path), tempo(beatsPerMinute) {
        static const Field routing(ModuleKind::layer, "routing"), feedback(ModuleKind::layer, "feedback"),
            driveCurve(ModuleKind::layer, "drive_curve");
        layer.key = Hasher().text(module.path).value();
        layer.tempo = tempo;
        layer.parallel = static_cast<FilterRouting>(routing.whole(module.values)) == FilterRouting::parallel;
        layer.fedBack = feedback.of(module.values) != 0.0;
        if (const int curve = driveCurve.whole(module.values); curve > 0)
            layer.driveCurve = driveCurves[static_cast<std::size_t>(curve - 1)];
        takeLayer(layer, module.values);
        layer.envelopes.resize(2);
    }

    LayerGraph compile() {
        for (const auto& module : patch.modules())
            if (layerOfPath(module.path) == layerPath) take(module);
        resolveSync();
        for (const auto& module : patch.modules())
            if (module.kind == ModuleKind::link) takeLink(module);
        orderLinks();
        orderSources();
        if (!layer.filters[0].structure.on && !layer.filters[1].structure.on) layer.fedBack = false;
        // Side bands of phase and pitch go beyond any limit: what lies beyond half the rate must not fold.
        layer.doubled = std::any_of(layer.audioLinks.begin(), layer.audioLinks.end(), [](const AudioLink& link) {
            return link.to == AudioLink::To::phase || link.to == AudioLink::To::octaves;
        });
        return std::move(layer);
    }

    std::string_view path() const { return layerPath; }

    /// Place of a mover among a voice's signals; none when it is not one of this layer's.
    int signalOf(const std::string& mover) const {
        const auto names = performanceSources();
        if (const auto found = std::find(names.begin(), names.end(), mover); found != names.end())
            return static_cast<int>(found - names.begin());
        if (kindOfPath(mover) == ModuleKind::macro) {
            int place = 0;
            for (const auto& module : patch.modules()) {
                if (module.path == mover) return signal::macros + place;
                place += module.kind == ModuleKind::macro;
            }
            return signal::none;
        }
        if (mover == layerPath + "/envelope:level") return signal::envelopes + levelEnvelope;
        if (mover == layerPath + "/envelope:filter") return signal::envelopes + filterEnvelope;
        if (const int place = placeOf(envelopePaths, mover); place >= 0) return signal::envelopes + 2 + place;
        if (const int place = placeOf(lfoPaths, mover); place >= 0) return signal::lfos + place;
        return signal::none;
    }

private:
    void take(const Patch::Module& module) {
        static const Field on(ModuleKind::source, "on");
        switch (module.kind) {
        case ModuleKind::source:
            if (!on.on(module.values)) return;
            sourcePaths.push_back(module.path);
            layer.sources.push_back(sourceOf(module));
            return;
        case ModuleKind::filter: {
            const std::size_t place = filterPaths.size();
            filterPaths.push_back(module.path);
            if (place < layer.filters.size()) layer.filters[place] = filterOf(module);
            return;
        }
        case ModuleKind::envelope:
            if (module.path.ends_with(":level"))
                layer.envelopes[levelEnvelope] = envelopeOf(module.values);
            else if (module.path.ends_with(":filter"))
                layer.envelopes[filterEnvelope] = envelopeOf(module.values);
            else {
                envelopePaths.push_back(module.path);
                layer.envelopes.push_back(envelopeOf(module.values));
            }
            return;
        case ModuleKind::lfo:
            lfoPaths.push_back(module.path);
            layer.lfos.push_back(lfoOf(module, tempo));
            return;
        default: return;
        }
    }

    static int placeOf(const std::vector<std::string>& paths, std::string_view path) {
        const auto found = std::find(paths.begin(), paths.end(), path);
        return found == paths.end() ? -1 : static_cast<int>(found - paths.begin());
    }

    void resolveSync() {
        static const Field sync(ModuleKind::source, "sync");
        for (std::size_t i = 0; i < layer.sources.size(); ++i) {
            SourceValues& source = layer.sources[i];
            const auto to = static_cast<Sync>(sync.whole(patch.find(sourcePaths[i])->values));
            if (to == Sync::off || source.shape.wave == Wave::noise || source.shape.wave == Wave::sample) continue;
            if (to == Sync::itself) {
                source.syncTo = SourceValues::syncItself;
            } else {
                const char key = static_cast<char>('a' + static_cast<int>(to) - static_cast<int>(Sync::a));
                const int master = placeOf(sourcePaths, layerPath + "/source:" + key);
                if (master < 0 || master == static_cast<int>(i)) continue;
                source.syncTo = master;
                layer.sources[static_cast<std::size_t>(master)].audioModulator = true;
            }
            source.audioModulated = true;
        }
    }

    void takeLink(const Patch::Module& module) {
        static const Field on(ModuleKind::link, "on"), amount(ModuleKind::link, "amount"),
            curve(ModuleKind::link, "curve"), linear(ModuleKind::link, "linear");
        const ModuleData& data = module.contents();
        if (data.to.empty() || !on.on(module.values)) return;
        const Address to = Address::parse(data.to);
        if (!patch.has(to)) return;
        const int source = placeOf(sourcePaths, data.from);
        if (source >= 0) {
            takeAudioLink(module, to, source, amount.real(module.values));
            return;
        }
        ControlLink link;
        link.from = signalOf(data.from);
        link.by = data.by.empty() ? signal::none : signalOf(data.by);
        if (link.from == signal::none || (!data.by.empty() && link.by == signal::none)) return;
        link.amount = amount.real(module.values);
        link.curve = curve.of(module.values) * curvePerPercent;
        link.linear = linear.on(module.values) && canMoveLinearly(patch.descriptor(to));
        if (link.linear) link.amount /= 100.0f;
        if (!findPlace(link, to)) return;
        linkPaths.push_back(module.path);
        linkTargets.push_back(kindOfPath(to.module) == ModuleKind::link && to.field == "amount" ? to.module
                                                                                                : std::string());
        layer.links.push_back(link);
    }

    void takeAudioLink(const Patch::Module& module, const Address& to, int source, float amount) {
        AudioLink link;
        link.from = source;
        if (!module.contents().by.empty() && (link.by = signalOf(module.contents().by)) == signal::none) return;
        const int moved = placeOf(sourcePaths, to.module);
        const int filter = placeOf(filterPaths, to.module);
        using To = AudioLink::To;
        if (moved >= 0) {
            link.index = moved;
            if (to.field == "phase")
                link.to = To::phase, link.amount = amount / 360.0f;
            else if (to.field == "cents")
                link.to = To::octaves, link.amount = amount / 1200.0f;
            else if (to.field == "width")
                link.to = To::width, link.amount = amount / 100.0f;
            else if (to.field == "position")
                link.to = To::position, link.amount = amount / 100.0f;
            else if (to.field == "amplitude")
                link.to = To::amplitude, link.amount = amount / 100.0f,
                layer.sources[static_cast<std::size_t>(moved)].ringModulated = true;
            else
                return;
            layer.sources[static_cast<std::size_t>(moved)].audioModulated = true;
        } else if (filter >= 0) {
            link.index = filter;
            link.to = To::cutoff;
            link.amount = amount / 12.0f;
        } else {
            return;
        }
        layer.sources[static_cast<std::size_t>(source)].audioModulator = true;
        audioPaths.push_back(module.path);
        layer.audioLinks.push_back(link);
    }

    /// Where in the dense graph a parameter of this layer, or of the whole patch, is moved.
    bool findPlace(ControlLink& link, const Address& to) {
        using To = ControlLink::To;
        const auto kind = *kindOfPath(to.module);
        if (kind == ModuleKind::link) { // resolved when all links are known
            link.to = To::amountOf;
            return to.field == "amount";
        }
        const bool here = to.module == layerPath || layerOfPath(to.module) == layerPath;
        if (!here) return false;
        if (link.linear) return findPart(link, to, kind);
        if (to.module == layerPath && to.field == "level") {
            link.to = To::layerLevel;
            return true;
        }
        if (const int source = placeOf(sourcePaths, to.module); source >= 0) {
            link.index = source;
            if (to.field == "cents" || to.field == "semitone") {
                link.to = To::sourcePitch;
                if (to.field == "cents") link.amount /= 100.0f;
                return true;
            }
            if (to.field == "level") return link.to = To::sourceLevel, true;
        }
        if (const int filter = placeOf(filterPaths, to.module); filter >= 0 && to.field == "cutoff") {
            link.index = filter;
            link.amount /= 12.0f;
            return link.to = To::filterCutoff, true;
        }
        return findPart(link, to, kind);
    }

    /// A parameter without a place of its own.
    bool findPart(ControlLink& link, const Address& to, ModuleKind kind) {
        link.to = ControlLink::To::part;
        link.index = partOf(to.module, kind);
        link.field = fieldIndex(kind, to.field);
        return link.index >= 0;
    }

    int partOf(const std::string& path, ModuleKind kind) {
        int index = 0;
        switch (kind) {
        case ModuleKind::source: index = placeOf(sourcePaths, path); break;
        case ModuleKind::filter: index = placeOf(filterPaths, path); break;
        case ModuleKind::lfo: index = placeOf(lfoPaths, path); break;
        case ModuleKind::envelope:
            index = path.ends_with(":level")    ? levelEnvelope
                    : path.ends_with(":filter") ? filterEnvelope
                                                : 2 + placeOf(envelopePaths, path);
            break;
        case ModuleKind::layer: break;
        default: return -1;
        }
        if (index < 0) return -1;
        for (std::size_t i = 0; i < layer.parts.size(); ++i)
            if (layer.parts[i].kind == kind && layer.parts[i].index == index) return static_cast<int>(i);
        MovedPart part{kind, index};
        const auto& values = patch.find(path)->values;
        part.count = static_cast<int>(values.size());
        std::copy(values.begin(), values.end(), part.values.begin());
        layer.parts.push_back(part);
        return static_cast<int>(layer.parts.size()) - 1;
    }

    /// Points links to amounts at what they move, and puts those first.
    void orderLinks() {
        std::vector<std::size_t> order;
        std::vector<bool> placed(layer.links.size(), false);
        // A link comes after all that move its amount. There are no circles: patches refuse them.
        for (std::size_t round = 0; round < layer.links.size(); ++round)
            for (std::size_t i = 0; i < layer.links.size(); ++i) {
                const auto waits = [&] {
                    for (std::size_t k = 0; k < layer.links.size(); ++k)
                        if (!placed[k] && linkTargets[k] == linkPaths[i]) return true;
                    return false;
                };
                if (placed[i] || waits()) continue;
                placed[i] = true;
                order.push_back(i);
            }
        std::vector<ControlLink> links;
        for (std::size_t i : order) {
            ControlLink link = layer.links[i];
            if (link.to == ControlLink::To::amountOf) {
                const int control = placeOf(linkPaths, linkTargets[i]);
                const int audio = placeOf(audioPaths, linkTargets[i]);
                if (control >= 0) {
                    link.index = static_cast<int>(
                        std::find(order.begin(), order.end(), static_cast<std::size_t>(control)) - order.begin());
                    link.amount *= amountScale(layer.links[static_cast<std::size_t>(control)],
                                               linkPaths[static_cast<std::size_t>(control)]);
                } else if (audio >= 0) {
                    link.to = ControlLink::To::audioAmountOf;
                    link.index = audio;
                    link.amount *= audioScale(layer.audioLinks[static_cast<std::size_t>(audio)]);
                } else {
                    link.amount = 0.0f; // the link it moves is off
                    link.index = static_cast<int>(links.size());
                }
            }
            links.push_back(link);
        }
        layer.links = std::move(links);
    }

    /// From an amount as it stands in the patch to one in the engine's unit.
    float amountScale(const ControlLink& link, const std::string& path) const {
        const Address to = Address::parse(patch.find(path)->contents().to);
        if (link.to == ControlLink::To::sourcePitch && to.field == "cents") return 0.01f;
        if (link.linear) return 0.01f;
        return link.to == ControlLink::To::filterCutoff ? 1.0f / 12.0f : 1.0f;
    }
    static float audioScale(const AudioLink& link) {
        switch (link.to) {
        case AudioLink::To::phase: return 1.0f / 360.0f;
        case AudioLink::To::octaves: return 1.0f / 1200.0f;
        case AudioLink::To::cutoff: return 1.0f / 12.0f;
        default: return 0.01f;
        }
    }

    /// Movers are computed before what they move; what closes a circle is a block late.
    void orderSources() {
        const auto count = static_cast<int>(layer.sources.size());
        for (int round = 0; round < count; ++round)
            for (const AudioLink& link : layer.audioLinks) {
                if (link.to == AudioLink::To::cutoff || link.from == link.index) continue;
                raise(link.index, link.from, count);
            }
        for (int round = 0; round < count; ++round)
            for (int i = 0; i < count; ++i)
                if (const int master = layer.sources[static_cast<std::size_t>(i)].syncTo; master >= 0)
                    raise(i, master, count);
        for (AudioLink& link : layer.audioLinks) {
            if (link.to == AudioLink::To::cutoff) continue;
            link.back = layer.sources[static_cast<std::size_t>(link.from)].order >=
                        layer.sources[static_cast<std::size_t>(link.index)].order;
        }
        for (SourceValues& source : layer.sources)
            if (source.syncTo >= 0 && layer.sources[static_cast<std::size_t>(source.syncTo)].order >= source.order)
                source.syncTo = SourceValues::notSynced; // two that would begin each other anew: the first is free
    }
    void raise(int moved, int mover, int count) {
        SourceValues& source = layer.sources[static_cast<std::size_t>(moved)];
        const int wanted = layer.sources[static_cast<std::size_t>(mover)].order + 1;
        if (source.order < wanted && wanted < count) source.order = wanted;
    }

    const Patch& patch;
    const std::string layerPath;
    double tempo;
    LayerGraph layer;
    std::vector<std::string> sourcePaths, filterPaths, envelopePaths, lfoPaths, linkPaths, linkTargets, audioPaths;
};

/// Whether a link moves when a layer begins, which all candidates of a batch must agree on.
bool movesOffset(const LayerGraph& layer, const ControlLink& link) {
    static const int offset = fieldIndex(ModuleKind::layer, "offset");
    return link.to == ControlLink::To::part && link.field == offset &&
           layer.parts[static_cast<std::size_t>(link.index)].kind == ModuleKind::layer;
}

bool sameLayer(const LayerGraph& a, const LayerGraph& b) {
    // Which notes a layer plays, and when.
    if (a.lowKey != b.lowKey || a.highKey != b.highKey || a.lowVelocity != b.lowVelocity ||
        a.highVelocity != b.highVelocity || a.offsetSeconds != b.offsetSeconds)
        return false;
    if (a.key != b.key || a.parallel != b.parallel || a.fedBack != b.fedBack || a.driveCurve != b.driveCurve ||
        a.sources.size() != b.sources.size() || a.envelopes.size() != b.envelopes.size() ||
        a.lfos.size() != b.lfos.size() || a.links.size() != b.links.size() ||
        a.audioLinks.size() != b.audioLinks.size() || a.parts.size() != b.parts.size())
        return false;
    for (std::size_t i = 0; i < a.sources.size(); ++i) {
        const SourceValues& x = a.sources[i];
        const SourceValues& y = b.sources[i];
        if (x.shape.wave != y.shape.wave || x.shape.blendWave != y.shape.blendWave || x.voices != y.voices ||
            x.key != y.key || x.follows != y.follows || x.route != y.route || x.retrigger != y.retrigger ||
            x.syncTo != y.syncTo || x.order != y.order || x.audioModulator != y.audioModulator ||
            x.audioModulated != y.audioModulated || x.ringModulated != y.ringModulated || x.table != y.table ||
            x.sample != y.sample)
            return false;
    }
    for (std::size_t i = 0; i < a.filters.size(); ++i)
        if (a.filters[i].structure != b.filters[i].structure) return false;
    for (std::size_t i = 0; i < a.lfos.size(); ++i)
        if (a.lfos[i].shape != b.lfos[i].shape || a.lfos[i].mode != b.lfos[i].mode || a.lfos[i].key != b.lfos[i].key ||
            a.lfos[i].drawn != b.lfos[i].drawn)
            return false;
    for (std::size_t i = 0; i < a.links.size(); ++i)
        if (a.links[i].from != b.links[i].from || a.links[i].by != b.links[i].by || a.links[i].to != b.links[i].to ||
            a.links[i].index != b.links[i].index || a.links[i].field != b.links[i].field ||
            a.links[i].linear != b.links[i].linear ||
            (movesOffset(a, a.links[i]) && a.links[i].amount != b.links[i].amount))
            return false;
    for (std::size_t i = 0; i < a.audioLinks.size(); ++i)
        if (a.audioLinks[i].from != b.audioLinks[i].from || a.audioLinks[i].to != b.audioLinks[i].to ||
            a.audioLinks[i].index != b.audioLinks[i].index || a.audioLinks[i].by != b.audioLinks[i].by)
            return false;
    for (std::size_t i = 0; i < a.parts.size(); ++i)
        if (a.parts[i].kind != b.parts[i].kind || a.parts[i].index != b.parts[i].index) return false;
    return true;
}

} // namespace

double stackPosition(int index, int count) { return count < 2 ? 0.0 : 2.0 * index / (count - 1) - 1.0; }

double stackPan(int index, int count) {
    const double position = stackPosition(index, count);
    const int ring = std::min(index, count - 1 - index);
    return ring % 2 == 0 ? position : -position;
}

Graph compile(const Patch& patch, double tempo) {
    constexpr auto kind = ModuleKind::voicing;
    static const Field mode(kind, "mode"), voices(kind, "voices"), glide(kind, "glide"),
        glideCurve(kind, "glide_curve"), glideWhen(kind, "glide_when"), tuningSpread(kind, "tuning_spread"),
        cutoffSpread(kind, "cutoff_spread"), bendRange(kind, "bend_range");
    static const Field macroValue(ModuleKind::macro, "value");
    Graph graph;
    const auto& voicing = patch.find("voicing")->values;
    graph.mode = static_cast<VoiceMode>(mode.whole(voicing));
    graph.voiceLimit = graph.mode == VoiceMode::poly ? voices.whole(voicing) : 1;
    graph.glideSeconds = glide.of(voicing) * 1e-3;
    graph.bendSemitones = bendRange.of(voicing);
    graph.glideCurve = glideCurve.of(voicing) * curvePerPercent;
    graph.glideAlways = static_cast<GlideWhen>(glideWhen.whole(voicing)) == GlideWhen::always;
    graph.tuningSpread = tuningSpread.of(voicing) / 100.0;
    graph.cutoffSpread = cutoffSpread.of(voicing) / 12.0;
    std::size_t macros = 0;
    std::vector<LayerCompiler> layers;
    layers.reserve(static_cast<std::size_t>(mostOf(ModuleKind::layer)));
    for (const auto& module : patch.modules()) {
        if (module.kind == ModuleKind::layer) {
            layers.emplace_back(patch, module, tempo);
            graph.layers.push_back(layers.back().compile());
        }
        if (module.kind == ModuleKind::macro && macros < graph.macros.size())
            graph.macros[macros++] = macroValue.real(module.values) / 100.0f;
    }
    graph.tempo = tempo;
    graph.output = patch.find("output")->values;
    const auto signalOf = [&](const std::string& mover) -> std::pair<int, int> {
        const auto home = layerOfPath(mover);
        for (std::size_t l = 0; l < layers.size(); ++l)
            if (home.empty() || layers[l].path() == home)
                return {home.empty() ? -1 : static_cast<int>(l), layers[l].signalOf(mover)};
        return {-1, signal::none};
    };
    compileEffects(patch, signalOf, graph);
    return graph;
}

void takeValues(LayerGraph& layer, ModuleKind kind, int index, std::span<const double> values,
                std::span<const double> before) {
    const auto at = static_cast<std::size_t>(index);
    switch (kind) {
    case ModuleKind::layer: takeLayer(layer, values); break;
    case ModuleKind::source: takeSource(layer.sources[at], values, before); break;
    case ModuleKind::filter: takeFilter(layer.filters[at], values); break;
    case ModuleKind::envelope: layer.envelopes[at] = envelopeOf(values); break;
    case ModuleKind::lfo: takeLfo(layer.lfos[at], values, layer.tempo); break;
    default: break;
    }
}

double velocityGainOf(const LayerGraph& layer, double velocity) {
    const double share = velocity / 127.0;
    if (!layer.velocityInGain) return gainFromDb(layer.velocityDb * (share - 1.0));
    const double softest = gainFromDb(-layer.velocityDb);
    return softest + (1.0 - softest) * share;
}

double offsetOf(const LayerGraph& layer, const std::array<float, signal::count>& signals) {
    double offset = layer.offsetSeconds;
    const auto& d = parametersOf(ModuleKind::layer)[static_cast<std::size_t>(fieldIndex(ModuleKind::layer, "offset"))];
    for (const ControlLink& link : layer.links) {
        // What begins with the note itself, envelopes and LFOs, has not moved yet.
        if (!movesOffset(layer, link) || link.from >= signal::envelopes || link.by >= signal::envelopes) continue;
        float by = link.amount * bentSignal(link.curve, signals[static_cast<std::size_t>(link.from)]);
        if (link.by != signal::none) by *= signals[static_cast<std::size_t>(link.by)];
        offset = 1e-3 * movedBy(d, 1e3 * offset, static_cast<double>(by), link.linear);
    }
    return offset;
}

bool sameGraph(const Graph& a, const Graph& b) {
    return a.mode == b.mode && a.voiceLimit == b.voiceLimit && sameEffects(a, b) &&
           std::equal(a.layers.begin(), a.layers.end(), b.layers.begin(), b.layers.end(), sameLayer);
}

} // namespace facet
