// Counts what a thread allocates and frees while it pretends to be the audio thread.
#pragma once

namespace facet::testing {

/// From construction on. One a thread at a time.
class AllocationCounter {
public:
    AllocationCounter();
    ~AllocationCounter();
    AllocationCounter(const AllocationCounter&) = delete;
    AllocationCounter& operator=(const AllocationCounter&) = delete;
    int count() const;
};

} // namespace facet::testing
