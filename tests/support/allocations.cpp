#include "tests/support/allocations.h"

#include <cstddef>
#include <cstdlib>
#include <new>

namespace {

thread_local bool counting = false;
thread_local int allocations = 0;

void* taken(std::size_t size, std::size_t alignment) {
    if (counting) ++allocations;
    // aligned_alloc() wants whole multiples.
    const std::size_t whole = (size + alignment - 1) / alignment * alignment;
    if (void* place = std::aligned_alloc(alignment, whole ? whole : alignment)) return place;
    throw std::bad_alloc();
}
void freed(void* place) {
    if (counting) ++allocations;
    std::free(place);
}

} // namespace

void* operator new(std::size_t size) { return taken(size, alignof(std::max_align_t)); }
void* operator new(std::size_t size, std::align_val_t alignment) {
    return taken(size, static_cast<std::size_t>(alignment));
}
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
    try {
        return operator new(size);
    } catch (const std::bad_alloc&) {
        return nullptr;
    }
}
void operator delete(void* place, const std::nothrow_t&) noexcept { freed(place); }
void operator delete(void* place) noexcept { freed(place); }
void operator delete(void* place, std::size_t) noexcept { freed(place); }
void operator delete(void* place, std::align_val_t) noexcept { freed(place); }
void operator delete(void* place, std::size_t, std::align_val_t) noexcept { freed(place); }

namespace facet::testing {

AllocationCounter::AllocationCounter() {
    allocations = 0;
    counting = true;
}
AllocationCounter::~AllocationCounter() { counting = false; }
int AllocationCounter::count() const { return allocations; }

} // namespace facet::testing
