#include "core/recipe/sampled_notes.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr int rate = analysisRateHz;

void requireSensible(const SampledRange& range) {
    if (range.lowKey < 0 || range.highKey > 127 || range.lowKey > range.highKey)
        throw Error("The keys must lie between 0 and 127, the lower first.");
    if (range.everyKeys < 1 || range.everyKeys > 24) throw Error("Record a key every 1 to 24 semitones.");
    if (range.holdSeconds < 0.2 || range.holdSeconds > 30.0) throw Error("Hold keys for 0.2 to 30 seconds.");
    for (std::size_t i = 0; i < range.velocities.size(); ++i)
        if (range.velocities[i] < 1.0 || range.velocities[i] > 127.0 ||
            (i > 0 && range.velocities[i] <= range.velocities[i - 1]))
            throw Error("Velocities must increase and lie between 1 and 127.");
}

Recording played(const Patch& patch, int key, double velocity, double hold, const Task& task) {
    constexpr double longestTail = 20.0; // seconds
    Performance one;
    one.rateHz = rate;
    one.channelCount = 2;
    one.notes = {{0.0, hold, key, 0.0, velocity}};
    one.frames = static_cast<int>(std::lround(rate * hold));
    return renderToSilence(patch, one, longestTail, task);
}

/// RMS over both channels of frames [begin, end), in dB re full scale.
double levelDb(const Recording& sound, int begin, int end) {
    double power = 1e-20;
    begin = std::clamp(begin, 0, sound.frameCount());
    end = std::clamp(end, begin, sound.frameCount());
    for (const auto& channel : sound.channels)
        for (int i = begin; i < end; ++i)
            power += static_cast<double>(channel[static_cast<std::size_t>(i)]) * channel[static_cast<std::size_t>(i)];
    return 10.0 * std::log10(power / std::max(1, (end - begin) * sound.channelCount()));
}

/// How like each other two stretches of a sound are, −1 … 1.
double correlation(const Recording& sound, int a, int b, int length, int step) {
    double ab = 0.0, aa = 1e-20, bb = 1e-20;
    for (const auto& channel : sound.channels)
        for (int i = 0; i < length; i += step) {
            const double x = channel[static_cast<std::size_t>(a + i)], y = channel[static_cast<std::size_t>(b + i)];
            ab += x * y;
            aa += x * x;
            bb += y * y;
        }
    return ab / std::sqrt(aa * bb);
}

/// Seconds in which a sound falls by 60 dB once its key is let go, from how long it takes for 20.
double releaseOf(const Recording& sound, int letGo) {
    constexpr double fall = 20.0; // dB
    constexpr int window = rate / 200;
    const double before = levelDb(sound, letGo - 4 * window, letGo);
    for (int begin = letGo; begin < sound.frameCount(); begin += window)
        if (levelDb(sound, begin, begin + window) < before - fall)
            return 60.0 / fall * std::max(1, (begin - letGo) / window) * window / rate;
    return 60.0 / fall * std::max(window, sound.frameCount() - letGo) / rate;
}

/// The loop that ends where the key is let go; nothing where the sound does not stand.
std::optional<SampleLoop> loopIn(const Recording& sound, int letGo) {
    constexpr double stands = 6.0, audible = -40.0; // dB
    constexpr int window = rate / 25, shortest = rate / 8, coarse = 4;
    const int longest = std::min(letGo / 2, 2 * rate);
    if (longest <= shortest + window || letGo > sound.frameCount()) return std::nullopt;
    const double early = levelDb(sound, letGo - longest - window, letGo - longest + window),
                 late = levelDb(sound, letGo - 2 * window, letGo);
    double loudest = -200.0;
    for (int begin = 0; begin + window <= letGo; begin += window)
        loudest = std::max(loudest, levelDb(sound, begin, begin + window));
    if (late < loudest + audible || std::abs(late - early) > stands) return std::nullopt;
    const int end = letGo - window; // what is compared begins there
    double best = -1.0;
    int lag = 0;
    for (int each = shortest; each <= longest - window; each += coarse) {
        // Longer loops repeat less audibly: a lag twice as long may be a little less alike.
        const double like =
            correlation(sound, end, end - each, window, coarse) + 0.004 * std::log2(static_cast<double>(each) / rate);
        if (like <= best) continue;
        best = like;
        lag = each;
    }
    const int around = lag;
    best = -1.0;
    for (int each = around - coarse; each <= around + coarse; ++each)
        if (const double like = correlation(sound, end, end - each, window, 1); like > best) {
            best = like;
            lag = each;
        }
    constexpr double leastAlike = 0.3;
    if (best < leastAlike) return std::nullopt;
    return SampleLoop{letGo - lag, letGo};
}

/// Blends the end of a loop into what comes before its beginning, so that there is no seam.
void fadeLoop(Recording& sound, const SampleLoop& loop) {
    const int length = loop.end - loop.begin;
    const int before = std::min({length / 2, loop.begin, rate / 20});
    const double like = correlation(sound, loop.end - before, loop.begin - before, before, 1);
    const auto weights = [&](double at) { // of what ends and what comes; equal power as far as they are unlike
        const double linear = at, angle = 0.5 * std::numbers::pi * at;
        const double share = std::clamp(like, 0.0, 1.0);
        return std::pair{share * (1.0 - linear) + (1.0 - share) * std::cos(angle),
                         share * linear + (1.0 - share) * std::sin(angle)};
    };
    for (auto& channel : sound.channels) {
        const std::vector<float> original(channel);
        const auto at = [&](int i) { return static_cast<double>(original[static_cast<std::size_t>(i)]); };
        for (int i = 0; i < before; ++i) {
            const auto [ends, comes] = weights((i + 1.0) / before);
            channel[static_cast<std::size_t>(loop.end - before + i)] =
                static_cast<float>(ends * at(loop.end - before + i) + comes * at(loop.begin - before + i));
        }
    }
}

} // namespace

bool followsVelocity(const Patch& patch) {
    for (const auto& module : patch.modules()) {
        if (module.kind == ModuleKind::link && takesPart(patch, module) &&
            (module.contents().from == "velocity" || module.contents().by == "velocity"))
            return true;
        const Address velocity{module.path, "velocity"};
        if (takesPart(patch, module) && patch.has(velocity) && patch.value(velocity) != 0.0) return true;
    }
    return false;
}

std::vector<int> recordedKeys(const SampledRange& range) {
    std::vector<int> keys;
    for (int key = range.lowKey; key <= range.highKey; key += range.everyKeys) keys.push_back(key);
    if (!keys.empty() && keys.back() + range.everyKeys / 2 < range.highKey) keys.push_back(range.highKey);
    return keys;
}

std::vector<SampledNote> sampledNotes(const Patch& patch, const SampledRange& range, int threads, const Task& task) {
    requireSensible(range);
    std::vector<double> velocities = range.velocities;
    if (velocities.empty())
        velocities = followsVelocity(patch) ? std::vector<double>{45.0, 90.0, 127.0} : std::vector<double>{127.0};
    const std::vector<int> keys = recordedKeys(range);
    std::vector<SampledNote> notes;
    for (std::size_t k = 0; k < keys.size(); ++k)
        for (std::size_t v = 0; v < velocities.size(); ++v) {
            SampledNote note;
            note.key = keys[k];
            note.lowKey = k == 0 ? range.lowKey : (keys[k - 1] + keys[k]) / 2 + 1;
            note.highKey = k + 1 == keys.size() ? range.highKey : (keys[k] + keys[k + 1]) / 2;
            note.velocity = static_cast<int>(std::lround(velocities[v]));
            note.lowVelocity = v == 0 ? 1 : static_cast<int>(std::lround(velocities[v - 1])) + 1;
            note.highVelocity = v + 1 == velocities.size() ? 127 : note.velocity;
            notes.push_back(std::move(note));
        }
    std::atomic<int> done{0};
    parallelFor(static_cast<int>(notes.size()), threads, [&](int i) {
        SampledNote& note = notes[static_cast<std::size_t>(i)];
        const int letGo = static_cast<int>(std::lround(rate * range.holdSeconds));
        note.sound = played(patch, note.key, note.velocity, range.holdSeconds, task);
        note.releaseSeconds = releaseOf(note.sound, letGo);
        if (range.loops) note.loop = loopIn(note.sound, letGo);
        if (note.loop) {
            fadeLoop(note.sound, *note.loop);
        } else if (levelDb(note.sound, 0, letGo) > -200.0) {
            note.releaseSeconds = std::max(0.01, note.releaseSeconds);
            // What does not stand rings out by itself: held as long as that takes.
            constexpr double longest = 20.0, silentDb = -70.0;
            for (double hold = 2.0 * range.holdSeconds;
                 hold <= longest && levelDb(note.sound, note.sound.frameCount() / 2, note.sound.frameCount()) > -200.0;
                 hold *= 2.0) {
                const int held = static_cast<int>(std::lround(rate * 0.5 * hold));
                if (levelDb(note.sound, held - rate / 20, held) < silentDb) break;
                note.sound = played(patch, note.key, note.velocity, hold, task);
            }
        }
        task.report(static_cast<double>(++done) / static_cast<double>(notes.size()), "recording notes");
    });
    float peak = 0.0f;
    for (const SampledNote& each : notes) peak = std::max(peak, peakOf(each.sound));
    if (peak < 1e-6f) throw Error("The patch is silent with these keys; choose others, or turn it up.");
    constexpr double headroom = -1.0; // dB
    const double gain = headroom - 20.0 * std::log10(static_cast<double>(peak));
    for (SampledNote& each : notes) each.sound = withGain(each.sound, gain);
    return notes;
}

} // namespace facet
