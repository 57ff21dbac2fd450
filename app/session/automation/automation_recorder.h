// Turning a parameter while the phrase plays, kept as a curve of the performance.
#pragma once

#include "app/session/document/patch_editor.h"
#include "app/session/listening/listening.h"
#include "app/session/reference/notes_controller.h"

#include <QObject>
#include <map>

namespace facet {

/// While it records, what is turned during playback becomes curves in the end; the parameters stand where they stood
/// then, and all of it is one step of undo. GUI thread only.
class AutomationRecorder : public QObject {
    Q_OBJECT

public:
    AutomationRecorder(DocumentStore& document, PatchEditor& patch, NotesController& notes, Listening& listening,
                       Playback& playback, Messages& messages, QObject* parent = nullptr);

    void record(bool on);
    bool recording() const { return recording_; }

signals:
    void changed();

private:
    struct TurnedParameter {
        double before = 0.0;             ///< its value
        double last = 0.0;               ///< seconds
        double place = 0.0;              ///< on its scale, since then
        std::map<double, double> points; ///< place on its scale, by seconds into the phrase
    };
    /// A value that was set while the phrase plays. What it passes over once more takes the place of what was there.
    void note(const Address& address, double place);
    void keep();

    DocumentStore& document_;
    NotesController& notes_;
    Listening& listening_;
    Messages& messages_;
    bool recording_ = false;
    std::map<Address, TurnedParameter> turned_;
};

} // namespace facet
