#include "core/base/parallel.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <thread>
#include <unistd.h>
#include <vector>

namespace facet {

void parallelFor(int count, int threads, const std::function<void(int)>& work) {
    if (count <= 0) return;
    std::atomic<int> next = 0;
    std::mutex mutex;
    std::exception_ptr failure;
    int failedIndex = count;
    const auto drain = [&] {
        for (int i = next++; i < count; i = next++) {
            try {
                work(i);
            } catch (...) {
                const std::lock_guard lock(mutex);
                if (i < failedIndex) {
                    failedIndex = i;
                    failure = std::current_exception();
                }
                next = count;
            }
        }
    };
    {
        const int nice = getpriority(PRIO_PROCESS, 0);
        std::vector<std::jthread> helpers;
        const int helperCount = std::min(threads, count) - 1;
        for (int i = 0; i < helperCount; ++i)
            helpers.emplace_back([&drain, nice] {
                // Helpers work at their caller's priority, so that a search yields with all its threads.
                setpriority(PRIO_PROCESS, static_cast<id_t>(syscall(SYS_gettid)), nice);
                drain();
            });
        drain();
    }
    if (failure) std::rethrow_exception(failure);
}

int hardwareThreads() { return std::max(1, static_cast<int>(std::thread::hardware_concurrency())); }

void lowerThreadPriority(int nice) {
    // On Linux the nice value belongs to the thread.
    setpriority(PRIO_PROCESS, static_cast<id_t>(syscall(SYS_gettid)), nice);
}

} // namespace facet
