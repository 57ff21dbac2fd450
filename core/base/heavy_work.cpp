#include "core/base/heavy_work.h"

#include <atomic>

namespace facet {

namespace {
std::atomic<void (*)(const char*)> heard = nullptr;
}

void announceHeavyWork(const char* what) {
    if (auto* listener = heard.load(std::memory_order_acquire)) listener(what);
}

void listenToHeavyWork(void (*listener)(const char* what)) { heard.store(listener, std::memory_order_release); }

} // namespace facet
