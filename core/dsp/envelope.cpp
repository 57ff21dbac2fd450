#include "core/dsp/envelope.h"

#include "core/dsp/exponential.h"
#include "core/dsp/segment_kernel.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace facet {

namespace {

constexpr double straightBend = 1e-6;

/// Segments are smooth, so a straight line serves over a third of a millisecond, except across a corner and in segments
/// not much longer than that.
constexpr double shortSegment = 0.004;

constexpr int lineFrames = 16;
void writeLine(float first, float step, int frames, float* out) {
    for (; frames >= lineFrames; frames -= lineFrames, out += lineFrames) { // of a length that the compiler knows
        for (int k = 0; k < lineFrames; ++k) out[k] = first + step * static_cast<float>(k);
        first += step * lineFrames;
    }
    for (int k = 0; k < frames; ++k) out[k] = first + step * static_cast<float>(k);
}

} // namespace

SegmentCurve::SegmentCurve(double bend)
    : bend_(bend), scale_(std::abs(bend) < straightBend ? 0.0 : 1.0 / std::expm1(-bend)) {}

double SegmentCurve::operator()(double x) const {
    x = std::clamp(x, 0.0, 1.0);
    return scale_ == 0.0 ? x : (exponential(-bend_ * x) - 1.0) * scale_;
}

void SegmentCurve::apply(std::array<double, 16>& x) const {
    for (double& v : x) v = std::clamp(v, 0.0, 1.0);
    if (scale_ == 0.0) return;
    bendSixteen(x.data(), bend_, scale_);
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

Envelope::Segment Envelope::segmentAt(const EnvelopeShape& shape, double t) const {
    constexpr double forever = std::numeric_limits<double>::infinity();
    if (stage_ == Stage::idle) return {0.0, forever, 0.0, 0.0, nullptr};
    if (stage_ == Stage::released) {
        if (t < shape.release) return {0.0, shape.release, from_, -from_, &shape.releaseCurve};
        return {shape.release, forever, 0.0, 0.0, nullptr};
    }
    const double peak = shape.delay + shape.attack;
    const double fall = peak + shape.hold;
    if (t < shape.delay) return {0.0, shape.delay, from_, 0.0, nullptr};
    if (t < peak) return {shape.delay, peak, from_, 1.0 - from_, &shape.attackCurve};
    if (shape.sustain == 1.0) return {peak, forever, 1.0, 0.0, nullptr};
    if (t < fall) return {peak, fall, 1.0, 0.0, nullptr};
    if (t < fall + shape.decay) return {fall, fall + shape.decay, 1.0, shape.sustain - 1.0, &shape.decayCurve};
    return {fall + shape.decay, forever, shape.sustain, 0.0, nullptr};
}

double Envelope::valueAt(const EnvelopeShape& shape, double t) const {
    const Segment s = segmentAt(shape, t);
    return s.curve ? s.from + s.way * (*s.curve)((t - s.begin) * (1.0 / (s.end - s.begin))) : s.from;
}

void Envelope::write(const EnvelopeShape& shape, double secondsPerSample, int frames, double last, float* out) const {
    const Segment s = segmentAt(shape, seconds_);
    const bool straight =
        seconds_ + frames * secondsPerSample <= s.end && (!s.curve || s.end - s.begin >= shortSegment);
    if (!straight) {
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

double Envelope::nextBlock(const Segment& s, double perBlock) {
    const Segment& known = ahead_.segment;
    const bool valid = ahead_.used < ahead_.values.size() && ahead_.seconds == seconds_ && known.begin == s.begin &&
                       known.end == s.end && known.from == s.from && known.way == s.way && known.curve == s.curve &&
                       ahead_.bend == s.curve->bend();
    if (!valid) {
        ahead_.segment = s;
        ahead_.bend = s.curve->bend();
        ahead_.used = 0;
        double seconds = seconds_;
        for (double& v : ahead_.values) v = seconds += perBlock;
        const double share = 1.0 / (s.end - s.begin);
        for (double& v : ahead_.values) v = (v - s.begin) * share;
        s.curve->apply(ahead_.values);
        for (double& v : ahead_.values) v = s.from + s.way * v;
    }
    ahead_.seconds = seconds_ + perBlock;
    return ahead_.values[ahead_.used++];
}

void Envelope::advanceBlocks(const EnvelopeShape& shape, double secondsPerSample, int frames, float* out, float* ends) {
    const Segment s = segmentAt(shape, seconds_);
    // Within one segment, whole blocks need no look at each.
    const bool within = frames % lineFrames == 0 && seconds_ > 0.0 &&
                        seconds_ + (frames + 1) * secondsPerSample < s.end &&
                        (!s.curve || s.end - s.begin >= shortSegment);
    if (!within) {
        for (int done = 0; done < frames; done += lineFrames) {
            advance(shape, secondsPerSample, std::min(lineFrames, frames - done), out ? out + done : nullptr);
            if (ends) *ends++ = static_cast<float>(value_);
        }
        return;
    }
    const double perBlock = lineFrames * secondsPerSample;
    const int blocks = frames / lineFrames;
    if (!s.curve) {
        for (int b = 0; b < blocks; ++b) seconds_ += perBlock;
        if (out) std::fill_n(out, frames, static_cast<float>(s.from));
        if (ends) std::fill_n(ends, blocks, static_cast<float>(s.from));
        return;
    }
    if (blocks == 1) {
        const double next = nextBlock(s, perBlock);
        seconds_ += perBlock;
        if (out)
            writeLine(static_cast<float>(value_), static_cast<float>((next - value_) / lineFrames), lineFrames, out);
        if (ends) *ends = static_cast<float>(next);
        value_ = next;
        return;
    }
    // All sixteen, whatever there is of them: loops of a length that the compiler knows.
    std::array<double, lineFrames> values{};
    for (std::size_t b = 0; b < static_cast<std::size_t>(blocks); ++b) values[b] = seconds_ += perBlock;
    const double share = 1.0 / (s.end - s.begin);
    for (double& v : values) v = (v - s.begin) * share;
    s.curve->apply(values);
    for (double& v : values) v = s.from + s.way * v;
    std::array<float, lineFrames> floats;
    for (std::size_t b = 0; b < lineFrames; ++b) floats[b] = static_cast<float>(values[b]);
    if (ends) std::copy_n(floats.begin(), blocks, ends);
    if (out) {
        std::array<float, lineFrames> steps;
        steps[0] = static_cast<float>((values[0] - value_) / lineFrames);
        for (std::size_t b = 1; b < lineFrames; ++b)
            steps[b] = static_cast<float>((values[b] - values[b - 1]) / lineFrames);
        writeLine(static_cast<float>(value_), steps[0], lineFrames, out);
        for (std::size_t b = 1; b < static_cast<std::size_t>(blocks); ++b)
            writeLine(floats[b - 1], steps[b], lineFrames, out + b * lineFrames);
    }
    value_ = values[static_cast<std::size_t>(blocks - 1)];
}

} // namespace facet
