// What the comparisons of all facets share: the two profiles, texts with units, and remarks on what differs.
#pragma once

#include "core/compare/comparison.h"
#include "core/compare/distance.h"

#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace facet::comparing {

/// An effective cutoff from here on filters nothing that is heard.
inline constexpr double openHz = 19000.0;
/// Of motion and space the differences are counted in steps that are easily heard; so many are not noticed.
inline constexpr double noticedSteps = 0.5;

/// A measured quantity of both sounds.
struct Pair {
    double reference = notMeasurable;
    double render = notMeasurable;
    bool measured() const { return isMeasured(reference) && isMeasured(render); }
    double difference() const { return render - reference; }
};

/// A remark and how large the difference is in multiples of what is heard easily.
struct Remark {
    double weight = 0.0;
    std::string words;
};

/// Two profiles of one performance with their distances. Keeps references to both.
struct Compared {
    Compared(const Profile& a, const Profile& b) : reference(a), render(b), distances(a, b) {}
    const Profile& reference;
    const Profile& render;
    const Distances distances;

    /// Median over the notes of something measured in both.
    Pair medianPair(const std::function<double(const NoteProfile&)>& value) const;
    /// The same of the longest note, which alone comes to rest.
    Pair longestPair(const std::function<double(const NoteProfile&)>& value) const;
};

// Texts; "–" for what is not measurable. Times in seconds, levels in dB.
std::string signedText(double value, int decimals, std::string_view unit);
std::string msText(double seconds);
std::string hzText(double hz);
std::string dbText(double db);
std::string apartDb(double a, double b);
/// "fundamental", "2nd partial".
std::string ordinal(int n);
/// A value that its measurement doubts (confidence below 0.6) is marked as about right.
std::string doubted(const std::string& text, double confidence);
/// Median confidence of the fitted level envelopes, 0 … 1.
double levelConfidence(const Profile& profile);

FacetComparison begin(Facet kind);
/// Sets likeness = 100 · exp(−difference / scale), and the words to the weightiest remark.
void finish(FacetComparison& facet, double scale, const std::vector<Remark>& remarks);

/// A row of two values of one kind; `text` gives their unit.
template <typename Text>
void addRow(FacetComparison& facet, const char* label, double a, double b, Text&& text,
            const std::string& difference = "–") {
    facet.values.push_back({label, text(a), text(b), difference});
}
/// A row and a remark of two times in seconds; `easily`: difference that is always heard easily.
void addTimes(const Compared& sounds, FacetComparison& facet, std::vector<Remark>& remarks, const char* label,
              const char* noun, double easily, const Pair& pair);
/// Times that most sounds do without are spoken of when one side has them.
void addRareTimes(const Compared& sounds, FacetComparison& facet, std::vector<Remark>& remarks, const char* label,
                  const char* noun, const Pair& pair);

} // namespace facet::comparing
