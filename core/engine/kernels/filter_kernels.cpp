#include "core/engine/kernels/filter_kernels.h"

#include "core/base/units.h"
#include "core/dsp/low_pass.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/engine/kernels/filter_kernels.cpp"
#include <hwy/foreach_target.h>

#include "core/engine/kernels/lanes-inl.h"

HWY_BEFORE_NAMESPACE();
namespace facet::kernels::HWY_NAMESPACE {

/// tan(π hz / rate) of cutoffs in log2 Hz, held where a filter can work.
HWY_INLINE Group tangentOf(const Group& cutoffLog2, float rateHz) {
    const Group hz = clamp(exp2Of(clamp(cutoffLog2, 2.0f, 16.0f)), 5.0f, 0.47f * rateHz);
    const Group angle = hz * splat(std::numbers::pi_v<float> / rateHz);
    return sineOf(angle) / cosineOf(angle);
}

/// One filter of all lanes, loaded from its states for a block.
class LaneFilter {
public:
    HWY_INLINE LaneFilter(const FilterStructure& structure, FilterState* const* states, const FilterTargets* to,
                          int count, float rateHz, int frames)
        : structure_(structure), states_(states), count_(count), rateHz_(rateHz) {
        alignas(64) float gFrom[laneCount] = {}, value[laneCount] = {}, from[laneCount] = {}; // idle lanes stay at zero
        const Group perFrame = splat(1.0f / static_cast<float>(frames));
        for (int lane = 0; lane < count; ++lane) value[lane] = to[lane].cutoffLog2;
        cutoffTo_ = load(value);
        gTo_ = tangentOf(cutoffTo_, rateHz);
        alignas(64) float gTo[laneCount];
        store(gTo_, gTo);
        for (int lane = 0; lane < count; ++lane) {
            const FilterState& state = *states[lane];
            gFrom[lane] = state.g >= 0.0f ? state.g : gTo[lane];
            from[lane] = state.g >= 0.0f ? state.left.cutoffLog2 : to[lane].cutoffLog2;
        }
        g_.from(load(gFrom), gTo_, perFrame);
        cutoff_.from(load(from), cutoffTo_, perFrame);
        const auto ramp = [&](float FilterTargets::*field, GroupRamp& into) {
            for (int lane = 0; lane < count; ++lane) {
                const FilterState& state = *states[lane];
                value[lane] = to[lane].*field;
                from[lane] = state.g >= 0.0f ? state.left.*field : to[lane].*field;
            }
            into.from(load(from), load(value), perFrame);
        };
        ramp(&FilterTargets::damping1, damping1_);
        ramp(&FilterTargets::damping2, damping2_);
        ramp(&FilterTargets::feedback, feedback_);
        ramp(&FilterTargets::drive, drive_);
        ramp(&FilterTargets::mix, mix_);
        for (int m = 0; m < 4; ++m) {
            for (int lane = 0; lane < count; ++lane) value[lane] = states[lane]->memory[static_cast<std::size_t>(m)];
            memory_[m] = load(value);
        }
        one_.low = memory_[1];
        one_.band = memory_[0];
        two_.low = memory_[3];
        two_.band = memory_[2];
        if (structure.kind == FilterKind::allPass)
            for (int k = 0; k < structure.stages; ++k) {
                for (int lane = 0; lane < count; ++lane) value[lane] = states[lane]->line[static_cast<std::size_t>(k)];
                stage_[k] = load(value);
            }
    }

    /// `octaves`: added to the cutoff of this sample; null: none.
    template <FilterKind kind> HWY_INLINE Group tickOf(const Group& in, const Group* octaves) {
        // The cutoff as it is at this very sample.
        if (octaves) g_.now = tangentOf(cutoff_.now + *octaves, rateHz_);
        Group out = through<kind>(in);
        if (structure_.mixed) out = mulAdd(out - in, mix_.now, in);
        g_.advance();
        cutoff_.advance();
        damping1_.advance();
        damping2_.advance();
        feedback_.advance();
        drive_.advance();
        mix_.advance();
        return out;
    }
    HWY_INLINE Group tick(const Group& in, const Group* octaves) {
        switch (structure_.kind) {
        case FilterKind::lowPass: return tickOf<FilterKind::lowPass>(in, octaves);
        case FilterKind::highPass: return tickOf<FilterKind::highPass>(in, octaves);
        case FilterKind::bandPass: return tickOf<FilterKind::bandPass>(in, octaves);
        case FilterKind::notch: return tickOf<FilterKind::notch>(in, octaves);
        case FilterKind::ladder: return tickOf<FilterKind::ladder>(in, octaves);
        case FilterKind::comb: return tickOf<FilterKind::comb>(in, octaves);
        case FilterKind::allPass: return tickOf<FilterKind::allPass>(in, octaves);
        }
        return in;
    }

    HWY_INLINE void save(const FilterTargets* to) {
        alignas(64) float value[laneCount];
        if (isSections()) {
            memory_[1] = one_.low;
            memory_[0] = one_.band;
            memory_[3] = two_.low;
            memory_[2] = two_.band;
        }
        for (int m = 0; m < 4; ++m) {
            store(memory_[m], value);
            for (int lane = 0; lane < count_; ++lane) states_[lane]->memory[static_cast<std::size_t>(m)] = value[lane];
        }
        store(gTo_, value);
        for (int lane = 0; lane < count_; ++lane) {
            states_[lane]->g = value[lane];
            states_[lane]->left = to[lane];
        }
        if (structure_.kind != FilterKind::allPass) return;
        for (int k = 0; k < structure_.stages; ++k) {
            store(stage_[k], value);
            for (int lane = 0; lane < count_; ++lane) states_[lane]->line[static_cast<std::size_t>(k)] = value[lane];
        }
    }

private:
    HWY_INLINE bool isSections() const { return structure_.kind <= FilterKind::notch; }

    template <FilterKind kind> HWY_INLINE Group through(const Group& in) {
        if constexpr (kind == FilterKind::lowPass) return lowPass(in);
        if constexpr (kind == FilterKind::highPass) return highPass(in);
        if constexpr (kind == FilterKind::bandPass) return bandPass(in);
        if constexpr (kind == FilterKind::notch) return notch(in);
        if constexpr (kind == FilterKind::ladder) return ladder(in);
        if constexpr (kind == FilterKind::comb) return comb(in);
        if constexpr (kind == FilterKind::allPass) return allPass(in);
    }
    HWY_INLINE Group lowPass(const Group& in) {
        Group band;
        const Group low = one_.tick(in, g_.now, damping1_.now, band);
        return structure_.fourPole ? two_.tick(low, g_.now, damping2_.now, band) : low;
    }
    HWY_INLINE Group highPass(const Group& in) {
        Group band;
        Group low = one_.tick(in, g_.now, damping1_.now, band);
        const Group high = in - damping1_.now * band - low;
        if (!structure_.fourPole) return high;
        low = two_.tick(high, g_.now, damping2_.now, band);
        return high - damping2_.now * band - low;
    }
    /// Unity at the cutoff.
    HWY_INLINE Group bandPass(const Group& in) {
        Group band;
        one_.tick(in, g_.now, damping1_.now, band);
        const Group first = damping1_.now * band;
        if (!structure_.fourPole) return first;
        two_.tick(first, g_.now, damping2_.now, band);
        return damping2_.now * band;
    }
    HWY_INLINE Group notch(const Group& in) {
        Group band;
        one_.tick(in, g_.now, damping1_.now, band);
        const Group first = in - damping1_.now * band;
        if (!structure_.fourPole) return first;
        two_.tick(first, g_.now, damping2_.now, band);
        return first - damping2_.now * band;
    }
    HWY_INLINE Group ladder(const Group& in) {
        const Group rest = reciprocal(g_.now + splat(1.0f)); // 1/(1 + g)
        const Group G = g_.now * rest;
        const Group G2 = G * G;
        // What the four memories alone would give at the output.
        const Group held = rest * mulAdd(mulAdd(mulAdd(memory_[0], G, memory_[1]), G, memory_[2]), G, memory_[3]);
        const Group driven = in * drive_.now;
        Group x = (driven - feedback_.now * held) * reciprocal(mulAdd(feedback_.now, G2 * G2, splat(1.0f)));
        x = saturated(x);
        Group second = x;
        for (int k = 0; k < 4; ++k) {
            const Group v = (x - memory_[k]) * G;
            x = v + memory_[k];
            memory_[k] = x + v;
            if (k == 1) second = x;
        }
        return (structure_.fourPole ? x : second) * reciprocal(drive_.now);
    }
    HWY_INLINE Group comb(const Group& in) {
        alignas(64) float period[laneCount], x[laneCount], feedback[laneCount], y[laneCount] = {};
        const Group f = clamp(feedback_.now, -0.998f, 0.998f);
        store(periodOf(g_.now), period);
        store(in, x);
        store(f, feedback);
        for (int lane = 0; lane < count_; ++lane) {
            FilterState& state = *states_[lane];
            const int mask = static_cast<int>(state.line.size()) - 1;
            const float samples = std::clamp(period[lane], 3.0f, static_cast<float>(mask - 3));
            const int whole = static_cast<int>(samples);
            const float t = samples - static_cast<float>(whole); // towards the older sample
            const auto tap = [&](int back) { return state.line[static_cast<std::size_t>((state.at - back) & mask)]; };
            const float a = tap(whole - 1), b = tap(whole), c = tap(whole + 1), d = tap(whole + 2);
            const float delayed = -a * t * (t - 1.0f) * (t - 2.0f) / 6.0f +
                                  b * (t + 1.0f) * (t - 1.0f) * (t - 2.0f) / 2.0f -
                                  c * (t + 1.0f) * t * (t - 2.0f) / 2.0f + d * (t + 1.0f) * t * (t - 1.0f) / 6.0f;
            y[lane] = x[lane] + feedback[lane] * delayed;
            state.line[static_cast<std::size_t>(state.at & mask)] = y[lane];
            state.at = (state.at + 1) & mask;
        }
        return load(y) * rootOf(negMulAdd(f, f, splat(1.0f)));
    }
    /// In samples, from the tangent that all kinds share.
    HWY_INLINE Group periodOf(const Group& tangent) const {
        return splat(std::numbers::pi_v<float>) / arcTangentOf(tangent);
    }
    HWY_INLINE Group allPass(const Group& in) {
        const Group one = splat(1.0f);
        const Group G = g_.now * reciprocal(g_.now + one);
        const Group through = G + G - one; // output per input of one stage at this instant
        const Group kept = (one - G) + (one - G);
        Group sum = splat(0.0f);
        Group product = one;
        for (int k = 0; k < structure_.stages; ++k) {
            sum = mulAdd(sum, through, kept * stage_[k]);
            product = product * through;
        }
        const Group f = clamp(feedback_.now, -0.98f, 0.98f);
        Group x = mulAdd(f, sum, in) * reciprocal(one - f * product);
        for (int k = 0; k < structure_.stages; ++k) {
            const Group low = mulAdd(G, x - stage_[k], stage_[k]);
            x = low + low - x;
            stage_[k] = low + low - stage_[k];
        }
        return x;
    }

    const FilterStructure& structure_;
    FilterState* const* states_;
    int count_;
    float rateHz_;
    GroupRamp g_, cutoff_, damping1_, damping2_, feedback_, drive_, mix_;
    Group gTo_, cutoffTo_;
    Group memory_[4];
    Trapezoid one_, two_;
    Group stage_[mostStages];
};

/// Rows of samples to groups of lanes, and back; always whole rows.
HWY_INLINE void toLanes(const FilterJob* const* jobs, int count, int at, float (&block)[blockFrames][laneCount]) {
    for (int lane = 0; lane < count; ++lane)
        for (int t = 0; t < blockFrames; ++t) block[t][lane] = jobs[lane]->row[at + t];
}
HWY_INLINE void fromLanes(const float (&block)[blockFrames][laneCount], const FilterJob* const* jobs, int count,
                          int at) {
    for (int lane = 0; lane < count; ++lane)
        for (int t = 0; t < blockFrames; ++t) jobs[lane]->row[at + t] = block[t][lane];
}

/// What one lane of a clean low-pass begins and ends a stretch with. Between, its cutoff moves evenly over each block,
/// and the rest over the first.
struct LowPassEnds {
    float g, damping1, damping1To, damping2, damping2To;
    float gTo[stretchBlocks];
};

HWY_INLINE Group onTheWay(float from, float to, float perFrame) {
    return mulAdd(counting(), splat((to - from) * perFrame), splat(from));
}

/// One section's coefficients for all samples of one lane.
struct LowPassCoefficients {
    alignas(64) float b2[stretchFrames], lowKept[stretchFrames], bandKept[stretchFrames];
    HWY_INLINE void set(int at, const TrapezoidStep& step) {
        store(step.b2, b2 + at);
        store(step.lowKept, lowKept + at);
        store(step.bandKept, bandKept + at);
    }
};

/// The commonest case by itself: one clean low-pass in few lanes. What does not wait for a sample before it comes
/// first, 16 samples at a time and for the whole stretch: single numbers that are read right after they were stored by
/// sixteens have to wait. Then `together` lanes run beside each other, each by single numbers. Step by step as
/// Trapezoid::tick() does; its halves, which lose nothing, are taken elsewhere: the second section's input is doubled.
template <int together, bool fourPole>
void runFewLowPass(const FilterJob* const* jobs, const LowPassEnds* ends, int frames) {
    using One = hn::CappedTag<float, 1>;
    LowPassCoefficients one[together], two[together];
    alignas(64) float toLow[together][stretchFrames], toBand[together][stretchFrames];
    alignas(64) float toLow2[together][stretchFrames], toBand2[together][stretchFrames];
    alignas(64) float out[together][stretchFrames];
    for (int k = 0; k < together; ++k) {
        const LowPassEnds& e = ends[k];
        for (int at = 0; at < frames; at += blockFrames) {
            const float perFrame = 1.0f / static_cast<float>(std::min(blockFrames, frames - at));
            const int block = at / blockFrames;
            const Group g = onTheWay(block == 0 ? e.g : e.gTo[block - 1], e.gTo[block], perFrame);
            const TrapezoidStep step(g, onTheWay(block == 0 ? e.damping1 : e.damping1To, e.damping1To, perFrame));
            one[k].set(at, step);
            const Group in = load(jobs[k]->row + at);
            store(step.b3 * in, toLow[k] + at);
            store(step.b2 * in, toBand[k] + at);
            if (!fourPole) continue;
            TrapezoidStep second(g, onTheWay(block == 0 ? e.damping2 : e.damping2To, e.damping2To, perFrame));
            two[k].set(at, second);
            store(second.b3 * splat(0.5f), toLow2[k] + at);
            store(second.b2 * splat(0.5f), toBand2[k] + at);
        }
    }
    const One d;
    using S = hn::Vec<One>;
    S band1[together], low1[together], band2[together], low2[together];
    for (int k = 0; k < together; ++k) {
        const float* memory = jobs[k]->first->memory.data();
        band1[k] = hn::LoadU(d, memory);
        low1[k] = hn::LoadU(d, memory + 1);
        band2[k] = hn::LoadU(d, memory + 2);
        low2[k] = hn::LoadU(d, memory + 3);
    }
    /// Twice what comes out.
    const auto tick = [&](const S& inLow, const S& inBand, const LowPassCoefficients& c, int t, S& band,
                          S& low) HWY_ATTR {
        const S b2 = hn::LoadU(d, c.b2 + t);
        const S lowNext = hn::MulAdd(hn::LoadU(d, c.lowKept + t), low, hn::MulAdd(b2, band, inLow));
        band = hn::MulAdd(hn::LoadU(d, c.bandKept + t), band, hn::NegMulAdd(b2, low, inBand));
        const S twice = hn::Add(low, lowNext);
        low = lowNext;
        return twice;
    };
    for (int t = 0; t < frames; ++t)
        for (int k = 0; k < together; ++k) {
            S x = tick(hn::LoadU(d, toLow[k] + t), hn::LoadU(d, toBand[k] + t), one[k], t, band1[k], low1[k]);
            if (fourPole) {
                x = tick(hn::Mul(hn::LoadU(d, toLow2[k] + t), x), hn::Mul(hn::LoadU(d, toBand2[k] + t), x), two[k], t,
                         band2[k], low2[k]);
            }
            hn::StoreU(x, d, out[k] + t);
        }
    for (int k = 0; k < together; ++k) {
        for (int at = 0; at < frames; at += blockFrames) store(load(out[k] + at) * splat(0.5f), jobs[k]->row + at);
        float* memory = jobs[k]->first->memory.data();
        hn::StoreU(band1[k], d, memory);
        hn::StoreU(low1[k], d, memory + 1);
        hn::StoreU(band2[k], d, memory + 2);
        hn::StoreU(low2[k], d, memory + 3);
    }
}

/// And in many: as many samples of other lanes beside each other.
template <bool fourPole>
void runManyLowPass(const FilterJob* const* jobs, const LowPassEnds* ends, int count, int frames) {
    alignas(64) float memory[4][laneCount] = {};
    alignas(64) float from[3][laneCount] = {}, step[3][laneCount] = {};
    alignas(64) float block[blockFrames][laneCount] = {};
    for (int lane = 0; lane < count; ++lane)
        for (int m = 0; m < 4; ++m) memory[m][lane] = jobs[lane]->first->memory[static_cast<std::size_t>(m)];
    Trapezoid one, two;
    one.band = load(memory[0]);
    one.low = load(memory[1]);
    two.band = load(memory[2]);
    two.low = load(memory[3]);
    for (int at = 0; at < frames; at += blockFrames) {
        const int length = std::min(blockFrames, frames - at);
        const float perFrame = 1.0f / static_cast<float>(length);
        const int now = at / blockFrames;
        for (int lane = 0; lane < count; ++lane) {
            const LowPassEnds& e = ends[lane];
            const auto move = [&](int place, float begin, float end) {
                from[place][lane] = begin;
                step[place][lane] = (end - begin) * perFrame;
            };
            move(0, now == 0 ? e.g : e.gTo[now - 1], e.gTo[now]);
            move(1, now == 0 ? e.damping1 : e.damping1To, e.damping1To);
            move(2, now == 0 ? e.damping2 : e.damping2To, e.damping2To);
        }
        toLanes(jobs, count, at, block);
        const Group g0 = load(from[0]), gStep = load(step[0]);
        const Group d1 = load(from[1]), d1Step = load(step[1]);
        const Group d2 = load(from[2]), d2Step = load(step[2]);
        Group band;
        for (int t = 0; t < length; ++t) {
            const Group time = splat(static_cast<float>(t));
            const Group g = mulAdd(time, gStep, g0);
            Group x = one.tick(load(block[t]), g, mulAdd(time, d1Step, d1), band);
            if (fourPole) x = two.tick(x, g, mulAdd(time, d2Step, d2), band);
            store(x, block[t]);
        }
        fromLanes(block, jobs, count, at);
    }
    store(one.band, memory[0]);
    store(one.low, memory[1]);
    store(two.band, memory[2]);
    store(two.low, memory[3]);
    for (int lane = 0; lane < count; ++lane)
        for (int m = 0; m < 4; ++m) jobs[lane]->first->memory[static_cast<std::size_t>(m)] = memory[m][lane];
}

template <bool fourPole> void runLowPass(const FilterJob* const* jobs, const LowPassEnds* ends, int count, int frames) {
    // From here on the many gain more than their moving to and fro costs.
    constexpr int few = 5;
    if (count > few) {
        runManyLowPass<fourPole>(jobs, ends, count, frames);
        return;
    }
    int k = 0;
    for (; k + 1 < count; k += 2) runFewLowPass<2, fourPole>(jobs + k, ends + k, frames);
    if (k < count) runFewLowPass<1, fourPole>(jobs + k, ends + k, frames);
}

void runOneLowPass(const FilterJob* const* jobs, int count, bool fourPole, float rateHz, int frames) {
    const int blocks = (frames + blockFrames - 1) / blockFrames;
    // The tangents of all lanes and blocks, 16 at a time.
    alignas(64) float tangents[stretchBlocks * laneCount];
    for (int lane = 0; lane < count; ++lane)
        for (int block = 0; block < blocks; ++block) tangents[lane * blocks + block] = jobs[lane]->firstCutoffs[block];
    for (int i = count * blocks; i % laneCount != 0; ++i) tangents[i] = 0.0f;
    for (int i = 0; i < count * blocks; i += laneCount) store(tangentOf(load(tangents + i), rateHz), tangents + i);
    LowPassEnds ends[laneCount];
    for (int lane = 0; lane < count; ++lane) {
        const FilterTargets& to = jobs[lane]->firstTo;
        FilterState& state = *jobs[lane]->first;
        const bool begun = state.g >= 0.0f;
        const float* g = tangents + lane * blocks;
        LowPassEnds& e = ends[lane];
        e.g = begun ? state.g : g[0];
        e.damping1 = begun ? state.left.damping1 : to.damping1;
        e.damping2 = begun ? state.left.damping2 : to.damping2;
        e.damping1To = to.damping1;
        e.damping2To = to.damping2;
        for (int block = 0; block < blocks; ++block) e.gTo[block] = g[block];
        state.g = g[blocks - 1];
        state.left = to;
        state.left.cutoffLog2 = jobs[lane]->firstCutoffs[blocks - 1];
    }
    if (fourPole)
        runLowPass<true>(jobs, ends, count, frames);
    else
        runLowPass<false>(jobs, ends, count, frames);
}

/// One filter by itself over one block, which begins `at` samples into the rows.
template <FilterKind kind>
void runAlone(const FilterJob* const* jobs, int count, const FilterStructure& structure, bool moved, float rateHz,
              int at, int frames) {
    FilterState* states[laneCount] = {};
    FilterTargets to[laneCount];
    alignas(64) float in[blockFrames][laneCount] = {};
    alignas(64) float octaves[blockFrames][laneCount] = {};
    for (int lane = 0; lane < count; ++lane) {
        const FilterJob& job = *jobs[lane];
        states[lane] = job.first;
        to[lane] = job.firstTo;
        to[lane].cutoffLog2 = job.firstCutoffs[at / blockFrames];
        for (int t = 0; t < frames; ++t) in[t][lane] = job.row[at + t];
        if (!job.firstOctaves) continue;
        for (int t = 0; t < frames; ++t) octaves[t][lane] = job.firstOctaves[at + t];
    }
    LaneFilter filter(structure, states, to, count, rateHz, frames);
    for (int t = 0; t < frames; ++t) {
        const Group by = load(octaves[t]);
        store(filter.tickOf<kind>(load(in[t]), moved ? &by : nullptr), in[t]);
    }
    filter.save(to);
    for (int lane = 0; lane < count; ++lane)
        for (int t = 0; t < frames; ++t) jobs[lane]->row[at + t] = in[t][lane];
}

/// One block, which begins `at` samples into the rows.
void runPair(const FilterJob* const* jobs, int count, const FilterPair& pair, float rateHz, int at, int frames) {
    FilterState* first[laneCount] = {};
    FilterState* second[laneCount] = {};
    FilterTargets firstTo[laneCount];
    FilterTargets secondTo[laneCount];
    alignas(64) float in[blockFrames][laneCount] = {}, in2[blockFrames][laneCount] = {};
    alignas(64) float octaves1[blockFrames][laneCount] = {}, octaves2[blockFrames][laneCount] = {};
    alignas(64) float fed[laneCount] = {}, last[laneCount] = {};
    bool moved1 = false;
    bool moved2 = false;
    for (int lane = 0; lane < count; ++lane) {
        const FilterJob& job = *jobs[lane];
        first[lane] = job.first;
        second[lane] = job.second ? job.second : job.first;
        firstTo[lane] = job.firstTo;
        secondTo[lane] = job.secondTo;
        firstTo[lane].cutoffLog2 = job.firstCutoffs[at / blockFrames];
        if (job.secondCutoffs) secondTo[lane].cutoffLog2 = job.secondCutoffs[at / blockFrames];
        fed[lane] = job.feedback;
        last[lane] = job.fedBack ? *job.fedBack : 0.0f;
        moved1 = moved1 || job.firstOctaves;
        moved2 = moved2 || job.secondOctaves;
        for (int t = 0; t < frames; ++t) {
            in[t][lane] = job.row[at + t];
            if (job.secondRow) in2[t][lane] = job.secondRow[at + t];
            if (job.firstOctaves) octaves1[t][lane] = job.firstOctaves[at + t];
            if (job.secondOctaves) octaves2[t][lane] = job.secondOctaves[at + t];
        }
    }
    LaneFilter one(pair.first, first, firstTo, count, rateHz, frames);
    LaneFilter two(pair.second, second, secondTo, count, rateHz, frames);
    Group back = load(last);
    const Group amount = load(fed);
    for (int t = 0; t < frames; ++t) {
        Group x = load(in[t]);
        const Group x2 = load(in2[t]);
        if (pair.fedBack) x = mulAdd(amount, saturated(back), x);
        const Group o1 = load(octaves1[t]);
        const Group o2 = load(octaves2[t]);
        Group y = pair.first.on ? one.tick(x, moved1 ? &o1 : nullptr) : x;
        Group z = pair.parallel ? x2 : y + x2;
        if (pair.second.on) z = two.tick(z, moved2 ? &o2 : nullptr);
        y = pair.parallel ? y + z : z;
        back = y;
        store(y, in[t]);
    }
    if (pair.first.on) one.save(firstTo);
    if (pair.second.on) two.save(secondTo);
    store(back, last);
    for (int lane = 0; lane < count; ++lane) {
        if (jobs[lane]->fedBack) *jobs[lane]->fedBack = last[lane];
        for (int t = 0; t < frames; ++t) jobs[lane]->row[at + t] = in[t][lane];
    }
}

using Alone = void (*)(const FilterJob* const*, int, const FilterStructure&, bool, float, int, int);
/// Null for kinds that are too rare to be compiled by themselves.
Alone aloneOf(FilterKind kind) {
    switch (kind) {
    case FilterKind::lowPass: return runAlone<FilterKind::lowPass>;
    case FilterKind::highPass: return runAlone<FilterKind::highPass>;
    case FilterKind::bandPass: return runAlone<FilterKind::bandPass>;
    case FilterKind::ladder: return runAlone<FilterKind::ladder>;
    case FilterKind::allPass: return runAlone<FilterKind::allPass>;
    case FilterKind::notch:
    case FilterKind::comb: break;
    }
    return nullptr;
}

void runFilters(const FilterJob* const* jobs, int count, const FilterPair& pair, float rateHz, int frames) {
    bool alone = pair.first.on && !pair.second.on && !pair.fedBack;
    bool moved = false;
    for (int i = 0; i < count; ++i) {
        alone = alone && !jobs[i]->secondRow;
        moved = moved || jobs[i]->firstOctaves;
    }
    const bool plain = alone && !moved && pair.first.kind == FilterKind::lowPass && !pair.first.mixed;
    const Alone run = alone ? aloneOf(pair.first.kind) : nullptr;
    for (int done = 0; done < count; done += laneCount) {
        const FilterJob* const* from = jobs + done;
        const int now = std::min(count - done, laneCount);
        if (plain) {
            runOneLowPass(from, now, pair.first.fourPole, rateHz, frames);
            continue;
        }
        for (int at = 0; at < frames; at += blockFrames) {
            const int length = std::min(blockFrames, frames - at);
            if (run)
                run(from, now, pair.first, moved, rateHz, at, length);
            else
                runPair(from, now, pair, rateHz, at, length);
        }
    }
}

} // namespace facet::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace facet::kernels {

HWY_EXPORT(runFilters);

void runFilters(std::span<const FilterJob* const> jobs, const FilterPair& pair, float rateHz, int frames) {
    HWY_DYNAMIC_DISPATCH(runFilters)(jobs.data(), static_cast<int>(jobs.size()), pair, rateHz, frames);
}

FilterTargets filterTargets(const FilterStructure& structure, double cutoffHz, double resonanceDb, double driveDb,
                            double feedback) {
    const SectionQ q = sectionQ(structure.fourPole ? 4 : 2, resonanceDb);
    FilterTargets targets;
    targets.cutoffLog2 = static_cast<float>(std::log2(cutoffHz));
    targets.damping1 = static_cast<float>(1.0 / q.first);
    targets.damping2 = static_cast<float>(1.0 / q.second);
    targets.drive = static_cast<float>(gainFromDb(driveDb));
    targets.feedback = static_cast<float>(feedback);
    if (structure.kind == FilterKind::ladder) { // the last of the range goes beyond the edge
        const double r = gainFromDb(resonanceDb);
        targets.feedback = static_cast<float>(std::clamp(1.05 * (4.0 * r - 1.0) / (1.0 + r), 0.0, 4.15));
    }
    return targets;
}

void FilterState::prepare(const FilterStructure& structure, double rateHz) {
    if (structure.kind == FilterKind::allPass) line.assign(mostStages, 0.0f);
    // A period of 10 Hz, and the neighbors of the interpolation.
    if (structure.kind == FilterKind::comb)
        line.assign(std::bit_ceil(static_cast<std::size_t>(rateHz / 10.0 + 8.0)), 0.0f);
}

void FilterState::clear() {
    memory = {};
    g = -1.0f;
    left = {};
    std::fill(line.begin(), line.end(), 0.0f);
    at = 0;
}

} // namespace facet::kernels
#endif
