// Work that takes longer than the window may wait, announced to whoever listens.
#pragma once

namespace facet {

/// Called where such work begins, on the thread that does it.
void announceHeavyWork(const char* what);

/// Lets a function hear of it, null: nobody; it must be callable from any thread. For tests.
void listenToHeavyWork(void (*listener)(const char* what));

} // namespace facet
