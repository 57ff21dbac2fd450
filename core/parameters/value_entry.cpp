#include "core/parameters/value_entry.h"

#include "core/base/units.h"
#include "core/parameters/value_text.h"

#include <cctype>
#include <charconv>
#include <cmath>
#include <string>
#include <vector>

namespace facet {

namespace {

std::string trimmed(std::string_view text) {
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.front()))) text.remove_prefix(1);
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.remove_suffix(1);
    return std::string(text);
}

/// One sign for each operation: what people write for minus, times and divided stands for it.
std::string plainSigns(std::string_view text) {
    std::string plain = trimmed(text);
    const std::pair<std::string_view, std::string_view> signs[] = {
        {"−", "-"}, {"–", "-"}, {"×", "*"}, {"·", "*"}, {"÷", "/"}};
    for (const auto& [from, to] : signs)
        for (auto at = plain.find(from); at != std::string::npos; at = plain.find(from, at + to.size()))
            plain.replace(at, from.size(), to);
    return plain;
}

/// Hz of "C2", "F#3", "Bb1", "A-1".
std::optional<double> noteHz(const std::string& text) {
    static constexpr int steps[] = {9, 11, 0, 2, 4, 5, 7}; // A to G from C
    if (text.size() < 2) return std::nullopt;
    const int letter = std::toupper(static_cast<unsigned char>(text[0])) - 'A';
    if (letter < 0 || letter > 6) return std::nullopt;
    std::size_t at = 1;
    int key = steps[letter];
    if (text[at] == '#')
        ++key, ++at;
    else if (text[at] == 'b')
        --key, ++at;
    int octave = 0;
    const char* end = text.data() + text.size();
    const auto [rest, code] = std::from_chars(text.data() + at, end, octave);
    if (code != std::errc() || rest != end || octave < -2 || octave > 10) return std::nullopt;
    return hzFromKey(key + 12.0 * (octave + 1));
}

/// Quarter notes of "1/16", "1/8 dotted", "2 bars".
std::optional<double> noteValue(const std::string& text) {
    const auto& beats = parametersOf(ModuleKind::lfo)[static_cast<std::size_t>(fieldIndex(ModuleKind::lfo, "beats"))];
    const auto index = parseValue(beats, text);
    if (!index) return std::nullopt;
    return noteValueQuarters()[static_cast<std::size_t>(*index)];
}

struct Term {
    char operation; ///< + - * /; of the first: space
    std::string text;
};

/// Parts of a sum or product. A sign that begins a term belongs to its number.
std::vector<Term> termsOf(const std::string& text) {
    std::vector<Term> terms{{' ', {}}};
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        const bool begins = trimmed(terms.back().text).empty();
        const bool times = (c == 'x' || c == 'X') && i + 1 < text.size() &&
                           (std::isdigit(static_cast<unsigned char>(text[i + 1])) || text[i + 1] == ' ') &&
                           (i == 0 || text[i - 1] == ' ' || std::isdigit(static_cast<unsigned char>(text[i - 1])));
        const bool joins = c == '*' || c == '/' || times || ((c == '+' || c == '-') && !begins);
        if (joins)
            terms.push_back({times ? '*' : c, {}});
        else
            terms.back().text += c;
    }
    return terms;
}

std::optional<double> plainNumber(const std::string& text) {
    const std::string t = trimmed(text);
    double number = 0.0;
    const auto [rest, code] = std::from_chars(t.data(), t.data() + t.size(), number);
    if (code != std::errc() || rest != t.data() + t.size() || !std::isfinite(number)) return std::nullopt;
    return number;
}

} // namespace

std::optional<double> readEntry(const ParameterDescriptor& descriptor, std::string_view input,
                                const EntryContext& context) {
    const std::string text = plainSigns(input);
    if (const auto value = parseValue(descriptor, text)) return value;
    if (descriptor.unit == Unit::choice || descriptor.unit == Unit::onOff) return std::nullopt;
    if (descriptor.unit == Unit::hertz)
        if (const auto hz = noteHz(text)) return hz;
    if (descriptor.unit == Unit::milliseconds || descriptor.unit == Unit::hertz)
        if (const auto quarters = noteValue(text)) {
            const double ms = *quarters * quarterNoteMs(context.tempo);
            return descriptor.unit == Unit::milliseconds ? ms : 1000.0 / ms;
        }
    const auto terms = termsOf(text);
    if (terms.size() < 2) return std::nullopt;
    // An operation that begins the entry is one on the present value.
    std::optional<double> value =
        trimmed(terms.front().text).empty() ? context.present : parseValue(descriptor, terms.front().text);
    for (std::size_t i = 1; i < terms.size() && value; ++i) {
        const bool sum = terms[i].operation == '+' || terms[i].operation == '-';
        const auto number = sum ? parseValue(descriptor, terms[i].text) : plainNumber(terms[i].text);
        if (!number) return std::nullopt;
        switch (terms[i].operation) {
        case '+': *value += *number; break;
        case '-': *value -= *number; break;
        case '*': *value *= *number; break;
        default: *value /= *number;
        }
    }
    return value && std::isfinite(*value) ? value : std::nullopt;
}

} // namespace facet
