#include "core/match/evidence/measured_course.h"

#include "core/dsp/linear_algebra.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr double fullTurn = 2.0 * std::numbers::pi;

/// An envelope's height so long after the note began.
double envelopeAt(double seconds, double attack, double decay) {
    if (seconds < attack) return seconds / attack;
    return decay > 0.0 ? std::exp(-(seconds - attack) / decay) : 1.0;
}

/// What each instant is worth, its root.
Eigen::VectorXd rootsOf(const std::vector<LineInstant>& instants) {
    Eigen::VectorXd roots(static_cast<Eigen::Index>(instants.size()));
    for (std::size_t i = 0; i < instants.size(); ++i)
        roots(static_cast<Eigen::Index>(i)) = std::sqrt(instants[i].worth);
    return roots;
}

/// Adds a sine to a course where it explains so much of the squares of what is left of it. Instants lie too far apart
/// for fast ones.
void addCycle(const std::vector<LineInstant>& instants, const Eigen::VectorXd& roots, const Eigen::VectorXd& left,
              double mustExplain, MeasuredCourse& course) {
    constexpr double slowest = 0.1, fastest = 4.0; // Hz
    constexpr Eigen::Index fewest = 10;
    const Eigen::Index count = left.size();
    if (count < fewest) return;
    const Eigen::VectorXd weighed = left.cwiseProduct(roots);
    double best = (1.0 - mustExplain) * weighed.squaredNorm();
    for (const bool withNotes : {false, true})
        for (double hz = slowest; hz < fastest; hz *= 1.07) {
            Eigen::MatrixXd matrix(count, 3);
            for (Eigen::Index i = 0; i < count; ++i) {
                const LineInstant& each = instants[static_cast<std::size_t>(i)];
                const double turn = fullTurn * hz * (withNotes ? each.sinceNote : each.at);
                matrix.row(i) << roots(i), roots(i) * std::sin(turn), roots(i) * std::cos(turn);
            }
            const Eigen::VectorXd x = nearestCombination(matrix, weighed);
            const double error = (matrix * x - weighed).squaredNorm();
            if (error >= best) continue;
            best = error;
            course.cycleHz = hz;
            course.cycleWithNotes = withNotes;
            course.cycleDepth = std::hypot(x(1), x(2));
            const double phase = std::atan2(x(2), x(1)) / fullTurn;
            course.cyclePhase = phase - std::floor(phase);
            course.errorRms = std::sqrt(error / roots.squaredNorm());
        }
}

} // namespace

PhraseSpan::PhraseSpan(const Profile& profile, const std::vector<LineInstant>& instants) {
    constexpr double leastKeys = 5.0, leastVelocities = 12.0, leastSeconds = 1.5;
    constexpr std::size_t leastInstants = 8;
    double lowKey = 200.0, highKey = -1.0, soft = 200.0, hard = -1.0, lastEnd = 0.1;
    for (const LineInstant& each : instants) {
        const Note& note = profile.notes[each.note].note;
        lowKey = std::min(lowKey, 1.0 * note.key);
        highKey = std::max(highKey, 1.0 * note.key);
        soft = std::min(soft, note.velocity);
        hard = std::max(hard, note.velocity);
    }
    for (const NoteProfile& each : profile.notes) lastEnd = std::max(lastEnd, each.note.end);
    begin = profile.notes.front().note.start;
    length = std::max(length, lastEnd - begin);
    keys = highKey - lowKey >= leastKeys;
    velocities = hard - soft >= leastVelocities;
    through = instants.size() >= leastInstants && instants.back().at - instants.front().at > leastSeconds;
}

double valueAt(const MeasuredCourse& course, const PhraseSpan& span, const Note& note, const LineInstant& instant) {
    double value = course.rest;
    if (course.envelope != 0.0) value += course.envelope * envelopeAt(instant.sinceNote, course.attack, course.decay);
    value += course.perOctave * (note.key - 60) / 12.0 + course.velocity * (note.velocity / 127.0 - 1.0) +
             course.along * (instant.at - span.begin) / span.length;
    if (course.cycleHz > 0.0)
        value += course.cycleDepth *
                 std::sin(fullTurn * (course.cycleHz * (course.cycleWithNotes ? instant.sinceNote : instant.at) +
                                      course.cyclePhase));
    return value;
}

MeasuredCourse courseOf(const Profile& profile, const std::vector<LineInstant>& instants,
                        const std::vector<double>& values) {
    const auto count = static_cast<Eigen::Index>(instants.size());
    const PhraseSpan span(profile, instants);
    const Eigen::VectorXd roots = rootsOf(instants);
    MeasuredCourse best;
    Eigen::VectorXd bestLeft;
    best.errorRms = 1e9;
    const auto attempt = [&](double attack, double decay, bool enveloped, bool along) {
        const Eigen::Index columns =
            1 + (enveloped ? 1 : 0) + (span.keys ? 1 : 0) + (span.velocities ? 1 : 0) + (along ? 1 : 0);
        // The ridge keeps what the notes do not tell near nothing.
        Eigen::MatrixXd matrix = Eigen::MatrixXd::Zero(count + columns, columns);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(count + columns);
        for (Eigen::Index i = 0; i < count; ++i) {
            const LineInstant& each = instants[static_cast<std::size_t>(i)];
            const Note& note = profile.notes[each.note].note;
            Eigen::Index c = 0;
            matrix(i, c++) = 1.0;
            if (enveloped) matrix(i, c++) = envelopeAt(each.sinceNote, attack, decay);
            if (span.keys) matrix(i, c++) = (note.key - 60.0) / 12.0;
            if (span.velocities) matrix(i, c++) = (note.velocity / 127.0 - 1.0);
            if (along) matrix(i, c++) = (each.at - span.begin) / span.length;
            right(i) = values[static_cast<std::size_t>(i)];
            matrix.row(i) *= roots(i);
            right(i) *= roots(i);
        }
        for (Eigen::Index c = 1; c < columns; ++c) matrix(count + c, c) = 0.3;
        const Eigen::VectorXd x = nearestCombination(matrix, right);
        const double error = std::sqrt((matrix * x - right).head(count).squaredNorm() / roots.squaredNorm());
        // A part has to earn its place.
        const double cost = error * (1.0 + 0.06 * static_cast<double>(columns));
        if (cost >= best.errorRms) return;
        best = {};
        bestLeft = (right - matrix * x).head(count).cwiseQuotient(roots);
        best.errorRms = cost;
        Eigen::Index c = 0;
        best.rest = x(c++);
        if (enveloped) {
            best.envelope = x(c++);
            best.attack = attack;
            best.decay = decay;
        }
        if (span.keys) best.perOctave = x(c++);
        if (span.velocities) best.velocity = x(c++);
        if (along) best.along = x(c++);
    };
    for (const bool along : {false, true}) {
        if (along && !span.through) continue;
        attempt(0.0, 0.0, false, along);
        for (double attack : {0.0, 0.02, 0.05, 0.1, 0.2, 0.45, 1.0}) {
            for (double decay = 0.02; decay < 3.0; decay *= 1.5) attempt(attack, decay, true, along);
            if (attack > 0.0) attempt(attack, 0.0, true, along);
        }
    }
    constexpr double half = 0.5;
    addCycle(instants, roots, bestLeft, half, best);
    return best;
}

MeasuredCourse cyclingCourseOf(const std::vector<LineInstant>& instants, const std::vector<double>& values) {
    const Eigen::VectorXd roots = rootsOf(instants);
    const Eigen::Map<const Eigen::VectorXd> given(values.data(), static_cast<Eigen::Index>(values.size()));
    MeasuredCourse course;
    course.rest = given.cwiseProduct(roots.cwiseAbs2()).sum() / roots.squaredNorm();
    addCycle(instants, roots, given.array() - course.rest, 0.0, course);
    return course;
}

} // namespace facet
