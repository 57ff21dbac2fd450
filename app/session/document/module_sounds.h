// Sounds that a patch's modules hold: wavetables, samples, responses, shapes; from files and from the reference.
#pragma once

#include "app/session/document/patch_editor.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/reference/notes_controller.h"

#include <QObject>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace facet {

/// Read or measured in the background; what comes of it is one step of undo. A problem is reported. GUI thread only.
class ModuleSounds : public QObject {
    Q_OBJECT

public:
    ModuleSounds(DocumentStore& document, PatchEditor& patch, const NotesController& notes, Messages& messages,
                 QObject* parent = nullptr)
        : QObject(parent), document_(document), patch_(patch), notes_(notes), messages_(messages) {}

    /// Reads a file into a module: a wavetable or sample of a source, whichever its wave asks for, or a response.
    void load(const std::string& path, const std::filesystem::path& file);
    /// Makes a wavetable of the longest chosen note of the reference.
    void takeTable(const std::string& path);
    /// Likewise the levels of its partials.
    void takePartials(const std::string& path);
    /// Gives an LFO the shape and rate by which that note's level goes up and down, and lets it move the layer's level
    /// as far. Reported when the level does not move.
    void takeShape(const std::string& path);

    bool busy() const { return making_.busy(); }

private:
    struct MeasuredNote {
        Note note;
        double hz;
    };
    /// The longest of the chosen notes of the reference, or of all; nothing, which is reported, when there is none.
    std::optional<MeasuredNote> longestNote();
    void fill(const std::string& path, const QString& what, std::function<void(ModuleData&)> make);

    DocumentStore& document_;
    PatchEditor& patch_;
    const NotesController& notes_;
    Messages& messages_;
    LatestJob<std::shared_ptr<const ModuleData>> making_;
};

} // namespace facet
