// The sheet: the patch as a page to read, copy, print and keep.
#pragma once

#include <QWidget>
#include <memory>

class QLabel;
class QProgressBar;
class QPushButton;
class QTextBrowser;

namespace facet {

class DocumentStore;
class SoundExporter;
class InstrumentKeeper;
class MacroControllers;
class MacroPanel;
class Messages;
class PatchComparisons;
class PatchEditor;
class SheetController;
struct Bundle;
struct Sheet;

/// Beside it the patch's macros. GUI thread only.
class SheetPage : public QWidget {
    Q_OBJECT

public:
    SheetPage(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons, SheetController& sheet,
              SoundExporter& exporter, InstrumentKeeper& instruments, MacroControllers& controllers, Messages& messages,
              QWidget* parent = nullptr);
    void refresh();
    /// Writes the sheet where the name says: .pdf, .html, .md or .txt. Returns false, having said why, where it cannot.
    bool save(const QString& path);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void changeEvent(QEvent* event) override;

private:
    void askWhere();
    void print();
    void exportSound();
    /// All that belongs to the sound; without a page where there is no sheet yet.
    Bundle bundle() const;
    void addPdf(Bundle& bundle);
    void copy();
    void showSheet();

    DocumentStore& document_;
    SheetController& sheet_;
    SoundExporter& exporter_;
    Messages& messages_;
    QLabel* state_;
    QProgressBar* progress_;
    QPushButton* take_;
    QPushButton* copy_;
    QPushButton* save_;
    QPushButton* print_;
    QTextBrowser* text_;
    MacroPanel* macros_;
    std::shared_ptr<const Sheet> shown_;
};

} // namespace facet
