// What there is to set for a part of a patch, rounded as people set it.
#pragma once

#include "core/parameters/signal_parts.h"

#include <string>
#include <vector>

namespace facet {

/// One value of a part, as it is set.
struct PartSetting {
    Address address;
    std::string label; ///< "Filter cutoff"
    std::string text;  ///< rounded: "1.7 kHz"
};

/// What there is to set for a part, in signal order: values that are heard as the patch stands and are not as in the
/// empty patch.
std::vector<PartSetting> settingsOf(const SignalPart& part, const Patch& patch);

/// "Filter cutoff"; "LFO to filter cutoff" of how far a link moves; the module alone of what switches it on. Throws
/// Error for an address the patch does not have.
std::string settingLabel(const Patch& patch, const Address& address);

/// A value rounded to what people set, as text; without a plus sign where `sign` is false.
std::string roundedText(const ParameterDescriptor& descriptor, double value, bool sign = true);

} // namespace facet
