// The patch's macros, and directions worth a control of their own.
#pragma once

#include <QWidget>
#include <memory>
#include <string>
#include <vector>

class QLabel;
class QVBoxLayout;

namespace facet {

class DocumentStore;
class MacroControllers;
class Messages;
class ParameterRow;
class PatchComparisons;
class PatchEditor;
class SheetController;

/// Macros are turned, named and removed; what is proposed is taken at a click, one step of undo each. GUI thread only.
class MacroPanel : public QWidget {
    Q_OBJECT

public:
    MacroPanel(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons, Messages& messages,
               SheetController& sheet, MacroControllers& controllers, QWidget* parent = nullptr);
    void refresh();

private:
    /// What gives a macro a controller, by turning it.
    QWidget* learnButton(const std::string& path, const QString& label, QWidget* parent);
    void fillOwn();
    void fillProposed();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    PatchComparisons& comparisons_;
    Messages& messages_;
    SheetController& sheet_;
    MacroControllers& controllers_;
    QLabel* none_;
    QVBoxLayout* own_;
    QLabel* proposedTitle_;
    QVBoxLayout* proposed_;
    std::vector<std::string> shownOwn_, shownProposed_; ///< what the rows were made for
    std::vector<ParameterRow*> rows_;
};

} // namespace facet
