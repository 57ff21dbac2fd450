#include "core/match/search/stage_times.h"

#include <algorithm>

namespace facet {

void StageTimes::leave() {
    const auto now = std::chrono::steady_clock::now();
    const std::clock_t processor = std::clock();
    if (present_ < stages_.size()) {
        stages_[present_].seconds += std::chrono::duration<double>(now - since_).count();
        stages_[present_].processor += static_cast<double>(processor - processorSince_) / CLOCKS_PER_SEC;
    }
    since_ = now;
    processorSince_ = processor;
}

void StageTimes::enter(const std::string& stage) {
    leave();
    const auto known =
        std::find_if(stages_.begin(), stages_.end(), [&](const StageTime& each) { return each.stage == stage; });
    present_ = static_cast<std::size_t>(known - stages_.begin());
    if (known == stages_.end()) stages_.push_back({stage});
}

void StageTimes::count(int candidates, double renders, double comparing) {
    StageTime& present = stages_[present_];
    present.candidates += candidates;
    present.renders += renders;
    present.comparing += comparing;
}

std::vector<StageTime> StageTimes::all() {
    leave();
    return stages_;
}

} // namespace facet
