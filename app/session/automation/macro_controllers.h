// Macros turned by the controllers of a MIDI keyboard, which they learn by being turned.
#pragma once

#include "app/session/document/patch_editor.h"
#include "app/session/listening/playback.h"

#include <QObject>
#include <string>

namespace facet {

/// The next controller that is turned while a macro listens is kept in the patch as the macro's own; from then on it
/// turns it, as a slider does. A controller turns one macro of a patch. GUI thread only.
class MacroControllers : public QObject {
    Q_OBJECT

public:
    MacroControllers(DocumentStore& document, PatchEditor& patch, Playback& playback, Messages& messages,
                     QObject* parent = nullptr);

    /// Waits for a controller of the macro at a path; empty: of none.
    void learn(const std::string& macro);
    /// Path of the macro that waits; empty: none does.
    const std::string& learning() const { return learning_; }
    /// Takes the macro's controller away.
    void forget(const std::string& macro);

signals:
    void changed();

private:
    void turn(int number, double value);
    void give(const std::string& macro, int number);

    DocumentStore& document_;
    PatchEditor& patch_;
    Messages& messages_;
    std::string learning_;
};

} // namespace facet
