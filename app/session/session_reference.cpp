// The session's recordings: opening, cutting, hearing; and their notes: finding, importing, correcting.
#include "app/session/session.h"

#include "core/analysis/notes/note_finding.h"
#include "core/analysis/separation.h"
#include "core/audio/audio_stream.h"
#include "core/audio/time_stretch.h"
#include "core/performance/midi_file.h"

#include <algorithm>

namespace facet {

namespace {

/// Longer files are shown, and the producer chooses parts of them.
constexpr double longestWhole = 60.0;
/// Longer excerpts are kept, but neither analyzed nor matched.
constexpr double longestAnalyzed = 120.0;
constexpr double longestAudition = 120.0;

/// Fills in what can be heard in an excerpt: its notes and tuning.
void findNotesOf(Excerpt& excerpt, const Task& task) {
    excerpt.imported = false;
    excerpt.performance.notes.clear();
    if (excerpt.audio->seconds() > longestAnalyzed) {
        excerpt.noteProblem = "This excerpt is longer than two minutes: drag over the sound you want and use the "
                              "selection as reference.";
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

// ---- recordings ----

void Session::putExcerpt(std::uint64_t cueId, const QString& what, Place place, const Excerpt& excerpt) {
    const Cue* target = document_->find(cueId);
    if (!target) return;
    Document after = *document_;
    Cue changed = *target;
    auto kept = std::make_shared<Excerpt>(excerpt);
    kept->id = takeId(after);
    const auto* inView = changed.excerpt();
    if (place == Place::inView && inView)
        *changed.slot(inView->id) = kept;
    else
        changed.excerpts.push_back(kept);
    changed.activeExcerpt = kept->id;
    changed.loopBegin = changed.loopEnd = 0.0;
    if (!excerpt.sourcePath.empty()) changed.source = excerpt.sourcePath;
    if (changed.takes.empty() && target->excerpts.empty() && !excerpt.name.empty()) changed.name = excerpt.name;
    push(what, withCue(after, std::move(changed)));
    if (!excerpt.noteProblem.empty()) emit notice(QString::fromStdString(excerpt.noteProblem));
}

void Session::prepareExcerpt(const QString& what, Place place, std::function<Excerpt()> make) {
    imports_.submit([this, what, place, make = std::move(make), cueId = document_->activeCue,
                     project = projectCount_](const Task& task) {
        auto excerpt = std::make_shared<Excerpt>();
        std::exception_ptr failure;
        try {
            *excerpt = make();
            if (excerpt->performance.notes.empty()) findNotesOf(*excerpt, task);
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, what, place, excerpt, failure, cueId, project] {
            try {
                if (failure) std::rethrow_exception(failure);
                if (project == projectCount_) putExcerpt(cueId, what, place, *excerpt);
            } catch (const Cancelled&) {
            } catch (const std::exception& problem) {
                report(problem);
            }
            emit resultsChanged();
        });
    });
}

void Session::importReference(const std::filesystem::path& path, const ChannelChoice& channels) {
    double seconds = 0.0;
    int count = 0;
    try {
        const AudioStream stream(path);
        seconds = stream.seconds();
        count = stream.channelCount();
    } catch (const std::exception& failure) {
        report(failure);
        return;
    }
    if (count > 2 && channels.picked.empty()) {
        emit channelsWanted(QString::fromStdString(path.string()), count);
        return;
    }
    if (seconds > longestWhole) {
        editCue(tr("Open recording"), [&](Cue& c) { c.source = path.string(); });
        emit notice(tr("%1 is %2 minutes long: drag over the sound you want and add it as an excerpt.")
                        .arg(QString::fromStdString(path.filename().string()))
                        .arg(seconds / 60.0, 0, 'f', 1));
        emit partsWanted();
        return;
    }
    emit notice(tr("Listening to %1 …").arg(QString::fromStdString(path.filename().string())));
    prepareExcerpt(tr("Import reference"), Place::inView,
                   [path, channels] { return makeExcerpt(path, 0, 0, channels); });
}

void Session::addExcerptFile(const std::filesystem::path& path) {
    emit notice(tr("Listening to %1 …").arg(QString::fromStdString(path.filename().string())));
    prepareExcerpt(tr("Add excerpt"), Place::further, [path] { return makeExcerpt(path); });
}

void Session::addExcerptSound(const Recording& recording, const QString& name) {
    prepareExcerpt(tr("Add excerpt"), Place::further,
                   [recording, name = name.toStdString()] { return makeExcerpt(recording, name); });
}

void Session::addExcerpt(double begin, double end, const ChannelChoice& channels) {
    if (!cue()) return;
    const QString what = tr("Add excerpt");
    const double tempo = performance().tempo;
    if (source_.whole() && !source_.path().empty()) {
        prepareExcerpt(what, Place::further, [path = source_.path(), begin, end, channels, tempo] {
            Excerpt part = makeExcerpt(path, begin, end, channels);
            part.performance.tempo = tempo;
            return part;
        });
    } else if (const auto kept = cue()->activePointer()) {
        prepareExcerpt(what, Place::further, [kept, begin, end, channels] {
            Excerpt part = withRegion(withChannels(*kept, channels), begin, end);
            part.performance.notes.clear();
            part.corrections.clear();
            return part;
        });
    }
}

void Session::useSelectionAsReference() {
    const Cue* current = cue();
    if (!current || !current->excerpt()) return;
    if (!(current->loopEnd > current->loopBegin)) {
        emit notice(tr("Drag over the part you want in the upper picture first."));
        return;
    }
    prepareExcerpt(tr("Use selection as reference"), Place::inView,
                   [whole = current->activePointer(), begin = current->loopBegin, end = current->loopEnd] {
                       Excerpt part = withRegion(*whole, whole->begin + begin, whole->begin + end);
                       part.performance.notes.clear();
                       part.corrections.clear();
                       return part;
                   });
}

void Session::changeExcerpt(const QString& what, std::uint64_t id, const std::function<void(Excerpt&)>& change,
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

/// Makes an excerpt anew from itself in the background; its notes stay where they are in the source.
void Session::remakeExcerpt(const QString& what, std::uint64_t id, std::function<Excerpt(const Excerpt&)> make) {
    if (!cue()) return;
    Cue copy = *cue();
    const auto* slot = copy.slot(id);
    if (!slot) return;
    imports_.submit([this, what, id, before = *slot, make = std::move(make), project = projectCount_](const Task&) {
        auto after = std::make_shared<Excerpt>();
        std::exception_ptr failure;
        try {
            *after = make(*before);
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, what, id, after, failure, project] {
            try {
                if (failure) std::rethrow_exception(failure);
                if (project != projectCount_) return;
                changeExcerpt(what, id, [&](Excerpt& e) { e = *after; });
            } catch (const std::exception& problem) {
                report(problem);
            }
            emit resultsChanged();
        });
    });
}

void Session::moveExcerpt(std::uint64_t id, double begin, double end) {
    remakeExcerpt(tr("Move excerpt"), id, [begin, end](const Excerpt& e) { return withRegion(e, begin, end); });
}

void Session::setExcerptChannels(std::uint64_t id, const ChannelChoice& channels) {
    remakeExcerpt(tr("Choose channels"), id, [channels](const Excerpt& e) { return withChannels(e, channels); });
}

void Session::setExcerptWeight(std::uint64_t id, double weight) {
    changeExcerpt(
        tr("Weigh excerpt"), id, [&](Excerpt& e) { e.weight = std::clamp(weight, 0.0, 1.0); }, "excerpt weight");
}

void Session::renameExcerpt(std::uint64_t id, const QString& name) {
    changeExcerpt(tr("Rename excerpt"), id, [&](Excerpt& e) { e.name = name.toStdString(); });
}

void Session::removeExcerpt(std::uint64_t id) {
    editCue(tr("Remove excerpt"), [&](Cue& c) {
        std::erase_if(c.excerpts, [id](const auto& e) { return e->id == id; });
        c.loopBegin = c.loopEnd = 0.0;
    });
}

void Session::selectExcerpt(std::uint64_t id) {
    if (!cue() || (cue()->excerpt() && cue()->excerpt()->id == id)) return;
    // Where one looks is not an edit, but it is kept with the project.
    Cue changed = *cue();
    changed.activeExcerpt = id;
    changed.loopBegin = changed.loopEnd = 0.0;
    document_ = std::make_shared<const Document>(withCue(*document_, std::move(changed)));
    playback_.player().stop();
    chooseNotes({});
    emit documentChanged();
    refresh();
}

void Session::leaveOut(double begin, double end, bool out) {
    if (!cue() || !cue()->excerpt() || !(end > begin)) return;
    changeExcerpt(out ? tr("Leave out") : tr("Take in again"), cue()->excerpt()->id, [&](Excerpt& e) {
        if (out) {
            e.leftOut.push_back({begin, end});
        } else {
            std::vector<TimeSpan> rest;
            for (const TimeSpan& span : e.leftOut) {
                rest.push_back({span.begin, std::min(span.end, begin)});
                rest.push_back({std::max(span.begin, end), span.end});
            }
            e.leftOut = rest;
        }
        e.leftOut = joinedSpans(e.leftOut);
    });
}

void Session::wantSource() {
    const Cue* current = cue();
    if (!current) return;
    const auto excerpt = current->activePointer();
    source_.show(current->source.empty() && excerpt ? excerpt->sourcePath : current->source, excerpt);
}

void Session::audition(double begin, double end) {
    if (!source_.overview()) return;
    end = std::min({end, begin + longestAudition, source_.end()});
    if (!(end > begin)) return;
    hearPiece(false);
    const int rate = playback_.player().rateHz();
    const std::uint64_t turn = ++heard_[0];
    hearing_[0].submit([this, begin, end, rate, turn, read = source_.reader()](const Task&) {
        try {
            const Recording piece = read(begin, end);
            const auto ready = std::make_shared<const Recording>(
                atRate(piece.channelCount() > 2 ? chosenChannels(piece, {}) : piece, rate));
            post([this, begin, turn, ready] {
                if (turn != heard_[0]) return;
                auditionBegin_ = begin;
                playback_.setLoop(0.0, 0.0);
                playback_.player().clearSound(Side::render);
                playback_.player().setSound(Side::reference, *ready, 0.0);
                playback_.seek(0.0);
                playback_.play(Side::reference);
                emit auditionChanged();
            });
        } catch (const std::exception& failure) {
            post([this, words = QString::fromUtf8(failure.what())] { emit problem(words, {}); });
        }
    });
}

void Session::endAudition() {
    ++heard_[0]; // what is still being read is not wanted any more
    if (!auditioning()) return;
    auditionBegin_ = -1.0;
    playback_.player().stop();
    playback_.player().clearSound(Side::reference);
    loopAsChosen();
    playback_.seek(cue() ? cue()->loopBegin : 0.0);
    if (results_.reference.recording) showReference(results_.reference, referenceAtRate_);
    emit auditionChanged();
}

void Session::setHeardPart(Part part) {
    if (part == heardPart_) return;
    heardPart_ = part;
    hearReference();
    emit resultsChanged();
}

void Session::addHeardPartAsExcerpt() {
    const auto excerpt = cue() ? cue()->activePointer() : nullptr;
    if (!excerpt || heardPart_ == Part::all) return;
    const bool tonal = heardPart_ == Part::tonal;
    const std::string name = excerpt->name + (tonal ? tr(" (tonal part)") : tr(" (struck part)")).toStdString();
    prepareExcerpt(tr("Add excerpt"), Place::further, [excerpt, tonal, name] {
        const SeparatedSound parts = separated(*excerpt->audio);
        Excerpt part = makeExcerpt(tonal ? parts.tonal : parts.struck, name);
        Performance notes = excerpt->corrected(); // the same phrase: its notes are known
        notes.frames = part.performance.frames;
        notes.rateHz = part.performance.rateHz;
        notes.channelCount = part.performance.channelCount;
        part.performance = notes;
        part.imported = excerpt->imported;
        return part;
    });
}

// ---- notes ----

void Session::importNotes(const std::filesystem::path& midi) {
    if (!cue() || !cue()->excerpt()) {
        emit notice(tr("Open a reference first; then its notes can be imported."));
        return;
    }
    try {
        Performance imported = readMidi(midi);
        imported.tuningCents = tuningAgainst(monoMix(atRate(*cue()->excerpt()->audio, analysisRateHz)), imported);
        changeExcerpt(tr("Import notes"), cue()->excerpt()->id, [&](Excerpt& e) {
            e.performance.notes = imported.notes;
            e.performance.bends = imported.bends;
            // Curves of parameters were drawn here; a MIDI file knows nothing of them.
            std::erase_if(e.performance.curves, [](const Curve& c) { return !c.movesParameter(); });
            for (const Curve& curve : imported.curves) e.performance.setCurve(curve);
            e.performance.tempo = imported.tempo;
            e.performance.beatsPerBar = imported.beatsPerBar;
            e.performance.tuningCents = imported.tuningCents;
            e.imported = true;
            e.noteProblem.clear();
            e.noteEvidence.clear();
            e.corrections.clear();
        });
    } catch (const std::exception& failure) {
        report(failure);
    }
}

void Session::findNotesAgain() {
    if (!cue() || !cue()->excerpt()) return;
    const auto source = cue()->activePointer();
    imports_.submit([this, source, project = projectCount_](const Task& task) {
        auto found = std::make_shared<Excerpt>(*source);
        std::exception_ptr failure;
        try {
            findNotesOf(*found, task);
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, found, failure, project] {
            try {
                if (failure) std::rethrow_exception(failure);
                if (project != projectCount_) return;
                changeExcerpt(tr("Find notes again"), found->id, [&](Excerpt& e) {
                    e.performance = found->performance; // corrections stay
                    e.imported = false;
                    e.noteProblem = found->noteProblem;
                    e.noteEvidence = found->noteEvidence;
                });
                if (!found->noteProblem.empty()) emit notice(QString::fromStdString(found->noteProblem));
            } catch (const Cancelled&) {
            } catch (const std::exception& problem) {
                report(problem);
            }
        });
    });
}

void Session::changeNotes(const QString& what, const std::vector<NoteChange>& changes, const QString& mergeKey) {
    if (changes.empty() || !cue() || !cue()->excerpt()) return;
    changeExcerpt(
        what, cue()->excerpt()->id,
        [&](Excerpt& e) { e.corrections = correctedFurther(std::move(e.corrections), changes); }, mergeKey);
    // What was changed is what is edited next.
    NoteChoice chosen;
    const auto notes = performance().notes;
    for (const NoteChange& change : changes) {
        const auto found = change.to ? std::find(notes.begin(), notes.end(), *change.to) : notes.end();
        if (found != notes.end()) chosen.insert(static_cast<int>(found - notes.begin()));
    }
    chooseNotes(chosen);
}

void Session::chooseNotes(const NoteChoice& chosen) {
    if (chosen == chosenNotes_) return;
    chosenNotes_ = chosen;
    emit chosenNotesChanged();
}

void Session::hearNote(const Note& note) {
    Player& player = playback_.player();
    if (heardKey_ >= 0) player.noteOff(heardKey_);
    heardKey_ = note.key;
    player.noteOn(note.key, note.velocity);
    noteEnd_.start(300);
}

void Session::correctNote(const QString& what, const Note& from, const std::optional<Note>& to,
                          const QString& mergeKey) {
    changeNotes(what, {{from, to}}, mergeKey);
}

void Session::addNote(const Note& note) { changeNotes(tr("Add note"), {{std::nullopt, note}}); }

void Session::setTempo(double beatsPerMinute) {
    if (!cue() || !cue()->excerpt()) return;
    changeExcerpt(
        tr("Set tempo"), cue()->excerpt()->id,
        [&](Excerpt& e) { e.performance.tempo = std::clamp(beatsPerMinute, 10.0, 1000.0); }, "tempo");
    emit gridChanged();
}

void Session::setDownbeat(double seconds) {
    if (!cue() || !cue()->excerpt()) return;
    changeExcerpt(
        tr("Set bar 1"), cue()->excerpt()->id, [&](Excerpt& e) { e.performance.downbeat = seconds; }, "downbeat");
    emit gridChanged();
}

void Session::setBeatsPerBar(int beats) {
    if (!cue() || !cue()->excerpt()) return;
    changeExcerpt(tr("Set meter"), cue()->excerpt()->id,
                  [&](Excerpt& e) { e.performance.beatsPerBar = std::clamp(beats, 1, 32); });
    emit gridChanged();
}

void Session::setBends(const std::vector<CurvePoint>& points, const QString& mergeKey) {
    if (!cue() || !cue()->excerpt()) return;
    changeExcerpt(
        tr("Draw bend"), cue()->excerpt()->id,
        [&](Excerpt& e) {
            e.performance.bends = points;
            e.performance.normalize();
        },
        mergeKey);
}

void Session::setCurve(const Curve& curve, const QString& mergeKey) {
    if (!cue() || !cue()->excerpt()) return;
    changeExcerpt(
        tr("Draw curve"), cue()->excerpt()->id, [&](Excerpt& e) { e.performance.setCurve(curve); }, mergeKey);
}

Grid Session::grid() const {
    const Performance now = performance();
    return {now.tempo, now.downbeat, now.beatsPerBar, gridStep_};
}

void Session::setGridStep(double quarterNotes) {
    gridStep_ = quarterNotes;
    emit gridChanged();
}

void Session::setSnapping(bool on) {
    snapping_ = on;
    emit gridChanged();
}

Performance Session::performance() const {
    const Excerpt* excerpt = cue() ? cue()->excerpt() : nullptr;
    return excerpt ? excerpt->corrected() : Performance{};
}

} // namespace facet
