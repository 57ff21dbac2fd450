// Paths of the modules that every patch has in its first layer.
#pragma once

#include <string>

namespace facet {

inline const std::string firstLayer = "layer:a";
inline const std::string firstSource = "layer:a/source:a";
inline const std::string secondSource = "layer:a/source:b";
inline const std::string firstFilter = "layer:a/filter:a";
inline const std::string firstLevelEnvelope = "layer:a/envelope:level";
inline const std::string firstFilterEnvelope = "layer:a/envelope:filter";

} // namespace facet
