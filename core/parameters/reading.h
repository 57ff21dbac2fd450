// How a patch reads: the most characteristic values of a module, where its sound goes, what moves what, in words.
#pragma once

#include "core/parameters/patch.h"

#include <string>
#include <string_view>
#include <vector>

namespace facet {

/// A value worth showing in one line.
struct ImportantValue {
    Address address;
    std::string label; ///< "cutoff"
    std::string value; ///< "410 Hz"
};
/// The most characteristic values of a module, in the order of the editor: what its kind is known by, and what is not
/// where it stands by default; only such as could be heard, `most` at most. Of a link: its amount.
std::vector<ImportantValue> importantValues(const Patch& patch, const Patch::Module& module, std::size_t most);

/// Whether a kind is known by a field, wherever it stands: a filter by its cutoff.
bool isKnownBy(ModuleKind kind, std::string_view field);

/// Where the sound of a source goes: "to filter 1", "past the filters", "to the output". Of other modules: empty.
std::string destinationOf(const Patch& patch, const Patch::Module& module);

/// One thing that moves one parameter.
struct Modulation {
    std::string mover;  ///< path of a module, or a word of performanceSources()
    Address target;     ///< what is moved
    Address amount;     ///< the parameter that says how far; without a field when nothing does
    std::string link;   ///< path of the link; empty for what is part of every patch
    bool muted = false; ///< the link is off
};
/// All movements of a patch: its links, the envelopes, key and velocity that are part of filters and layers as far as
/// they move anything.
std::vector<Modulation> modulationsOf(const Patch& patch);

/// Something that can move a parameter, with what people call it.
struct Mover {
    std::string path; ///< of a module, or a word of performanceSources()
    std::string label;
};
/// Everything that a link could lead from to the parameter; without a module in `target`: to any.
std::vector<Mover> moversFor(const Patch& patch, const Address& target);

/// "LFO", "Velocity", "Level envelope".
std::string moverLabel(const Patch& patch, const Modulation& movement);
/// "Source 1 cents"; within its own module just "cents" when `home` is that module's path.
std::string targetLabel(const Patch& patch, const Modulation& movement, std::string_view home = {});
/// "+31 st"; empty when nothing says how far.
std::string amountLabel(const Patch& patch, const Modulation& movement);

} // namespace facet
