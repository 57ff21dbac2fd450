// Which channels of a recording are meant.
#pragma once

#include "core/audio/recording.h"

#include <string>
#include <string_view>
#include <vector>

namespace facet {

/// One or two channels of a recording, or what two of them have in common (mid) or not (side).
struct ChannelChoice {
    enum class Mode { both, mid, side };
    std::vector<int> picked{}; ///< one or two channels counted from 0; empty: the first two, or the only one
    Mode mode = Mode::both;

    /// "both", "left", "right", "mid", "side", or channels counted from 1: "3", "3,4", "mid 3,4".
    std::string text() const;
    /// Throws Error for any other text.
    static ChannelChoice parse(std::string_view text);
    friend bool operator==(const ChannelChoice&, const ChannelChoice&) = default;
};

/// The chosen one or two channels; mid and side are half the sum and half the difference, and a mono recording is its
/// own mid. Throws Error when the recording lacks a channel, or for the side of a mono recording.
Recording chosenChannels(const Recording& recording, const ChannelChoice& choice);

} // namespace facet
