// Asks for the values that a search keeps to.
#pragma once

#include "core/parameters/patch.h"

class QString;
class QWidget;

namespace facet {

class Session;

/// `name`: how people read the parameter. What is typed wrongly is told in the status bar.
void askSearchRange(Session& session, const Address& address, const QString& name, QWidget* parent);

} // namespace facet
