// What a search may move: each value, how sure the last search is of it, the range it keeps to, and its lock.
#pragma once

#include <QWidget>

class QTreeWidget;

namespace facet {

class DocumentStore;
class PatchEditor;
class MatchController;
class Messages;

/// A row for each value that a search may move, is locked, or keeps to a range. Edits locks and ranges; the values
/// themselves are edited on the patch page. GUI thread only.
class SearchValues : public QWidget {
    Q_OBJECT

public:
    explicit SearchValues(DocumentStore& document, PatchEditor& patchEditor, MatchController& matching,
                          Messages& messages, QWidget* parent = nullptr);
    /// Shows the patch and the last search as they stand.
    void refresh();

private:
    void askRange();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    MatchController& matching_;
    Messages& messages_;
    QTreeWidget* list_;
    QString shown_; ///< what the rows were made for
    bool filling_ = false;
};

} // namespace facet
