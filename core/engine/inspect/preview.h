// What modules look like: a cycle of a source or LFO, a filter's response, an envelope's shape. Made as the engine
// makes them, from the compiled patch. All throw Error for a path that names no such module of the patch. Not the audio
// thread.
#pragma once

#include "core/dsp/envelope.h"
#include "core/parameters/patch.h"

#include <span>
#include <string_view>
#include <vector>

namespace facet {

/// `points` values of one cycle in −1…1; of noise a stretch of it; of a recording its course, the largest value of each
/// part. Silent sources are drawn all the same.
std::vector<float> previewOfSource(const Patch& patch, std::string_view path, int points);
/// Levels in dB of the first `count` partials of that cycle re the strongest, −80 at least; empty for noise and
/// recordings, which have none.
std::vector<double> previewOfPartials(const Patch& patch, std::string_view path, int count);
/// Likewise of an LFO, from where it begins: one cycle, of the random ones eight.
std::vector<float> previewOfLfo(const Patch& patch, std::string_view path, int points);
/// Gains in dB of a filter at frequencies in Hz, its cutoff moved by so many octaves.
std::vector<double> previewOfFilter(const Patch& patch, std::string_view path, std::span<const double> hz,
                                    double octaves = 0.0);
EnvelopeShape previewOfEnvelope(const Patch& patch, std::string_view path);

} // namespace facet
