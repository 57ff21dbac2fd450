#include "app/session/session.h"

#include "core/base/log.h"
#include "core/engine/render.h"
#include "core/project/project_file.h"

#include <QUndoCommand>
#include <algorithm>
#include <chrono>

namespace facet {

namespace {

constexpr int journalDelayMs = 300;
constexpr int searchJournalMs = 1000; // its best changes many times a second

QString fileName(const std::filesystem::path& path) { return QString::fromStdString(path.stem().string()); }

} // namespace

/// A before/after pair; the two share everything that did not change.
class DocumentCommand : public QUndoCommand {
public:
    DocumentCommand(Session& session, const QString& what, DocumentPtr before, DocumentPtr after, QString mergeKey)
        : QUndoCommand(what), session_(session), before_(std::move(before)), after_(std::move(after)),
          mergeKey_(std::move(mergeKey)) {}

    void undo() override { session_.apply(before_); }
    void redo() override { session_.apply(after_); }
    int id() const override { return mergeKey_.isEmpty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* other) override {
        const auto* next = dynamic_cast<const DocumentCommand*>(other);
        if (!next || next->mergeKey_ != mergeKey_) return false;
        after_ = next->after_;
        return true;
    }

private:
    Session& session_;
    DocumentPtr before_;
    DocumentPtr after_;
    QString mergeKey_;
};

Session::Session(const std::filesystem::path& stateFolder, const std::string& outputName, QObject* parent)
    : QObject(parent), document_(std::make_shared<const Document>(newDocument())), journal_(stateFolder),
      collection_(stateFolder / "collection"), playback_(outputName) {
    journalTimer_.setSingleShot(true);
    journalTimer_.setInterval(journalDelayMs);
    connect(&journalTimer_, &QTimer::timeout, this, &Session::writeJournal);
    searchJournalTimer_.setSingleShot(true);
    searchJournalTimer_.setInterval(searchJournalMs);
    connect(&searchJournalTimer_, &QTimer::timeout, this, &Session::writeJournal);
    connect(&playback_, &Playback::problem, this, &Session::problem);
    connect(&playback_, &Playback::outputChanged, this, [this] {
        shownAudio_.reset(); // the new player has heard nothing yet
        referenceKey_ = renderKey_ = shownPiece_ = 0;
        pieceReady_ = false;
        refresh();
    });
    connect(&playback_, &Playback::slownessChanged, this, [this] {
        if (playback_.slowness() > 1) hearPiece(false);
        if (results_.reference.recording) showReference(results_.reference, referenceAtRate_);
    });
    noteEnd_.setSingleShot(true);
    connect(&noteEnd_, &QTimer::timeout, this, [this] {
        playback_.player().noteOff(heardKey_);
        heardKey_ = -1;
    });
    startFresh(*document_, {}, 0, true);
}

Session::~Session() {
    // A document that the producer closed is saved or was given up on purpose.
    journal_.end();
}

void Session::report(const std::exception& failure) {
    const auto* known = dynamic_cast<const Error*>(&failure);
    const QString detail = known ? QString::fromStdString(known->detail()) : QString();
    logInfo(std::string(failure.what()) + (detail.isEmpty() ? "" : " [" + detail.toStdString() + "]"));
    emit problem(QString::fromUtf8(failure.what()), detail);
}

// ---- document ----

QString Session::title() const { return path_.empty() ? QString::fromStdString(document_->name) : fileName(path_); }

void Session::startFresh(Document document, const std::filesystem::path& path, std::int64_t generation, bool saved) {
    recordMoves(false);
    stopMatch();
    ++projectCount_;
    match_ = {};
    undo_.clear();
    path_ = path;
    generation_ = generation;
    neverSaved_ = !saved;
    results_ = {};
    shownAudio_.reset();
    referenceKey_ = renderKey_ = 0;
    document_ = std::make_shared<const Document>(std::move(document));
    try {
        journal_.begin(*document_, path_, generation_);
    } catch (const Error& failure) {
        report(failure);
    }
    forgetBeside();
    playback_.player().stop();
    hearPiece(false);
    auditionBegin_ = -1.0;
    chosenNotes_.clear();
    likenesses_.clear();
    emit cueSwitched();
    emit documentChanged();
    emit matchChanged();
    refresh();
}

void Session::newProject() { startFresh(newDocument(), {}, 0, true); }

void Session::open(const std::filesystem::path& path) {
    LoadedProject project = loadProject(path);
    startFresh(std::move(project.document), path, project.generation, true);
}

void Session::adopt(Document document, const std::filesystem::path& path, std::int64_t generation) {
    startFresh(std::move(document), path, generation, true);
}

void Session::adopt(RecoveredWork work) {
    startFresh(std::move(work.document), work.projectPath, work.generation, false);
    // The old journal may go only once the new one holds everything.
    try {
        journal_.begin(*document_, {}, generation_);
        journal_.record(*document_);
        discardJournal(work.file);
    } catch (const Error& failure) {
        report(failure);
    }
}

void Session::saveAs(const std::filesystem::path& path) {
    saveProject(path, *document_, generation_ + 1);
    ++generation_;
    path_ = path;
    neverSaved_ = false;
    undo_.setClean();
    try {
        journal_.begin(*document_, path_, generation_);
    } catch (const Error& failure) {
        report(failure);
    }
    emit documentChanged();
    emit notice(tr("Saved as %1").arg(QString::fromStdString(path.filename().string())));
}

void Session::apply(DocumentPtr document) {
    const bool switched = document->activeCue != document_->activeCue;
    const bool elsewhere =
        document->active() && document->active() == document_->active(); // another cue, or the backing
    document_ = std::move(document);
    if (!elsewhere) forgetBeside();
    journalTimer_.start();
    const int notes = static_cast<int>(performance().notes.size());
    std::erase_if(chosenNotes_, [notes](int i) { return i >= notes; });
    if (switched) emit cueSwitched();
    emit documentChanged();
    refresh();
}

void Session::push(const QString& what, Document after, const QString& mergeKey) {
    undo_.push(
        new DocumentCommand(*this, what, document_, std::make_shared<const Document>(std::move(after)), mergeKey));
}

void Session::writeJournal() {
    try {
        journal_.record(withUnfinishedMatch());
    } catch (const std::exception& failure) {
        report(failure);
    }
}

// ---- edits ----

void Session::editCue(const QString& what, const std::function<void(Cue&)>& change, const QString& mergeKey) {
    if (!cue()) return;
    Cue changed = *cue();
    change(changed);
    push(what, withCue(*document_, std::move(changed)), mergeKey);
}

void Session::setParameter(const Address& address, double value) {
    if (!cue() || !cue()->patch.has(address)) return;
    const auto& descriptor = cue()->patch.descriptor(address);
    const double nearest = descriptor.nearest(value);
    if (nearest == cue()->patch.value(address)) return;
    if (recordingMoves_ && playback_.player().playing()) noteMove(address, descriptor.toUnit(nearest));
    editCue(
        tr("Change %1").arg(QString::fromUtf8(descriptor.label.data(), static_cast<int>(descriptor.label.size()))),
        [&](Cue& c) { c.patch.setNearest(address, nearest); }, QString::fromStdString("parameter " + address.text()));
}

void Session::setPatch(const QString& what, const Patch& patch) {
    editCue(what, [&](Cue& c) { c.patch = patch; });
}

void Session::setLocked(const Address& address, bool locked) {
    editCue(locked ? tr("Lock") : tr("Unlock"), [&](Cue& c) {
        if (locked)
            c.locks.insert(address);
        else
            c.locks.erase(address);
    });
}

void Session::setSearchRange(const Address& address, std::optional<std::pair<double, double>> range) {
    editCue(tr("Search range"), [&](Cue& c) {
        if (range)
            c.ranges[address] = std::minmax(range->first, range->second);
        else
            c.ranges.erase(address);
    });
}

void Session::renameProject(const QString& name) {
    Document after = *document_;
    after.name = name.toStdString();
    push(tr("Rename project"), std::move(after), "project name");
}

void Session::addCue() {
    recordMoves(false);
    Document after = *document_;
    Cue cue;
    cue.id = takeId(after);
    cue.name = "Cue " + std::to_string(after.cues.size() + 1);
    try {
        cue.patch = collection_.ownDefault().value_or(Patch());
    } catch (const Error& failure) {
        report(failure);
    }
    after.activeCue = cue.id;
    push(tr("Add cue"), withCue(after, std::move(cue)));
}

void Session::renameCue(const QString& name) {
    editCue(
        tr("Rename cue"), [&](Cue& c) { c.name = name.toStdString(); }, "cue name");
}

void Session::removeCue() {
    recordMoves(false);
    if (document_->cues.size() < 2) {
        emit notice(tr("A project keeps at least one cue."));
        return;
    }
    push(tr("Remove cue"), withoutCue(*document_, document_->activeCue));
}

void Session::selectCue(std::uint64_t id) {
    recordMoves(false);
    if (!document_->find(id) || id == document_->activeCue) return;
    // Where one looks is not an edit, but it is kept with the project.
    Document after = *document_;
    after.activeCue = id;
    document_ = std::make_shared<const Document>(std::move(after));
    playback_.player().stop();
    chosenNotes_.clear();
    emit cueSwitched();
    emit documentChanged();
    refresh();
}

void Session::setLoop(double begin, double end) {
    editCue(
        tr("Set loop"),
        [&](Cue& c) {
            c.loopBegin = begin;
            c.loopEnd = end;
        },
        "loop");
}

void Session::setFocus(double lowHz, double highHz) {
    editCue(tr("Set focus band"), [&](Cue& c) {
        c.focusLowHz = lowHz;
        c.focusHighHz = highHz;
    });
}

void Session::setFacetWeight(Facet facet, double weight) {
    editCue(tr("Weigh a facet"), [&](Cue& c) { c.facetWeights[static_cast<std::size_t>(facet)] = weight; });
}

} // namespace facet
