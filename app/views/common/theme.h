// Colors, fonts and the style sheet of the window, light and dark.
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

class QApplication;

namespace facet {

/// Colors by what they are for. Text colors reach 4.5 : 1 on paper, card and selected (WCAG 2.1, success
/// criterion 1.4.3).
struct Theme {
    bool dark = false;
    QColor paper;     ///< window
    QColor card;      ///< plots, rows, fields
    QColor selected;  ///< chosen card, looped span
    QColor line;      ///< hairlines and grids
    QColor ink;       ///< text
    QColor quiet;     ///< secondary text, at least 4.5 : 1 on paper, card and selected
    QColor reference; ///< solid lines
    QColor render;    ///< dashed lines
    QColor note;      ///< notes on the ruler
    QColor good;
    QColor warning;
};

/// The theme in use. GUI thread only.
const Theme& theme();
/// Loads the shipped font once and applies colors and style sheet to the whole program.
void applyTheme(QApplication& app, bool dark);

/// The interface font at a size relative to the base of 10 pt.
QFont interfaceFont(double points = 10.0, QFont::Weight weight = QFont::Normal);

} // namespace facet
