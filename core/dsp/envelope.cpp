#include "core/dsp/envelope.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

constexpr double straightBend = 1e-6;

constexpr int lineFrames = 16;
constexpr std::array<float, lineFrames> counting{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15};

void writeLine(float first, float step, int frames, float* out) {
    for (; frames >= lineFrames; frames -= lineFrames, out += lineFrames) { // of a length that the compiler knows
        for (std::size_t k = 0; k < lineFrames; ++k) out[k] = first + step * counting[k];
        first += step * lineFrames;
    }
    for (int k = 0; k < frames; ++k) out[k] = first + step * static_cast<float>(k);
}

} // namespace

SegmentCurve::SegmentCurve(double bend)
    : bend_(bend), scale_(std::abs(bend) < straightBend ? 0.0 : 1.0 / std::expm1(-bend)) {}

double SegmentCurve::operator()(double x) const {
    x = std::clamp(x, 0.0, 1.0);
    return scale_ == 0.0 ? x : (std::exp(-bend_ * x) - 1.0) * scale_;
}

double SegmentCurve::timeConstantShare() const {
    const double covered = 1.0 - std::exp(-1.0);
    return scale_ == 0.0 ? covered : -std::log1p(covered / scale_) / bend_;
}

void Envelope::start() {
    from_ = value_;
    stage_ = Stage::running;
    seconds_ = 0.0;
}

void Envelope::release() {
    if (stage_ == Stage::idle) return;
    from_ = value_;
    stage_ = Stage::released;
    seconds_ = 0.0;
}

double Envelope::runningValue(const EnvelopeShape& shape, double t) const {
    t -= shape.delay;
    if (t < 0.0) return from_;
    if (t < shape.attack) return from_ + (1.0 - from_) * shape.attackCurve(t / shape.attack);
    t -= shape.attack + shape.hold;
    if (t < 0.0) return 1.0;
    if (t < shape.decay && shape.sustain != 1.0) return 1.0 + (shape.sustain - 1.0) * shape.decayCurve(t / shape.decay);
    return shape.sustain;
}

double Envelope::valueAt(const EnvelopeShape& shape, double t) const {
    if (stage_ == Stage::running) return runningValue(shape, t);
    if (stage_ == Stage::idle || t >= shape.release) return 0.0;
    return from_ * (1.0 - shape.releaseCurve(t / shape.release));
}

/// Segments are smooth, so a straight line serves over a third of a millisecond, except across a corner
/// and in segments not much longer than that.
bool Envelope::isStraightBetween(const EnvelopeShape& shape, double from, double to) const {
    constexpr double shortSegment = 0.004;
    const auto fits = [&](double begin, double length) {
        const bool touches = to > begin && from < begin + length;
        return !touches || (from >= begin && to <= begin + length && length >= shortSegment);
    };
    if (stage_ == Stage::released) return fits(0.0, shape.release);
    const double peak = shape.delay + shape.attack;
    return fits(shape.delay, shape.attack) && fits(peak + shape.hold, shape.decay);
}

void Envelope::write(const EnvelopeShape& shape, double secondsPerSample, int frames, double last, float* out) const {
    if (!isStraightBetween(shape, seconds_, seconds_ + frames * secondsPerSample)) {
        for (int i = 0; i < frames; ++i) out[i] = static_cast<float>(valueAt(shape, seconds_ + i * secondsPerSample));
        return;
    }
    const double first = seconds_ == 0.0 ? valueAt(shape, 0.0) : value_;
    const double step = first == last ? 0.0 : (last - first) / frames;
    writeLine(static_cast<float>(first), static_cast<float>(step), frames, out);
}

void Envelope::advance(const EnvelopeShape& shape, double secondsPerSample, int frames, float* out) {
    if (stage_ == Stage::idle) {
        if (out) std::fill(out, out + frames, 0.0f);
        return;
    }
    const double end = seconds_ + frames * secondsPerSample;
    const double last = valueAt(shape, end);
    if (out) write(shape, secondsPerSample, frames, last, out);
    seconds_ = end;
    value_ = last;
    if (stage_ == Stage::released && seconds_ >= shape.release) stop();
}

} // namespace facet
