// Independent work spread over threads, with results that do not depend on how many there are.
#pragma once

#include <functional>

namespace facet {

/// Calls `work(i)` once for each i in [0, count), on up to `threads` threads (the caller's is one of
/// them; values below 1 mean 1). Calls must be independent and write to places of their own. The first
/// exception (lowest i among those seen) is rethrown after all threads have ended.
void parallelFor(int count, int threads, const std::function<void(int)>& work);

/// Number of hardware threads, at least 1.
int hardwareThreads();

/// Lowers the calling thread's scheduling priority, so that sound and window come first; no effect where not allowed.
/// `nice`: 0 … 19; each step leaves about a fifth less of a busy processor.
void lowerThreadPriority(int nice);

} // namespace facet
