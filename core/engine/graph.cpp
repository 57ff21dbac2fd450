#include "core/engine/graph.h"

#include "core/base/hash.h"
#include "core/base/units.h"
#include "core/dsp/low_pass.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

/// Reads the values of one module by field.
class Fields {
public:
    Fields(const Patch& patch, const std::string& path) : module_(*patch.find(path)) {}
    explicit Fields(const Patch::Module& module) : module_(module) {}
    double operator[](std::string_view field) const {
        return module_.values[static_cast<std::size_t>(fieldIndex(module_.kind, field))];
    }
    float real(std::string_view field) const { return static_cast<float>((*this)[field]); }
    int whole(std::string_view field) const { return static_cast<int>((*this)[field]); }

private:
    const Patch::Module& module_;
};

EnvelopeShape envelopeOf(const Fields& fields) {
    constexpr double curvePerPercent = 0.1; // 100 % bends by e^−10
    return {
        .delay = fields["delay"] * 1e-3,
        .attack = fields["attack"] * 1e-3,
        .hold = fields["hold"] * 1e-3,
        .decay = fields["decay"] * 1e-3,
        .sustain = fields["sustain"] * 1e-2,
        .release = fields["release"] * 1e-3,
        .attackCurve = fields["attack_curve"] * curvePerPercent,
        .decayCurve = fields["decay_curve"] * curvePerPercent,
        .releaseCurve = fields["release_curve"] * curvePerPercent,
    };
}

/// Constant-power pan, 1 on both sides in the middle (exactly, so that mono stays mono).
std::pair<double, double> panGains(double pan) {
    if (pan == 0.0) return {1.0, 1.0};
    const double angle = (std::clamp(pan, -1.0, 1.0) + 1.0) * std::numbers::pi / 4.0;
    return {std::numbers::sqrt2 * std::cos(angle), std::numbers::sqrt2 * std::sin(angle)};
}

SourceValues sourceOf(const Patch::Module& module) {
    const Fields fields(module);
    SourceValues source;
    source.wave = static_cast<Wave>(fields.whole("wave"));
    source.voices = fields.whole("voices");
    source.key = Hasher().text(module.path).value();
    source.ratio = std::exp2((12.0 * fields["octave"] + fields["semitone"] + fields["cents"] / 100.0) / 12.0);
    source.width = fields.real("width") / 100.0f;
    source.phase = fields["phase"] / 360.0;
    source.phaseRandom = fields["phase_random"] / 100.0;
    const double gain = gainFromDb(fields["level"]) / std::sqrt(static_cast<double>(source.voices));
    for (int k = 0; k < source.voices; ++k) {
        const double cents = fields["detune"] * stackPosition(k, source.voices);
        const auto [left, right] = panGains((fields["pan"] + fields["spread"] * stackPan(k, source.voices)) / 100.0);
        source.stack[static_cast<std::size_t>(k)] = {source.ratio * std::exp2(cents / 1200.0),
                                                     static_cast<float>(gain * left), static_cast<float>(gain * right)};
    }
    return source;
}

} // namespace

double stackPosition(int index, int count) { return count < 2 ? 0.0 : 2.0 * index / (count - 1) - 1.0; }

double stackPan(int index, int count) {
    const double position = stackPosition(index, count);
    const int ring = std::min(index, count - 1 - index);
    return ring % 2 == 0 ? position : -position;
}

Graph compile(const Patch& patch) {
    Graph graph;
    const Fields voicing(patch, "voicing");
    graph.mode = static_cast<VoiceMode>(voicing.whole("mode"));
    graph.voiceLimit = graph.mode == VoiceMode::poly ? voicing.whole("voices") : 1;
    graph.glideSeconds = voicing["glide"] * 1e-3;
    graph.glideAlways = static_cast<GlideWhen>(voicing.whole("glide_when")) == GlideWhen::always;

    const Fields layer(patch, "layer:a");
    graph.layerGain = static_cast<float>(gainFromDb(layer["level"] + Fields(patch, "output")["level"]));
    const auto [left, right] = panGains(layer["pan"] / 100.0);
    graph.leftGain = static_cast<float>(left);
    graph.rightGain = static_cast<float>(right);
    graph.velocityDb = layer["velocity"];
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::source && Fields(module)["on"] >= 0.5) graph.sources.push_back(sourceOf(module));

    const Fields filter(patch, "layer:a/filter:a");
    const auto slope = static_cast<FilterSlope>(filter.whole("slope"));
    const SectionQ q = sectionQ(slope == FilterSlope::fourPole ? 4 : 2, filter["resonance"]);
    graph.filtered = filter["on"] >= 0.5;
    graph.fourPole = slope == FilterSlope::fourPole;
    graph.cutoffLog2 = static_cast<float>(std::log2(filter["cutoff"]));
    graph.damping1 = static_cast<float>(1.0 / q.first);
    graph.damping2 = static_cast<float>(1.0 / q.second);
    graph.keyTracking = filter.real("key_tracking") / 100.0f;
    graph.cutoffEnvelope = filter.real("envelope") / 12.0f;
    graph.velocityOctaves = filter.real("velocity") / 12.0f;
    graph.levelEnvelope = envelopeOf(Fields(patch, "layer:a/envelope:level"));
    graph.cutoffEnvelopeShape = envelopeOf(Fields(patch, "layer:a/envelope:filter"));
    return graph;
}

bool sameGraph(const Graph& a, const Graph& b) {
    if (a.mode != b.mode || a.voiceLimit != b.voiceLimit || a.filtered != b.filtered || a.fourPole != b.fourPole ||
        a.sources.size() != b.sources.size())
        return false;
    for (std::size_t i = 0; i < a.sources.size(); ++i)
        if (a.sources[i].wave != b.sources[i].wave || a.sources[i].voices != b.sources[i].voices ||
            a.sources[i].key != b.sources[i].key)
            return false;
    return true;
}

} // namespace facet
