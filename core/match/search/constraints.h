// What the producer has said about parameters, put back into whatever a search makes.
#pragma once

#include "core/match/optimize/search_space.h"
#include "core/match/search/match_settings.h"
#include "core/parameters/patch.h"

namespace facet {

/// Refers to the settings, which must outlive it. Safe to call from several threads.
class Constraints {
public:
    Constraints(const MatchSettings& settings, const Identifiable& identifiable)
        : settings_(settings), identifiable_(identifiable) {}

    /// Adds elements that the producer insists on, takes out excluded effects, elements that were ruled out and links
    /// to locked parameters that the start has not, ties what the start has tied, clips into the given ranges and puts
    /// back everything that is locked.
    Patch applied(Patch patch) const;
    /// Without effects of the excluded kinds and elements that were ruled out, as applied() takes them out; what is
    /// locked stays.
    Patch withoutExcluded(Patch patch) const;
    /// Whether a patch lies within them as it is.
    bool allow(const Patch& patch) const { return applied(patch).soundsLike(patch); }
    bool locked(const Address& address) const { return settings_.limits.locks.contains(address); }
    /// Whether a patch that was not made from the start has all parameters that are locked.
    bool hasLocked(const Patch& patch) const;
    /// In the middle, where the references have no sides: stereo width is unidentifiable there.
    Patch centered(Patch patch) const;

private:
    const MatchSettings& settings_;
    Identifiable identifiable_;
};

} // namespace facet
