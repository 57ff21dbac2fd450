#include "core/match/proposals/source_proposals.h"

#include "core/match/proposals/first_layer.h"

#include <cmath>

namespace facet {

void proposeBlends(const ProposalContext& in, std::vector<Patch>& out) {
    const auto now = static_cast<Wave>(static_cast<int>(in.patch.value({firstSource, "wave"})));
    if (in.patch.value({firstSource, "blend"}) != 0.0 || now == Wave::noise) return;
    for (Wave wave : {Wave::sine, Wave::triangle, Wave::saw, Wave::pulse})
        if (wave != now)
            proposeValues(
                in, {{{firstSource, "blend_wave"}, static_cast<double>(wave)}, {{firstSource, "blend"}, 40.0}}, out);
}

void proposeWidths(const ProposalContext& in, std::vector<Patch>& out) {
    constexpr double same = 6.0; // percent
    const bool pulse = in.patch.value({firstSource, "wave"}) == static_cast<double>(Wave::pulse);
    for (double width : {8.0, 16.0, 25.0, 36.0, 50.0}) {
        if (pulse && std::abs(width - in.patch.value({firstSource, "width"})) < same) continue;
        proposeValues(in, {{{firstSource, "wave"}, static_cast<double>(Wave::pulse)}, {{firstSource, "width"}, width}},
                      out);
    }
}

void proposeIntervals(const ProposalContext& in, std::vector<Patch>& out) {
    if (in.patch.value({secondSource, "on"}) < 0.5) return;
    for (double semitones : {-12.0, -7.0, -5.0, 0.0, 5.0, 7.0, 12.0})
        proposeValues(in,
                      {{{secondSource, "semitone"}, semitones},
                       {{secondSource, "ratio_over"}, 1.0},
                       {{secondSource, "ratio_under"}, 1.0},
                       {{secondSource, "cents"}, in.patch.value({secondSource, "cents"})}},
                      out);
}

void proposeStacks(const ProposalContext& in, std::vector<Patch>& out) {
    for (double voices : {2.0, 3.0, 5.0, 9.0})
        proposeValues(in, {{{firstSource, "voices"}, voices}, {{firstSource, "detune"}, 8.0}}, out);
}

} // namespace facet
