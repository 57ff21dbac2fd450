// What the program asks of the processor it runs on.
#pragma once

namespace facet {

/// The one sentence to show and stop with on an x86-64 processor older than the build asks for (x86-64-v2: SSE4.2, made
/// since about 2009); null where all is well. Call it first: what follows may use instructions such a processor lacks.
const char* processorProblem();

} // namespace facet
