#include "core/parameters/value_text.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

std::string withMinusSign(std::string text) {
    if (!text.empty() && text[0] == '-') text.replace(0, 1, "−");
    return text;
}

/// Three significant digits, but never an exponent and no trailing zeros.
std::string threeDigits(double value) {
    const double magnitude = std::abs(value);
    const int decimals = magnitude >= 99.95 ? 0 : magnitude >= 9.995 ? 1 : 2;
    std::string text = fmt::format("{:.{}f}", value, decimals);
    if (decimals > 0) {
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.') text.pop_back();
    }
    return withMinusSign(text == "-0" ? "0" : text);
}

std::string replaceAll(std::string text, std::string_view from, std::string_view to) {
    for (auto at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size()))
        text.replace(at, from.size(), to);
    return text;
}

} // namespace

std::string_view symbolOf(Unit unit) {
    switch (unit) {
    case Unit::octaves: return "oct";
    case Unit::semitones: return "st";
    case Unit::cents: return "ct";
    case Unit::hertz: return "Hz";
    case Unit::milliseconds: return "ms";
    case Unit::decibels: return "dB";
    case Unit::percent: return "%";
    case Unit::degrees: return "°";
    case Unit::decibelsPerOctave: return "dB/oct";
    case Unit::ratio:
    case Unit::amount:
    case Unit::choice:
    case Unit::onOff:
    case Unit::count: break;
    }
    return "";
}

std::string textOf(const ParameterDescriptor& descriptor, double value) {
    switch (descriptor.unit) {
    case Unit::choice: {
        const auto index = static_cast<std::size_t>(std::clamp(value, descriptor.low, descriptor.high));
        return std::string(descriptor.choices[index]);
    }
    case Unit::onOff: return value >= 0.5 ? "on" : "off";
    case Unit::count: return fmt::format("{:.0f}", value);
    case Unit::ratio: return threeDigits(value);
    case Unit::hertz:
        return std::abs(value) >= 1000.0 ? threeDigits(value / 1000.0) + " kHz" : threeDigits(value) + " Hz";
    case Unit::milliseconds:
        return std::abs(value) >= 1000.0 ? threeDigits(value / 1000.0) + " s" : threeDigits(value) + " ms";
    case Unit::octaves:
    case Unit::semitones:
    case Unit::cents:
        return (value > 0.0 && descriptor.low < 0.0 ? "+" : "") + threeDigits(value) + " " +
               std::string(symbolOf(descriptor.unit));
    case Unit::amount: return (value > 0.0 ? "+" : "") + threeDigits(value);
    case Unit::decibelsPerOctave:
    case Unit::decibels:
    case Unit::percent: return threeDigits(value) + " " + std::string(symbolOf(descriptor.unit));
    case Unit::degrees: return threeDigits(value) + "°";
    }
    return {};
}

std::optional<double> parseValue(const ParameterDescriptor& descriptor, std::string_view input) {
    std::string text = replaceAll(std::string(input), "−", "-");
    std::replace(text.begin(), text.end(), ',', '.');
    text.erase(0, text.find_first_not_of(" \t"));
    text.erase(text.find_last_not_of(" \t") + 1);
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (text.empty()) return std::nullopt;

    if (descriptor.unit == Unit::onOff) {
        if (text == "on" || text == "yes") return 1.0;
        if (text == "off" || text == "no") return 0.0;
    }
    for (const bool whole : {true, false}) // a whole name before the first word of a longer one
        for (std::size_t i = 0; i < descriptor.choices.size(); ++i) {
            std::string name(descriptor.choices[i]);
            std::transform(name.begin(), name.end(), name.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
            if (whole ? text == name : name.starts_with(text + " ")) return static_cast<double>(i);
        }
    if (descriptor.unit == Unit::choice) return std::nullopt;

    const char* begin = text.data() + (text[0] == '+' ? 1 : 0);
    const char* end = text.data() + text.size();
    double number = 0.0;
    const auto [rest, code] = std::from_chars(begin, end, number);
    if (code != std::errc() || !std::isfinite(number)) return std::nullopt;
    std::string_view unit(rest, static_cast<std::size_t>(end - rest));
    while (!unit.empty() && unit.front() == ' ') unit.remove_prefix(1);
    if (descriptor.unit == Unit::hertz && (unit == "k" || unit == "khz")) return number * 1000.0;
    if (descriptor.unit == Unit::milliseconds && unit == "s") return number * 1000.0;
    std::string symbol(symbolOf(descriptor.unit));
    std::transform(symbol.begin(), symbol.end(), symbol.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (!unit.empty() && unit != symbol) return std::nullopt;
    return number;
}

std::string rangeText(const ParameterDescriptor& descriptor) {
    if (descriptor.unit == Unit::onOff) return "on or off";
    if (descriptor.unit == Unit::choice) {
        std::string text;
        for (std::size_t i = 0; i < descriptor.choices.size(); ++i)
            text += (i == 0                               ? ""
                     : i + 1 == descriptor.choices.size() ? " or "
                                                          : ", ") +
                    std::string(descriptor.choices[i]);
        return text;
    }
    return textOf(descriptor, descriptor.low) + " to " + textOf(descriptor, descriptor.high);
}

} // namespace facet
