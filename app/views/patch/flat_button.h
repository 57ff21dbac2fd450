// Small buttons within the lines of the patch.
#pragma once

#include <QString>
#include <string>

class QToolButton;
class QWidget;

namespace facet {

/// A button without a frame. `tip` is its tool tip and what a screen reader says; `module`: path of the module it acts
/// on, which is kept as its property "module".
QToolButton* makeFlatButton(const QString& words, const QString& tip, const std::string& module, QWidget* parent);

} // namespace facet
