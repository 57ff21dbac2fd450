// Patches named by technique, and a phrase that suits each of them.
#pragma once

#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <string>
#include <vector>

namespace facet::testing {

/// Names of all patches of tests/fixtures/patches, in alphabetical order.
std::vector<std::string> fixtureNames();
Patch fixturePatch(const std::string& name);

/// Adds a link to a patch: `from` moves `to`, an address, by `amount` in the destination's unit of movement; `by`
/// scales it, empty: nothing does. The link's key is the next free one.
void link(Patch& patch, const std::string& from, const std::string& to, double amount, const std::string& by = "");

/// A long note, a shorter and softer one that it overlaps, and a high short one; stereo, 3.2 s.
Performance fixturePhrase();

} // namespace facet::testing
