// The document: a project with its cues, excerpts and takes, as immutable values that share what is equal.
#pragma once

#include "core/instruments/instrument.h"
#include "core/parameters/build_plan.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"
#include "core/project/backing.h"
#include "core/project/excerpt.h"

#include <cstdint>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace facet {

/// How a blind test of reference and render went.
struct BlindResult {
    int trials = 0;
    int right = 0;
    friend bool operator==(const BlindResult&, const BlindResult&) = default;
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
    std::optional<BlindResult> blind{};
    BuildPlan build{}; ///< how its build is told; no steps: as it is found
};

/// How a cue takes part in the piece.
struct PiecePart {
    bool heard = true;
    double levelDb = 0.0;   ///< beyond the loudness of its reference
    std::uint64_t take = 0; ///< that is heard; 0: the patch being worked on
    friend bool operator==(const PiecePart&, const PiecePart&) = default;
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
    std::map<Address, std::pair<double, double>> ranges; ///< that a search keeps to, in the parameters' units
    std::set<Element> ruledOut;                          ///< elements that a search may not use
    std::set<Element> insisted;                          ///< elements that it has to use
    SearchLimits limits() const { return {locks, ranges, {}, ruledOut, insisted, {}}; }
    /// That a search keeps to and whose settings the sheet tells; null: Facet's own.
    std::shared_ptr<const Instrument> instrument{};
    /// Whether the instrument has no control for a value of its own patch, which then stands as it is.
    bool isHeld(const Address& address) const;
    double loopBegin = 0.0; ///< seconds; begin = end: the whole excerpt
    double loopEnd = 0.0;
    double focusLowHz = 0.0;  ///< heard, compared and searched is only what lies between; 0: from the bottom
    double focusHighHz = 0.0; ///< 0: to the top
    FacetWeights facetWeights = equalWeights; ///< in the likeness of the whole
    std::set<std::string> declinedMoves;      ///< ideas that next moves do not propose any more
    BuildPlan build{};                        ///< how the build of the patch is told; no steps: as it is found
    PiecePart part{};
    /// The patch that is heard in the piece.
    const Patch& patchInPiece() const;
    bool focused() const { return focusLowHz > 0.0 || focusHighHz > 0.0; }

    std::string source;              ///< file the next excerpts are cut from; empty when none was opened
    std::uint64_t activeExcerpt = 0; ///< the one in view; 0: the first

    /// The excerpt in view; null when there is none.
    const Excerpt* excerpt() const { return activePointer().get(); }
    std::shared_ptr<const Excerpt> activePointer() const;
    /// The slot an excerpt lies in; null for an unknown id.
    std::shared_ptr<const Excerpt>* slot(std::uint64_t excerptId);
    /// What of an excerpt counts.
    Attention attentionTo(const Excerpt& excerpt) const { return {focusLowHz, focusHighHz, excerpt.leftOut}; }
};

/// A project as a value: cues are immutable and shared between the states of undo.
struct Document {
    std::string projectId; ///< made once, never changes
    std::string name = "Untitled";
    std::vector<std::shared_ptr<const Cue>> cues;
    std::uint64_t activeCue = 0;
    std::uint64_t nextId = 1;               ///< ids are never reused
    std::shared_ptr<const Backing> backing; ///< null: none
    double backingDb = 0.0;                 ///< its level

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

} // namespace facet
