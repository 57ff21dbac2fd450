#include "core/match/evidence/spectral_envelope_motion.h"

#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/dsp/linear_algebra.h"
#include "core/match/evidence/envelope_families.h"
#include "core/match/evidence/partial_moments.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <numbers>
#include <vector>

namespace facet {

namespace {

using Family = SpectralEnvelopeMotion::Family;
using Course = SpectralEnvelopeMotion::Course;

/// Levels of partials without what a smooth outline explains: a broken line over the logarithm of their number.
class Smooth {
public:
    explicit Smooth(int count) : roots_(count) {
        std::vector<double> knots;
        for (double knot : {3.0, 6.0, 12.0, 24.0})
            if (2.0 * knot <= count) knots.push_back(knot);
        Eigen::MatrixXd basis(count, 2 + static_cast<Eigen::Index>(knots.size()));
        for (int i = 0; i < count; ++i) {
            const double place = std::log2(i + 1.0);
            roots_(i) = std::pow(i + 1.0, -0.25); // high partials are many and noisy
            basis(i, 0) = 1.0;
            basis(i, 1) = place;
            for (std::size_t k = 0; k < knots.size(); ++k)
                basis(i, 2 + static_cast<Eigen::Index>(k)) = std::max(0.0, place - std::log2(knots[k]));
            basis.row(i) *= roots_(i);
        }
        basis_ = orthonormalBasis(basis);
        weight_ = roots_.squaredNorm();
    }

    Eigen::VectorXd without(const Eigen::VectorXd& levels) const {
        Eigen::VectorXd weighted = levels.cwiseProduct(roots_);
        weighted -= basis_ * (basis_.transpose() * weighted);
        return weighted / std::sqrt(weight_);
    }

private:
    Eigen::VectorXd roots_;
    Eigen::MatrixXd basis_;
    double weight_ = 1.0;
};

/// Mean squares in dB² that are left at each moment and place of a family, and how its number runs best through them.
class Surface {
public:
    Surface(const EnvelopeFamily& shapes, const std::vector<PartialMoment>& moments, const std::vector<Smooth>& smooth)
        : shapes_(shapes), moments_(moments), places_(static_cast<std::size_t>(shapes.count)) {
        costs_.resize(moments.size() * places_);
        blurred_.reserve(costs_.size());
        // Neighboring moments have the same pitch and, mostly, as many partials.
        std::vector<Eigen::VectorXd> known;
        double knownHz = 0.0;
        Eigen::Index knownCount = 0;
        for (std::size_t m = 0; m < moments.size(); ++m) {
            const PartialMoment& moment = moments[m];
            const Eigen::Index count = moment.levels.size();
            const Smooth& outline = smooth[static_cast<std::size_t>(count)];
            if (moment.hz != knownHz || count != knownCount) {
                known.clear();
                for (int p = 0; p < shapes.count; ++p) {
                    Eigen::VectorXd levels(count);
                    for (int n = 1; n <= count; ++n)
                        levels(n - 1) = dbFromGain(shapes.gain(shapes.placeAt(p), n, moment.hz) + 1e-6);
                    levels = levels.cwiseMax(levels.maxCoeff() - deepestZeroDb);
                    known.push_back(outline.without(levels));
                }
                knownHz = moment.hz;
                knownCount = count;
            }
            const Eigen::VectorXd heard = outline.without(moment.levels);
            for (std::size_t p = 0; p < places_; ++p)
                costs_[m * places_ + p] = static_cast<float>(std::min(most, (heard - known[p]).squaredNorm()));
            blur(m, static_cast<float>(heard.squaredNorm()));
            plain_ += heard.squaredNorm() / static_cast<double>(moments.size());
        }
    }

    /// Below what no course can come.
    double bound() const {
        double sum = 0.0;
        for (std::size_t m = 0; m < moments_.size(); ++m)
            sum += *std::min_element(costs_.begin() + static_cast<std::ptrdiff_t>(m * places_),
                                     costs_.begin() + static_cast<std::ptrdiff_t>((m + 1) * places_));
        return sum / static_cast<double>(moments_.size());
    }

    /// Where a course is at every so manieth moment: 0 at `from`, 1 at `to`.
    std::vector<float> shares(const SpectralEnvelopeMotion& motion, std::size_t every) const {
        std::vector<float> shares;
        for (std::size_t m = 0; m < moments_.size(); m += every) {
            double share = 0.0;
            if (motion.course == Course::cycle) {
                const double time = motion.withNotes ? moments_[m].sinceNote : moments_[m].since;
                share = 0.5 + 0.5 * std::sin(2.0 * std::numbers::pi * (motion.rateHz * time + motion.phase));
            } else if (motion.course == Course::ramp) {
                const double turns = moments_[m].sinceNote / motion.seconds;
                share = motion.bent ? 1.0 - std::exp(-turns) : std::min(1.0, turns);
            }
            shares.push_back(static_cast<float>(share));
        }
        return shares;
    }

    /// Mean cost over every so manieth moment of a course between two places within the family, counted from its first;
    /// infinite as soon as it is more than `hopeless`.
    double costOf(const std::vector<float>& costs, const std::vector<float>& shares, std::size_t every, double from,
                  double to, double hopeless) const {
        const auto enough = static_cast<float>(std::min(1e30, hopeless * static_cast<double>(shares.size())));
        const auto begin = static_cast<float>(from + 0.5), way = static_cast<float>(to - from);
        const float* row = costs.data();
        float sum = 0.0f;
        for (float share : shares) {
            sum += row[static_cast<int>(begin + way * share)];
            if (sum > enough) return std::numeric_limits<double>::infinity();
            row += every * places_;
        }
        return static_cast<double>(sum) / static_cast<double>(shares.size());
    }

    SpectralEnvelopeMotion still() const {
        SpectralEnvelopeMotion best = blank(Course::still);
        double least = std::numeric_limits<double>::infinity();
        for (int p = 0; p < shapes_.count; ++p) {
            SpectralEnvelopeMotion motion = best;
            motion.from = motion.to = shapes_.placeAt(p);
            improve(costs_, motion, best, least);
        }
        best.errorDb = std::sqrt(least);
        return best;
    }

    SpectralEnvelopeMotion ramp(int threads) const {
        std::vector<SpectralEnvelopeMotion> courses;
        for (double seconds = 0.04; seconds < 4.0; seconds *= 1.15)
            for (bool bent : {false, true}) {
                courses.push_back(blank(Course::ramp));
                courses.back().seconds = seconds;
                courses.back().bent = bent;
            }
        return bestOf(courses, threads,
                      [this](const SpectralEnvelopeMotion& course, Coarse& best) { tryEnds(course, best); });
    }

    /// The clock begins with each note, or with the recording.
    SpectralEnvelopeMotion cycle(bool withNotes, int threads) const {
        constexpr double highest = 7.0; // Hz
        double span = 0.2;
        for (const PartialMoment& moment : moments_) span = std::max(span, moment.sinceNote);
        if (!withNotes) span = std::max(span, moments_.back().since - moments_.front().since);
        std::vector<SpectralEnvelopeMotion> courses;
        for (double rate = std::max(0.15, 0.4 / span); rate < highest; rate += 0.1 / span) {
            courses.push_back(blank(Course::cycle));
            courses.back().withNotes = withNotes;
            courses.back().rateHz = rate;
        }
        return bestOf(courses, threads, [this](SpectralEnvelopeMotion course, Coarse& best) {
            constexpr int phases = 16;
            for (int phase = 0; phase < phases; ++phase) {
                course.phase = static_cast<double>(phase) / phases;
                tryEnds(course, best);
            }
        });
    }

    /// The course that leaves least, moving only where that explains much more than the best place to stand.
    SpectralEnvelopeMotion course(double enoughDb, int threads) const {
        constexpr double moveGain = 0.85;
        const bool effect = shapes_.family >= Family::phaser; // which knows no notes
        const SpectralEnvelopeMotion unmoved = still();
        SpectralEnvelopeMotion best = unmoved;
        const auto consider = [&](const SpectralEnvelopeMotion& moving) {
            if (moving.errorDb < moveGain * unmoved.errorDb && moving.errorDb < best.errorDb) best = moving;
        };
        if (!effect) consider(ramp(threads));
        if (best.errorDb > enoughDb) consider(cycle(!effect, threads));
        if (best.errorDb > enoughDb && !effect) consider(cycle(false, threads));
        best.stillErrorDb = unmoved.errorDb;
        return best;
    }

private:
    static constexpr double most = 144.0;

    SpectralEnvelopeMotion blank(Course course) const {
        SpectralEnvelopeMotion motion;
        motion.family = shapes_.family;
        motion.stages = shapes_.stages;
        motion.feedback = shapes_.feedback;
        motion.course = course;
        return motion;
    }

    struct Coarse {
        SpectralEnvelopeMotion motion;
        double cost = std::numeric_limits<double>::infinity();
    };

    /// A course between all pairs of places, some way apart; those of a cycle the low one first.
    void tryEnds(SpectralEnvelopeMotion motion, Coarse& best) const {
        constexpr int places = 40;
        const std::size_t every = std::max<std::size_t>(1, moments_.size() / 40);
        const std::vector<float> course = shares(motion, every);
        const int last = shapes_.count - 1, step = std::min(10, (last + places - 1) / places);
        for (int from = 0; from <= last; from += step)
            for (int to = motion.course == Course::cycle ? from + step : 0; to <= last; to += step) {
                const double cost = costOf(blurred_, course, every, from, to, best.cost);
                if (!(cost < best.cost)) continue;
                motion.from = shapes_.placeAt(from);
                motion.to = shapes_.placeAt(to);
                best = {motion, cost};
            }
    }

    /// The best of those most promising, each brought to the bottom of its valley: aliases look alike from afar.
    SpectralEnvelopeMotion bestOf(const std::vector<SpectralEnvelopeMotion>& courses, int threads,
                                  const std::function<void(const SpectralEnvelopeMotion&, Coarse&)>& look) const {
        constexpr std::size_t promising = 12;
        std::vector<Coarse> found(courses.size());
        parallelFor(static_cast<int>(courses.size()), threads, [&](int i) {
            const auto at = static_cast<std::size_t>(i);
            found[at] = {courses[at], plain_};
            look(courses[at], found[at]);
        });
        std::erase_if(found, [this](const Coarse& each) { return each.cost >= plain_; });
        std::sort(found.begin(), found.end(), [](const Coarse& a, const Coarse& b) { return a.cost < b.cost; });
        if (found.size() > promising) found.resize(promising);
        SpectralEnvelopeMotion best;
        best.errorDb = std::numeric_limits<double>::infinity();
        for (const Coarse& each : found)
            if (const SpectralEnvelopeMotion motion = refined(each.motion); motion.errorDb < best.errorDb)
                best = motion;
        return best;
    }

    void improve(const std::vector<float>& costs, const SpectralEnvelopeMotion& motion, SpectralEnvelopeMotion& best,
                 double& least) const {
        const double from = (motion.from - shapes_.first) / shapes_.step,
                     to = (motion.to - shapes_.first) / shapes_.step;
        const double last = shapes_.count - 1;
        if (std::min(from, to) < 0.0 || std::max(from, to) > last) return;
        if (const double cost = costOf(costs, shares(motion, 1), 1, from, to, least); cost < least) {
            least = cost;
            best = motion;
        }
    }

    /// Each number in turn a little more and less, over all moments: first through the wide valleys, then to the
    /// bottom.
    SpectralEnvelopeMotion refined(SpectralEnvelopeMotion best) const {
        const double range = shapes_.step * (shapes_.count - 1);
        double least = 0.0;
        for (const std::vector<float>* costs : {&blurred_, &costs_}) {
            least = std::numeric_limits<double>::infinity();
            improve(*costs, best, best, least);
            for (double reach = 0.05; reach > 0.0005; reach *= 0.6)
                for (int pass = 0; pass < 2; ++pass)
                    for (double by : {-reach, reach}) {
                        const auto attempt = [&](auto change) {
                            SpectralEnvelopeMotion motion = best;
                            change(motion);
                            improve(*costs, motion, best, least);
                        };
                        attempt([&](SpectralEnvelopeMotion& m) { m.from += by * range; });
                        attempt([&](SpectralEnvelopeMotion& m) { m.to += by * range; });
                        attempt([&](SpectralEnvelopeMotion& m) {
                            m.from += by * range;
                            m.to += by * range;
                        });
                        attempt([&](SpectralEnvelopeMotion& m) { m.seconds *= std::exp(4.0 * by); });
                        attempt([&](SpectralEnvelopeMotion& m) { m.rateHz *= std::exp(by); });
                        attempt([&](SpectralEnvelopeMotion& m) { m.phase += by; });
                    }
        }
        best.phase -= std::floor(best.phase);
        best.errorDb = std::sqrt(least);
        return best;
    }

    /// Costs with wide valleys, which a coarse search does not step over. What is worse than a smooth outline is no
    /// better than it, or the slopes of a valley would hide it.
    void blur(std::size_t m, float plain) {
        constexpr int reach = 4;
        const auto last = static_cast<int>(places_) - 1;
        for (int p = 0; p <= last; ++p) {
            float sum = 0.0f, weights = 0.0f;
            for (int by = -reach; by <= reach; ++by) {
                const auto weight = static_cast<float>(reach + 1 - std::abs(by));
                const auto at = static_cast<std::size_t>(std::clamp(p + by, 0, last));
                sum += weight * std::min(plain, costs_[m * places_ + at]);
                weights += weight;
            }
            blurred_.push_back(sum / weights);
        }
    }

    const EnvelopeFamily& shapes_;
    const std::vector<PartialMoment>& moments_;
    std::size_t places_;
    std::vector<float> costs_, blurred_; ///< by moment, then place
    double plain_ = 0.0;                 ///< mean cost of the smooth outline alone
};

/// What sounds alike, written in one way: of a pulse and its complement the narrower, and of the delays that add up to
/// one period, where there is but one pitch, the shorter.
SpectralEnvelopeMotion asUsual(SpectralEnvelopeMotion motion, const std::vector<PartialMoment>& moments) {
    double whole = 0.0;
    if (motion.family == Family::pulse) whole = 100.0;
    if (motion.family == Family::flanger &&
        std::all_of(moments.begin(), moments.end(), [&](const PartialMoment& m) { return m.hz == moments.front().hz; }))
        whole = 1000.0 / moments.front().hz;
    if (motion.from + motion.to <= whole || whole == 0.0 || std::max(motion.from, motion.to) >= whole) return motion;
    motion.from = whole - motion.from;
    motion.to = whole - motion.to;
    if (motion.course == Course::cycle) {
        std::swap(motion.from, motion.to);
        motion.phase += motion.phase < 0.5 ? 0.5 : -0.5;
    }
    return motion;
}

} // namespace

std::vector<SpectralEnvelopeMotion> spectralEnvelopeMotions(const Profile& profile, const Recording& recording,
                                                            int threads) {
    constexpr double mostOfPlain = 0.75, promising = 0.55, enough = 0.45, leastPlainDb = 1.5;
    constexpr std::size_t fewestMoments = 15, most = 2;
    const std::vector<PartialMoment> moments = partialMomentsOf(profile, recording);
    if (moments.size() < fewestMoments) return {};
    std::vector<Smooth> smooth;
    for (int count = 0; count <= mostPartials; ++count) smooth.emplace_back(std::max(count, fewestPartials));
    double plain = 0.0;
    for (const PartialMoment& moment : moments)
        plain += smooth[static_cast<std::size_t>(moment.levels.size())].without(moment.levels).squaredNorm() /
                 static_cast<double>(moments.size());
    plain = std::sqrt(plain);
    if (plain < leastPlainDb) return {};

    // Those that could come nearest are looked into, until one does.
    struct Member {
        EnvelopeFamily shapes;
        double boundDb;
    };
    const std::vector<EnvelopeFamily> all = envelopeFamilies();
    std::vector<double> boundsDb(all.size());
    parallelFor(static_cast<int>(all.size()), threads, [&](int i) {
        const auto at = static_cast<std::size_t>(i);
        boundsDb[at] = std::sqrt(Surface(all[at], moments, smooth).bound());
    });
    std::vector<Member> members;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (boundsDb[i] < promising * plain) members.push_back({all[i], boundsDb[i]});
    std::sort(members.begin(), members.end(), [](const Member& a, const Member& b) { return a.boundDb < b.boundDb; });
    if (members.size() > most) members.resize(most);

    std::vector<SpectralEnvelopeMotion> found;
    for (const Member& member : members) {
        if (!found.empty() && found.front().errorDb < enough * plain) break;
        SpectralEnvelopeMotion motion =
            asUsual(Surface(member.shapes, moments, smooth).course(enough * plain, threads), moments);
        motion.plainErrorDb = plain;
        if (motion.errorDb > mostOfPlain * plain) continue;
        const auto same = std::find_if(found.begin(), found.end(), [&](const SpectralEnvelopeMotion& each) {
            return each.family == motion.family;
        });
        if (same == found.end())
            found.push_back(motion);
        else if (motion.errorDb < same->errorDb)
            *same = motion;
        std::sort(found.begin(), found.end(), [](const SpectralEnvelopeMotion& a, const SpectralEnvelopeMotion& b) {
            return a.errorDb < b.errorDb;
        });
    }
    return found;
}

} // namespace facet
