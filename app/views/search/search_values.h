// What a search may move: each value, how sure the last search is of it, the range it keeps to, and its lock.
#pragma once

#include <QWidget>

class QTreeWidget;

namespace facet {

class Session;

class SearchValues : public QWidget {
    Q_OBJECT

public:
    explicit SearchValues(Session& session, QWidget* parent = nullptr);
    void refresh();

private:
    void askRange();

    Session& session_;
    QTreeWidget* list_;
    QString shown_; ///< what the rows were made for
    bool filling_ = false;
};

} // namespace facet
