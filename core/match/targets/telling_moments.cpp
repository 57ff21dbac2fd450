#include "core/match/targets/telling_moments.h"

#include "core/compare/note_loss.h"

#include <algorithm>
#include <set>

namespace facet {

namespace {

constexpr double together = 0.03;     ///< seconds within which notes begin at once
constexpr double enoughSeconds = 1.8; ///< of all moments together

/// The notes of each moment of a phrase: those that begin together or overlap, as far as a moment may last.
std::vector<std::vector<std::size_t>> allMoments(const Performance& performance) {
    const auto& notes = performance.notes;
    constexpr double longest = 2.5;
    constexpr std::size_t mostNotes = 8;
    std::vector<std::vector<std::size_t>> moments;
    for (std::size_t n = 0; n < notes.size(); ++n) {
        bool joins = false;
        if (!moments.empty()) {
            const auto& current = moments.back();
            double end = 0.0;
            for (const std::size_t k : current) end = std::max(end, notes[k].end);
            const double begin = notes[current.front()].start;
            const bool chord = notes[n].start < begin + together;
            const bool tied = notes[n].start < end - 0.005 && current.size() < 3 && notes[n].start - begin < longest;
            joins = (chord || tied) && current.size() < mostNotes;
        }
        if (joins)
            moments.back().push_back(n);
        else
            moments.push_back({n});
    }
    return moments;
}

} // namespace

std::size_t momentCount(const Performance& performance) { return allMoments(performance).size(); }

double momentLength(const Performance& performance) {
    constexpr double allTogether = 4.0 * usualMoment, longest = 4.0;
    return std::clamp(allTogether / static_cast<double>(std::max<std::size_t>(1, momentCount(performance))),
                      usualMoment, longest);
}

std::vector<std::vector<std::size_t>> tellingMoments(const Performance& performance, std::size_t most) {
    const auto& notes = performance.notes;
    const auto moments = allMoments(performance);
    struct Moment {
        std::size_t index;
        double length, key, velocity, alone;
        bool tied;
    };
    std::vector<Moment> all;
    double before = -10.0;
    for (std::size_t m = 0; m < moments.size(); ++m) {
        const auto& some = moments[m];
        Moment moment{m, 0.0, 0.0, 0.0, 0.0, false};
        double end = 0.0;
        for (const std::size_t n : some) {
            end = std::max(end, notes[n].end);
            moment.key += notes[n].key / static_cast<double>(some.size());
            moment.velocity += notes[n].velocity / static_cast<double>(some.size());
            moment.tied = moment.tied || notes[n].start > notes[some.front()].start + together;
        }
        const double next = m + 1 < moments.size() ? notes[moments[m + 1].front()].start : performance.seconds();
        moment.length = std::min(end, next) - notes[some.front()].start;
        moment.alone = std::min(0.5, notes[some.front()].start - before) + std::min(0.5, std::max(0.0, next - end));
        before = end;
        all.push_back(moment);
    }
    std::set<std::size_t> chosen;
    double seconds = 0.0;
    const auto choose = [&](const auto& worth) {
        if (chosen.size() >= most || all.empty()) return;
        if (chosen.size() >= 2 && seconds > enoughSeconds) return;
        const auto best = std::max_element(all.begin(), all.end(),
                                           [&](const Moment& x, const Moment& y) { return worth(x) < worth(y); });
        if (chosen.insert(best->index).second) seconds += std::min(usualMoment, best->length);
    };
    const auto length = [](const Moment& m) { return std::min(1.0, m.length); };
    choose([&](const Moment& m) { return length(m) + 0.5 * m.alone; });
    choose([&](const Moment& m) { return (m.tied ? 1.0 : 0.0) + 0.5 * length(m); });
    choose([&](const Moment& m) { return -m.key + 6.0 * length(m); });
    choose([&](const Moment& m) { return m.key + 6.0 * length(m); });
    choose([&](const Moment& m) { return m.velocity + 20.0 * length(m); });
    choose([&](const Moment& m) { return -m.velocity + 20.0 * length(m); });
    choose([&](const Moment& m) { return (chosen.contains(m.index) ? 0.0 : 1.0) + length(m); });
    std::vector<std::vector<std::size_t>> result;
    for (const std::size_t m : chosen) result.push_back(moments[m]);
    return result;
}

Performance momentsOf(const Performance& performance, const std::vector<std::vector<std::size_t>>& moments,
                      double longest, double* seconds) {
    Performance some = performance;
    some.notes.clear();
    double sounding = 0.0;
    for (const auto& moment : moments) {
        const double start = performance.notes[moment.front()].start;
        double last = start;
        for (const std::size_t n : moment) {
            Note note = performance.notes[n];
            note.end = std::min(note.end, start + longest);
            if (note.end <= note.start) continue;
            last = std::max(last, note.end);
            some.notes.push_back(note);
        }
        sounding += last - start + tailSeconds;
    }
    some.normalize();
    if (seconds) *seconds = sounding;
    return some;
}

} // namespace facet
