// What sound a module holds (cycles, a sample, a recorded response), and ways to another.
#pragma once

#include "core/parameters/patch.h"

#include <QWidget>
#include <string>

class QLabel;
class QToolButton;

namespace facet {

class DocumentStore;
class ModuleSounds;
class PatchEditor;
class TableFrames;

/// Shows itself only where the module's wave or kind uses a sound. Shows changes at refresh(). GUI thread only.
class ModuleSoundView : public QWidget {
    Q_OBJECT

public:
    ModuleSoundView(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds,
                    const Patch::Module& module, QWidget* parent = nullptr);
    void refresh(const Patch& patch, const Patch::Module& module);

signals:
    /// A file is wanted for the module.
    void soundWanted(const QString& path);

private:
    const std::string path_;
    TableFrames* cycles_ = nullptr; ///< of sources only, as are the three buttons below
    QToolButton* takeCycles_ = nullptr;
    QToolButton* removeCycle_ = nullptr;
    QToolButton* reverseCycles_ = nullptr;
    QWidget* row_;
    QLabel* text_;
};

} // namespace facet
