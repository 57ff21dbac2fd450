// How long tests wait for what runs in the background.
#pragma once

namespace facet::testing {

/// How many times as long a wait may last: instrumented code is several times slower.
#ifdef FACET_INSTRUMENTED
inline constexpr int patience = 8;
#else
inline constexpr int patience = 1;
#endif

} // namespace facet::testing
