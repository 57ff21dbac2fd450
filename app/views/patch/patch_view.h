// The patch as a score: one line a module in signal order, the chosen one open.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/document/module_sounds.h"
#include "app/session/results/module_readings.h"
#include "app/session/results/patch_comparisons.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/messages.h"

#include <QWidget>
#include <map>
#include <string>
#include <vector>

class QButtonGroup;
class QLabel;
class QLineEdit;
class QListWidget;
class QScrollArea;
class QToolButton;
class QVBoxLayout;

namespace facet {

class ModuleRow;
class ParameterRow;

/// Beside the score: what is listened to, and the macros. Shows changes at refresh().
class PatchView : public QWidget {
    Q_OBJECT

public:
    explicit PatchView(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds,
                       ModuleReadings& readings, PatchComparisons& comparisons, Listening& listening,
                       Playback& playback, Messages& messages, QWidget* parent = nullptr);
    void refresh();
    /// Opens a module's line, and closes the one that was open; an empty path closes it only.
    void open(const std::string& path);
    const std::string& chosen() const { return chosen_; }
    /// Something plays at this place of the excerpt, or nothing (< 0): the open filter follows its envelope.
    void followPlayhead(double seconds);
    /// Opens the line of a parameter and puts the keyboard into it.
    void goTo(const Address& address);
    /// Puts the keyboard into the field that finds parameters.
    void startFinding();

protected:
    void showEvent(QShowEvent*) override;

signals:
    /// A file is wanted for the module with this path.
    void soundWanted(const QString& module);
    /// The patch is to begin from another.
    void startWanted();

private:
    void rebuild(const Patch& patch);
    void dragEffect(ModuleRow* row, QPoint place, bool dropped);
    QWidget* makeRail();
    QToolButton* makeAdder();
    void offerModules();
    void choose(const std::string& path);
    void step(const std::string& from, int by);
    void refreshRail(const Patch& patch);
    void refreshHearing();
    void find(const QString& words);
    void reveal(ModuleRow* row);
    bool eventFilter(QObject* watched, QEvent* event) override;
    void add(ModuleKind kind, const std::string& layer);
    ModuleRow* rowOf(const std::string& path) const;

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    ModuleSounds& sounds_;
    ModuleReadings& readings_;
    PatchComparisons& comparisons_;
    Listening& listening_;
    Playback& playback_;
    Messages& messages_;
    QToolButton* adder_;
    QLineEdit* find_;
    QListWidget* found_;
    QScrollArea* area_;
    QButtonGroup* hearing_;
    QLabel* heardWords_;
    QLabel* macrosTitle_;
    QVBoxLayout* macrosLayout_;
    std::vector<ParameterRow*> macros_;
    std::vector<std::string> shownMacros_;
    std::vector<ModuleRow*> rows_;
    QWidget* dropLine_ = nullptr;    ///< where a dragged effect would go
    std::vector<std::string> shown_; ///< paths of all modules, as the rows were made
    std::string chosen_;             ///< whose line is open or was last
    bool revealing_ = false;         ///< an opened line is brought into view as it grows
    std::uint64_t cue_ = 0;
};

} // namespace facet
