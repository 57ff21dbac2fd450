#include "core/base/processor.h"

namespace facet {

const char* processorProblem() {
#ifdef __x86_64__
    if (!__builtin_cpu_supports("sse4.2")) {
        return "This processor is too old for Facet, which needs SSE4.2; use a computer made after 2009.";
    }
#endif
    return nullptr;
}

} // namespace facet
