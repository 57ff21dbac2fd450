#include "core/prior/sound_frames.h"

#include "core/dsp/fft.h"
#include "core/dsp/mel.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr int frameSize = 2048;
constexpr int hopFrames = static_cast<int>(summaryHop * analysisRateHz);
constexpr float quietDb = -80.0f;
constexpr double togetherSeconds = 0.03; ///< notes that begin within it are one moment

std::vector<SoundMoment> momentsOf(const Performance& performance) {
    std::vector<SoundMoment> moments;
    for (const Note& note : performance.notes) {
        const double key = note.key + 0.01 * (note.cents + performance.tuningCents);
        if (!moments.empty() && note.start - moments.back().start < togetherSeconds) {
            SoundMoment& same = moments.back();
            same.end = std::max(same.end, note.end);
            same.key = std::min(same.key, key);
            same.velocity = std::max(same.velocity, note.velocity);
            ++same.notes;
            continue;
        }
        const bool tied = !moments.empty() && note.start < moments.back().end - 1e-3;
        moments.push_back({note.start, note.end, 0.0, key, note.velocity, 1, tied});
    }
    for (std::size_t i = 0; i < moments.size(); ++i)
        moments[i].next = i + 1 < moments.size() ? moments[i + 1].start : performance.seconds();
    return moments;
}

float decibels(float power, float whole) {
    return std::max(quietDb, 10.0f * std::log10(std::max(power, 1e-12f * whole) / whole));
}

/// The frequency of what is strongest near a partial, by how far its phase goes between two frames.
class PitchReader {
public:
    PitchReader() : last_(frameSize / 2 + 1) {}

    void read(std::span<const std::complex<float>> bins, const SoundMoment* moment, SoundFrame& frame) {
        const double binHz = static_cast<double>(analysisRateHz) / frameSize;
        if (moment && moment == before_) {
            const double f0 = 440.0 * std::exp2((moment->key - 69.0) / 12.0);
            float best = 0.0f;
            int bin = 0, partial = 1;
            for (int k = 1; k <= 6 && k * f0 < 5000.0; ++k) {
                const int b = static_cast<int>(std::lround(k * f0 / binHz));
                if (const float power = std::norm(bins[static_cast<std::size_t>(b)]); b > 1 && power > best) {
                    best = power;
                    bin = b;
                    partial = k;
                }
            }
            if (best > 0.0f) {
                const auto at = static_cast<std::size_t>(bin);
                const double expected = 2.0 * std::numbers::pi * partial * f0 * summaryHop;
                const double gone = std::arg(bins[at] * std::conj(last_[at])) - expected;
                const double off = gone - 2.0 * std::numbers::pi * std::round(gone / (2.0 * std::numbers::pi));
                const double hz = partial * f0 + off / (2.0 * std::numbers::pi * summaryHop);
                frame.cents = static_cast<float>(
                    std::clamp(1200.0 * std::log2(std::max(1.0, hz) / (partial * f0)), -200.0, 200.0));
                frame.pitched = true;
            }
        }
        before_ = moment;
        std::copy(bins.begin(), bins.end(), last_.begin());
    }

private:
    std::vector<std::complex<float>> last_;
    const SoundMoment* before_ = nullptr;
};

} // namespace

const SoundFrame& SoundFrames::at(double seconds) const {
    const auto last = static_cast<double>(frames.size()) - 1.0;
    return frames[static_cast<std::size_t>(std::clamp(std::round(seconds / summaryHop), 0.0, last))];
}

SoundFrames soundFrames(const Recording& sound48k, const Performance& performance) {
    SoundFrames made;
    made.moments = momentsOf(performance);
    const std::vector<float>& left = sound48k.channels.front();
    const std::vector<float>& right = sound48k.channels.back();
    const bool stereo = sound48k.channelCount() > 1;
    const int count = sound48k.frameCount() / hopFrames + 1;
    made.frames.resize(static_cast<std::size_t>(count));
    made.mid = monoMix(sound48k);

    static const MelBank bank(summaryBands, 40.0, 16000.0, frameSize, analysisRateHz);
    const std::vector<float>& window = hannWindow(frameSize);
    RealFft fft(frameSize);
    const auto bins = static_cast<std::size_t>(fft.binCount());
    std::vector<std::complex<float>> leftBins(bins), midBins(bins);
    std::vector<float> mid(bins), side(bins), balance(bins);
    std::vector<std::array<float, summaryBands>> mids(made.frames.size()), sides(made.frames.size()),
        lefts(made.frames.size());
    std::vector<float> whole(made.frames.size());
    PitchReader pitch;
    for (int i = 0; i < count; ++i) {
        const auto at = static_cast<std::size_t>(i);
        const int begin = i * hopFrames - frameSize / 2;
        windowedFrame(left, begin, window, fft.time());
        fft.forward();
        std::copy(fft.bins().begin(), fft.bins().end(), leftBins.begin());
        if (stereo) {
            windowedFrame(right, begin, window, fft.time());
            fft.forward();
        }
        const std::span<const std::complex<float>> rightBins = fft.bins();
        float power = 0.0f;
        for (std::size_t b = 0; b < bins; ++b) {
            const std::complex<float> l = leftBins[b], r = rightBins[b];
            const float leftPower = l.real() * l.real() + l.imag() * l.imag();
            const float rightPower = r.real() * r.real() + r.imag() * r.imag();
            const float half = 0.25f * (leftPower + rightPower),
                        common = 0.5f * (l.real() * r.real() + l.imag() * r.imag());
            midBins[b] = 0.5f * (l + r);
            mid[b] = half + common;
            side[b] = half - common;
            balance[b] = leftPower;
            power += 2.0f * half;
        }
        whole[at] = power;
        bank.apply(mid, mids[at]);
        bank.apply(side, sides[at]);
        bank.apply(balance, lefts[at]);
        float sum = 0.0f, weighted = 0.0f;
        for (std::size_t b = 2; b < bins; ++b) {
            sum += mid[b];
            weighted += mid[b] * static_cast<float>(b);
        }
        SoundFrame& frame = made.frames[at];
        if (sum > 0.0f)
            frame.centroid = static_cast<float>(std::log2(weighted / sum * (analysisRateHz / 1000.0 / frameSize)));
        const double seconds = i * summaryHop;
        const SoundMoment* alone = nullptr;
        for (const SoundMoment& moment : made.moments) {
            if (seconds < moment.start || seconds >= moment.end) continue;
            frame.sounds = true;
            if (seconds < moment.next) alone = moment.notes == 1 ? &moment : nullptr;
        }
        pitch.read(midBins, alone, frame);
    }
    const float loudest = std::max(1e-12f, *std::max_element(whole.begin(), whole.end()));
    for (std::size_t i = 0; i < made.frames.size(); ++i) {
        SoundFrame& frame = made.frames[i];
        frame.level = decibels(whole[i], loudest);
        for (int group = 0; group < summaryGroups; ++group) {
            float m = 0.0f, s = 0.0f, l = 0.0f;
            for (int b = 4 * group; b < 4 * group + 4; ++b) {
                const auto band = static_cast<std::size_t>(b);
                frame.mid[band] = decibels(mids[i][band], loudest);
                m += mids[i][band];
                s += sides[i][band];
                l += lefts[i][band];
            }
            const float least = 1e-9f * loudest, r = std::max(0.0f, 2.0f * (m + s) - l);
            const auto g = static_cast<std::size_t>(group);
            frame.side[g] = std::clamp(10.0f * std::log10((s + 1e-4f * m + least) / (m + least)), -40.0f, 20.0f);
            frame.balance[g] = std::clamp(10.0f * std::log10((l + least) / (r + least)), -20.0f, 20.0f);
        }
    }
    return made;
}

} // namespace facet
