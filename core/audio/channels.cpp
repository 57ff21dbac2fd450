#include "core/audio/channels.h"

#include "core/base/error.h"

#include <charconv>
#include <fmt/format.h>

namespace facet {

namespace {

int numberIn(std::string_view text) {
    int value = 0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
    return code == std::errc{} && end == text.data() + text.size() ? value : 0;
}

} // namespace

std::string ChannelChoice::text() const {
    std::string name = mode == Mode::mid ? "mid" : mode == Mode::side ? "side" : "both";
    if (picked.empty() || (picked == std::vector{0, 1})) return name;
    if (mode == Mode::both && picked == std::vector{0}) return "left";
    if (mode == Mode::both && picked == std::vector{1}) return "right";
    std::string numbers;
    for (int channel : picked) numbers += fmt::format("{}{}", numbers.empty() ? "" : ",", channel + 1);
    return mode == Mode::both ? numbers : name + " " + numbers;
}

ChannelChoice ChannelChoice::parse(std::string_view whole) {
    ChannelChoice choice;
    std::string_view text = whole;
    if (text.starts_with("mid")) choice.mode = Mode::mid;
    if (text.starts_with("side")) choice.mode = Mode::side;
    if (choice.mode != Mode::both) text.remove_prefix(choice.mode == Mode::mid ? 3 : 4);
    if (text.empty() || text == "both") return choice;
    if (text == "left") return {{0}, Mode::both};
    if (text == "right") return {{1}, Mode::both};
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
    const auto comma = text.find(',');
    choice.picked.push_back(numberIn(text.substr(0, comma)) - 1);
    if (comma != std::string_view::npos) choice.picked.push_back(numberIn(text.substr(comma + 1)) - 1);
    for (int channel : choice.picked)
        if (channel < 0 || channel > 1023 ||
            choice.picked.front() == (choice.picked.size() > 1 ? choice.picked[1] : -1))
            throw Error(fmt::format("“{}” names no channels; use both, left, right, mid, side, or numbers such as 3,4.",
                                    whole));
    return choice;
}

Recording chosenChannels(const Recording& recording, const ChannelChoice& choice) {
    std::vector<int> picked = choice.picked;
    if (picked.empty()) {
        picked.push_back(0);
        if (recording.channelCount() > 1) picked.push_back(1);
    }
    Recording result{recording.rateHz, {}};
    for (int channel : picked) {
        if (channel >= recording.channelCount())
            throw Error(fmt::format("There is no channel {}: the recording has {}; choose another.", channel + 1,
                                    recording.channelCount()));
        result.channels.push_back(recording.channels[static_cast<std::size_t>(channel)]);
    }
    if (choice.mode == ChannelChoice::Mode::both) return result;
    const bool side = choice.mode == ChannelChoice::Mode::side;
    if (result.channelCount() < 2) {
        if (side) throw Error("A mono recording has no side channel; choose another.");
        return result;
    }
    auto& first = result.channels[0];
    const auto& second = result.channels[1];
    for (std::size_t i = 0; i < first.size(); ++i)
        first[i] = 0.5f * (side ? first[i] - second[i] : first[i] + second[i]);
    result.channels.pop_back();
    return result;
}

} // namespace facet
