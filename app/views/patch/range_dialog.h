// Asks for the values that a search keeps to.
#pragma once

#include "core/parameters/patch.h"

class QString;
class QWidget;

namespace facet {

class DocumentStore;
class PatchEditor;
class Messages;

/// `name`: how people read the parameter. The status bar says what was typed wrongly.
void askSearchRange(DocumentStore& document, PatchEditor& patchEditor, Messages& messages, const Address& address,
                    const QString& name, QWidget* parent);

} // namespace facet
