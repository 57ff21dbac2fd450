#include "core/base/base64.h"

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>

namespace facet {

static_assert(std::endian::native == std::endian::little);

namespace {

constexpr std::string_view letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

} // namespace

std::string base64OfBytes(std::string_view view) {
    const auto* bytes = reinterpret_cast<const unsigned char*>(view.data());
    const std::size_t count = view.size();
    std::string text;
    text.reserve((count + 2) / 3 * 4);
    for (std::size_t i = 0; i < count; i += 3) {
        const std::size_t left = std::min<std::size_t>(3, count - i);
        std::uint32_t group = 0;
        for (std::size_t k = 0; k < 3; ++k) group = group << 8 | (k < left ? bytes[i + k] : 0u);
        for (std::size_t k = 0; k < 4; ++k) text += k <= left ? letters[group >> (18 - 6 * k) & 63] : '=';
    }
    return text;
}

std::string base64OfFloats(std::span<const float> values) {
    return base64OfBytes({reinterpret_cast<const char*>(values.data()), values.size_bytes()});
}

std::optional<std::vector<float>> floatsOfBase64(std::string_view text) {
    if (text.size() % 4 != 0) return std::nullopt;
    for (int padding = 0; padding < 2 && text.ends_with('='); ++padding) text.remove_suffix(1);
    std::vector<unsigned char> bytes;
    bytes.reserve(text.size() * 3 / 4);
    std::uint32_t group = 0;
    int bits = 0;
    for (char c : text) {
        const auto at = letters.find(c);
        if (at == std::string_view::npos) return std::nullopt;
        group = group << 6 | static_cast<std::uint32_t>(at);
        if ((bits += 6) < 8) continue;
        bits -= 8;
        bytes.push_back(static_cast<unsigned char>(group >> bits & 255));
    }
    if (bytes.size() % sizeof(float) != 0) return std::nullopt;
    std::vector<float> values(bytes.size() / sizeof(float));
    std::memcpy(values.data(), bytes.data(), bytes.size());
    return values;
}

} // namespace facet
