#include "core/match/evidence/story_fit.h"

#include "core/base/units.h"
#include "core/dsp/least_squares.h"
#include "core/match/evidence/analog_response.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <iterator>
#include <vector>

namespace facet {

namespace story_fit {

/// Gains of one kind of filter by octaves above the cutoff and resonance, between which values are read by lines.
class GainTable {
public:
    GainTable(FilterKind kind, FilterSlope slope, double second = 0.0) {
        for (double resonance = lowestDb; resonance <= highestDb + 1e-9; resonance += resonanceStep) {
            std::vector<float> row;
            for (double octaves = -reach; octaves <= reach + 1e-9; octaves += 1.0 / perOctave)
                row.push_back(static_cast<float>(AnalogResponse{kind, slope, resonance, second}.gainDb(octaves)));
            rows_.push_back(std::move(row));
        }
    }
    float at(double octaves, double resonanceDb) const {
        const double row =
            std::clamp((resonanceDb - lowestDb) / resonanceStep, 0.0, static_cast<double>(rows_.size() - 1) - 1e-6);
        const double place = std::clamp((octaves + reach) * perOctave, 0.0, 2.0 * reach * perOctave - 1e-6);
        const auto r = static_cast<std::size_t>(row), p = static_cast<std::size_t>(place);
        const auto between = [&](const std::vector<float>& values) {
            return values[p] + static_cast<float>(place - static_cast<double>(p)) * (values[p + 1] - values[p]);
        };
        const float low = between(rows_[r]);
        return low + static_cast<float>(row - static_cast<double>(r)) * (between(rows_[r + 1]) - low);
    }

    static constexpr double lowestDb = -9.0, highestDb = 24.0;

private:
    static constexpr double reach = 10.0, perOctave = 24.0, resonanceStep = 3.0;
    std::vector<std::vector<float>> rows_;
};

/// Of formants whose filters lie so far apart as one of formantDistances.
const GainTable& tableOfFormants(double second) {
    static const std::vector<GainTable> tables = [] {
        std::vector<GainTable> all;
        for (const double each : formantDistances) all.emplace_back(FilterKind::lowPass, FilterSlope::twoPole, each);
        return all;
    }();
    const auto* nearest =
        std::min_element(std::begin(formantDistances), std::end(formantDistances),
                         [&](double x, double y) { return std::abs(x - second) < std::abs(y - second); });
    return tables[static_cast<std::size_t>(nearest - std::begin(formantDistances))];
}

const GainTable& tableOf(FilterKind kind, FilterSlope slope, double second) {
    if (second > 0.0) return tableOfFormants(second);
    static const GainTable twoPole(FilterKind::lowPass, FilterSlope::twoPole),
        fourPole(FilterKind::lowPass, FilterSlope::fourPole), ladder(FilterKind::ladder, FilterSlope::fourPole),
        highPass(FilterKind::highPass, FilterSlope::twoPole), bandPass(FilterKind::bandPass, FilterSlope::twoPole);
    switch (kind) {
    case FilterKind::ladder: return ladder;
    case FilterKind::highPass: return highPass;
    case FilterKind::bandPass: return bandPass;
    default: return slope == FilterSlope::twoPole ? twoPole : fourPole;
    }
}

/// A value of a fit that is fitted, within its bounds.
struct Knob {
    std::function<double&(SourceFilterFit&)> of;
    double lower, upper;
    bool logarithmic = false;
    double pull = 0.0; ///< towards nothing, where the notes leave it open: dB for one of it

    double read(const SourceFilterFit& fit) const {
        const double value = of(const_cast<SourceFilterFit&>(fit)); // read only
        return logarithmic ? std::log2(std::max(1e-4, value)) : value;
    }
    void write(SourceFilterFit& fit, double value) const { of(fit) = logarithmic ? std::exp2(value) : value; }
};

/// What is known of a course before it is fitted.
struct CourseLimits {
    double lowest, highest;       ///< of the number itself
    double lowestKey, highestKey; ///< change by octave of the key
    double lowestVelocity, highestVelocity;
    double pullOfKey, pullOfVelocity;
};

void addCourse(std::vector<Knob>& knobs, MeasuredCourse SourceFilterFit::*which, const SourceFilterFit& from,
               const PhraseSpan& span, const CourseLimits& limits) {
    const double range = limits.highest - limits.lowest;
    const MeasuredCourse& course = from.*which;
    const auto add = [&](double MeasuredCourse::*field, double lower, double upper, bool logarithmic = false,
                         double pull = 0.0) {
        knobs.push_back({[which, field](SourceFilterFit& fit) -> double& { return fit.*which.*field; }, lower, upper,
                         logarithmic, pull});
    };
    add(&MeasuredCourse::rest, limits.lowest - range, limits.highest + range);
    if (course.envelope != 0.0) {
        add(&MeasuredCourse::envelope, -range, range);
        if (course.attack > 0.0) add(&MeasuredCourse::attack, -8.0, 1.0, true);
        if (course.decay > 0.0) add(&MeasuredCourse::decay, -6.5, 2.5, true);
    }
    if (span.keys) add(&MeasuredCourse::perOctave, limits.lowestKey, limits.highestKey, false, limits.pullOfKey);
    if (span.velocities)
        add(&MeasuredCourse::velocity, limits.lowestVelocity, limits.highestVelocity, false, limits.pullOfVelocity);
    if (course.along != 0.0) add(&MeasuredCourse::along, -range, range);
    if (course.cycleHz > 0.0) {
        add(&MeasuredCourse::cycleHz, -4.0, 3.0, true);
        add(&MeasuredCourse::cycleDepth, 0.0, range);
        add(&MeasuredCourse::cyclePhase, -1.0, 2.0);
    }
}

CourseLimits limitsOfPlace(const SourceSpectra& spectra) {
    const double lowest = spectra.places.front().value, highest = spectra.places.back().value, range = highest - lowest;
    return {lowest, highest, -0.25 * range, 0.25 * range, -0.5 * range, 0.5 * range, 20.0 / range, 10.0 / range};
}

bool standingPulse(const SourceStory& story) {
    return story.moving == SourceStory::Moving::nothing && story.wave == Wave::pulse;
}

} // namespace story_fit

using namespace story_fit;

WeighedLines::WeighedLines(const LineInstant& instant) {
    for (std::size_t i = 0; i < heard.size(); ++i) {
        (instant.heard[i] ? heard : below)[i] = instant.weights[i];
        all += instant.weights[i];
    }
}

/// What a story says of the levels at each instant.
class StoryFitter::Model {
public:
    Model(const StoryFitter& fitter, const SourceSpectra& spectra, const SourceFilterFit& fit)
        : fitter_(fitter), spectra_(spectra),
          table_(fit.filtered ? &tableOf(fit.filter, fit.slope, fit.second) : nullptr) {}

    /// All lines of all instants: the sum of squares, divided by what the instants are worth together, is the square of
    /// the error.
    Eigen::VectorXf residual(const SourceFilterFit& fit) const {
        const auto count = fitter_.instants_.size();
        Eigen::VectorXf all = Eigen::VectorXf::Zero(static_cast<Eigen::Index>(count * lineCount));
        const auto gain = static_cast<float>(fit.source.second ? std::pow(gainFromDb(fit.source.secondDb), 2.0) : 0.0);
        for (std::size_t i = 0; i < count; ++i)
            instantInto(fit, i, gain, all.data() + i * static_cast<std::size_t>(lineCount));
        return all;
    }

private:
    void instantInto(const SourceFilterFit& fit, std::size_t i, float secondGain, float* out) const {
        const LineInstant& instant = fitter_.instants_[i];
        const WeighedLines& weights = fitter_.weights_[i];
        const Note& note = fitter_.profile_.notes[instant.note].note;
        const LineLevels first = firstSource(fit, instant, note);
        const double cutoff = table_ ? valueAt(fit.cutoff, fitter_.span_, note, instant) : 0.0;
        const double fundamental = std::log2(instant.hz);
        LineLevels apart{};
        for (std::size_t h = 0; h < apart.size(); ++h) {
            if (weights.heard[h] + weights.below[h] <= 0.0f) continue;
            const float power = first[h] + secondGain * static_cast<float>(spectra_.second[h]);
            float model = 4.342945f * std::log(std::max(power, 1e-9f));
            if (table_) model += table_->at(fundamental + lineOctaves()[h] - cutoff, fit.resonanceDb);
            apart[h] = instant.levels[h] - model;
        }
        const float level = levelOf(apart, weights);
        for (std::size_t h = 0; h < apart.size(); ++h) {
            const bool heard = weights.heard[h] > 0.0f;
            const float weight = heard ? weights.heard[h] : weights.below[h];
            const float off = apart[h] - level;
            if (weight <= 0.0f || (!heard && off > 0.0f)) continue;
            out[h] = std::sqrt(static_cast<float>(instant.worth) * weight / std::max(0.1f, weights.all)) * off /
                     std::sqrt(1.0f + off * off / (farLineDb * farLineDb));
        }
    }

    /// Power of the first source's lines. What moves is averaged over the frames as the recording was.
    LineLevels firstSource(const SourceFilterFit& fit, const LineInstant& instant, const Note& note) const {
        const auto& places = spectra_.places;
        LineLevels sum{};
        const int frames = places.size() > 1 ? instant.frames : 1;
        for (int f = 0; f < frames; ++f) {
            std::size_t low = 0;
            float share = 0.0f;
            if (places.size() > 1) {
                LineInstant now = instant;
                const double off = instant.frameStep * (f - 0.5 * (frames - 1));
                now.at += off;
                now.sinceNote += off;
                const double step = places[1].value - places[0].value;
                const double place = std::clamp((valueAt(fit.place, fitter_.span_, note, now) - places[0].value) / step,
                                                0.0, static_cast<double>(places.size() - 1) - 1e-6);
                low = static_cast<std::size_t>(place);
                share = static_cast<float>(place - static_cast<double>(low));
            }
            const LinePower& a = places[low].power;
            const LinePower& b = places[std::min(low + 1, places.size() - 1)].power;
            for (std::size_t h = 0; h < sum.size(); ++h)
                sum[h] +=
                    (static_cast<float>(a[h]) + share * static_cast<float>(b[h] - a[h])) / static_cast<float>(frames);
        }
        return sum;
    }

    /// The instant's level: the mean of what is heard, then once more without what lies far out.
    static float levelOf(const LineLevels& apart, const WeighedLines& weights) {
        float level = 0.0f;
        for (int pass = 0; pass < 3; ++pass) {
            float sum = 0.0f, all = 1e-6f;
            for (std::size_t h = 0; h < apart.size(); ++h) {
                const float off = apart[h] - level;
                const float far = 1.0f + off * off / (farLineDb * farLineDb);
                const float weight = pass == 0 ? weights.heard[h] : weights.heard[h] / (far * far);
                sum += weight * off;
                all += weight;
            }
            level += sum / all;
        }
        return level;
    }

    /// log2 of each line's multiple of the pitch.
    static const std::array<double, lineCount>& lineOctaves() {
        static const auto octaves = [] {
            std::array<double, lineCount> all{};
            for (std::size_t h = 0; h < all.size(); ++h) all[h] = std::log2(0.5 * static_cast<double>(h + 1));
            return all;
        }();
        return octaves;
    }

    const StoryFitter& fitter_;
    const SourceSpectra& spectra_;
    const GainTable* table_;
};

StoryFitter::StoryFitter(const Profile& profile, const std::vector<LineInstant>& instants)
    : profile_(profile), instants_(instants), span_(profile, instants) {
    for (const LineInstant& each : instants) weights_.emplace_back(each);
}

double StoryFitter::errorOf(const Model& model, const SourceFilterFit& fit) const {
    double worth = 0.0;
    for (const LineInstant& each : instants_) worth += each.worth;
    return std::sqrt(static_cast<double>(model.residual(fit).squaredNorm()) / worth);
}

SourceFilterFit StoryFitter::refined(const SourceSpectra& spectra, const SourceFilterFit& from) const {
    SourceSpectra anyWidth;
    SourceFilterFit fit = from;
    const bool pulse = standingPulse(from.source);
    if (pulse) { // its width is fitted too
        anyWidth = pulseOfAnyWidth();
        anyWidth.second = spectra.second;
        fit.place = {};
        fit.place.rest = from.source.width;
    }
    const SourceSpectra& used = pulse ? anyWidth : spectra;
    std::vector<Knob> knobs;
    if (used.places.size() > 1) {
        if (pulse)
            knobs.push_back({[](SourceFilterFit& f) -> double& { return f.place.rest; }, used.places.front().value,
                             used.places.back().value});
        else
            addCourse(knobs, &SourceFilterFit::place, fit, span_, limitsOfPlace(used));
    }
    if (fit.filtered) {
        constexpr CourseLimits ofCutoff{5.0, 14.3, 0.0, 1.1, 0.0, 4.0, 2.0, 1.0}; // 32 Hz … 20 kHz
        addCourse(knobs, &SourceFilterFit::cutoff, fit, span_, ofCutoff);
        knobs.push_back(
            {[](SourceFilterFit& f) -> double& { return f.resonanceDb; }, GainTable::lowestDb, GainTable::highestDb});
    }
    if (fit.source.second)
        knobs.push_back({[](SourceFilterFit& f) -> double& { return f.source.secondDb; }, -24.0, 12.0});
    const Model model(*this, used, fit);
    if (!knobs.empty()) {
        const auto count = static_cast<Eigen::Index>(knobs.size());
        LeastSquaresProblem problem;
        problem.lower.resize(count);
        problem.upper.resize(count);
        Eigen::VectorXd start(count);
        for (Eigen::Index k = 0; k < count; ++k) {
            const Knob& knob = knobs[static_cast<std::size_t>(k)];
            problem.lower(k) = knob.lower;
            problem.upper(k) = knob.upper;
            start(k) = std::clamp(knob.read(fit), knob.lower, knob.upper);
        }
        const auto at = [&](const Eigen::VectorXd& point) {
            SourceFilterFit there = fit;
            for (Eigen::Index k = 0; k < count; ++k) knobs[static_cast<std::size_t>(k)].write(there, point(k));
            return there;
        };
        problem.residuals = [&](const std::vector<Eigen::VectorXd>& points) {
            std::vector<Eigen::VectorXf> all;
            for (const Eigen::VectorXd& point : points) {
                Eigen::VectorXf residual = model.residual(at(point));
                residual.conservativeResize(residual.size() + count);
                for (Eigen::Index k = 0; k < count; ++k)
                    residual(residual.size() - count + k) =
                        static_cast<float>(knobs[static_cast<std::size_t>(k)].pull * point(k));
                all.push_back(std::move(residual));
            }
            return all;
        };
        LeastSquaresSettings settings;
        settings.iterations = 8;
        settings.differenceStep = 2e-3;
        settings.tolerance = 3e-3;
        fit = at(minimizeLeastSquares(problem, start, settings).point);
    }
    fit.errorDb = errorOf(model, fit);
    if (pulse) {
        fit.source.width = fit.place.rest;
        fit.place = {};
    }
    if (fit.cutoff.cycleHz > 0.0) fit.cutoff.cyclePhase -= std::floor(fit.cutoff.cyclePhase);
    if (fit.place.cycleHz > 0.0) fit.place.cyclePhase -= std::floor(fit.place.cyclePhase);
    return fit;
}

SourceFilterFit StoryFitter::withSecond(const SourceSpectra& spectra, const SourceFilterFit& alone) const {
    struct Second {
        Wave wave;
        int half;
        double db;
    };
    Second chosen{Wave::sine, 0, 0.0};
    double least = alone.errorDb;
    for (int half : {1, 2, 3, 4})
        for (Wave wave : {Wave::sine, Wave::pulse, Wave::saw})
            for (double db : {-12.0, -4.0, 4.0}) {
                const SourceSpectra two = spectra.withSecond(wave, half, db);
                SourceFilterFit fit = alone;
                fit.source = two.story;
                const double error = errorOf(Model(*this, two, fit), fit);
                if (error >= least) continue;
                least = error;
                chosen = {wave, half, db};
            }
    if (chosen.half == 0) return alone;
    const SourceSpectra two = spectra.withSecond(chosen.wave, chosen.half, chosen.db);
    SourceFilterFit fit = alone;
    fit.source = two.story;
    fit = refined(two, fit);
    return fit.errorDb + two.cost < alone.errorDb + spectra.cost ? fit : alone;
}

} // namespace facet
