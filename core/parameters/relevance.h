// Which parameters of a patch can be heard as the patch stands.
#pragma once

#include "core/parameters/patch.h"

namespace facet {

/// Whether a module takes part in the sound: sources and filters that are off do not, nor does the filters' envelope
/// without a filter that it moves.
bool takesPart(const Patch& patch, const Patch::Module& module);

/// Whether changing a parameter could be heard: no pulse width without a pulse, no detune of a single voice, no stages
/// but of an all-pass. What switches a module on matters even where the module does not take part.
bool matters(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& descriptor);

} // namespace facet
