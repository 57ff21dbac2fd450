// What proposals are made for, and what all of them ask.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <initializer_list>
#include <string>
#include <utility>
#include <vector>

namespace facet {

/// A patch to be changed within limits, and the reference that says what is worth trying. References: all three must
/// outlive it. Any thread.
struct ProposalContext {
    const Patch& patch;
    const SearchLimits& limits;
    const Profile& reference;

    bool isLocked(const std::string& address) const { return limits.locked(Address::parse(address)); }
    /// Whether a link leads from one to the other.
    bool isMovedBy(const std::string& from, const std::string& to) const;
    /// Whether a changed patch has all locked parameters of this one where they stand.
    bool keepsLocks(const Patch& changed) const;
    /// Whether one of the links that are new in a changed patch moves what is locked.
    bool movesLocked(const Patch& changed) const;
    /// Whether a changed patch has no element that was ruled out and this one has not, and all that is insisted on and
    /// this one has.
    bool keepsWishes(const Patch& changed) const;
    /// The first source that sounds; empty without one.
    std::string firstSoundingSource() const;
};

/// Ways in which one thing can change. Of a continuous parameter the values are sorted and the present one is not among
/// them; otherwise there are patches only.
struct ProposalFamily {
    Address address;     ///< of a continuous parameter; module empty: other choices and structures
    FacetSet facets = 0; ///< that answer for it
    std::vector<double> values;
    std::vector<Patch> patches;
    bool continuous() const { return !values.empty(); }
};

/// All facets that a kind of module answers for.
FacetSet facetsOf(ModuleKind kind);

/// Adds the patch with some values changed, unless one of them is locked.
void proposeValues(const ProposalContext& in, std::initializer_list<std::pair<Address, double>> changes,
                   std::vector<Patch>& out);
/// Adds a patch with a further link; nothing where there is no room for it. `amount` in the destination's unit.
void proposeLink(Patch patch, const std::string& from, const std::string& to, double amount, std::vector<Patch>& out);

} // namespace facet
