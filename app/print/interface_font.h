// The font that Facet ships.
#pragma once

#include <QString>

namespace facet {

/// Its family, loaded from the program's resources at the first call; a plain one of the system where the program has
/// none. GUI thread only.
QString interfaceFamily();

} // namespace facet
