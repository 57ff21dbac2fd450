// Paths of the modules that every patch has in its first layer.
#pragma once

#include <string>

namespace facet::first_layer {

inline const std::string layer = "layer:a";
inline const std::string a = "layer:a/source:a";
inline const std::string b = "layer:a/source:b";
inline const std::string filter = "layer:a/filter:a";
inline const std::string levelEnvelope = "layer:a/envelope:level";
inline const std::string filterEnvelope = "layer:a/envelope:filter";

} // namespace facet::first_layer
