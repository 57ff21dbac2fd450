// The partials of a harmonic table: bars to draw, and ways to change them all.
#pragma once

#include <QWidget>
#include <string>

namespace facet {

class DocumentStore;
class ModuleSounds;
class PartialsEditor;
class PatchEditor;

/// Every change is one step of undo. Shows changes at refresh(). GUI thread only.
class PartialsView : public QWidget {
    Q_OBJECT

public:
    PartialsView(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds, const std::string& path,
                 QWidget* parent = nullptr);
    void refresh();

private:
    PartialsEditor* bars_;
};

} // namespace facet
