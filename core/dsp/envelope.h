// Envelopes in closed form.
#pragma once

#include <array>

namespace facet {

/// The bend of a segment: takes x in [0, 1] (clamped) to (1 − e^(−c x)) / (1 − e^(−c)); c = 0 is straight.
class SegmentCurve {
public:
    SegmentCurve(double bend = 0.0);
    double operator()(double x) const;
    /// Takes sixteen at once, each as by itself.
    void apply(std::array<double, 16>& x) const;
    double bend() const { return bend_; }
    /// Share of the segment in which it covers 1 − 1/e = 63.2 % of its way.
    double timeConstantShare() const;

private:
    double bend_;
    double scale_; ///< 1 / (e^(−c) − 1)
};

/// Times in seconds, sustain in [0, 1].
struct EnvelopeShape {
    double delay = 0.0;
    double attack = 0.002;
    double hold = 0.0;
    double decay = 0.5;
    double sustain = 1.0;
    double release = 0.002;
    SegmentCurve attackCurve = 0.0;
    SegmentCurve decayCurve = 5.0;
    SegmentCurve releaseCurve = 5.0;
};

/// One running envelope. Values do not depend on how time is cut into blocks.
class Envelope {
public:
    /// Begins at the delay, from whatever value it has now (0 when idle).
    void start();
    /// Begins the release from the present value; nothing when idle.
    void release();
    /// Ends at once.
    void stop() { *this = Envelope{}; }

    bool active() const { return stage_ != Stage::idle; }
    /// Value now, in [0, 1].
    double value() const { return value_; }
    /// Moves time on and writes the values of the samples passed over: out[i] is the value i samples after
    /// now. `out` may be null when only the end matters.
    void advance(const EnvelopeShape& shape, double secondsPerSample, int frames, float* out);
    /// The same in blocks of 16 on end, 16 at most, each as if called for by itself; the last may be shorter. `ends`
    /// receives the value behind each block; null: nothing.
    void advanceBlocks(const EnvelopeShape& shape, double secondsPerSample, int frames, float* out, float* ends);

private:
    enum class Stage { idle, running, released };
    /// From one corner to the next.
    struct Segment {
        double begin, end;         ///< seconds since the stage began
        double from, way;          ///< begins at `from` and goes by `way`
        const SegmentCurve* curve; ///< null: stands
    };
    Segment segmentAt(const EnvelopeShape& shape, double seconds) const;
    double valueAt(const EnvelopeShape& shape, double seconds) const;
    /// The samples on the way to `last`.
    void write(const EnvelopeShape& shape, double secondsPerSample, int frames, double last, float* out) const;

    /// The value at the end of the next block of a segment, of which sixteen are computed at a time.
    double nextBlock(const Segment& segment, double perBlock);

    /// Values at the ends of the blocks that come next, as long as nothing of the segment changes.
    struct Ahead {
        std::array<double, 16> values{};
        Segment segment{0.0, 0.0, 0.0, 0.0, nullptr};
        double bend = 0.0;     ///< of the curve, which may change where it stands
        double seconds = -1.0; ///< since the stage began, where the last used value stands
        std::size_t used = 16; ///< all of them: to be computed
    };

    Stage stage_ = Stage::idle;
    double seconds_ = 0.0; ///< since the stage began
    double from_ = 0.0;    ///< value the stage began with
    double value_ = 0.0;   ///< value now
    Ahead ahead_;
};

} // namespace facet
