// What a search may move: each value, how sure the last search is of it, the range it keeps to, and its lock.
#pragma once

#include <QWidget>

class QTreeWidget;

namespace facet {

class DocumentStore;
class PatchEditor;
class MatchController;
class Messages;

class SearchValues : public QWidget {
    Q_OBJECT

public:
    explicit SearchValues(DocumentStore& document, PatchEditor& patchEditor, MatchController& matching,
                          Messages& messages, QWidget* parent = nullptr);
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
