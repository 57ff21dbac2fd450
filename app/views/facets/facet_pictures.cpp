#include "app/views/facets/facet_pictures.h"

#include <QObject>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

QString tr(const char* words) { return QObject::tr(words); }

/// A track with gaps where it is not measurable.
PlottedCurve curveOf(const Track& track, std::size_t step = 1) {
    PlottedCurve curve;
    for (std::size_t i = 0; i < track.values.size(); i += step) {
        curve.x << static_cast<double>(i) * track.stepSeconds;
        curve.y << track.values[i];
    }
    return curve;
}

PlottedCurve levelCurve(const Profile& profile, double gain) {
    PlottedCurve curve = curveOf(profile.levelDb, 4);
    for (double& y : curve.y) y = std::max(y + gain, -120.0);
    return curve;
}

PlottedCurve partialCurve(const Profile& profile, double) {
    PlottedCurve curve;
    for (int n = 1; n <= shownPartials; ++n) {
        curve.x << n;
        curve.y << std::max<double>(profile.partials[static_cast<std::size_t>(n - 1)], partialFloorDb);
    }
    return curve;
}

PlottedCurve motionCurve(const Profile& profile, double) {
    PlottedCurve curve;
    const PeriodicChange& change = profile.motion.strongest().change;
    if (!change.found()) return curve;
    for (int i = 0; i <= 2 * cyclePoints; ++i) {
        curve.x << 1000.0 * i / (cyclePoints * change.rateHz);
        curve.y << change.cycle[static_cast<std::size_t>(i % cyclePoints)];
    }
    return curve;
}

template <typename Value> PlottedCurve bandCurve(const Profile& profile, Value&& value) {
    PlottedCurve curve;
    for (const WidthBand& band : profile.width.thirdOctaves) {
        curve.x << band.centerHz;
        curve.y << value(band);
    }
    return curve;
}

double lastEnd(const Profile& profile) {
    double end = 0.0;
    for (const NoteProfile& each : profile.notes) end = std::max(end, each.note.end);
    return end;
}

/// The level from the end of the last note on.
PlottedCurve tailCurve(const Profile& profile, double gain) {
    PlottedCurve curve;
    const double from = lastEnd(profile);
    for (std::size_t i = 0; i < profile.levelDb.values.size(); i += 4) {
        const double seconds = static_cast<double>(i) * profile.levelDb.stepSeconds;
        if (seconds < from) continue;
        curve.x << seconds - from;
        curve.y << std::max(profile.levelDb.values[i] + gain, -120.0);
    }
    return curve;
}

/// The decay of T20 as a line of 60 dB per so many seconds.
PlottedCurve tailLine(const Profile& profile, double gain) {
    PlottedCurve curve;
    const double seconds = profile.space.tailSeconds;
    if (!isMeasured(seconds) || seconds <= 0.0) return curve;
    const double from = lastEnd(profile) + 0.05;
    const double level = static_cast<double>(profile.levelDb.at(from)) + gain;
    if (!isMeasured(level)) return curve;
    curve.x << 0.05 << 0.05 + 0.6 * seconds;
    curve.y << level << level - 36.0;
    return curve;
}

FacetPicture overBands(const QString& title, const QString& unit, double least,
                       PlottedCurve (*curve)(const Profile&, double)) {
    FacetPicture picture{.title = title, .curve = curve};
    picture.xLabel = tr("Hz");
    picture.yLabel = picture.unit = unit;
    picture.xIsHz = picture.points = true;
    picture.overTime = false;
    picture.leastY = least;
    picture.decimals = unit.isEmpty() ? 2 : 1;
    return picture;
}

FacetPicture overTime(const QString& title, const QString& unit, double least,
                      PlottedCurve (*curve)(const Profile&, double)) {
    FacetPicture picture{.title = title, .curve = curve};
    picture.xLabel = tr("seconds");
    picture.yLabel = picture.unit = unit;
    picture.leastY = least;
    if (unit == tr("Hz")) {
        picture.yIsHz = true;
        picture.decimals = 0;
    }
    return picture;
}

} // namespace

std::vector<FacetPicture> picturesOf(Facet facet) {
    switch (facet) {
    case Facet::pitch: {
        auto cents = overTime(tr("cents against the note, over time"), tr("cents"), 60.0,
                              [](const Profile& p, double) { return curveOf(p.pitchCents); });
        cents.unit = tr("ct");
        auto hz = overTime(tr("fundamental over time"), tr("Hz"), 1.0,
                           [](const Profile& p, double) { return curveOf(p.pitchHz); });
        hz.decimals = 1;
        return {cents, hz};
    }
    case Facet::level: {
        auto level = overTime(tr("level over time, at equal loudness"), tr("dB"), 12.0, levelCurve);
        level.floor = -66.0;
        return {level};
    }
    case Facet::harmonics: {
        FacetPicture partials{.title = tr("level of each partial, re the strongest"), .curve = partialCurve};
        partials.xLabel = tr("partial");
        partials.yLabel = partials.unit = tr("dB");
        partials.overTime = false;
        partials.form = FacetPicture::Form::bars;
        FacetPicture apart = partials;
        apart.title = tr("difference of each partial, render less reference");
        apart.form = FacetPicture::Form::difference;
        return {partials, apart};
    }
    case Facet::brightness:
        return {overTime(tr("effective cutoff over time (−6 dB)"), tr("Hz"), 1.0,
                         [](const Profile& p, double) { return curveOf(p.cutoffHz); }),
                overTime(tr("spectral centroid over time"), tr("Hz"), 1.0,
                         [](const Profile& p, double) { return curveOf(p.centroidHz); }),
                overTime(tr("roll-off over time (95 % of the power below)"), tr("Hz"), 1.0,
                         [](const Profile& p, double) { return curveOf(p.rolloffHz); })};
    case Facet::noise: {
        auto bands = overBands(tr("noise in octaves, re the whole"), tr("dB"), 24.0, [](const Profile& p, double) {
            PlottedCurve curve;
            for (std::size_t k = 0; k < noiseBandHz.size(); ++k) {
                curve.x << noiseBandHz[k];
                curve.y << p.noise.bandNoiseDb[k];
            }
            return curve;
        });
        return {overTime(tr("harmonics to noise over time; 55 dB is clean"), tr("dB"), 20.0,
                         [](const Profile& p, double) { return curveOf(p.noise.ratioDb); }),
                bands};
    }
    case Facet::motion: {
        FacetPicture cycle{.title = tr("two cycles of what moves most"), .curve = motionCurve};
        cycle.xLabel = tr("milliseconds");
        cycle.decimals = 2;
        cycle.leastY = 0.1;
        cycle.overTime = false;
        return {cycle};
    }
    case Facet::width:
        return {overBands(tr("side re mid in third octaves; below −20 dB is mono"), tr("dB"), 24.0,
                          [](const Profile& p, double) {
                              return bandCurve(p, [](const WidthBand& band) { return band.sideDb; });
                          }),
                overBands(tr("correlation of left and right in third octaves"), QString(), 1.0,
                          [](const Profile& p, double) {
                              return bandCurve(p, [](const WidthBand& band) { return band.correlation; });
                          }),
                overBands(tr("energy in third octaves, re the loudest"), tr("dB"), 24.0, [](const Profile& p, double) {
                    return bandCurve(p, [](const WidthBand& band) { return band.levelDb; });
                })};
    case Facet::space: {
        auto decay =
            overBands(tr("decay after the notes (T20) in octaves"), tr("seconds"), 0.5, [](const Profile& p, double) {
                PlottedCurve curve;
                for (const Decay& each : p.space.decays) {
                    curve.x << each.centerHz;
                    curve.y << each.t20;
                }
                return curve;
            });
        decay.unit = tr("s");
        decay.decimals = 2;
        auto tail = overTime(tr("level after the last note, and the decay fitted to it"), tr("dB"), 24.0, tailCurve);
        tail.overTime = false;
        tail.xLabel = tr("seconds after the last note");
        tail.fitted = tailLine;
        tail.floor = -66.0;
        return {decay, tail};
    }
    }
    return {};
}

} // namespace facet
