// The ends of a link: what moves, what is moved, and what scales it, as three lists.
#pragma once

#include "core/parameters/patch.h"

#include <QWidget>
#include <string>
#include <vector>

class QComboBox;

namespace facet {

class DocumentStore;
class PatchEditor;

/// Shows and edits the ends of one link of the active cue's patch. Shows changes at refresh().
class LinkEnds : public QWidget {
    Q_OBJECT

public:
    LinkEnds(DocumentStore& document, PatchEditor& patchEditor, std::string path, QWidget* parent = nullptr);
    void refresh();

private:
    QComboBox* makeList(const QString& label, const QString& tip);
    void take();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    const std::string path_;
    QComboBox* from_;
    QComboBox* to_;
    QComboBox* by_;
};

} // namespace facet
