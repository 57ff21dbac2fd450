// The document: a project with its cues, excerpts and takes, as immutable values that share what is equal.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace facet {

/// A change to a note that was found or imported. Kept apart from those notes, so that finding them anew keeps it.
struct NoteCorrection {
    std::optional<Note> from; ///< the note it changes, as it was found; none: an added note
    std::optional<Note> to;   ///< what it becomes; none: it is deleted
    friend bool operator==(const NoteCorrection&, const NoteCorrection&) = default;
};

/// `found` with the corrections applied: each goes to the found note nearest in time (within 50 ms and an
/// octave and a bit in key); one that fits nothing any more is kept but has no effect.
std::vector<Note> correctedNotes(const std::vector<Note>& found, const std::vector<NoteCorrection>& corrections);

/// A piece of recording that a cue is to be matched to.
struct Excerpt {
    std::uint64_t id = 0;
    std::string sourcePath; ///< where the file was; empty when unknown
    std::string sourceHash; ///< hash of the whole file's bytes
    double begin = 0.0;     ///< of the region within the source, seconds
    double end = 0.0;
    RecordingPtr audio;                       ///< the region
    std::string audioKey;                     ///< hash of `bytes`; names them in files
    std::shared_ptr<const std::string> bytes; ///< the region as an audio file: original bytes, or lossless
    Performance performance;                  ///< notes as found or imported, tuning, tempo; extent of `audio`
    bool imported = false;                    ///< notes come from a MIDI file
    std::string noteEvidence;                 ///< what was decided while finding the notes, and why; may be empty
    std::string noteProblem;                  ///< why the found notes are not to be trusted; empty when they are
    std::vector<NoteCorrection> corrections;

    /// The performance with corrected notes.
    Performance corrected() const;
};

/// A kept state of a cue.
struct Take {
    std::uint64_t id = 0;
    std::string name;
    std::string note;
    Patch patch{};
    std::optional<double> likeness;
    std::int64_t keptAt = 0; ///< seconds since 1970
    int engineVersion = 0;
    bool starred = false;
};

/// One sound to rebuild.
struct Cue {
    std::uint64_t id = 0;
    std::string name;
    std::vector<std::shared_ptr<const Excerpt>> excerpts;
    Patch patch{}; ///< the one being worked on
    std::vector<std::shared_ptr<const Take>> takes;
    std::uint64_t chosenTake = 0; ///< 0: none
    std::set<Address> locks;
    double loopBegin = 0.0; ///< seconds; begin = end: the whole excerpt
    double loopEnd = 0.0;
    double focusLowHz = 0.0;  ///< heard, compared and searched is only what lies between; 0: from the bottom
    double focusHighHz = 0.0; ///< 0: to the top
    bool focused() const { return focusLowHz > 0.0 || focusHighHz > 0.0; }

    const Excerpt* excerpt() const { return excerpts.empty() ? nullptr : excerpts.front().get(); }
};

struct Document {
    std::string projectId; ///< made once, never changes
    std::string name = "Untitled";
    std::vector<std::shared_ptr<const Cue>> cues;
    std::uint64_t activeCue = 0;
    std::uint64_t nextId = 1; ///< ids are never reused

    const Cue* find(std::uint64_t cueId) const;
    const Cue* active() const { return find(activeCue); }
};
using DocumentPtr = std::shared_ptr<const Document>;

/// An empty project with a fresh id and one empty cue.
Document newDocument();

/// `document` with a cue replaced (same id), added at the end (new id), or removed.
Document withCue(const Document& document, Cue cue);
Document withoutCue(const Document& document, std::uint64_t cueId);

/// Fresh id out of a document's own counter.
std::uint64_t takeId(Document& document);

/// An excerpt of a file's sound over [begin, end) seconds (end ≤ 0: all). Small whole files keep their
/// original bytes, parts are kept as float or lossless audio. `fileBytes`: the file as it is on disk.
Excerpt makeExcerpt(const std::string& path, const std::string& fileBytes, double begin = 0.0, double end = 0.0);

} // namespace facet
