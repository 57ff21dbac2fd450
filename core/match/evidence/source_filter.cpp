#include "core/match/evidence/source_filter.h"

#include "core/base/parallel.h"
#include "core/match/evidence/analog_response.h"
#include "core/match/evidence/isolated_notes.h"
#include "core/match/evidence/octave_above.h"
#include "core/match/evidence/story_fit.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace source_filter {

constexpr double lowestCutoff = 5.0; ///< octaves above 1 Hz: 32 Hz

/// A filter that may stand behind a source.
struct Filter {
    bool on = false;
    AnalogResponse response{};
    double cost = 0.0; ///< dB

    bool isOfKind(const Filter& other) const {
        return on == other.on && response.kind == other.response.kind && response.slope == other.response.slope &&
               response.second == other.response.second;
    }
};

/// Filters of each kind with so many resonances.
std::vector<Filter> filters(const std::vector<double>& resonances) {
    std::vector<Filter> all{{}};
    constexpr double ofFilter = 0.15, ofRareKind = 0.3, leastOfFormants = 6.0;
    for (double resonance : resonances) {
        for (FilterSlope slope : {FilterSlope::twoPole, FilterSlope::fourPole})
            all.push_back({true, {FilterKind::lowPass, slope, resonance}, ofFilter});
        if (resonance < -6.0) continue;
        all.push_back({true, {FilterKind::ladder, FilterSlope::fourPole, resonance}, ofFilter + 0.05});
        all.push_back({true, {FilterKind::highPass, FilterSlope::twoPole, resonance}, ofFilter + ofRareKind});
        all.push_back({true, {FilterKind::bandPass, FilterSlope::twoPole, resonance}, ofFilter + ofRareKind});
        if (resonance < leastOfFormants) continue;
        for (const double second : formantDistances)
            all.push_back(
                {true, {FilterKind::lowPass, FilterSlope::twoPole, resonance, second}, ofFilter + ofRareKind});
    }
    return all;
}

/// What is known of the elements of stories, in dB of their cost: less for what is likely, more for what is not.
class StoryPrior {
public:
    explicit StoryPrior(const ElementOdds& odds) : odds_(odds) {}

    double costOf(const SourceStory& story) const {
        double cost = 0.0;
        for (const Element each : elementsOf(story)) cost += ofElement(each);
        return cost;
    }
    double ofSecond() const { return ofElement(Element::otherSource); }
    double costOf(const Filter& filter) const {
        if (!filter.on) return 0.0;
        if (filter.response.second > 0.0) return ofElement(Element::formants);
        switch (filter.response.kind) {
        case FilterKind::highPass: return ofElement(Element::highPass);
        case FilterKind::bandPass: return ofElement(Element::bandPass);
        default: return ofElement(Element::lowPass);
        }
    }
    /// Of what moves a cutoff.
    double costOf(const MeasuredCourse& cutoff) const {
        constexpr double clearly = 0.4; // octaves
        double cost = 0.0;
        if (std::abs(cutoff.envelope) > clearly) cost += ofElement(Element::sweptFilter);
        if (std::abs(cutoff.velocity) > clearly) cost += ofElement(Element::velocityToFilter);
        if (std::abs(cutoff.along) > clearly) cost += ofElement(Element::filterOpens);
        if (cutoff.cycleHz > 0.0) cost += ofElement(Element::filterLfo);
        return cost;
    }

private:
    double ofElement(Element element) const {
        constexpr double dbPerLogOdds = 0.08, most = 3.0;
        return -dbPerLogOdds * std::clamp(odds_.of(element), -most, most);
    }
    const ElementOdds& odds_;
};

/// What is left of an instant's lines when a source's are taken away and the level is free: mean of squares in dB² that
/// do not grow any more far out, since what lies there is something else.
float leftOf(const WeighedLines& w, const LineLevels& behindFilter, const LineLevels& source) {
    constexpr float farSquared = farLineDb * farLineDb;
    float sum = 0.0f, weights = 0.0f;
    for (std::size_t i = 0; i < source.size(); ++i) {
        const float counts = source[i] > absentDb ? w.heard[i] : 0.0f;
        sum += counts * (behindFilter[i] - source[i]);
        weights += counts;
    }
    if (weights <= 0.0f) return farSquared;
    const float gain = sum / weights;
    float left = 0.0f;
    for (std::size_t i = 0; i < source.size(); ++i) {
        const float apart = behindFilter[i] - source[i] - gain;
        const float square = apart * apart, missing = apart < 0.0f ? square : 0.0f;
        left +=
            w.heard[i] * square / (1.0f + square / farSquared) + w.below[i] * missing / (1.0f + missing / farSquared);
    }
    return left / std::max(0.1f, w.all);
}

/// The way through a surface of costs that leaps least within notes. `perStep`: dB² for a step of the grid, squared,
/// between instants that lie close; what has more time may go farther.
std::vector<int> smoothWay(const std::vector<LineInstant>& instants, const std::vector<float>& costs, int width,
                           float perStep) {
    constexpr double close = 0.04; // seconds
    constexpr int farthest = 10;
    const auto count = instants.size();
    const auto columns = static_cast<std::size_t>(width);
    std::vector<float> best(costs.begin(), costs.begin() + width), next(columns);
    std::vector<int> from(count * columns, 0);
    for (std::size_t i = 1; i < count; ++i) {
        const bool same = instants[i].note == instants[i - 1].note;
        const auto leap =
            same ? perStep *
                       static_cast<float>(std::min(1.0, close / std::max(1e-3, instants[i].at - instants[i - 1].at)))
                 : 0.0f;
        const auto lowest = static_cast<int>(std::min_element(best.begin(), best.end()) - best.begin());
        for (int c = 0; c < width; ++c) {
            const auto costFrom = [&](int b) {
                return best[static_cast<std::size_t>(b)] + leap * static_cast<float>((c - b) * (c - b));
            };
            int at = lowest;
            if (same)
                for (int b = std::max(0, c - farthest); b <= std::min(width - 1, c + farthest); ++b)
                    if (costFrom(b) < costFrom(at)) at = b;
            next[static_cast<std::size_t>(c)] = costFrom(at) + costs[i * columns + static_cast<std::size_t>(c)];
            from[i * columns + static_cast<std::size_t>(c)] = at;
        }
        std::swap(best, next);
    }
    std::vector<int> way(count);
    way.back() = static_cast<int>(std::min_element(best.begin(), best.end()) - best.begin());
    for (std::size_t i = count; i-- > 1;) way[i - 1] = from[i * columns + static_cast<std::size_t>(way[i])];
    return way;
}

/// A grid of cutoffs.
struct CutoffGrid {
    int perOctave;
    int count() const { return static_cast<int>(9.3 * perOctave); } ///< up to 20 kHz
    double octaves(int c) const { return lowestCutoff + static_cast<double>(c) / perOctave; }
};

/// One story behind one filter at all instants.
struct Explained {
    double meanSquare = 0.0;
    std::vector<double> cutoffs, places; ///< at each instant
};

/// Levels of all instants without a filter at each cutoff.
std::vector<LineLevels> withoutFilter(const Filter& filter, const std::vector<LineInstant>& instants,
                                      const CutoffGrid& grid) {
    std::vector<LineLevels> all;
    const int count = filter.on ? grid.count() : 1;
    for (const LineInstant& instant : instants)
        for (int c = 0; c < count; ++c) {
            LineLevels levels = instant.levels;
            for (std::size_t i = 0; filter.on && i < levels.size(); ++i)
                if (instant.weights[i] > 0.0f)
                    levels[i] -= static_cast<float>(filter.response.gainDb(
                        std::log2(0.5 * static_cast<double>(i + 1) * instant.hz) - grid.octaves(c)));
            all.push_back(levels);
        }
    return all;
}

Explained explain(const SourceSpectra& story, const Filter& filter, const std::vector<LineInstant>& instants,
                  const std::vector<WeighedLines>& weights, const std::vector<LineLevels>& without,
                  const CutoffGrid& grid) {
    constexpr float ofCutoff = 0.4f, ofPlace = 0.1f; // dB² for a step of the grid, squared
    const auto width = static_cast<std::size_t>(filter.on ? grid.count() : 1);
    std::vector<float> costs(instants.size() * width);
    for (std::size_t i = 0; i < instants.size(); ++i)
        for (std::size_t at = i * width; at < (i + 1) * width; ++at) {
            float least = 1e9f;
            for (std::size_t p = 0; p < story.places.size(); ++p) {
                least = std::min(least, leftOf(weights[i], without[at], story.places[p].levels));
            }
            costs[at] = static_cast<float>(instants[i].worth) * least;
        }
    const std::vector<int> way = filter.on ? smoothWay(instants, costs, static_cast<int>(width), ofCutoff)
                                           : std::vector<int>(instants.size(), 0);
    // What moves in the source may leap no more than the cutoff does.
    std::vector<int> places(instants.size(), 0);
    if (story.places.size() > 1) {
        std::vector<float> byPlace;
        for (std::size_t i = 0; i < instants.size(); ++i)
            for (const SourceSpectra::Place& each : story.places)
                byPlace.push_back(
                    static_cast<float>(instants[i].worth) *
                    leftOf(weights[i], without[i * width + static_cast<std::size_t>(way[i])], each.levels));
        places = smoothWay(instants, byPlace, static_cast<int>(story.places.size()), ofPlace);
        for (std::size_t i = 0; i < instants.size(); ++i)
            costs[i * width + static_cast<std::size_t>(way[i])] =
                byPlace[i * story.places.size() + static_cast<std::size_t>(places[i])];
    }
    Explained explained;
    double worth = 0.0;
    for (const LineInstant& each : instants) worth += each.worth;
    for (std::size_t i = 0; i < instants.size(); ++i) {
        explained.meanSquare += static_cast<double>(costs[i * width + static_cast<std::size_t>(way[i])]) / worth;
        explained.cutoffs.push_back(grid.octaves(way[i]));
        explained.places.push_back(story.places[static_cast<std::size_t>(places[i])].value);
    }
    return explained;
}

/// The stories and kinds of filter that are worth a closer look, by few instants, cutoffs and resonances.
std::vector<std::pair<std::size_t, Filter>> worthALook(const std::vector<SourceSpectra>& stories,
                                                       const std::vector<LineInstant>& instants,
                                                       const StoryPrior& prior, int threads) {
    constexpr std::size_t fewInstants = 16, mostKept = 28;
    const CutoffGrid coarse{2};
    std::vector<LineInstant> few;
    const std::size_t every = (instants.size() + fewInstants - 1) / fewInstants;
    for (std::size_t i = 0; i < instants.size(); i += every) few.push_back(instants[i]);
    std::vector<WeighedLines> weights;
    for (const LineInstant& each : few) weights.emplace_back(each);
    const std::vector<Filter> kinds = filters({-3.0, 9.0});
    struct Looked {
        double cost;
        std::size_t story;
        Filter filter;
    };
    std::vector<std::vector<Looked>> byKind(kinds.size());
    parallelFor(static_cast<int>(kinds.size()), threads, [&](int k) {
        const Filter& filter = kinds[static_cast<std::size_t>(k)];
        const std::vector<LineLevels> without = withoutFilter(filter, few, coarse);
        for (std::size_t s = 0; s < stories.size(); ++s)
            byKind[static_cast<std::size_t>(k)].push_back(
                {std::sqrt(explain(stories[s], filter, few, weights, without, coarse).meanSquare) + stories[s].cost +
                     filter.cost + prior.costOf(filter),
                 s, filter});
    });
    std::vector<Looked> all;
    for (const auto& each : byKind) all.insert(all.end(), each.begin(), each.end());
    std::stable_sort(all.begin(), all.end(), [](const Looked& a, const Looked& b) { return a.cost < b.cost; });
    std::vector<std::pair<std::size_t, Filter>> kept;
    std::vector<bool> looked(stories.size(), false);
    for (const Looked& each : all) {
        const bool known = std::any_of(kept.begin(), kept.end(), [&](const auto& k) {
            return k.first == each.story && k.second.isOfKind(each.filter);
        });
        // What moves may look poor as long as nothing says how: each once.
        const bool owed = stories[each.story].story.moving != SourceStory::Moving::nothing && !looked[each.story];
        if (known || (kept.size() >= mostKept && !owed)) continue;
        kept.emplace_back(each.story, each.filter);
        looked[each.story] = true;
    }
    return kept;
}

/// Levels of the partials where their tone is the same in all notes: means of what the instants show of each.
std::vector<double> meanPartials(const std::vector<LineInstant>& instants) {
    constexpr int passes = 4;
    constexpr double nothingDb = -60.0;
    std::vector<double> means(lineCount / 2, nothingDb), levels(instants.size(), 0.0);
    for (int pass = 0; pass < passes; ++pass) {
        for (std::size_t p = 0; p < means.size(); ++p) {
            double sum = 0.0, weights = 0.0;
            for (std::size_t i = 0; i < instants.size(); ++i) {
                const auto weight = static_cast<double>(instants[i].weights[2 * p + 1]);
                const double apart = static_cast<double>(instants[i].levels[2 * p + 1]) - levels[i];
                sum += weight * (pass == 0 ? apart
                                           : std::clamp(apart, means[p] - static_cast<double>(farLineDb),
                                                        means[p] + static_cast<double>(farLineDb)));
                weights += weight;
            }
            if (weights > 0.0) means[p] = sum / weights;
        }
        for (std::size_t i = 0; i < instants.size(); ++i) {
            double sum = 0.0, weights = 1e-6;
            for (std::size_t p = 0; p < means.size(); ++p) {
                const auto weight = static_cast<double>(instants[i].weights[2 * p + 1]);
                sum += weight * (static_cast<double>(instants[i].levels[2 * p + 1]) - means[p]);
                weights += weight;
            }
            levels[i] = sum / weights;
        }
    }
    const double loudest = *std::max_element(means.begin(), means.end());
    for (double& mean : means) mean = std::max(nothingDb, mean - loudest);
    return means;
}

/// Whether strong lines stand out of what lies beside them, where windows are long enough to tell; of noise few do, by
/// chance.
bool standOut(const std::vector<LineInstant>& instants) {
    constexpr float strongDb = -25.0f;
    constexpr double share = 0.4;
    int strong = 0, heard = 0;
    bool any = false;
    for (const LineInstant& each : instants) {
        bool resolved = false;
        for (std::size_t i = 0; i < each.weights.size(); i += 2) resolved = resolved || each.weights[i] > 0.0f;
        any = any || resolved;
        for (std::size_t i = fundamentalLine; resolved && i < each.levels.size(); i += 2) {
            if (each.weights[i] <= 0.0f || each.levels[i] < strongDb) continue;
            ++strong;
            heard += each.heard[i];
        }
    }
    return !any || heard > share * strong;
}

std::vector<SourceFilterFit> fitsOf(const Profile& profile, const Recording& recording48k, double upperHz,
                                    std::size_t most, int threads, const SideComb* comb, const ElementOdds& odds) {
    std::vector<LineInstant> instants = lineInstantsOf(profile, recording48k, upperHz);
    if (comb) takeOut(*comb, instants);
    if (!standOut(instants)) return {};
    // Instants with several lines tell most. Where there are few of these, a sine or a triangle, the fundamental does.
    const auto linesOf = [](const LineInstant& each) {
        int heard = 0;
        for (std::size_t i = 0; i < each.heard.size(); ++i) heard += each.heard[i] && each.weights[i] > 0.0f;
        return heard;
    };
    constexpr int several = 3, enoughInstants = 6;
    const auto rich = std::count_if(instants.begin(), instants.end(),
                                    [&](const LineInstant& each) { return linesOf(each) >= several; });
    const auto pitched = std::count_if(instants.begin(), instants.end(),
                                       [](const LineInstant& each) { return each.heard[fundamentalLine]; });
    const bool plain = rich < enoughInstants && 3 * pitched >= 2 * static_cast<long>(instants.size());
    // Of chords most lines lie under each other; where notes sound alone and few instants show lines, these did so by
    // chance.
    const bool alone = std::all_of(instants.begin(), instants.end(), [&](const LineInstant& each) {
        return isIsolated(profile.notes[each.note], profile);
    });
    if (alone && !plain && 3 * rich < static_cast<long>(instants.size())) return {};
    std::erase_if(instants, [&](const LineInstant& each) {
        return plain ? !each.heard[fundamentalLine] || each.weights[fundamentalLine] <= 0.0f : linesOf(each) < several;
    });
    if (instants.size() < 3) return {};
    const StoryPrior prior(odds);
    std::vector<SourceSpectra> stories = sourceStories();
    for (SourceSpectra& each : stories) each.cost += prior.costOf(each.story);
    const auto looked = worthALook(stories, instants, prior, threads);
    const CutoffGrid fine{4};
    std::vector<WeighedLines> weights;
    for (const LineInstant& each : instants) weights.emplace_back(each);
    const StoryFitter fitter(profile, instants);
    std::vector<SourceFilterFit> all(looked.size());
    const std::vector<Filter> kinds = filters({-5.0, 3.0, 11.0});
    std::vector<std::vector<LineLevels>> without(kinds.size());
    parallelFor(static_cast<int>(kinds.size()), threads, [&](int k) {
        const Filter& filter = kinds[static_cast<std::size_t>(k)];
        const bool needed =
            std::any_of(looked.begin(), looked.end(), [&](const auto& each) { return each.second.isOfKind(filter); });
        if (needed) without[static_cast<std::size_t>(k)] = withoutFilter(filter, instants, fine);
    });
    parallelFor(static_cast<int>(looked.size()), threads, [&](int l) {
        const auto& [s, like] = looked[static_cast<std::size_t>(l)];
        const SourceSpectra& story = stories[s];
        Explained best;
        best.meanSquare = 1e9;
        Filter chosen;
        for (std::size_t k = 0; k < kinds.size(); ++k) {
            if (!kinds[k].isOfKind(like)) continue;
            Explained found = explain(story, kinds[k], instants, weights, without[k], fine);
            if (found.meanSquare >= best.meanSquare) continue;
            best = std::move(found);
            chosen = kinds[k];
        }
        SourceFilterFit fit;
        fit.source = story.story;
        fit.filtered = chosen.on;
        fit.filter = chosen.response.kind;
        fit.slope = chosen.response.slope;
        fit.resonanceDb = chosen.response.resonanceDb;
        fit.second = chosen.response.second;
        if (chosen.on) fit.cutoff = courseOf(profile, instants, best.cutoffs);
        const bool moves = story.story.moving != SourceStory::Moving::nothing;
        if (moves) fit.place = courseOf(profile, instants, best.places);
        SourceFilterFit cycling = fit;
        fit = fitter.refined(story, fit);
        if (moves) { // an envelope may have been read into what only goes round
            cycling.place = cyclingCourseOf(instants, best.places);
            if (cycling.place.cycleHz > 0.0) cycling = fitter.refined(story, cycling);
            if (cycling.place.cycleHz > 0.0 && cycling.errorDb < fit.errorDb) fit = cycling;
        }
        if (moves && !story.story.second) fit = fitter.withSecond(story, fit);
        constexpr double leastPeak = 8.0, noPeaks = 0.5; // dB: two low-passes that hardly resonate are no formants
        const bool flat = fit.second > 0.0 && fit.resonanceDb < leastPeak;
        fit.cost = (flat ? noPeaks : 0.0) + fit.errorDb + story.cost + chosen.cost + prior.costOf(chosen) +
                   (chosen.on ? prior.costOf(fit.cutoff) : 0.0) +
                   (fit.source.second && !story.story.second ? ofSecondSource + prior.ofSecond() : 0.0);
        all[static_cast<std::size_t>(l)] = fit;
    });
    const SourceSpectra partials = sourceOfPartials(meanPartials(instants));
    SourceFilterFit ofPartials;
    ofPartials.source = partials.story;
    ofPartials = fitter.refined(partials, ofPartials);
    ofPartials.cost = ofPartials.errorDb + partials.cost + prior.costOf(partials.story);
    all.push_back(ofPartials);
    std::stable_sort(all.begin(), all.end(),
                     [](const SourceFilterFit& a, const SourceFilterFit& b) { return a.cost < b.cost; });
    // Of stories in equal words the best.
    std::vector<SourceFilterFit> different;
    std::vector<std::string> words;
    for (const SourceFilterFit& each : all) {
        if (different.size() == most) break;
        const std::string text = wordsOf(each);
        if (std::find(words.begin(), words.end(), text) != words.end()) continue;
        words.push_back(text);
        different.push_back(each);
    }
    return different;
}

} // namespace source_filter

std::vector<SourceFilterFit> sourceFilterFits(const Profile& profile, const Recording& recording48k, double upperHz,
                                              std::size_t most, int threads, const SideComb* comb,
                                              const ElementOdds& odds) {
    constexpr double ofOctave = 0.1; // dB; there is more to tell of it
    constexpr std::size_t asked = 16;
    const auto told = [&](const Profile& played) {
        return source_filter::fitsOf(played, recording48k, upperHz, most, threads, comb, odds);
    };
    std::vector<SourceFilterFit> fits = told(profile);
    if (!mayPlayAnOctaveAbove(lineInstantsOf(profile, recording48k, upperHz, asked))) return fits;
    for (SourceFilterFit& above : told(anOctaveAbove(profile))) {
        // Courses are told at middle C of the notes as they are.
        above.octave = 1;
        above.cutoff.rest += above.cutoff.perOctave;
        above.place.rest += above.place.perOctave;
        above.cost += ofOctave;
        fits.push_back(std::move(above));
    }
    std::stable_sort(fits.begin(), fits.end(),
                     [](const SourceFilterFit& a, const SourceFilterFit& b) { return a.cost < b.cost; });
    fits.resize(std::min(fits.size(), most));
    return fits;
}

std::string wordsOf(const SourceFilterFit& fit) {
    const std::string text = wordsOf(fit.source) + (fit.octave > 0 ? ", an octave up" : "");
    if (!fit.filtered) return text + ", no filter";
    switch (fit.filter) {
    case FilterKind::ladder: return text + ", ladder 24 dB";
    case FilterKind::highPass: return text + ", high-pass 12 dB";
    case FilterKind::bandPass: return text + ", band-pass 12 dB";
    default:
        if (fit.second > 0.0) return text + ", formants";
        return text + (fit.slope == FilterSlope::twoPole ? ", low-pass 12 dB" : ", low-pass 24 dB");
    }
}

} // namespace facet
