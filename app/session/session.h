// The open project: the document and its undo history, the background work on it, and what is heard.
#pragma once

#include "app/session/jobs/job_queue.h"
#include "app/session/listening/playback.h"
#include "app/session/results/result_values.h"
#include "app/session/reference/source_view.h"
#include "core/match/suggest/next_moves.h"
#include "core/piece/piece_mixer.h"
#include "core/parameters/changes.h"
#include "core/project/collection.h"
#include "core/project/document.h"
#include "core/project/journal.h"
#include "core/engine/inspect/stage.h"

#include <QObject>
#include <QString>
#include <QTimer>
#include <QUndoStack>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <set>

namespace facet {

/// Owned and called by the GUI thread. Workers get values and post values back; a result whose inputs are no longer the
/// document's is dropped. Every change to the document is one undoable edit, journaled within a second.
class Session : public QObject {
    Q_OBJECT

public:
    /// `stateFolder`: where the journal lives.
    Session(const std::filesystem::path& stateFolder, const std::string& outputName = {}, QObject* parent = nullptr);
    ~Session() override;

    // ---- document ----

    const Document& document() const { return *document_; }
    const Cue* cue() const { return document_->active(); }
    QUndoStack& undoStack() { return undo_; }
    /// "Night Dome" or "Untitled"; empty path when never saved.
    QString title() const;
    const std::filesystem::path& path() const { return path_; }
    bool modified() const { return !undo_.isClean() || neverSaved_; }

    void newProject();
    /// Throws Error; the open project stays as it is then.
    void open(const std::filesystem::path& path);
    void saveAs(const std::filesystem::path& path);
    void adopt(RecoveredWork work);
    /// Takes a document as the open project, saved at `path` already.
    void adopt(Document document, const std::filesystem::path& path, std::int64_t generation);

    // ---- edits; each is one step of undo ----

    /// Replaces the active cue. Edits with equal non-empty `mergeKey` in a row become one step.
    void editCue(const QString& what, const std::function<void(Cue&)>& change, const QString& mergeKey = {});
    void setParameter(const Address& address, double value);
    void setPatch(const QString& what, const Patch& patch);
    /// Adds a module to the active cue's patch under a new key; `layer` is the path of its layer, or empty. A problem
    /// is told. Returns the new path, empty when there was a problem.
    std::string addModule(ModuleKind kind, const std::string& layer);
    void removeModule(const std::string& path);
    void setModuleData(const std::string& path, const ModuleData& data);
    /// Puts an effect at another place among the effects.
    void moveEffect(const std::string& path, int place);
    /// Adds a link that leads from a mover to a parameter, by a tenth of its range. A problem is told.
    void addLink(const std::string& from, const std::string& to);
    /// A module as text for the clipboard; pasted onto one of the same kind. A problem is told.
    std::string copiedModule(const std::string& path) const;
    void pasteModule(const std::string& path, const std::string& text);
    void resetModule(const std::string& path);
    /// Draws what a search would look for, within plausible ranges; locks are obeyed.
    void randomizeModule(const std::string& path);
    /// Brings a module back to where it stood in the last take.
    void takeModuleBack(const std::string& path);
    /// Takes one of changesBetween() a take and the patch back. A problem is told.
    void takeChangeBack(std::uint64_t take, const PatchChange& change);
    /// Ties a parameter to another, whose value it takes, or keeps its distance from.
    void tie(const Address& address, const Address& to, bool keepDistance);
    void untie(const Address& address);
    /// Reads a file into a module in the background: a wavetable or sample of a source, whichever its wave asks for, or
    /// a response. A problem is told.
    void loadSound(const std::string& path, const std::filesystem::path& file);
    /// Makes a wavetable of the longest chosen note of the reference, in the background.
    void takeTable(const std::string& path);
    /// Likewise the levels of its partials.
    void takePartials(const std::string& path);
    /// Gives an LFO the shape and rate by which that note's level goes up and down, and lets it move the layer's level
    /// as far. Told when the level stands.
    void takeShape(const std::string& path);
    void setLocked(const Address& address, bool locked);
    /// Values in the parameter's unit that a search keeps to; nothing: wherever is plausible.
    void setSearchRange(const Address& address, std::optional<std::pair<double, double>> range);
    void renameProject(const QString& name);
    void addCue();
    void renameCue(const QString& name);
    void removeCue();
    void selectCue(std::uint64_t id);
    void setLoop(double begin, double end);
    /// Hears, compares and searches only what lies between two frequencies in Hz; 0, 0: everything.
    void setFocus(double lowHz, double highHz);
    /// How much a facet counts in the whole likeness: 0 sets it aside.
    void setFacetWeight(Facet facet, double weight);

    void keepTake(const QString& name = {});
    void restoreTake(std::uint64_t id);
    void renameTake(std::uint64_t id, const QString& name);
    void noteTake(std::uint64_t id, const QString& note);
    void starTake(std::uint64_t id, bool starred);
    void deleteTake(std::uint64_t id);
    /// A new cue that begins with a take, and has the same excerpts.
    void branchTake(std::uint64_t id);
    /// Another patch altogether; what was worked on and is no take becomes one in the same step.
    void replacePatch(const QString& what, const Patch& patch);
    /// Goes to the take that the patch is; it becomes one when it is none.
    void keepBlindResult(const BlindResult& result);
    /// Renders and measures two patches in the background; patchesCompared() tells, unless another call came since.
    quint64 comparePatches(const Patch& a, const Patch& b);

    // ---- recordings ----

    /// Opens an audio file in the background. A short one takes the place of the excerpt in view (or becomes the
    /// first), notes found; of a long one the producer chooses excerpts. More than two channels: channelsWanted() asks
    /// which.
    void importReference(const std::filesystem::path& path, const ChannelChoice& channels = {});
    /// The looped part of the excerpt in view becomes that excerpt.
    void useSelectionAsReference();
    /// A part of the open source, seconds, becomes a further excerpt of the cue.
    void addExcerpt(double begin, double end, const ChannelChoice& channels = {});
    /// A file becomes a further excerpt of the cue, all of it.
    void addExcerptFile(const std::filesystem::path& path);
    /// Sound that comes from no file becomes a further excerpt.
    void addExcerptSound(const Recording& recording, const QString& name);
    void moveExcerpt(std::uint64_t id, double begin, double end);
    void setExcerptChannels(std::uint64_t id, const ChannelChoice& channels);
    void setExcerptWeight(std::uint64_t id, double weight);
    void renameExcerpt(std::uint64_t id, const QString& name);
    void removeExcerpt(std::uint64_t id);
    void selectExcerpt(std::uint64_t id);
    /// A part of the excerpt in view is neither compared nor searched, or is again.
    void leaveOut(double begin, double end, bool out);
    SourceView& source() { return source_; }
    /// Somebody looks at the source: makes its picture.
    void wantSource();
    /// Plays a part of the source in place of the reference, until endAudition().
    void audition(double begin, double end);
    void endAudition();
    bool auditioning() const { return auditionBegin_ >= 0.0; }
    /// Place in the source while auditioning.
    double auditionPosition() const { return auditionBegin_ + playback_.position(); }
    /// Which part of the reference is heard; comparison and search always take the whole.
    enum class Part { all, tonal, struck };
    void setHeardPart(Part part);
    Part heardPart() const { return heardPart_; }
    /// The part that is heard now becomes a further excerpt.
    void addHeardPartAsExcerpt();

    // ---- notes ----

    void importNotes(const std::filesystem::path& midi);
    void findNotesAgain();
    /// Changes one note of the corrected performance; nothing as `to` deletes it.
    void correctNote(const QString& what, const Note& from, const std::optional<Note>& to,
                     const QString& mergeKey = {});
    void addNote(const Note& note);
    /// Changes any number of notes of the corrected performance in one step.
    void changeNotes(const QString& what, const std::vector<NoteChange>& changes, const QString& mergeKey = {});
    void setTempo(double beatsPerMinute);
    void setDownbeat(double seconds);
    void setBeatsPerBar(int beats);
    /// Replaces the bend curve (cents) or the curve of a controller or parameter.
    void setBends(const std::vector<CurvePoint>& points, const QString& mergeKey = {});
    void setCurve(const Curve& curve, const QString& mergeKey = {});
    /// Notes that edits are made to: indices into performance().notes.
    const NoteChoice& chosenNotes() const { return chosenNotes_; }
    void chooseNotes(const NoteChoice& chosen);
    /// Plays a note with the patch for a moment, while it is being edited.
    void hearNote(const Note& note);
    /// The grid of the excerpt in view, and whether edits snap to it: a matter of the window, not of the document.
    Grid grid() const;
    void setGridStep(double quarterNotes);
    void setSnapping(bool on);
    bool snapping() const { return snapping_; }

    // ---- results ----

    const CueResults& results() const { return results_; }
    /// Performance of the active cue with corrected notes; empty without a reference.
    Performance performance() const;
    bool busy() const;
    /// Spectrograms are made while somebody looks at them.
    void wantSpectrograms(bool wanted, bool difference = false);

    // ---- parts of the patch ----

    /// How much of the patch is heard, around one of its modules; comparison and search always take the whole.
    enum class Hearing { whole, alone, upTo, without, dryFrom };
    void hearPart(Hearing hearing, const std::string& path = {});
    Hearing hearing() const { return hearingPart_; }
    const std::string& heardModule() const { return heardModule_; }
    /// Whether a module can be heard so.
    bool canHear(Hearing hearing, const std::string& path) const;

    // ---- moves ----

    /// While this is on, what setParameter() changes while the phrase plays is recorded; off, it becomes curves of the
    /// performance, the parameters stand where they stood, and all of it is one step of undo.
    void recordMoves(bool on);
    bool recordingMoves() const { return recordingMoves_; }
    /// Whether slow listening plays the render anew at the lower tempo, its envelopes at full speed, in place of
    /// stretching it.
    void setSlowAnew(bool on);
    bool slowAnew() const { return slowAnew_; }

    // ---- stages that depend on level ----

    /// Reads, in the background, what arrives at a module for which dependsOnLevel(), and what it does to it;
    /// stageRead() tells. The reading stands until the next edit.
    void wantStage(const std::string& path);
    /// What was read last; null: nothing yet, or of another patch.
    const StageReading* stage(const std::string& path) const;

    // ---- what the phrase does not show ----

    /// Finds out, in the background, which parameters of a module make no difference in this phrase; unheardFound()
    /// tells. It stands until the next edit.
    void wantUnheard(const std::string& path);
    /// Null: not found out yet.
    const std::set<Address>* unheard(const std::string& path) const;

    // ---- other patches ----

    /// The producer's own patches.
    Collection& collection() { return collection_; }
    void useCollection(const std::filesystem::path& folder) { collection_ = Collection(folder); }
    /// Tells by weighed() how alike the phrase would sound with other patches, one after the other, in the background.
    /// A further call and every edit end it. Returns what the answers go by.
    quint64 weigh(std::vector<Patch> patches);
    void stopWeighing();
    /// The patch with each choice of one of its parameters.
    std::vector<Patch> kindsOf(const Address& address) const;
    /// Another patch is heard as the render, at the reference's loudness; nothing: the patch itself again, as after an
    /// edit.
    void hearOther(const std::optional<Patch>& patch);

    // ---- difference ----

    /// In place of the reference what the render lacks of it is heard, in place of the render what it has too much.
    void hearDifference(bool on);
    bool hearingDifference() const { return hearingDifference_; }

    // ---- the piece ----

    /// Reads a file that plays along with all cues, in the background. A problem is told.
    void importBacking(const std::filesystem::path& path);
    void removeBacking();
    void setBackingLevel(double db);
    void setPart(std::uint64_t cueId, const PiecePart& part);
    /// Puts an excerpt at a place in the piece, seconds.
    void placeExcerpt(std::uint64_t cueId, std::uint64_t excerptId, double seconds);
    /// In place of one reference and its render all of them are heard at their places, with the backing, at full speed.
    void hearPiece(bool on);
    bool hearingPiece() const { return hearingPiece_; }
    /// Whether all that is heard then has been rendered for the first time.
    bool pieceReady() const { return pieceReady_; }
    /// The backing as it is heard, with its picture; empty before.
    const MeasuredSound& backingSound() const;
    /// Loops all of it, not only the cue being worked on and what comes just before.
    void loopWholePiece(bool whole);
    bool loopsWholePiece() const { return wholePiece_; }
    /// Where the player is in the phrase of the excerpt in view, seconds; outside of it while the piece is heard.
    double phrasePosition() const;
    void seekInPhrase(double seconds);

    // ---- next moves ----

    /// While they are wanted, the changes that would bring the patch closer are looked for after each edit, in the
    /// background; nextMovesChanged() tells a first list and a last one. The next edit drops them.
    void wantNextMoves(bool wanted);
    const NextMoves& nextMoves() const { return nextMoves_; }
    enum class NextState { none, looking, complete };
    NextState nextState() const { return nextState_; }
    /// Lets the phrase be heard with a move, in place of the render; −1: the patch as it stands again.
    void hearMove(int index);
    void takeMove(int index);

    // ---- search ----

    const MatchState& matchState() const { return match_; }
    /// Anew, or going on from the patch and what else was found besides when it is what was found.
    void startMatch(double seconds, bool goOn = false);
    /// Ends the search; the best so far is kept.
    void stopMatch();
    /// Makes a patch that a search found the patch being worked on; while it runs, one of those that lead. The search
    /// then goes on, and what it ends with is kept as a take only.
    void takeFound(int index);
    /// Plays the phrase with one of them in place of the render; −1: with the patch as it stands again.
    void hearFound(int index);
    /// Looks, in the background, for patches about so alike the one that is worked on; locks and ranges are obeyed.
    void makeVariations(double likeness);
    const VariationState& variations() const { return variations_; }
    /// As hearFound() and takeFound().
    void hearVariation(int index);
    void takeVariation(int index);
    /// Reads the bank that searches begin with, and makes what is missing of it, in the background.
    void prepareBank();
    /// How much of it there is, 0 … 1; negative when it was not asked for.
    double bankFraction() const { return bankFraction_; }

    Playback& playback() { return playback_; }

signals:
    void documentChanged();
    void cueSwitched();
    void resultsChanged();
    void matchChanged();
    void variationsChanged();
    void bankChanged();
    void nextMovesChanged();
    void pieceChanged();
    void patchesCompared(quint64 ticket, std::shared_ptr<const PatchPair> pair);
    /// One clear sentence for the producer.
    void problem(const QString& sentence, const QString& detail);
    /// A file has more than two channels: ask which, then import it again.
    void channelsWanted(const QString& path, int count);
    /// A file too long to be one excerpt was opened: its parts are to be chosen.
    void partsWanted();
    void auditionChanged();
    void chosenNotesChanged();
    void hearingChanged();
    void stageRead(const QString& path);
    void movesChanged();
    void unheardFound(const QString& path);
    void weighed(quint64 ticket, int index, double likeness);
    void gridChanged();
    /// Something worth a line in the status bar.
    void notice(const QString& sentence);

private:
    friend class DocumentCommand;
    void apply(DocumentPtr document);
    void push(const QString& what, Document after, const QString& mergeKey = {});
    void startFresh(Document document, const std::filesystem::path& path, std::int64_t generation, bool saved);
    void refresh();
    void tryPatch(const QString& what, const std::function<Patch(const Patch&)>& change);
    void loadReference();
    void clearSides();
    void showReference(const MeasuredSound& reference, RecordingPtr atPlayersRate);
    /// `slow`: the sound is as slow as it is to be heard.
    void hear(Side side, const RecordingPtr& recording, double gainDb, bool slow = false);
    /// What was rendered beside the patch belongs to it as it stood.
    void forgetBeside();
    void noteMove(const Address& address, double place);
    void keepMoves();
    void makeSpectrograms();
    void showRender(MeasuredSound render);
    /// Makes an excerpt and finds its notes in the background, then puts it into the active cue.
    enum class Place { inView, further };
    /// Changes a module's data on the import queue, and puts them in as one edit.
    void fillModule(const std::string& path, const QString& what, std::function<void(ModuleData&)> make);
    struct TellingNote {
        Note note;
        double hz;
    };
    std::optional<TellingNote> tellingNote();
    void prepareExcerpt(const QString& what, Place place, std::function<Excerpt()> make);
    void putExcerpt(std::uint64_t cueId, const QString& what, Place place, const Excerpt& excerpt);
    void changeExcerpt(const QString& what, std::uint64_t id, const std::function<void(Excerpt&)>& change,
                       const QString& mergeKey = {});
    void remakeExcerpt(const QString& what, std::uint64_t id, std::function<Excerpt(const Excerpt&)> make);
    void compareOthers();
    /// Of what an excerpt's profile, and its render and likeness, follow from.
    static std::uint64_t profileKeyOf(const Cue& cue, const Excerpt& excerpt);
    static std::uint64_t renderKeyOf(const Cue& cue, const Excerpt& excerpt);
    ProfilePtr profileOf(std::uint64_t key) const;
    void hearReference();
    void hearRender();
    void showLeaders(const std::vector<Leader>& leaders);
    void finishMatch(const MatchResult& result, std::uint64_t cueId, const std::vector<std::uint64_t>& excerpts);
    void writeJournal();
    /// The document with the best that a running search has found, which a crash would lose.
    Document withUnfinishedMatch() const;
    void report(const std::exception& problem);
    /// Runs on the GUI thread what a worker found.
    template <typename F> void post(F&& work) {
        QMetaObject::invokeMethod(this, std::forward<F>(work), Qt::QueuedConnection);
    }

    DocumentPtr document_;
    std::filesystem::path path_;
    std::int64_t generation_ = 0;
    bool neverSaved_ = true;
    QUndoStack undo_;
    Journal journal_;
    QTimer journalTimer_;
    QTimer searchJournalTimer_; ///< for what a running search has found

    CueResults results_;
    MatchState match_;
    VariationState variations_;
    quint64 variationTurn_ = 0;
    void makeBank();
    SeedBankPtr bank_; ///< null until it is read
    double bankFraction_ = -1.0;
    std::uint64_t referenceKey_ = 0;               ///< hash of audio and notes that results_.reference belongs to
    std::uint64_t renderKey_ = 0;                  ///< hash of everything that results_.render belongs to
    std::uint64_t projectCount_ = 0;               ///< tells late results of another project
    std::map<std::uint64_t, ProfilePtr> profiles_; ///< of references, by key
    std::map<std::uint64_t, double> likenesses_;   ///< of excerpts, by key of their render
    RecordingPtr referenceAtRate_;                 ///< at the player's rate
    std::uint64_t heard_[2] = {0, 0};              ///< counts what was given to each side; late results are dropped
    bool differenceWanted_ = false;
    bool spectrogramsWanted_ = false;
    RecordingPtr shownAudio_; ///< what results_.reference is, or is about to be, of

    double auditionBegin_ = -1.0; ///< seconds into the source; < 0: the reference is heard
    Part heardPart_ = Part::all;
    Hearing hearingPart_ = Hearing::whole;
    std::string heardModule_;
    /// Of one parameter that is being turned.
    struct Moves {
        double before = 0.0; ///< its value
        double last = 0.0;   ///< seconds
        double place = 0.0;  ///< on its scale, since then
        std::map<double, double> points;
    };
    bool recordingMoves_ = false;
    std::map<Address, Moves> moves_;
    bool slowAnew_ = false;
    std::optional<Patch> other_; ///< heard in place of the patch
    Collection collection_;
    std::map<std::string, StageReading> stages_;
    std::set<std::string> stagesWanted_; ///< being read
    std::uint64_t stageTurn_ = 0;        ///< counts patches; late readings are dropped
    std::string unheardOf_;              ///< the module that is, or was, looked at
    std::optional<std::set<Address>> unheard_;
    quint64 weighTicket_ = 0;
    std::uint64_t partTurn_ = 0; ///< counts what of the patch is wanted; late renders are dropped
    NoteChoice chosenNotes_;
    QTimer noteEnd_; ///< of what hearNote() plays
    int heardKey_ = -1;
    double gridStep_ = 0.25;
    bool snapping_ = false;

    SourceView source_;
    Playback playback_;
    void measureFloor();
    Take takeOf(const Patch& patch, Document& document, const QString& name) const;
    void keepBefore(Document& document, Cue& changed, const QString& what) const;
    quint64 pairTicket_ = 0;
    JobQueue pairing_;
    void giveDifference();
    bool hearingDifference_ = false;
    quint64 differenceTurn_ = 0;
    JobQueue differing_;
    double place() const;
    void loopAsChosen();
    void givePiece();
    bool hearingPiece_ = false;
    bool pieceReady_ = false;
    bool wholePiece_ = false;
    std::uint64_t shownPiece_ = 0; ///< hash of what is, or is about to be, heard
    quint64 pieceTurn_ = 0;
    MeasuredSound backing_;             ///< as it was given to the player, with its picture
    std::string backingKey_;            ///< of the backing that it is
    std::unique_ptr<PieceMixer> mixer_; ///< used by the thread of its queue alone
    JobQueue piecing_;
    void lookForMoves();
    void dropMoves();
    bool nextWanted_ = false;
    NextState nextState_ = NextState::none;
    NextMoves nextMoves_;
    quint64 nextTurn_ = 0;
    std::unique_ptr<MoveFinder> finder_; ///< used by the thread of its queue alone
    std::uint64_t finderKey_ = 0;
    JobQueue interactive_;
    JobQueue others_;
    JobQueue imports_;
    JobQueue loader_;
    JobQueue pictures_;
    JobQueue parts_; ///< renders of parts of the patch
    JobQueue weighing_;
    JobQueue staging_;
    JobQueue probing_{JobQueue::Priority::low};
    JobQueue flooring_{JobQueue::Priority::low};
    JobQueue next_{JobQueue::Priority::low};
    JobQueue hearing_[2]; ///< one a side: band and slow listening
    JobQueue search_{JobQueue::Priority::low};
    JobQueue varying_;
    JobQueue banking_{JobQueue::Priority::low};
};

} // namespace facet
