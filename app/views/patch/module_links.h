// What moves a module and what it moves, with how far; and ways to add to it.
#pragma once

#include "core/parameters/reading.h"

#include <QWidget>
#include <string>
#include <vector>

class QVBoxLayout;

namespace facet {

class DocumentStore;
class Messages;
class ParameterRow;
class PatchComparisons;
class PatchEditor;

/// A line for each link from or to the module, with its amount and a switch. The lines are made anew only when the
/// links change. GUI thread only.
class ModuleLinks : public QWidget {
    Q_OBJECT

public:
    ModuleLinks(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons, Messages& messages,
                std::string path, QWidget* parent = nullptr);
    /// `movements`: of the whole patch.
    void refresh(const Patch& patch, const std::vector<Modulation>& movements);

private:
    void rebuild(const Patch& patch, const std::vector<const Modulation*>& into,
                 const std::vector<const Modulation*>& out);
    void clear();
    void addHeading(const QString& words);
    void addLine(const Patch& patch, const Modulation& movement, const QString& words);
    void addMenu(const QString& words, const QString& tip, const QString& name, void (ModuleLinks::*offer)());
    void offerMovers();
    void offerTargets();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    PatchComparisons& comparisons_;
    Messages& messages_;
    const std::string path_;
    QVBoxLayout* layout_;
    std::vector<ParameterRow*> amounts_;
    std::string shown_; ///< the links that the lines were made for
};

} // namespace facet
