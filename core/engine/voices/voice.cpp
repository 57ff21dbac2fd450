#include "core/engine/voices/voice.h"

#include "core/engine/effects/lane_kernels.h"

#include <algorithm>
#include <cmath>

namespace facet {

void CandidateVoice::prepare(const LayerGraph& layer, double rateHz) {
    envelopes.resize(layer.envelopes.size());
    lfos.resize(layer.lfos.size());
    linkAmounts.resize(layer.links.size());
    audioAmounts.resize(layer.audioLinks.size());
    sourceSemitones.resize(layer.sources.size());
    sourceDb.resize(layer.sources.size());
    if (!layer.parts.empty()) live = std::make_unique<LayerGraph>(layer);
    takeParts(layer);
    for (std::size_t i = 0; i < filters.size(); ++i) filters[i].prepare(layer.filters[i / 2].structure, rateHz);
    if (std::any_of(layer.sources.begin(), layer.sources.end(),
                    [](const SourceValues& s) { return s.audioModulator || s.audioModulated; })) {
        movers.resize(layer.sources.size());
        moved.resize(layer.sources.size());
    }
}

void CandidateVoice::takeParts(const LayerGraph& layer) {
    partValues.resize(layer.parts.size());
    for (std::size_t i = 0; i < partValues.size(); ++i) partValues[i] = layer.parts[i].values;
}

void CandidateVoice::clear() {
    for (Envelope& envelope : envelopes) envelope.stop();
    for (Lfo& lfo : lfos) lfo.start();
    signals = {};
    drawnFor.reset();
    glideFrom = 0.0;
    velocityGain = 1.0;
    pitchNow = -1e9;
    levelKnown = false;
    std::fill(sourceSemitones.begin(), sourceSemitones.end(), 0.0);
    std::fill(sourceDb.begin(), sourceDb.end(), 0.0f);
    filterOctaves = {};
    layerDb = 0.0f;
    for (auto& filter : filters) filter.clear();
    fedBack = {};
    for (MoverLine& mover : movers) mover.line = {};
}

void Halving::run(const float* first, const float* second, float* out, int frames) {
    static const std::array<float, taps> c = [] {
        // What lies below 20 kHz at 48 kHz passes; what would fold onto it does not.
        const auto values = kernels::halfBandCoefficients(taps, 2.0 * (0.25 - 20.0 / 96.0));
        std::array<float, taps> floats{};
        std::transform(values.begin(), values.end(), floats.begin(), [](double v) { return static_cast<float>(v); });
        return floats;
    }();
    std::array<float, 2 * kernels::blockFrames> x;
    std::copy_n(first, kernels::blockFrames, x.begin());
    std::copy_n(second, kernels::blockFrames, x.begin() + kernels::blockFrames);
    const auto chain = [&](float v, std::size_t which) {
        float* memory = state_.data() + which * (taps / 2 + 1);
        for (std::size_t i = 0; i < taps / 2; ++i) {
            const float y = memory[i] + c[2 * i + which] * (v - memory[i + 1]);
            memory[i] = v;
            v = y;
        }
        memory[taps / 2] = v;
        return v;
    };
    for (std::size_t t = 0; t < static_cast<std::size_t>(frames); ++t)
        out[t] = 0.5f * (chain(x[2 * t + 1], 0) + chain(x[2 * t], 1));
}

float bentSignal(const SegmentCurve& curve, float value) {
    if (curve.bend() == 0.0) return value;
    const float magnitude = std::abs(value);
    const float whole = std::max(1.0f, magnitude);
    return std::copysign(whole * static_cast<float>(curve(magnitude / whole)), value);
}

void followLinks(CandidateVoice& candidate, const LayerGraph& layer) {
    if (layer.links.empty() && layer.audioLinks.empty()) return;
    for (std::size_t i = 0; i < layer.links.size(); ++i) candidate.linkAmounts[i] = layer.links[i].amount;
    for (std::size_t i = 0; i < layer.audioLinks.size(); ++i) candidate.audioAmounts[i] = layer.audioLinks[i].amount;
    std::fill(candidate.sourceSemitones.begin(), candidate.sourceSemitones.end(), 0.0);
    std::fill(candidate.sourceDb.begin(), candidate.sourceDb.end(), 0.0f);
    candidate.filterOctaves = {};
    candidate.layerDb = 0.0f;
    // Moved parts start from where they stand in the patch, on their scales of movement.
    constexpr std::size_t mostParts = mostModulesOfLayer; // each module is one part at most
    std::array<std::array<double, mostFields>, mostParts> moves, shares;
    for (std::size_t i = 0; i < layer.parts.size(); ++i) {
        moves[i].fill(0.0);
        shares[i].fill(0.0);
    }
    for (std::size_t i = 0; i < layer.links.size(); ++i) {
        const ControlLink& link = layer.links[i];
        float by =
            candidate.linkAmounts[i] * bentSignal(link.curve, candidate.signals[static_cast<std::size_t>(link.from)]);
        if (link.by != signal::none) by *= candidate.signals[static_cast<std::size_t>(link.by)];
        const auto at = static_cast<std::size_t>(link.index);
        switch (link.to) {
        case ControlLink::To::sourcePitch: candidate.sourceSemitones[at] += by; break;
        case ControlLink::To::sourceLevel: candidate.sourceDb[at] += by; break;
        case ControlLink::To::filterCutoff: candidate.filterOctaves[at] += by; break;
        case ControlLink::To::layerLevel: candidate.layerDb += by; break;
        case ControlLink::To::amountOf: candidate.linkAmounts[at] += by; break;
        case ControlLink::To::audioAmountOf: candidate.audioAmounts[at] += by; break;
        case ControlLink::To::part:
            (link.linear ? shares : moves)[at][static_cast<std::size_t>(link.field)] += by;
            break;
        }
    }
    // Amounts may ask for more than can be heard, or computed.
    for (double& semitones : candidate.sourceSemitones) semitones = std::clamp(semitones, -180.0, 180.0);
    for (float& db : candidate.sourceDb) db = std::clamp(db, -144.0f, 24.0f);
    for (float& octaves : candidate.filterOctaves) octaves = std::clamp(octaves, -16.0f, 16.0f);
    candidate.layerDb = std::clamp(candidate.layerDb, -144.0f, 24.0f);
    for (std::size_t i = 0; i < layer.audioLinks.size(); ++i)
        if (const int by = layer.audioLinks[i].by; by != signal::none)
            candidate.audioAmounts[i] *= candidate.signals[static_cast<std::size_t>(by)];
    for (std::size_t i = 0; i < layer.parts.size(); ++i) {
        const MovedPart& part = layer.parts[i];
        std::array<double, mostFields> values = part.values;
        const auto fields = parametersOf(part.kind);
        for (std::size_t k = 0; k < static_cast<std::size_t>(part.count); ++k) {
            if (shares[i][k] != 0.0) values[k] = movedBy(fields[k], values[k], shares[i][k], true);
            if (moves[i][k] != 0.0) values[k] = movedBy(fields[k], values[k], moves[i][k], false);
        }
        std::array<double, mostFields>& before = candidate.partValues[i];
        if (values == before) continue;
        const auto count = static_cast<std::size_t>(part.count);
        takeValues(*candidate.live, part.kind, part.index, {values.data(), count}, {before.data(), count});
        before = values;
    }
}

} // namespace facet
