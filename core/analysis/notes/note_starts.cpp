#include "core/analysis/notes/note_starts.h"

#include "core/analysis/facets/glide.h"
#include "core/analysis/notes/plateaus.h"
#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>
#include <vector>

namespace facet {

namespace {

constexpr double onsetRiseDb = 4.0; ///< rise within onsetSeconds that makes a new note
constexpr double onsetSeconds = 0.02;

bool earlier(const NoteStart& a, const NoteStart& b) { return a.seconds < b.seconds; }

/// Where the fine level begins to rise towards an onset: within 20 dB of its top, or at the lowest
/// point before it, whichever is later.
double exactOnset(const HeardSound& sound, double around) {
    const double from = std::max(0.0, around - 1.5 * std::max(onsetSeconds, sound.smoothing));
    const double to = around + std::max(onsetSeconds, sound.smoothing);
    // From the quietest moment on, so that the note before is not taken for the top.
    int low = sound.fine.indexAt(from);
    for (int i = low; i <= sound.fine.indexAt(around) && i < static_cast<int>(sound.fine.values.size()); ++i)
        if (sound.fine.values[static_cast<std::size_t>(i)] < sound.fine.values[static_cast<std::size_t>(low)]) low = i;
    int top = low;
    for (int i = top; i <= sound.fine.indexAt(to) && i < static_cast<int>(sound.fine.values.size()); ++i)
        if (sound.fine.values[static_cast<std::size_t>(i)] > sound.fine.values[static_cast<std::size_t>(top)]) top = i;
    const float bottom = sound.lowestBetween(sound.fine, from, top * sound.fine.stepSeconds);
    const float topLevel = sound.fine.values[static_cast<std::size_t>(top)];
    const float threshold = std::max(bottom + 0.15f * (topLevel - bottom), topLevel - 22.0f);
    int i = top;
    while (i > 0 && i > sound.fine.indexAt(from) && sound.fine.values[static_cast<std::size_t>(i - 1)] > threshold) --i;
    if (from == 0.0 && sound.fine.values.front() > topLevel - 22.0f) return 0.0; // begins with the recording
    return i * sound.fine.stepSeconds;
}

/// Instants where the level rises anew: local maxima of the rise, walked back to where it begins.
std::vector<double> onsets(const HeardSound& sound) {
    const int reach = static_cast<int>(std::max(onsetSeconds, sound.smoothing) / sound.coarse.stepSeconds);
    const int count = static_cast<int>(sound.coarse.values.size());
    std::vector<float> rise(sound.coarse.values.size(), 0.0f);
    std::vector<double> gain(sound.coarse.values.size(),
                             0.0); // as amplitude: of two close rises the louder is the note's
    const auto floored = [&](int i) {
        return std::max(sound.coarse.values[static_cast<std::size_t>(std::max(0, i))],
                        static_cast<float>(sound.quietest));
    };
    for (int i = 0; i < count; ++i) {
        const float after = floored(std::min(count - 1, i + reach / 2));
        const float before = i < reach ? static_cast<float>(sound.quietest) : floored(i - reach / 2);
        rise[static_cast<std::size_t>(i)] = after - before;
        gain[static_cast<std::size_t>(i)] = gainFromDb(after) - gainFromDb(before);
    }
    std::vector<double> found;
    for (int i = 0; i < count; ++i) {
        const float here = rise[static_cast<std::size_t>(i)];
        if (here < onsetRiseDb) continue;
        const auto from = gain.begin() + std::max(0, i - 2 * reach);
        const auto to = gain.begin() + std::min(count, i + 2 * reach + 1);
        if (std::max_element(from, to) != gain.begin() + i) continue;
        const double at = exactOnset(sound, i * sound.coarse.stepSeconds);
        if (found.empty() || at - found.back() >= shortestFoundNote) found.push_back(at);
    }
    return found;
}

/// Where sound comes out of silence too slowly for a rise.
void addSlowBeginnings(const HeardSound& sound, std::vector<NoteStart>& starts) {
    constexpr double nearby = 0.1, leastSeconds = 0.15;
    double silentSince = -1.0;
    for (std::size_t i = 0; i < sound.coarse.values.size(); ++i) {
        if (!(sound.coarse.values[i] > sound.quietest)) continue;
        const double begun = static_cast<double>(i) * sound.coarse.stepSeconds, silence = begun - silentSince;
        float top = sound.coarse.values[i];
        for (; i < sound.coarse.values.size() && sound.coarse.values[i] > sound.quietest; ++i)
            top = std::max(top, sound.coarse.values[i]);
        silentSince = static_cast<double>(i) * sound.coarse.stepSeconds;
        const bool known = std::any_of(starts.begin(), starts.end(), [&](const NoteStart& start) {
            return std::abs(start.seconds - begun) < nearby;
        });
        if (!known && silence > nearby && silentSince - begun > leastSeconds && top > sound.loudest - chordRangeDb)
            starts.push_back({begun, true});
    }
    std::sort(starts.begin(), starts.end(), earlier);
}

/// Key changes without a rise in level: legato notes.
void addPitchChanges(const HeardSound& sound, std::vector<NoteStart>& starts) {
    constexpr int hold = 6; // 30 ms on either side
    const auto& hz = sound.pitch.hz.values;
    for (int i = hold; i + hold < static_cast<int>(hz.size()); ++i) {
        const auto at = static_cast<std::size_t>(i);
        const float before = medianOf({hz.begin() + i - hold, hz.begin() + i});
        const float after = medianOf({hz.begin() + i, hz.begin() + i + hold});
        if (!isMeasured(before) || !isMeasured(after) || !isMeasured(hz[at])) continue;
        if (std::abs(12.0 * std::log2(after / before)) < 0.8) continue;
        // The change itself: the step nearest to half-way.
        const double middle = std::sqrt(static_cast<double>(before) * after);
        if ((hz[at] > middle) == (hz[at - 1] > middle)) continue;
        const double seconds = i * sound.pitch.hz.stepSeconds;
        const auto near = [seconds](const NoteStart& start) { return std::abs(start.seconds - seconds) < 0.06; };
        if (std::none_of(starts.begin(), starts.end(), near)) starts.push_back({seconds, false});
    }
}

/// Slides too fast for the tracker, which hears no pitch for some frames while the level holds.
void addFastSlides(const HeardSound& sound, std::vector<NoteStart>& starts) {
    constexpr std::size_t longest = 16; // frames, 80 ms
    constexpr std::ptrdiff_t side = 6;  // 30 ms
    constexpr float holdsDb = 6.0f;
    const auto& hz = sound.pitch.hz.values;
    std::size_t heard = hz.size(); ///< last frame with a pitch
    for (std::size_t i = 0; i + side < hz.size(); ++i) {
        if (!isMeasured(hz[i])) continue;
        const std::size_t last = std::exchange(heard, i);
        if (last + 1 >= i || i - last > longest || last < side) continue;
        const double from = static_cast<double>(last) * sound.pitch.hz.stepSeconds;
        const double to = static_cast<double>(i) * sound.pitch.hz.stepSeconds;
        if (sound.lowestBetween(sound.coarse, from, to) <
            std::max(sound.coarse.at(from), sound.coarse.at(to)) - holdsDb)
            continue;
        const float before = medianOf({hz.begin() + last - side, hz.begin() + last + 1});
        const float after = medianOf({hz.begin() + i, hz.begin() + i + side});
        if (!isMeasured(before) || !isMeasured(after) || std::abs(12.0 * std::log2(after / before)) < 0.8) continue;
        const auto near = [&](const NoteStart& start) {
            return start.seconds > from - 0.06 && start.seconds < to + 0.06;
        };
        if (std::any_of(starts.begin(), starts.end(), near)) continue;
        const Glide glide =
            fitGlide(sound.mono, sound.pitch.hz, 0.5 * (from + to), before, after, from - 0.3, to + 0.3);
        if (glide.found()) starts.push_back({glide.start + 0.5 * glide.seconds, false});
    }
}

double endAfter(const HeardSound& sound, const std::vector<NoteStart>& rises, std::size_t i) {
    return i + 1 < rises.size() ? rises[i + 1].seconds : sound.seconds();
}

/// Steps of a semitone, and slides slower than the tracker: from one plateau of the pitch to another.
void addSteps(const HeardSound& sound, const std::vector<NoteStart>& rises, bool slowToo,
              std::vector<NoteStart>& starts) {
    for (std::size_t i = 0; i < rises.size(); ++i)
        for (double seconds : stepsOf(plateausBetween(sound, rises[i].seconds, endAfter(sound, rises, i)), slowToo)) {
            const auto near = [&](const NoteStart& start) { return std::abs(start.seconds - seconds) < 0.09; };
            if (std::none_of(starts.begin(), starts.end(), near)) starts.push_back({seconds, false});
        }
}

/// What swings evenly between two rises is vibrato, not other keys.
void dropSwings(const HeardSound& sound, const std::vector<NoteStart>& rises, std::vector<NoteStart>& starts) {
    constexpr std::ptrdiff_t fewest = 3;
    constexpr double edge = 0.03; // seconds
    for (std::size_t i = 0; i < rises.size(); ++i) {
        const double from = rises[i].seconds, to = endAfter(sound, rises, i);
        const auto inside = [&](const NoteStart& s) { return !s.rise && s.seconds > from && s.seconds < to; };
        const auto first = std::find_if(starts.begin(), starts.end(), inside);
        if (std::count_if(starts.begin(), starts.end(), inside) < fewest) continue;
        if (swings(sound, std::max(from, first->seconds - 0.15) + edge, to - edge)) std::erase_if(starts, inside);
    }
}

constexpr int thirdCount = 20;
using Thirds = std::array<double, thirdCount>; ///< power, from 100 Hz on

Thirds thirdsAt(RealFft& fft, const HeardSound& sound, double seconds) {
    const int size = fft.size();
    windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - size / 2, hannWindow(size), fft.time());
    fft.forward();
    Thirds thirds{};
    for (int b = 1; b < fft.binCount(); ++b) {
        const double place = 3.0 * std::log2(b * static_cast<double>(analysisRateHz) / size / 100.0) + 0.5;
        if (place < 0.0 || place >= thirdCount) continue;
        thirds[static_cast<std::size_t>(place)] += std::norm(fft.bins()[static_cast<std::size_t>(b)]);
    }
    return thirds;
}

} // namespace

double shareOfBandsRising(const HeardSound& sound, double seconds) {
    constexpr double range = 3e-4, rise = 2.0; // as ratios of power
    static thread_local RealFft fft(1024);
    Thirds before, after{};
    before.fill(1e30);
    for (double by : {-0.045, -0.03, -0.015}) {
        const Thirds now = thirdsAt(fft, sound, seconds + by);
        for (std::size_t k = 0; k < now.size(); ++k) before[k] = std::min(before[k], now[k]);
    }
    for (double by : {0.012, 0.025, 0.04, 0.06}) {
        const Thirds now = thirdsAt(fft, sound, seconds + by);
        for (std::size_t k = 0; k < now.size(); ++k) after[k] = std::max(after[k], now[k]);
    }
    const double top = *std::max_element(after.begin(), after.end());
    double heard = 0.0, rising = 0.0;
    for (std::size_t k = 0; k < after.size(); ++k) {
        if (after[k] < range * top) continue;
        ++heard;
        rising += after[k] > rise * before[k];
    }
    return heard > 0.0 ? rising / heard : 0.0;
}

std::vector<NoteStart> risesOf(const HeardSound& sound) {
    std::vector<NoteStart> starts;
    for (double seconds : onsets(sound)) starts.push_back({seconds, true});
    addSlowBeginnings(sound, starts);
    return starts;
}

std::vector<NoteStart> struckRises(const HeardSound& sound, std::vector<NoteStart> rises) {
    constexpr double most = 0.6; // of the bands; of 643 true rises 12 lie below, of 381 others 113
    constexpr float largeDb = 12.0f;
    constexpr double around = 0.04; // seconds
    std::erase_if(rises, [&](const NoteStart& start) {
        const float before = sound.lowestBetween(sound.coarse, std::max(0.0, start.seconds - around), start.seconds);
        const float after = sound.highestBetween(start.seconds, start.seconds + around);
        return after - std::max(before, static_cast<float>(sound.quietest)) < largeDb &&
               shareOfBandsRising(sound, start.seconds) < most;
    });
    return rises;
}

std::vector<NoteStart> withPitchChanges(const HeardSound& sound, std::vector<NoteStart> rises, bool slowToo) {
    std::vector<NoteStart> starts = rises;
    addPitchChanges(sound, starts);
    addFastSlides(sound, starts);
    addSteps(sound, rises, slowToo, starts);
    std::sort(starts.begin(), starts.end(), earlier);
    dropSwings(sound, rises, starts);
    return starts;
}

} // namespace facet
