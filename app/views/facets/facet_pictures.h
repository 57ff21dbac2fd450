// What a facet can be drawn as: which quantity runs along which axis, and the curve of one profile.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/table.h"

#include <QString>
#include <QVector>
#include <vector>

namespace facet {

constexpr int shownPartials = 32;
constexpr double partialFloorDb = -70.0;

/// Points of one curve, in the picture's units; x ascends.
struct PlottedCurve {
    QVector<double> x;
    QVector<double> y;
};

/// One way of drawing a facet: its axes and how to get a curve from a profile. `gain` is added to levels, dB, so that
/// both sounds are drawn equally loud.
struct FacetPicture {
    enum class Form { curves, bars, difference }; ///< bars: a pair for each value; difference: render less reference
    QString title;
    QString xLabel = {};
    QString yLabel = {};
    QString unit = {};   ///< of a value read off
    int decimals = 1;    ///< of a value read off
    bool xIsHz = false;  ///< logarithmic, third octaves
    bool yIsHz = false;  ///< logarithmic, octaves
    double leastY = 1.0; ///< smallest height shown
    double floor = -1e9; ///< what lies lower is drawn there
    bool points = false; ///< few values: marks besides the line
    bool overTime = true;
    Form form = Form::curves;
    PlottedCurve (*curve)(const Profile& profile, double gain);
    /// What was fitted to it, as a thin line; may be null.
    PlottedCurve (*fitted)(const Profile& profile, double gain) = nullptr;
};

/// The most informative one first; never empty.
std::vector<FacetPicture> picturesOf(Facet facet);

} // namespace facet
