// Base64 (RFC 4648, section 4, with padding) of bytes, and of 32-bit floats in little-endian order.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace facet {

std::string base64OfBytes(std::string_view bytes);
std::string base64OfFloats(std::span<const float> values);
/// Nothing when the text is not base64 or does not hold whole floats.
std::optional<std::vector<float>> floatsOfBase64(std::string_view text);

} // namespace facet
