// One open project with everything that works on it.
#pragma once

#include "app/session/automation/automation_recorder.h"
#include "app/session/automation/macro_controllers.h"
#include "app/session/document/document_store.h"
#include "app/session/document/module_sounds.h"
#include "app/session/document/patch_editor.h"
#include "app/session/document/piece_editor.h"
#include "app/session/document/take_keeper.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/matching/build_controller.h"
#include "app/session/matching/elements_controller.h"
#include "app/session/matching/match_controller.h"
#include "app/session/matching/next_moves_controller.h"
#include "app/session/matching/seed_bank_keeper.h"
#include "app/session/matching/sound_exporter.h"
#include "app/session/instruments/instrument_keeper.h"
#include "app/session/matching/sheet_controller.h"
#include "app/session/matching/variations_controller.h"
#include "app/session/messages.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/reference/reference_controller.h"
#include "app/session/results/module_readings.h"
#include "app/session/results/patch_comparisons.h"
#include "app/session/results/results_controller.h"
#include "core/project/collection.h"

#include <QObject>
#include <filesystem>

namespace facet {

/// Makes the controllers and connects them; it has no behavior of its own. They work on one document, and none knows
/// another's state but through its public functions. Views take the controllers they need. GUI thread only.
class Session : public QObject {
public:
    /// `stateFolder`: where the journal and the collection live.
    Session(const std::filesystem::path& stateFolder, const std::string& outputName = {}, QObject* parent = nullptr);

    /// Adds a cue that begins with the producer's own default patch.
    void addCue();
    /// Whether anything is being read, rendered, compared or searched.
    bool busy() const;

    Messages messages;
    DocumentStore document;
    Collection collection; ///< the producer's own patches
    InstrumentKeeper instruments;
    Playback playback;
    PatchEditor patch;
    NotesController notes;
    ModuleSounds sounds;
    ReferenceController reference;
    PieceEditor piece;
    ResultsController results;
    TakeKeeper takes;
    ModuleReadings readings;
    PatchComparisons comparisons;
    Listening listening;
    AutomationRecorder automation;
    MacroControllers controllers;
    SeedBankKeeper bank;
    MatchController matching;
    VariationsController variations;
    NextMovesController nextMoves;
    ElementsController elements;
    BuildController build;
    SheetController sheet;
    SoundExporter exporter;
};

} // namespace facet
