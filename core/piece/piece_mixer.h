// All cues at their places in the piece: their references, and what their patches make of them.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/project/document.h"

#include <cstdint>
#include <map>
#include <memory>

namespace facet {

/// A stereo sound that begins somewhere in the piece.
struct PlacedSound {
    Recording sound;
    double begin = 0.0; ///< seconds
};

/// All references and all renders of a piece, each summed to one sound.
struct PieceMix {
    PlacedSound references;
    PlacedSound renders; ///< each as loud as its reference; its tail sounds on after the excerpt
};

/// Keeps what it rendered, so that only what an edit changed is rendered anew. One thread at a time.
class PieceMixer {
public:
    explicit PieceMixer(int rateHz) : rateHz_(rateHz) {}
    int rateHz() const { return rateHz_; }

    /// The excerpts of the cues that are heard; empty sounds when there are none. An excerpt without notes has a
    /// reference only. Throws Cancelled.
    PieceMix mix(const Document& document, const Task& task = {});
    /// The backing at the mixer's rate without its level; null when there is none. Throws Error when it is damaged.
    RecordingPtr backing(const Document& document);

private:
    struct Phrase {
        RecordingPtr sound; ///< at the mixer's rate
        double loudness = 0.0;
    };
    using Phrases = std::map<std::uint64_t, Phrase>;

    const int rateHz_;
    Phrases known_;
    std::string backingKey_;
    RecordingPtr backing_;
};

/// Hash of all that mix() and backing() go by.
std::uint64_t hashOfPiece(const Document& document);

/// Seconds at which the piece ends: its backing or the last excerpt that is heard, whichever is later; tails beyond
/// that are not counted.
double endOfPiece(const Document& document);

/// Reference or renders together with the backing at its level, as they are heard; from 0 to the end of either.
Recording pieceWithBacking(const PlacedSound& sounds, const Recording* backing, double backingDb);

} // namespace facet
