#include "core/match/proposals/links.h"

namespace facet {

void addLink(Patch& patch, const std::string& from, const std::string& to, double amount, const std::string& by) {
    const std::string path = patch.freePath(ModuleKind::link);
    patch.add(path);
    ModuleData ends;
    ends.from = from;
    ends.to = to;
    ends.by = by;
    patch.setData(path, ends);
    patch.setNearest({path, "amount"}, amount);
}

} // namespace facet
