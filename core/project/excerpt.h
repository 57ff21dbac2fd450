// A piece of a recording that a cue is to be matched to, with its notes.
#pragma once

#include "core/audio/attention.h"
#include "core/audio/channels.h"
#include "core/audio/recording.h"
#include "core/performance/note_edit.h"
#include "core/performance/performance.h"

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace facet {

/// A change to a note that was found or imported. Kept apart from those notes, so that finding them anew keeps it.
using NoteCorrection = NoteChange;

/// `found` with the corrections applied: each goes to the found note nearest in time (within 50 ms and an
/// octave and a bit in key); one that fits nothing any more is kept but has no effect.
std::vector<Note> correctedNotes(const std::vector<Note>& found, const std::vector<NoteCorrection>& corrections);

/// `corrections` with further changes to the notes as they stand corrected: a note that was corrected before is
/// corrected further, from what was found.
std::vector<NoteCorrection> correctedFurther(std::vector<NoteCorrection> corrections,
                                             const std::vector<NoteChange>& changes);

/// One way to read the notes of an excerpt, see core/analysis/notes/reading.h.
struct NoteReading {
    std::vector<Note> notes;
    double tuningCents = 0.0;
    std::optional<double> tempo{}; ///< quarter notes per minute that the notes agree on
    double probability = 1.0;      ///< of all readings of the excerpt
    std::string words;             ///< what it takes the recording for: "5 notes, repeats every 375 ms"
    std::string evidence;          ///< what was decided, and why; may be empty
    std::string problem;           ///< why its notes are not to be trusted; empty when they are
    friend bool operator==(const NoteReading&, const NoteReading&) = default;
};

/// A piece of recording that a cue is to be matched to.
struct Excerpt {
    std::uint64_t id = 0;
    std::string name;
    std::string sourcePath; ///< where the file was; empty when unknown
    std::string sourceHash; ///< hash of the whole file's bytes
    double begin = 0.0;     ///< of the region within the source, seconds
    double end = 0.0;
    ChannelChoice channels{};                 ///< of the source
    double weight = 1.0;                      ///< 0…1 in comparison and search; 0: set aside
    std::vector<TimeSpan> leftOut;            ///< seconds from the region's start; neither compared nor searched
    RecordingPtr audio;                       ///< the region in the chosen channels
    double keptBegin = 0.0;                   ///< seconds into the source at which `bytes` begin
    std::string audioKey;                     ///< hash of `bytes`; names them in files
    std::shared_ptr<const std::string> bytes; ///< region and margins as an audio file: original bytes, or lossless
    Performance performance;                  ///< notes as found or imported, tuning, tempo; extent of `audio`
    bool imported = false;                    ///< notes come from a MIDI file
    std::string noteEvidence;                 ///< what was decided while finding the notes, and why; may be empty
    std::string noteProblem;                  ///< why the found notes are not to be trusted; empty when they are
    std::vector<NoteReading> readings;        ///< of its sound, the likeliest first; empty where notes were imported
    std::size_t reading = 0;                  ///< the one whose notes `performance` has
    std::vector<NoteCorrection> corrections;
    std::optional<double> place; ///< in the piece, seconds; nothing: as far in as the region is in its source

    double placeInPiece() const { return place.value_or(begin); }
    /// The performance with corrected notes.
    Performance corrected() const;
    /// The same with the notes of another reading.
    Performance correctedAs(std::size_t other) const;
    /// Takes notes, tuning and tempo from one of the readings; corrections stay a layer over it.
    void readAs(std::size_t chosen);
    /// The place of a reading among this excerpt's; nothing where the notes were found anew since.
    std::optional<std::size_t> placeOf(const NoteReading& other) const;
    /// Whether a search may read the notes in another way: they were neither imported nor corrected.
    bool openToReadings() const { return !imported && corrections.empty() && readings.size() > 1; }
    /// Hash of what is heard: audio, region and channels.
    std::uint64_t soundHash() const;
};

/// Seconds of the source kept on either side of a region, so that it can still be moved when the file is gone.
inline constexpr double keptMargin = 2.0;

/// An excerpt of a file's sound over [begin, end) seconds (end ≤ 0: all). Short files keep their original bytes; parts
/// of long ones are kept without loss, with margins, and read without taking the whole file into memory. Throws Error
/// for a file or region that cannot serve as a reference.
Excerpt makeExcerpt(const std::filesystem::path& path, double begin = 0.0, double end = 0.0,
                    const ChannelChoice& channels = {});
/// An excerpt of sound that comes from no file, all of it.
Excerpt makeExcerpt(const Recording& recording, const std::string& name);

/// The excerpt with another region of its source (seconds into the source) or other channels: from what is kept, or
/// from the file when that is still as it was. Notes and corrections keep their place in the source; those outside go.
/// Throws Error when neither holds the region, or it cannot serve as a reference.
Excerpt withRegion(const Excerpt& excerpt, double begin, double end);
Excerpt withChannels(const Excerpt& excerpt, const ChannelChoice& channels);

/// Reads `audio` anew from `bytes`. Throws Error when they are damaged.
void decode(Excerpt& excerpt);

} // namespace facet
