// What pictures over time share: axis, grid of bars and beats, the image of a spectrogram.
#pragma once

#include "core/analysis/spectrogram.h"
#include "core/performance/note_edit.h"

#include <QColor>
#include <QImage>
#include <QRectF>
#include <functional>

class QPainter;

namespace facet {

/// Where an instant in seconds lies.
using TimeToX = std::function<double(double)>;

inline constexpr double timesHeight = 15.0;

/// Marks and labels below `plot`, in seconds or milliseconds.
void paintTimes(QPainter& painter, const QRectF& plot, double begin, double end, const TimeToX& xAt);

/// Lines of bars, beats and steps where they do not crowd, with the bars' numbers at the top when `numbered`.
void paintGrid(QPainter& painter, const QRectF& plot, double begin, double end, const TimeToX& xAt, const Grid& grid,
               bool numbered);

/// From the paper through a color to the ink; low frequencies at the bottom, or at the top when `mirrored`.
QImage spectrogramImage(const Spectrogram& picture, const QColor& color, bool mirrored);

/// "+3:25.1" of an hour-long recording, "12.50 s" of a short one.
QString placeText(double seconds, double length);

} // namespace facet
