// Scope in which results too small for a normal float become zero.
#pragma once

#if defined(__SSE2__)
#    include <xmmintrin.h>
#endif

namespace facet {

/// Sets flush-to-zero and denormals-are-zero on the calling thread and restores what was before. Decaying
/// filters would otherwise run a hundred times slower, and results would depend on who called.
class FlushDenormals {
public:
#if defined(__SSE2__)
    FlushDenormals() : before_(_mm_getcsr()) { _mm_setcsr(before_ | 0x8040u); }
    ~FlushDenormals() { _mm_setcsr(before_); }
#else
    FlushDenormals() = default;
#endif
    FlushDenormals(const FlushDenormals&) = delete;
    FlushDenormals& operator=(const FlushDenormals&) = delete;

private:
#if defined(__SSE2__)
    unsigned before_;
#endif
};

} // namespace facet
