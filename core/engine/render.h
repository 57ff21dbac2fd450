// Offline rendering: patches and a performance in, recordings out.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <functional>
#include <span>
#include <vector>

namespace facet {

class Engine;

/// Grows whenever any patch may sound different from before; takes and caches remember it.
inline constexpr int engineVersion = 4;

/// One patch playing a performance, at the performance's rate, extent and channel count (one channel is the mean of
/// both). Computed at 48 kHz and converted. Equal arguments give equal bits. Throws Cancelled.
Recording render(const Patch& patch, const Performance& performance, const Task& task = {});

/// The same at 48 kHz; `after` is called behind each block of 16 in which anything sounds. It must not throw.
Recording renderWatched(const Patch& patch, const Performance& performance,
                        const std::function<void(const Engine&)>& after, const Task& task = {});

/// The same, going on after the performance's extent until nothing sounds any more: releases, echoes, reverberation. At
/// most `mostSeconds` longer, for what never ends.
Recording renderToSilence(const Patch& patch, const Performance& performance, double mostSeconds = 30.0,
                          const Task& task = {});

/// The same at 48 kHz for any number of patches, on up to `threads` threads. Patches of one graph are rendered 16
/// at a time in lanes; each result is bit-identical to rendering that patch alone.
std::vector<Recording> renderAt48k(std::span<const Patch> patches, const Performance& performance,
                                   const Task& task = {}, int threads = 1);

/// The same at any rate, computed there, for whoever needs each of them for a moment only: `take` is called once with
/// the number of each patch and its render, on the thread that rendered it and beside other calls.
void renderEach(std::span<const Patch> patches, const Performance& performance, int rateHz,
                const std::function<void(std::size_t, Recording&&)>& take, const Task& task = {}, int threads = 1);

} // namespace facet
