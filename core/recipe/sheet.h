// The sheet: all that somebody needs who is to rebuild a sound elsewhere, as one page.
#pragma once

#include "core/match/suggest/build.h"
#include "core/instruments/played_on.h"
#include "core/recipe/macros.h"
#include "core/recipe/page.h"
#include "core/recipe/recipe.h"

#include <string>
#include <vector>

namespace facet {

/// Another patch for the same recording.
struct OtherWay {
    std::string name;
    Patch patch{};
};

/// What a sheet is about.
struct SheetSubject {
    std::string name;                ///< of the sound
    Patch patch{};                   ///< as it was found or made
    std::vector<MoveTarget> targets; ///< empty: nothing is to be rebuilt, the patch is told by its own sound
    FacetWeights weights = equalWeights;
    BuildPlan plan{};                       ///< how its build is told; no steps: as it is found
    std::vector<OtherWay> others{};         ///< of which those are told that are made of something else
    bool sounds = true;                     ///< whether there is something to listen to
    std::optional<Instrument> instrument{}; ///< whose settings are told besides
};

/// What was found out for it.
struct Sheet {
    std::string name;
    bool isRebuilt = true; ///< there is a recording
    Recipe recipe;
    Build build; ///< of the recipe's patch
    Performance performance;
    struct Other {
        std::string name;
        std::vector<std::string> lines; ///< words of its parts
        double likeness = 0.0;
    };
    std::vector<Other> others;
    std::vector<ProposedMacro> macros;
    /// The sound on somebody's instrument.
    struct Played {
        std::string name;
        double likeness = 0.0;
        std::vector<ControlSetting> settings;
        /// What it cannot do as it is.
        struct Lacking {
            std::string part;      ///< in words
            std::string instead;   ///< the nearest that it can do; empty: nothing
            double likeness = 0.0; ///< with this alone, of the recipe's
        };
        std::vector<Lacking> lacking;
    };
    std::optional<Played> played;
    std::vector<Plot> plots;
    std::vector<PageSound> sounds;
};

/// A phrase for a patch without a recording: four notes over two octaves, soft and hard.
Performance phraseOfSheet();

/// Makes it: many renders and measurements, half a minute for a phrase of ten seconds on two cores. Throws Error for a
/// patch that cannot be heard, and Cancelled.
Sheet sheetOf(const SheetSubject& subject, int threads, const Task& task = {});

/// What it says, in order: what it is, what matters most, the settings, those of the
/// instrument, the build, other ways, macros, pictures,
/// sounds.
Page pageOfSheet(const Sheet& sheet);

} // namespace facet
