#include "core/engine/kernels/lanes.h"

#include <hwy/highway.h>

namespace facet::kernels {

std::string targetName() {
    const auto targets = hwy::SupportedTargets() & HWY_TARGETS;
    return hwy::TargetName(targets & -targets); // the lowest bit is the best target
}

bool forceTarget(const std::string& name) {
    hwy::SetSupportedTargetsForTest(0);
    hwy::GetChosenTarget().DeInit();
    if (name.empty()) return true;
    for (auto rest = hwy::SupportedTargets() & HWY_TARGETS; rest != 0; rest &= rest - 1) {
        const auto target = rest & -rest;
        if (name == hwy::TargetName(target)) {
            hwy::SetSupportedTargetsForTest(target);
            hwy::GetChosenTarget().DeInit();
            return true;
        }
    }
    return false;
}

} // namespace facet::kernels
