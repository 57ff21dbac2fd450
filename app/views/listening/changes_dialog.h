// What changed since a take: a list, each change taken back by itself.
#pragma once

#include "core/parameters/changes.h"

#include <QDialog>
#include <cstdint>

class QLabel;
class QPushButton;
class QTreeWidget;

namespace facet {

class Session;

/// Goes on being true while the patch is worked on.
class ChangesDialog : public QDialog {
    Q_OBJECT

public:
    ChangesDialog(Session& session, std::uint64_t take, QWidget* parent = nullptr);

private:
    void refresh();
    void takeBack();

    Session& session_;
    const std::uint64_t take_;
    std::vector<PatchChange> changes_;
    QLabel* about_;
    QTreeWidget* list_;
    QPushButton* back_;
};

} // namespace facet
