#include "app/session/document/document_store.h"

#include "core/base/error.h"
#include "core/project/project_file.h"

#include <QUndoCommand>
#include <utility>

namespace facet {

namespace {

constexpr int journalDelayMs = 300;
constexpr int slowJournalMs = 1000;

} // namespace

/// A before/after pair; the two share everything that did not change.
class DocumentCommand : public QUndoCommand {
public:
    DocumentCommand(DocumentStore& store, const QString& what, DocumentPtr before, DocumentPtr after, QString mergeKey)
        : QUndoCommand(what), store_(store), before_(std::move(before)), after_(std::move(after)),
          mergeKey_(std::move(mergeKey)) {}

    void undo() override { store_.apply(before_); }
    void redo() override { store_.apply(after_); }
    int id() const override { return mergeKey_.isEmpty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* other) override {
        const auto* next = dynamic_cast<const DocumentCommand*>(other);
        if (!next || next->mergeKey_ != mergeKey_) return false;
        after_ = next->after_;
        return true;
    }

private:
    DocumentStore& store_;
    DocumentPtr before_;
    DocumentPtr after_;
    QString mergeKey_;
};

DocumentStore::DocumentStore(const std::filesystem::path& stateFolder, Messages& messages, QObject* parent)
    : QObject(parent), messages_(messages), document_(std::make_shared<const Document>(newDocument())),
      journal_(stateFolder) {
    for (auto [timer, ms] : {std::pair{&journalTimer_, journalDelayMs}, {&slowJournalTimer_, slowJournalMs}}) {
        timer->setSingleShot(true);
        timer->setInterval(ms);
        connect(timer, &QTimer::timeout, this, &DocumentStore::writeJournal);
    }
}

DocumentStore::~DocumentStore() {
    // A document that the producer closed is saved or was given up on purpose.
    journal_.end();
}

Performance DocumentStore::performance() const { return excerpt() ? excerpt()->corrected() : Performance{}; }

// ---- project ----

QString DocumentStore::title() const {
    return QString::fromStdString(path_.empty() ? document_->name : path_.stem().string());
}

void DocumentStore::beginJournal() {
    try {
        journal_.begin(*document_, path_, generation_);
    } catch (const Error& failure) {
        messages_.report(failure);
    }
}

void DocumentStore::startFresh(Document document, const std::filesystem::path& path, std::int64_t generation,
                               bool saved) {
    emit leaving();
    ++projectNumber_;
    undo_.clear();
    path_ = path;
    generation_ = generation;
    neverSaved_ = !saved;
    document_ = std::make_shared<const Document>(std::move(document));
    beginJournal();
    emit replaced();
    emit cueSwitched();
    emit changed();
    emit settled();
}

void DocumentStore::newProject() { startFresh(newDocument(), {}, 0, true); }

void DocumentStore::open(const std::filesystem::path& path) {
    LoadedProject project = loadProject(path);
    startFresh(std::move(project.document), path, project.generation, true);
}

void DocumentStore::adopt(Document document, const std::filesystem::path& path, std::int64_t generation) {
    startFresh(std::move(document), path, generation, true);
}

void DocumentStore::adopt(RecoveredWork work) {
    startFresh(std::move(work.document), work.projectPath, work.generation, false);
    // The old journal may go only once the new one holds everything.
    try {
        journal_.begin(*document_, {}, generation_);
        journal_.record(*document_);
        discardJournal(work.file);
    } catch (const Error& failure) {
        messages_.report(failure);
    }
}

void DocumentStore::saveAs(const std::filesystem::path& path) {
    saveProject(path, *document_, generation_ + 1);
    ++generation_;
    path_ = path;
    neverSaved_ = false;
    undo_.setClean();
    beginJournal();
    emit changed();
    messages_.say(tr("Saved as %1").arg(QString::fromStdString(path.filename().string())));
}

void DocumentStore::renameProject(const QString& name) {
    Document after = *document_;
    after.name = name.toStdString();
    push(tr("Rename project"), std::move(after), "project name");
}

// ---- edits ----

void DocumentStore::apply(DocumentPtr document) {
    const bool switched = document->activeCue != document_->activeCue;
    const bool elsewhere =
        document->active() && document->active() == document_->active(); // another cue, or the backing
    document_ = std::move(document);
    if (!elsewhere) emit cueEdited();
    journalSoon();
    if (switched) emit cueSwitched();
    emit changed();
    emit settled();
}

void DocumentStore::push(const QString& what, Document after, const QString& mergeKey) {
    undo_.push(
        new DocumentCommand(*this, what, document_, std::make_shared<const Document>(std::move(after)), mergeKey));
}

void DocumentStore::editCue(const QString& what, const std::function<void(Cue&)>& change, const QString& mergeKey) {
    if (!cue()) return;
    Cue changed = *cue();
    change(changed);
    push(what, withCue(*document_, std::move(changed)), mergeKey);
}

void DocumentStore::editExcerpt(const QString& what, std::uint64_t id, const std::function<void(Excerpt&)>& change,
                                const QString& mergeKey) {
    editCue(
        what,
        [&](Cue& c) {
            auto* slot = c.slot(id);
            if (!slot) return;
            auto copy = std::make_shared<Excerpt>(**slot);
            change(*copy);
            *slot = std::move(copy);
        },
        mergeKey);
}

void DocumentStore::addCue(const Patch& patch) {
    emit leaving();
    Document after = *document_;
    Cue cue;
    cue.id = takeId(after);
    cue.name = "Cue " + std::to_string(after.cues.size() + 1);
    cue.patch = patch;
    after.activeCue = cue.id;
    push(tr("Add cue"), withCue(after, std::move(cue)));
}

void DocumentStore::renameCue(const QString& name) {
    editCue(
        tr("Rename cue"), [&](Cue& c) { c.name = name.toStdString(); }, "cue name");
}

void DocumentStore::removeCue() {
    emit leaving();
    if (document_->cues.size() < 2) {
        messages_.say(tr("A project keeps at least one cue."));
        return;
    }
    push(tr("Remove cue"), withoutCue(*document_, document_->activeCue));
}

void DocumentStore::setLoop(double begin, double end) {
    editCue(
        tr("Set loop"),
        [&](Cue& c) {
            c.loopBegin = begin;
            c.loopEnd = end;
        },
        "loop");
}

void DocumentStore::setFocus(double lowHz, double highHz) {
    editCue(tr("Set focus band"), [&](Cue& c) {
        c.focusLowHz = lowHz;
        c.focusHighHz = highHz;
    });
}

void DocumentStore::setFacetWeight(Facet facet, double weight) {
    editCue(tr("Weigh a facet"), [&](Cue& c) { c.facetWeights[static_cast<std::size_t>(facet)] = weight; });
}

// ---- where one looks ----

void DocumentStore::look(Document document) {
    const bool switched = document.activeCue != document_->activeCue;
    document_ = std::make_shared<const Document>(std::move(document));
    emit lookedElsewhere();
    if (switched) emit cueSwitched();
    emit changed();
    emit settled();
}

void DocumentStore::selectCue(std::uint64_t id) {
    emit leaving();
    if (!document_->find(id) || id == document_->activeCue) return;
    Document after = *document_;
    after.activeCue = id;
    look(std::move(after));
}

void DocumentStore::selectExcerpt(std::uint64_t id) {
    if (!cue() || (excerpt() && excerpt()->id == id)) return;
    Cue changed = *cue();
    changed.activeExcerpt = id;
    changed.loopBegin = changed.loopEnd = 0.0;
    look(withCue(*document_, std::move(changed)));
}

// ---- journal ----

void DocumentStore::journalNowAndThen() {
    if (!slowJournalTimer_.isActive()) slowJournalTimer_.start();
}

void DocumentStore::writeJournal() {
    try {
        journal_.record(unfinished_ ? unfinished_(*document_) : *document_);
    } catch (const std::exception& failure) {
        messages_.report(failure);
    }
}

} // namespace facet

#include "moc_document_store.cpp"
