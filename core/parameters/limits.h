// How many modules a patch may have, and how many parameters a module.
#pragma once

namespace facet {

// Of the whole patch:
inline constexpr int mostLayers = 4;
inline constexpr int mostLinks = 48;
inline constexpr int mostMacros = 8;
inline constexpr int mostEffects = 12; ///< together, and of each kind

// Of each layer:
inline constexpr int mostSources = 4;
inline constexpr int mostFilters = 2;
inline constexpr int mostEnvelopes = 6;
inline constexpr int mostLfos = 6;
inline constexpr int mostModulesOfLayer =
    1 + mostSources + mostFilters + mostEnvelopes + mostLfos; ///< with the layer's own

/// Parameters of a module; the table is checked against it when it is compiled.
inline constexpr int mostFields = 32;

} // namespace facet
