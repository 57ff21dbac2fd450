#include "app/session/automation/macro_controllers.h"

#include <vector>

namespace facet {

MacroControllers::MacroControllers(DocumentStore& document, PatchEditor& patch, Playback& playback, Messages& messages,
                                   QObject* parent)
    : QObject(parent), document_(document), patch_(patch), messages_(messages) {
    connect(&playback, &Playback::controllerTurned, this, &MacroControllers::turn, Qt::QueuedConnection);
    for (auto elsewhere : {&DocumentStore::leaving, &DocumentStore::replaced})
        connect(&document_, elsewhere, this, [this] { learn({}); });
}

void MacroControllers::learn(const std::string& macro) {
    if (macro == learning_) return;
    learning_ = macro;
    emit changed();
}

void MacroControllers::turn(int number, double value) {
    const Cue* cue = document_.cue();
    if (!cue) return;
    if (!learning_.empty()) {
        const std::string macro = learning_;
        learn({});
        give(macro, number);
        return;
    }
    for (const auto& module : cue->patch.modules())
        if (module.kind == ModuleKind::macro && module.contents().controller == number) {
            const Address address{module.path, "value"};
            return patch_.setParameter(address, cue->patch.descriptor(address).fromUnit(value));
        }
}

void MacroControllers::give(const std::string& macro, int number) {
    if (!document_.cue()->patch.find(macro)) return;
    patch_.tryPatch(tr("Controller %1 turns a macro").arg(number), [&](const Patch& before) {
        Patch patch = before;
        for (const auto& module : before.modules()) {
            ModuleData data = module.contents();
            const int wanted = module.path == macro ? number : data.controller == number ? 0 : data.controller;
            if (wanted == data.controller) continue;
            data.controller = wanted;
            patch.setData(module.path, data);
        }
        return patch;
    });
    messages_.say(tr("Controller %1 turns it from now on.").arg(number));
}

void MacroControllers::forget(const std::string& macro) {
    const Cue* cue = document_.cue();
    const auto* module = cue ? cue->patch.find(macro) : nullptr;
    if (!module || module->contents().controller == 0) return;
    ModuleData data = module->contents();
    data.controller = 0;
    patch_.setModuleData(macro, data);
}

} // namespace facet

#include "moc_macro_controllers.cpp"
