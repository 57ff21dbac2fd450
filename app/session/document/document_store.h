// The open project: its document, the history of its edits, its file and its journal.
#pragma once

#include "app/session/messages.h"
#include "core/project/document.h"
#include "core/project/journal.h"

#include <QObject>
#include <QString>
#include <QTimer>
#include <QUndoStack>
#include <filesystem>
#include <functional>

namespace facet {

/// Owns the document. Every change is one undoable edit, journaled within a third of a second; where one looks (which
/// cue, which excerpt) is no edit, but is kept with the project. GUI thread only.
class DocumentStore : public QObject {
    Q_OBJECT

public:
    /// `stateFolder`: where the journal lives.
    DocumentStore(const std::filesystem::path& stateFolder, Messages& messages, QObject* parent = nullptr);
    ~DocumentStore() override;

    const Document& document() const { return *document_; }
    const Cue* cue() const { return document_->active(); }
    /// The excerpt in view; null without one.
    const Excerpt* excerpt() const { return cue() ? cue()->excerpt() : nullptr; }
    /// Notes of the excerpt in view, corrected; empty without one.
    Performance performance() const;
    /// Changes whenever another project is opened: marks late results as another one's.
    std::uint64_t projectNumber() const { return projectNumber_; }

    // ---- project ----

    /// "Night Dome" or "Untitled".
    QString title() const;
    /// Empty when never saved.
    const std::filesystem::path& path() const { return path_; }
    bool modified() const { return !undo_.isClean() || neverSaved_; }
    QUndoStack& undoStack() { return undo_; }

    void newProject();
    /// Throws Error; the open project stays as it is then.
    void open(const std::filesystem::path& path);
    /// Throws Error.
    void saveAs(const std::filesystem::path& path);
    /// Takes what a journal has recovered.
    void adopt(RecoveredWork work);
    /// Takes a document as the open project, saved at `path` already.
    void adopt(Document document, const std::filesystem::path& path, std::int64_t generation);
    void renameProject(const QString& name);

    // ---- edits; each is one step of undo ----

    /// Puts another document in place. Edits with equal non-empty `mergeKey` in a row become one step.
    void push(const QString& what, Document after, const QString& mergeKey = {});
    /// Replaces the active cue.
    void editCue(const QString& what, const std::function<void(Cue&)>& change, const QString& mergeKey = {});
    /// Replaces an excerpt of the active cue.
    void editExcerpt(const QString& what, std::uint64_t id, const std::function<void(Excerpt&)>& change,
                     const QString& mergeKey = {});
    /// `patch`: what the new cue begins with.
    void addCue(const Patch& patch);
    void renameCue(const QString& name);
    void removeCue();
    void setLoop(double begin, double end);
    /// Hears, compares and searches only what lies between two frequencies in Hz; 0, 0: everything.
    void setFocus(double lowHz, double highHz);
    /// How much a facet counts in the whole likeness: 0 sets it aside.
    void setFacetWeight(Facet facet, double weight);

    // ---- where one looks ----

    void selectCue(std::uint64_t id);
    void selectExcerpt(std::uint64_t id);

    // ---- journal ----

    /// What is journaled in place of the document: `unfinished` adds what running work has found, which a crash would
    /// lose.
    void journalThrough(std::function<Document(const Document&)> unfinished) { unfinished_ = std::move(unfinished); }
    void journalSoon() { journalTimer_.start(); }
    /// For what changes many times a second.
    void journalNowAndThen();

signals:
    /// Another cue, or another project, is about to be shown: what is under way for this one ends.
    void leaving();
    /// Another project was opened; comes before the signals below.
    void replaced();
    /// What was rendered beside the patch belongs to it as it stood before an edit or undo.
    void cueEdited();
    /// Another cue or excerpt is in view; comes before changed().
    void lookedElsewhere();
    void cueSwitched();
    void changed();
    /// After everybody knows of the change: what follows from the document is brought up to date.
    void settled();

private:
    friend class DocumentCommand;
    void apply(DocumentPtr document);
    void look(Document document);
    void startFresh(Document document, const std::filesystem::path& path, std::int64_t generation, bool saved);
    void beginJournal();
    void writeJournal();

    Messages& messages_;
    DocumentPtr document_;
    std::filesystem::path path_;
    std::int64_t generation_ = 0;
    bool neverSaved_ = true;
    std::uint64_t projectNumber_ = 0;
    QUndoStack undo_;
    Journal journal_;
    std::function<Document(const Document&)> unfinished_;
    QTimer journalTimer_;
    QTimer slowJournalTimer_;
};

} // namespace facet
