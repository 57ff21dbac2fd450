#include "core/recipe/cycles.h"

#include "core/base/error.h"
#include "core/engine/inspect/preview.h"
#include "core/parameters/relevance.h"

namespace facet {

Recording cyclesOf(const Patch& patch) {
    Recording table;
    table.channels.emplace_back();
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::source || !takesPart(patch, module)) continue;
        const auto wave = static_cast<Wave>(patch.value({module.path, "wave"}));
        if (wave == Wave::noise || wave == Wave::sample) continue;
        const std::vector<float> cycles = wave == Wave::wavetable && !module.contents().frames.empty()
                                              ? module.contents().frames
                                              : previewOfSource(patch, module.path, tableFrameSamples);
        table.channels.front().insert(table.channels.front().end(), cycles.begin(), cycles.end());
    }
    if (table.channels.front().empty()) throw Error("No source of this patch plays a cycle; export it as sfz or sf2.");
    return table;
}

} // namespace facet
