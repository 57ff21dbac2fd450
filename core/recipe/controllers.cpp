#include "core/recipe/controllers.h"

#include "core/parameters/part_settings.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace facet {

namespace {

std::vector<int> undefinedNumbers() {
    std::vector<int> numbers;
    for (const auto& [first, last] : {std::pair{20, 31}, std::pair{85, 90}, std::pair{102, 119}})
        for (int number = first; number <= last; ++number) numbers.push_back(number);
    return numbers;
}

} // namespace

std::vector<WrittenController> controllersOf(const Performance& performance, const Patch& patch) {
    std::set<int> taken;
    for (const auto& module : patch.modules()) taken.insert(module.contents().controller);
    std::vector<int> free = undefinedNumbers();
    std::erase_if(free, [&](int number) { return taken.contains(number); });
    std::vector<WrittenController> controllers;
    std::size_t next = 0;
    for (const Curve& curve : performance.curves) {
        if (!curve.movesParameter()) continue;
        const Address address = Address::parse(curve.target);
        if (!patch.has(address)) continue;
        const int own = patch.find(address.module)->contents().controller;
        if (own == 0 && next == free.size()) continue;
        const ParameterDescriptor d = patch.shownDescriptor(address);
        controllers.push_back(
            {curve.target, own != 0 ? own : free[next++],
             fmt::format("{}, {} to {}", settingLabel(patch, address), roundedText(d, d.low), roundedText(d, d.high))});
    }
    return controllers;
}

} // namespace facet
