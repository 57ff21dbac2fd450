// A module of the patch in words, as its line shows it.
#pragma once

#include "core/parameters/reading.h"
#include "core/performance/performance.h"

#include <QString>
#include <vector>

namespace facet {

struct StageReading;

/// The module's name; envelopes and LFOs are known by what they move first: "LFO → cutoff". `movements`: of the whole
/// patch.
QString titleOf(const Patch& patch, const Patch::Module& module, const std::vector<Modulation>& movements);

/// Where its sound goes, what it moves, or what arrives at it; may be empty. `stage`: what was read of it, or null.
QString connectionsOf(const Patch& patch, const Patch::Module& module, const std::vector<Modulation>& movements,
                      const Performance& performance, const StageReading* stage);

/// Words about a module without the name of the layer whose lines these are.
QString withoutLayerName(const Patch& patch, const std::string& path, const QString& words);

} // namespace facet
