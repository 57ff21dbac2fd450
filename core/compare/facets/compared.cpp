#include "core/compare/facets/compared.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet::comparing {

namespace {

constexpr double doubtfulBelow = 0.6; ///< confidence under which a value is marked

double likenessOf(double distance, double scale) { return 100.0 * std::exp(-std::max(0.0, distance) / scale); }

/// "alike" when no remark has the least weight.
std::string largestOf(const std::vector<Remark>& remarks, double least) {
    const auto largest = std::max_element(remarks.begin(), remarks.end(),
                                          [](const Remark& a, const Remark& b) { return a.weight < b.weight; });
    return largest == remarks.end() || largest->weight < least ? "alike" : largest->words;
}

} // namespace

Pair Compared::medianPair(const std::function<double(const NoteProfile&)>& value) const {
    std::vector<float> a;
    std::vector<float> b;
    for (std::size_t i = 0; i < std::min(reference.notes.size(), render.notes.size()); ++i) {
        const double x = value(reference.notes[i]);
        const double y = value(render.notes[i]);
        if (!isMeasured(x) || !isMeasured(y)) continue;
        a.push_back(static_cast<float>(x));
        b.push_back(static_cast<float>(y));
    }
    return {medianOf(a), medianOf(b)};
}

Pair Compared::longestPair(const std::function<double(const NoteProfile&)>& value) const {
    if (reference.notes.empty() || reference.notes.size() != render.notes.size()) return {};
    const auto longest = std::max_element(reference.notes.begin(), reference.notes.end(),
                                          [](const NoteProfile& a, const NoteProfile& b) {
                                              return a.note.end - a.note.start < b.note.end - b.note.start;
                                          });
    return {value(*longest), value(render.notes[static_cast<std::size_t>(longest - reference.notes.begin())])};
}

std::string signedText(double value, int decimals, std::string_view unit) {
    const std::string number = fmt::format("{:.{}f}", std::abs(value), decimals);
    const bool zero = number.find_first_not_of("0.") == std::string::npos;
    return fmt::format("{}{} {}", zero ? "" : value < 0 ? "−" : "+", number, unit);
}

std::string msText(double seconds) {
    if (!isMeasured(seconds)) return "–";
    const double ms = seconds * 1000.0;
    return ms >= 1000.0 ? fmt::format("{:.2f} s", seconds) : fmt::format("{:.{}f} ms", ms, ms < 10.0 ? 1 : 0);
}

std::string hzText(double hz) {
    if (!isMeasured(hz)) return "–";
    if (hz >= openHz) return "open";
    return hz >= 1000.0 ? fmt::format("{:.2f} kHz", hz / 1000.0) : fmt::format("{:.0f} Hz", hz);
}

std::string dbText(double db) {
    if (!isMeasured(db)) return "–";
    return db < -59.0 ? "< −59 dB" : fmt::format("{}{:.1f} dB", db < -0.05 ? "−" : "", std::abs(db));
}

std::string ordinal(int n) {
    if (n == 1) return "fundamental";
    const char* ending = n % 100 / 10 == 1 ? "th" : n % 10 == 1 ? "st" : n % 10 == 2 ? "nd" : n % 10 == 3 ? "rd" : "th";
    return fmt::format("{}{} partial", n, ending);
}

std::string apartDb(double a, double b) {
    return isMeasured(a) && isMeasured(b) ? signedText(b - a, 1, "dB") : std::string("–");
}

std::string doubted(const std::string& text, double confidence) {
    return text == "–" || confidence >= doubtfulBelow ? text : "≈ " + text;
}

double levelConfidence(const Profile& profile) {
    std::vector<float> all;
    for (const NoteProfile& note : profile.notes)
        all.push_back(static_cast<float>(confidenceOf(note.level.errorDb, levelHalfAtDb)));
    return all.empty() ? 0.0 : medianOf(all);
}

FacetComparison begin(Facet kind) {
    FacetComparison facet;
    facet.facet = kind;
    return facet;
}

void finish(FacetComparison& facet, double scale, const std::vector<Remark>& remarks) {
    facet.measured = isMeasured(facet.difference);
    facet.likeness = facet.measured ? likenessOf(facet.difference, scale) : 0.0;
    facet.words = !facet.measured         ? "not measurable"
                  : facet.likeness > 97.0 ? "alike"
                                          : largestOf(remarks, facet.likeness > 85.0 ? 1.0 : 0.0);
}

void addTimes(const Compared& sounds, FacetComparison& facet, std::vector<Remark>& remarks, const char* label,
              const char* noun, double easily, const Pair& pair) {
    facet.values.push_back(
        {label, doubted(msText(pair.reference), levelConfidence(sounds.reference)),
         doubted(msText(pair.render), levelConfidence(sounds.render)),
         pair.measured() ? signedText(1000.0 * pair.difference(), std::abs(pair.difference()) < 0.01 ? 1 : 0, "ms")
                         : "–"});
    if (!pair.measured()) return;
    const double ratio = std::abs(std::log2((pair.render + easily) / (pair.reference + easily)));
    remarks.push_back({ratio / 0.35, fmt::format("{} {} {}", noun, msText(std::abs(pair.difference())),
                                                 pair.difference() > 0 ? "longer" : "shorter")});
}

void addRareTimes(const Compared& sounds, FacetComparison& facet, std::vector<Remark>& remarks, const char* label,
                  const char* noun, const Pair& pair) {
    constexpr double rare = 0.004;
    if (pair.reference > rare || pair.render > rare) addTimes(sounds, facet, remarks, label, noun, 0.01, pair);
}

} // namespace facet::comparing
