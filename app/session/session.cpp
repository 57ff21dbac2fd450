#include "app/session/session.h"

#include "core/analysis/notes.h"
#include "core/analysis/quality.h"
#include "core/audio/audio_file.h"
#include "core/audio/stretch.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/base/log.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/performance/midi_file.h"
#include "core/project/project_file.h"

#include <QUndoCommand>
#include <algorithm>
#include <chrono>

namespace facet {

namespace {

/// Longer excerpts are shown, but neither analyzed nor matched: the producer selects a part first.
constexpr double longestAnalyzed = 20.0;
constexpr int journalDelayMs = 300;

std::uint64_t referenceKeyOf(const Cue& cue) {
    const Excerpt& excerpt = *cue.excerpt();
    Hasher hash;
    hash.text(excerpt.audioKey).number(excerpt.corrected().hash()).number(analysisVersion);
    return hash.text(std::to_string(cue.focusLowHz) + " " + std::to_string(cue.focusHighHz)).value();
}

std::uint64_t renderKeyOf(const Cue& cue) {
    if (!cue.excerpt()) return 0;
    return Hasher().number(referenceKeyOf(cue)).number(cue.patch.hash()).number(cue.id).value();
}

MeasuredSound soundOf(RecordingPtr recording) {
    MeasuredSound sound;
    sound.loudness = activeLoudness(atRate(*recording, analysisRateHz).channels);
    sound.recording = std::move(recording);
    sound.peaks = std::make_shared<const Peaks>(*sound.recording);
    return sound;
}

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
      playback_(outputName) {
    journalTimer_.setSingleShot(true);
    journalTimer_.setInterval(journalDelayMs);
    connect(&journalTimer_, &QTimer::timeout, this, &Session::writeJournal);
    connect(&playback_, &Playback::problem, this, &Session::problem);
    connect(&playback_, &Playback::outputChanged, this, [this] {
        shownAudio_.reset(); // the new player has heard nothing yet
        referenceKey_ = renderKey_ = 0;
        refresh();
    });
    connect(&playback_, &Playback::slownessChanged, this, [this] {
        if (results_.reference.recording) showReference(results_.reference, referenceAtRate_);
    });
    startFresh(*document_, {}, 0, true);
}

Session::~Session() {
    // A document that the producer closed is saved or was given up on purpose.
    journal_.end();
}

template <typename F> void Session::post(F&& work) {
    QMetaObject::invokeMethod(this, std::forward<F>(work), Qt::QueuedConnection);
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
    playback_.player().stop();
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
    document_ = std::move(document);
    journalTimer_.start();
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
        journal_.record(*document_);
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

void Session::renameProject(const QString& name) {
    Document after = *document_;
    after.name = name.toStdString();
    push(tr("Rename project"), std::move(after), "project name");
}

void Session::addCue() {
    Document after = *document_;
    Cue cue;
    cue.id = takeId(after);
    cue.name = "Cue " + std::to_string(after.cues.size() + 1);
    after.activeCue = cue.id;
    push(tr("Add cue"), withCue(after, std::move(cue)));
}

void Session::renameCue(const QString& name) {
    editCue(
        tr("Rename cue"), [&](Cue& c) { c.name = name.toStdString(); }, "cue name");
}

void Session::removeCue() {
    if (document_->cues.size() < 2) {
        emit notice(tr("A project keeps at least one cue."));
        return;
    }
    push(tr("Remove cue"), withoutCue(*document_, document_->activeCue));
}

void Session::selectCue(std::uint64_t id) {
    if (!document_->find(id) || id == document_->activeCue) return;
    // Where one looks is not an edit, but it is kept with the project.
    Document after = *document_;
    after.activeCue = id;
    document_ = std::make_shared<const Document>(std::move(after));
    playback_.player().stop();
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

void Session::keepTake(const QString& name) {
    if (!cue()) return;
    Document after = *document_;
    Take take;
    take.id = takeId(after);
    take.name = name.isEmpty() ? tr("Take %1").arg(cue()->takes.size() + 1).toStdString() : name.toStdString();
    take.patch = cue()->patch;
    take.keptAt =
        std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
    take.engineVersion = engineVersion;
    if (results_.comparisonIsCurrent && results_.comparison) take.likeness = results_.comparison->likeness;
    Cue changed = *cue();
    changed.chosenTake = take.id;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    push(tr("Keep take"), withCue(after, std::move(changed)));
}

void Session::restoreTake(std::uint64_t id) {
    editCue(tr("Go back to take"), [&](Cue& c) {
        for (const auto& take : c.takes)
            if (take->id == id) c.patch = take->patch;
        c.chosenTake = id;
    });
}

namespace {

template <typename F> void changeTake(Cue& cue, std::uint64_t id, F&& change) {
    for (auto& take : cue.takes)
        if (take->id == id) {
            Take copy = *take;
            change(copy);
            take = std::make_shared<const Take>(std::move(copy));
        }
}

} // namespace

void Session::renameTake(std::uint64_t id, const QString& name) {
    editCue(tr("Rename take"), [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.name = name.toStdString(); }); });
}

void Session::starTake(std::uint64_t id, bool starred) {
    editCue(starred ? tr("Star take") : tr("Unstar take"),
            [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.starred = starred; }); });
}

void Session::deleteTake(std::uint64_t id) {
    editCue(tr("Delete take"), [&](Cue& c) {
        std::erase_if(c.takes, [id](const auto& take) { return take->id == id; });
        if (c.chosenTake == id) c.chosenTake = 0;
    });
}

// ---- reference and notes ----

namespace {

/// Fills in what can be heard in an excerpt: its notes and tuning.
void findNotesOf(Excerpt& excerpt, const Task& task) {
    excerpt.imported = false;
    excerpt.performance.notes.clear();
    if (excerpt.audio->seconds() > longestAnalyzed) {
        excerpt.noteProblem =
            "This recording is long: drag over the sound you want and use the selection as reference.";
        return;
    }
    const auto mono = monoMix(atRate(*excerpt.audio, analysisRateHz));
    FoundNotes found = findNotes(mono, task);
    excerpt.performance.notes = found.performance.notes;
    excerpt.performance.tuningCents = found.performance.tuningCents;
    if (found.tempoConfidence > 0.9) excerpt.performance.tempo = found.performance.tempo;
    excerpt.noteProblem = found.problem;
    excerpt.noteEvidence = found.evidence();
}

} // namespace

void Session::setReference(std::uint64_t cueId, const QString& what, const Excerpt& excerpt) {
    const Cue* target = document_->find(cueId);
    if (!target) return;
    Document after = *document_;
    Cue changed = *target;
    Excerpt kept = excerpt;
    kept.id = takeId(after);
    changed.excerpts = {std::make_shared<const Excerpt>(std::move(kept))};
    changed.loopBegin = changed.loopEnd = 0.0;
    if (changed.takes.empty() && target->excerpts.empty())
        changed.name = std::filesystem::path(excerpt.sourcePath).stem().string();
    push(what, withCue(after, std::move(changed)));
    if (!excerpt.noteProblem.empty()) emit notice(QString::fromStdString(excerpt.noteProblem));
}

void Session::prepareReference(const QString& what, std::function<Excerpt()> make) {
    imports_.submit(
        [this, what, make = std::move(make), cueId = document_->activeCue, project = projectCount_](const Task& task) {
            auto excerpt = std::make_shared<Excerpt>();
            std::exception_ptr failure;
            try {
                *excerpt = make();
                findNotesOf(*excerpt, task);
            } catch (...) {
                failure = std::current_exception();
            }
            post([this, what, excerpt, failure, cueId, project] {
                try {
                    if (failure) std::rethrow_exception(failure);
                    if (project == projectCount_) setReference(cueId, what, *excerpt);
                } catch (const Cancelled&) {
                } catch (const std::exception& problem) {
                    report(problem);
                }
                emit resultsChanged();
            });
        });
}

void Session::importReference(const std::filesystem::path& path) {
    emit notice(tr("Listening to %1 …").arg(QString::fromStdString(path.filename().string())));
    prepareReference(tr("Import reference"),
                     [path] { return makeExcerpt(path.string(), readWholeFile(path, 4ull << 30)); });
}

void Session::useSelectionAsReference() {
    const Cue* current = cue();
    if (!current || !current->excerpt()) return;
    if (!(current->loopEnd > current->loopBegin)) {
        emit notice(tr("Drag over the part you want in the upper picture first."));
        return;
    }
    prepareReference(tr("Use selection as reference"),
                     [whole = current->excerpts.front(), begin = current->loopBegin, end = current->loopEnd] {
                         Excerpt part = makeExcerpt(whole->sourcePath.empty() ? "reference.wav" : whole->sourcePath,
                                                    *whole->bytes, begin, end);
                         part.sourceHash = whole->sourceHash;
                         part.begin += whole->begin;
                         part.end += whole->begin;
                         part.performance.tempo = whole->performance.tempo;
                         return part;
                     });
}

namespace {

void changeExcerpt(Cue& cue, const std::function<void(Excerpt&)>& change) {
    if (cue.excerpts.empty()) return;
    Excerpt copy = *cue.excerpts.front();
    change(copy);
    cue.excerpts.front() = std::make_shared<const Excerpt>(std::move(copy));
}

} // namespace

void Session::importNotes(const std::filesystem::path& midi) {
    if (!cue() || !cue()->excerpt()) {
        emit notice(tr("Open a reference first; then its notes can be imported."));
        return;
    }
    try {
        Performance imported = readMidi(midi);
        imported.tuningCents = tuningAgainst(monoMix(atRate(*cue()->excerpt()->audio, analysisRateHz)), imported);
        editCue(tr("Import notes"), [&](Cue& c) {
            changeExcerpt(c, [&](Excerpt& e) {
                e.performance.notes = imported.notes;
                e.performance.bends = imported.bends;
                e.performance.tempo = imported.tempo;
                e.performance.tuningCents = imported.tuningCents;
                e.imported = true;
                e.noteProblem.clear();
                e.noteEvidence.clear();
                e.corrections.clear();
            });
        });
    } catch (const std::exception& failure) {
        report(failure);
    }
}

void Session::findNotesAgain() {
    if (!cue() || !cue()->excerpt()) return;
    const auto source = cue()->excerpts.front();
    const std::uint64_t cueId = cue()->id;
    const std::uint64_t project = projectCount_;
    imports_.submit([this, source, cueId, project](const Task& task) {
        auto excerpt = std::make_shared<Excerpt>(*source);
        bool done = false;
        try {
            findNotesOf(*excerpt, task);
            done = true;
        } catch (const Cancelled&) {}
        post([this, excerpt, cueId, project, done] {
            if (!done || project != projectCount_ || !document_->find(cueId)) return;
            Cue changed = *document_->find(cueId);
            changed.excerpts = {std::make_shared<const Excerpt>(*excerpt)}; // corrections stay
            push(tr("Find notes again"), withCue(*document_, std::move(changed)));
            if (!excerpt->noteProblem.empty()) emit notice(QString::fromStdString(excerpt->noteProblem));
        });
    });
}

void Session::correctNote(const QString& what, const Note& from, const std::optional<Note>& to,
                          const QString& mergeKey) {
    editCue(
        what,
        [&](Cue& c) {
            changeExcerpt(c, [&](Excerpt& e) {
                // A note that was corrected before is corrected further, from what was found.
                for (auto& correction : e.corrections)
                    if (correction.to == from) {
                        correction.to = to;
                        std::erase_if(e.corrections, [](const NoteCorrection& k) { return !k.from && !k.to; });
                        return;
                    }
                e.corrections.push_back({from, to});
            });
        },
        mergeKey);
}

void Session::addNote(const Note& note) {
    editCue(tr("Add note"), [&](Cue& c) {
        changeExcerpt(c, [&](Excerpt& e) { e.corrections.push_back({std::nullopt, note}); });
    });
}

void Session::setTempo(double beatsPerMinute) {
    editCue(
        tr("Set tempo"),
        [&](Cue& c) {
            changeExcerpt(c, [&](Excerpt& e) { e.performance.tempo = std::clamp(beatsPerMinute, 10.0, 1000.0); });
        },
        "tempo");
}

Performance Session::performance() const {
    const Excerpt* excerpt = cue() ? cue()->excerpt() : nullptr;
    return excerpt ? excerpt->corrected() : Performance{};
}

// ---- results ----

bool Session::busy() const { return imports_.busy() || loader_.busy() || interactive_.busy() || match_.running; }

void Session::loadReference() {
    const Cue& current = *cue();
    const Excerpt& excerpt = *current.excerpt();
    const std::uint64_t key = referenceKeyOf(current);
    if (key == referenceKey_ && results_.cue == current.id) return;
    referenceKey_ = key;
    if (results_.cue != current.id || shownAudio_ != excerpt.audio) {
        results_ = {};
        results_.cue = current.id;
        shownAudio_ = excerpt.audio;
        playback_.player().clearSound(Side::reference);
        playback_.player().clearSound(Side::render);
        loader_.submit([this, audio = excerpt.audio, rate = playback_.player().rateHz()](const Task&) {
            const auto converted = std::make_shared<const Recording>(atRate(*audio, rate));
            MeasuredSound sound = soundOf(audio);
            const RecordingQuality quality = measureQuality(*audio);
            post([this, sound, converted, quality] {
                if (sound.recording != shownAudio_) return;
                results_.warnings = warningsOf(quality, sound.recording->seconds(), performance().tuningCents);
                showReference(sound, converted);
                makeSpectrograms();
            });
        });
    } else if (referenceAtRate_)
        hear(Side::reference, referenceAtRate_, 0.0); // its band may have changed
    const auto known = profiles_.find(key);
    results_.reference.profile = known == profiles_.end() ? nullptr : known->second;
}

void Session::showReference(const MeasuredSound& reference, RecordingPtr atPlayersRate) {
    const ProfilePtr profile = results_.reference.profile;
    results_.reference = reference;
    results_.reference.profile = profile;
    referenceAtRate_ = std::move(atPlayersRate);
    hear(Side::reference, referenceAtRate_, 0.0);
    if (results_.render.recording) { // its gain depends on the reference's loudness
        const bool current = results_.renderIsCurrent;
        showRender(results_.render);
        results_.renderIsCurrent = current;
    }
    emit resultsChanged();
}

/// Gives a sound to the player: at once as it is, or from a worker when it must be cut to a band or stretched.
void Session::hear(Side side, const RecordingPtr& recording, double gainDb) {
    const auto index = static_cast<std::size_t>(side);
    const std::uint64_t turn = ++heard_[index];
    const Cue* current = cue();
    const double low = current ? current->focusLowHz : 0.0;
    const double high = current ? current->focusHighHz : 0.0;
    const int slowness = playback_.slowness();
    if (slowness == 1 && low <= 0.0 && high <= 0.0) {
        hearing_[index].cancel();
        playback_.player().setSound(side, *recording, gainDb);
        return;
    }
    hearing_[index].submit([this, side, index, turn, recording, gainDb, low, high, slowness](const Task& task) {
        RecordingPtr ready;
        try {
            ready = std::make_shared<const Recording>(stretched(withinBand(*recording, low, high), slowness, task));
        } catch (const Cancelled&) {
            return;
        }
        post([this, side, index, turn, ready, gainDb] {
            if (turn == heard_[index]) playback_.player().setSound(side, *ready, gainDb);
        });
    });
}

void Session::wantSpectrograms(bool wanted) {
    spectrogramsWanted_ = wanted;
    makeSpectrograms();
}

void Session::makeSpectrograms() {
    const RecordingPtr reference = results_.reference.spectrogram ? nullptr : results_.reference.recording;
    const RecordingPtr rendered = results_.render.spectrogram ? nullptr : results_.render.recording;
    if (!spectrogramsWanted_ || (!reference && !rendered)) return;
    pictures_.submit([this, reference, rendered](const Task& task) {
        for (const RecordingPtr& recording : {reference, rendered}) {
            if (!recording) continue;
            SpectrogramPtr picture;
            try {
                picture = std::make_shared<const Spectrogram>(measureSpectrogram(*recording, task));
            } catch (const Cancelled&) {
                return;
            }
            post([this, recording, picture] {
                for (MeasuredSound* sound : {&results_.reference, &results_.render})
                    if (sound->recording == recording) sound->spectrogram = picture;
                emit resultsChanged();
            });
        }
    });
}

/// Brings everything that follows from the document up to date, in the background.
void Session::refresh() {
    const Cue* current = cue();
    if (!current) return;
    playback_.setLoop(current->loopBegin, current->loopEnd);
    playback_.player().setPatch(compile(current->patch));
    if (!current->excerpt()) {
        if (shownAudio_ || results_.cue != current->id) {
            shownAudio_.reset();
            results_ = {};
            results_.cue = current->id;
            referenceKey_ = renderKey_ = 0;
            playback_.player().clearSound(Side::reference);
            playback_.player().clearSound(Side::render);
        }
        emit resultsChanged();
        return;
    }
    loadReference();
    const std::uint64_t key = renderKeyOf(*current);
    if (key == renderKey_) {
        emit resultsChanged();
        return;
    }
    renderKey_ = key;
    results_.renderIsCurrent = results_.comparisonIsCurrent = false;
    emit resultsChanged();

    const Performance played = current->excerpt()->corrected();
    if (played.notes.empty()) {
        interactive_.cancel();
        results_.render = {};
        results_.comparison.reset();
        results_.reference.profile.reset();
        emit resultsChanged();
        return;
    }
    interactive_.submit([this, key, played, patch = current->patch, audio = current->excerpts.front()->audio,
                         low = current->focusLowHz, high = current->focusHighHz, profileKey = referenceKey_,
                         profile = results_.reference.profile](const Task& task) {
        MeasuredSound rendered = soundOf(std::make_shared<const Recording>(render(patch, played, task)));
        post([this, key, rendered] {
            if (key == renderKey_) showRender(rendered);
        });
        const int threads = hardwareThreads();
        ProfilePtr reference = profile;
        if (!reference)
            reference = std::make_shared<const Profile>(
                measureProfile(withinBand(*audio, low, high), played, {.source = nullptr, .threads = threads}, task));
        task.check();
        rendered.profile =
            std::make_shared<const Profile>(measureProfile(withinBand(*rendered.recording, low, high), played,
                                                           {.source = &reference->source, .threads = threads}, task));
        const auto comparison = std::make_shared<const Comparison>(compare(*reference, *rendered.profile));
        post([this, key, profileKey, reference, rendered, comparison] {
            profiles_[profileKey] = reference;
            if (profileKey == referenceKey_) results_.reference.profile = reference;
            if (key != renderKey_) return;
            const SpectrogramPtr picture = results_.render.spectrogram;
            results_.render = rendered;
            results_.render.spectrogram = picture; // of this render since it was first shown
            results_.comparison = comparison;
            results_.renderIsCurrent = results_.comparisonIsCurrent = true;
            emit resultsChanged();
        });
    });
}

void Session::showRender(MeasuredSound rendered) {
    const ProfilePtr old = results_.render.profile;
    results_.render = rendered;
    results_.render.profile = old; // the curves stay until the new ones are measured
    results_.renderIsCurrent = true;
    // Heard at the reference's loudness; a silent render stays silent.
    const bool silent = rendered.loudness < silenceDb + 1.0 || !results_.reference.recording;
    hear(Side::render, rendered.recording, silent ? 0.0 : results_.reference.loudness - rendered.loudness);
    emit resultsChanged();
    makeSpectrograms();
}

// ---- search ----

void Session::startMatch(double seconds) {
    const Cue* current = cue();
    if (!current || !current->excerpt() || match_.running) return;
    const Performance played = performance();
    if (played.notes.empty()) {
        emit problem(tr("There are no notes to play: import a MIDI file or draw the notes of this recording first."),
                     {});
        return;
    }
    match_ = {};
    match_.running = true;
    match_.cue = current->id;
    match_.trying = tr("measuring the reference");
    MatchSettings settings;
    settings.start = current->patch;
    settings.limits.locks = current->locks;
    settings.seconds = seconds;
    settings.seed = played.seed;
    settings.threads = hardwareThreads();
    if (current->focusLowHz > 0.0) settings.focusLowHz = std::clamp(current->focusLowHz, 20.0, 10000.0);
    if (current->focusHighHz > 0.0)
        settings.focusHighHz = std::clamp(current->focusHighHz, 2.0 * settings.focusLowHz, 20000.0);
    emit matchChanged();
    search_.submit([this, settings, played, audio = current->excerpts.front()->audio, cueId = current->id,
                    project = projectCount_](const Task& task) {
        std::exception_ptr failure;
        auto result = std::make_shared<MatchResult>();
        try {
            *result = match(*audio, played, settings, task, [&](const MatchProgress& now) {
                // The best so far is heard and seen at once.
                auto preview = std::make_shared<MeasuredSound>();
                if (now.improved) *preview = soundOf(std::make_shared<const Recording>(render(now.best, played, task)));
                post([this, now, project, preview, cueId, start = settings.start] {
                    if (project != projectCount_ || !match_.running) return;
                    // An edit or another cue matters more than what is being tried.
                    if (preview->recording && cue() && cue()->id == cueId && cue()->patch.soundsLike(start)) {
                        renderKey_ = 0;
                        showRender(*preview);
                    }
                    match_.trying = QString::fromStdString(now.trying);
                    match_.fraction = now.fraction;
                    match_.likeness = now.likeness;
                    match_.loss = now.loss;
                    match_.evaluations = now.evaluations;
                    match_.seconds = now.seconds;
                    match_.history.push_back({now.seconds, now.likeness});
                    emit matchChanged();
                });
            });
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, result, failure, cueId, project] {
            match_.running = false;
            if (renderKey_ == 0) refresh(); // back from what was tried, unless something was found
            try {
                if (failure) std::rethrow_exception(failure);
                if (project == projectCount_) finishMatch(*result, cueId);
            } catch (const Cancelled&) {
            } catch (const std::exception& problem) {
                report(problem);
            }
            emit matchChanged();
        });
    });
}

void Session::stopMatch() { search_.cancel(); }

void Session::finishMatch(const MatchResult& result, std::uint64_t cueId) {
    match_.found = {result.best};
    match_.found.insert(match_.found.end(), result.runnersUp.begin(), result.runnersUp.end());
    match_.likeness = result.best.comparison.likeness;
    match_.evaluations = result.evaluations;
    match_.seconds = result.seconds;
    match_.fraction = 1.0;
    match_.history.push_back({result.seconds, result.best.comparison.likeness});
    const Cue* target = document_->find(cueId);
    if (!target) return;
    // The found patch becomes the one worked on and is kept as a take, in one step of undo.
    Document after = *document_;
    Cue changed = *target;
    Take take;
    take.id = takeId(after);
    take.name = tr("Match %1")
                    .arg(std::count_if(target->takes.begin(), target->takes.end(),
                                       [](const auto& t) { return t->name.starts_with("Match"); }) +
                         1)
                    .toStdString();
    take.patch = result.best.patch;
    take.likeness = result.best.comparison.likeness;
    take.engineVersion = engineVersion;
    take.keptAt =
        std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
    changed.patch = result.best.patch;
    changed.chosenTake = take.id;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    push(tr("Match"), withCue(after, std::move(changed)));
    emit notice(tr("Found in %1 s: likeness %2")
                    .arg(result.seconds, 0, 'f', 1)
                    .arg(result.best.comparison.likeness, 0, 'f', 0));
}

void Session::takeFound(int index) {
    if (index < 0 || index >= static_cast<int>(match_.found.size()) || match_.cue != document_->activeCue) return;
    setPatch(tr("Take found patch"), match_.found[static_cast<std::size_t>(index)].patch);
}

} // namespace facet
