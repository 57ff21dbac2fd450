// A patch as recorded notes, for instruments that play recordings.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/parameters/patch.h"

#include <optional>
#include <vector>

namespace facet {

/// What is recorded.
struct SampledRange {
    int lowKey = 36, highKey = 84; ///< inclusive, 0 … 127
    int everyKeys = 4;             ///< semitones from one recorded key to the next, 1 … 24
    /// Increasing, 1 … 127; empty: 127 alone where the patch does not follow velocity, else 45, 90 and 127.
    std::vector<double> velocities{};
    double holdSeconds = 2.0; ///< for which keys are held; longer where a sound takes longer to come to rest, 0.2 … 30
    bool loops = true;        ///< whether sounds that are held go on in a loop
};

/// The keys that are recorded, increasing; none where the lowest lies above the highest.
std::vector<int> recordedKeys(const SampledRange& range);

/// Frames [begin, end) that repeat while the key is held; what follows `end` is what sounds when it is let go there.
struct SampleLoop {
    int begin = 0, end = 0;
};

/// One recorded note, with the keys and velocities that it plays.
struct SampledNote {
    int key = 60, lowKey = 60, highKey = 60;
    int velocity = 127, lowVelocity = 1, highVelocity = 127;
    Recording sound{}; ///< at 48 kHz, stereo, from the key's stroke until nothing sounds any more
    std::optional<SampleLoop> loop{};
    double releaseSeconds = 0.0; ///< in which a note that is let go falls by 60 dB
};

/// Whether the sound depends on how hard keys are struck.
bool followsVelocity(const Patch& patch);

/// Records all of them at one gain, the loudest 1 dB below full scale; by key, then velocity. Loops are where the sound
/// repeats itself best, the lag of the highest correlation (as in A. de Cheveigné, H. Kawahara, "YIN", JASA 111, 2002,
/// without its normalization), cross-faded so that no seam is heard. Throws Error for ranges that make no sense and
/// patches that are silent, and Cancelled.
std::vector<SampledNote> sampledNotes(const Patch& patch, const SampledRange& range, int threads,
                                      const Task& task = {});

} // namespace facet
