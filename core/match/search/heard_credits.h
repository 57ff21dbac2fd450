// What a patch is credited for elements that are likely, as far as they are heard.
#pragma once

#include "core/match/search/inputs.h"
#include "core/parameters/patch.h"

#include <cstdint>
#include <map>

namespace facet {

/// Remembers what it was asked. Used by one thread.
class HeardCredits {
public:
    /// `inputs` must outlive it.
    explicit HeardCredits(const SearchInputs& inputs) : inputs_(inputs) {}

    /// Likeness points: of each element whose log odds are more than its price what is over, if the searched part of
    /// the first target sounds another without it. So nothing is gained by what nobody hears. Takes a render for each
    /// of these, and is 0 for what is asked first after a stop: what was found must still be told.
    double of(const Patch& patch);

private:
    const SearchInputs& inputs_;
    std::map<std::uint64_t, double> known_;
};

} // namespace facet
