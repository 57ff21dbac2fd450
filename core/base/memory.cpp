#include "core/base/memory.h"

#ifdef __GLIBC__
#    include <malloc.h>
#endif

namespace facet {

void keepFreedMemory() {
#ifdef __GLIBC__
    constexpr int megabyte = 1 << 20;
    mallopt(M_MMAP_THRESHOLD, megabyte);
    mallopt(M_TRIM_THRESHOLD, 128 * megabyte);
#endif
}

} // namespace facet
