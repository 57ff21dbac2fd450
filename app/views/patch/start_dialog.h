// Where a patch begins: the empty one, the producer's own, a common kind of sound.
#pragma once

#include "core/project/collection.h"

#include <QDialog>
#include <optional>
#include <vector>

class QLineEdit;
class QPushButton;
class QTreeWidget;
class QTreeWidgetItem;

namespace facet {

class Collection;
class DocumentStore;
class TakeKeeper;
class PatchComparisons;
class Listening;
class Playback;
class Messages;

/// A list to search, hear in place and begin from; those nearest to the reference come first once they are weighed.
class StartDialog : public QDialog {
    Q_OBJECT

public:
    explicit StartDialog(DocumentStore& document, TakeKeeper& takes, PatchComparisons& comparisons,
                         Listening& listening, Playback& playback, Collection& collection, Messages& messages,
                         QWidget* parent = nullptr);
    ~StartDialog() override;

protected:
    void done(int result) override;

private:
    struct Start {
        Patch patch;
        std::vector<std::string> tags;
        std::filesystem::path file; ///< empty: not of the collection
        QString kind;
        std::optional<double> likeness;
    };
    void fill();
    void show(const QString& text);
    const Start* chosen() const;
    void begin();
    void keepPresent();
    void changeTags();
    void remove();
    void refreshButtons();
    bool tried(const std::function<void()>& change);

    DocumentStore& document_;
    TakeKeeper& takes_;
    PatchComparisons& comparisons_;
    Listening& listening_;
    Playback& playback_;
    Collection& collection_;
    Messages& messages_;
    std::vector<Start> starts_;
    quint64 ticket_ = 0;
    QLineEdit* search_;
    QTreeWidget* list_;
    QPushButton* hear_;
    QPushButton* begin_;
    QPushButton* tags_;
    QPushButton* remove_;
};

} // namespace facet
