#include "core/analysis/notes/repeats.h"

#include "core/analysis/notes/velocity.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double shortest = 0.06, longest = 1.2; ///< seconds
constexpr double near = 0.025;
constexpr double surest = 3.5; ///< a hand can play what an echo does
constexpr double leastDb = 1.0, mostDb = 24.0;

/// The note that another repeats after so long; null where there is none.
const Note* originalOf(const Note& note, const std::vector<Note>& notes, double seconds) {
    for (const Note& other : notes) {
        const double softerDb = (other.velocity - note.velocity) / velocityPerDb;
        if (other.key == note.key && std::abs(note.start - other.start - seconds) < near && softerDb > leastDb &&
            softerDb < mostDb)
            return &other;
    }
    return nullptr;
}

Repeats repeatsAfter(const std::vector<Note>& notes, double seconds) {
    Repeats found{seconds};
    double sum = 0.0, squares = 0.0;
    for (const Note& note : notes) {
        const Note* original = originalOf(note, notes, seconds);
        found.last = original != nullptr;
        if (!original) {
            found.played.push_back(note);
            continue;
        }
        const double softerDb = (original->velocity - note.velocity) / velocityPerDb;
        ++found.count;
        sum += softerDb;
        squares += softerDb * softerDb;
    }
    if (found.count > 1)
        found.unevenDb = std::sqrt(std::max(0.0, squares - sum * sum / found.count) / (found.count - 1));
    const auto follows = std::count_if(notes.begin(), notes.end(), [&](const Note& note) {
        return std::any_of(notes.begin(), notes.end(), [&](const Note& other) {
            return other.key == note.key && std::abs(note.start - other.start - seconds) < near;
        });
    });
    found.softer = follows > 0 ? found.count / static_cast<double>(follows) : 0.0;
    const auto repeated = std::count_if(found.played.begin(), found.played.end(), [&](const Note& note) {
        return std::any_of(notes.begin(), notes.end(), [&](const Note& other) {
            return other.key == note.key && std::abs(other.start - note.start - seconds) < near;
        });
    });
    found.complete =
        found.played.empty() ? 0.0 : static_cast<double>(repeated) / static_cast<double>(found.played.size());
    return found;
}

} // namespace

double Repeats::logOdds() const {
    // Chosen by hand on phrases of known making; no source.
    const double byLevel = count > 1 ? std::clamp(1.5 * (2.0 - unevenDb), -5.0, 1.5) : 0.0;
    const double all = 8.0 * (complete - 0.7) + 14.0 * (std::min(0.95, softer) - 0.85) +
                       std::min(2.0, 0.3 * (count - 1)) + byLevel + (last ? 0.5 : -2.0);
    return std::min(all, surest);
}

Repeats repeatsAmong(const std::vector<Note>& notes) {
    Repeats best;
    for (const Note& first : notes)
        for (const Note& second : notes) {
            const double seconds = second.start - first.start;
            if (second.key != first.key || seconds < shortest || seconds > longest) continue;
            Repeats found = repeatsAfter(notes, seconds);
            if (found.count == 0 || found.complete < 0.5) continue;
            const double worth = found.count * found.complete, so = best.count * best.complete;
            if (worth > so || (worth == so && seconds < best.seconds)) best = std::move(found);
        }
    return best;
}

} // namespace facet
