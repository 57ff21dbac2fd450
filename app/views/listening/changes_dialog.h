// What changed since a take: a list, each change taken back by itself.
#pragma once

#include "core/parameters/changes.h"

#include <QDialog>
#include <cstdint>

class QLabel;
class QPushButton;
class QTreeWidget;

namespace facet {

class DocumentStore;
class PatchEditor;

/// Goes on being true while the patch is worked on.
class ChangesDialog : public QDialog {
    Q_OBJECT

public:
    ChangesDialog(DocumentStore& document, PatchEditor& patchEditor, std::uint64_t take, QWidget* parent = nullptr);

private:
    void refresh();
    void takeBack();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    const std::uint64_t take_;
    std::vector<PatchChange> changes_;
    QLabel* about_;
    QTreeWidget* list_;
    QPushButton* back_;
};

} // namespace facet
