// Every kept state of the cue, in a row: go back, rename, star, delete, keep another.
#pragma once

#include <QScrollArea>
#include <memory>
#include <vector>

class QHBoxLayout;

namespace facet {

class DocumentStore;
class TakeKeeper;
struct Take;

/// Each take as a button with its likeness; what can be done with it is in its context menu. GUI thread only.
class TakesBar : public QScrollArea {
    Q_OBJECT

public:
    explicit TakesBar(DocumentStore& document, TakeKeeper& takes, QWidget* parent = nullptr);
    /// Shows the active cue's takes.
    void refresh();

protected:
    QSize sizeHint() const override { return {300, 66}; }

signals:
    /// What changed since a take is to be listed.
    void changesWanted(quint64 take);
    /// It is to be compared with another one.
    void comparisonWanted(quint64 take);

private:
    void showMenu(std::uint64_t take, const QPoint& place);
    void rename(std::uint64_t take);
    void note(std::uint64_t take);

    DocumentStore& document_;
    TakeKeeper& takes_;
    QWidget* row_;
    QHBoxLayout* layout_;
    std::vector<std::shared_ptr<const Take>> shown_;
    std::uint64_t shownChosen_ = 0;
    bool shownMatches_ = false;
    std::uint64_t shownCue_ = 0;
};

} // namespace facet
