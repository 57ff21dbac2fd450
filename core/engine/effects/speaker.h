// The band of a small speaker, one kind of response.
#pragma once

#include "core/engine/effects/effect.h"

#include <memory>

namespace facet {

/// Fourth-order Butterworth edges at the response's low and high frequencies. Not the audio thread.
std::unique_ptr<Effect> makeSpeaker(const EffectSetting& setting);

} // namespace facet
