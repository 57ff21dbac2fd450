#include "app/views/patch/module_words.h"

#include "app/views/common/words.h"
#include "app/views/patch/stage_view.h"
#include "core/engine/inspect/stage.h"
#include "core/parameters/relevance.h"

#include <QObject>
#include <QStringList>
#include <algorithm>

namespace facet {

namespace {

QString tr(const char* words) { return QObject::tr(words); }

} // namespace

QString withoutLayerName(const Patch& patch, const std::string& path, const QString& words) {
    const auto* layer = patch.find(layerOfPath(path));
    if (!layer) return words;
    const QString name = text(patch.labelOf(*layer));
    QString shorter = words;
    return shorter.remove(" (" + name + ")").replace(name + " layer", "layer");
}

QString connectionsOf(const Patch& patch, const Patch::Module& module, const std::vector<Modulation>& movements,
                      const Performance& performance, const StageReading* stage) {
    const std::string& path = module.path;
    if (module.kind == ModuleKind::source && !takesPart(patch, module)) return {};
    if (module.kind == ModuleKind::source) {
        // One that only moves others has no way of its own.
        QStringList moves;
        for (const Modulation& m : movements)
            if (m.mover == path && !m.muted) moves << tr("moves %1").arg(text(targetLabel(patch, m, path)));
        const bool silent = patch.value({path, "level"}) <= -60.0;
        if (!silent) moves.prepend(text(destinationOf(patch, module)));
        return moves.join(", ");
    }
    if (module.kind == ModuleKind::link) {
        for (const Modulation& m : movements)
            if (m.link == path) return tr("%1 moves %2").arg(text(moverLabel(patch, m)), text(targetLabel(patch, m)));
        return tr("moves nothing yet");
    }
    if (isEffect(module.kind) && takesPart(patch, module)) {
        QStringList words;
        if (static_cast<Chain>(patch.value({path, "chain"})) == Chain::send) words << tr("on the send bus");
        if (stage) words << stageWords(*stage);
        return words.join(" · ");
    }
    QStringList moved;
    for (const Modulation& m : movements) {
        if (m.mover != path || m.muted) continue;
        const std::string amount = amountLabel(patch, m);
        moved << text(targetLabel(patch, m)) + (amount.empty() ? QString() : " " + text(amount));
    }
    if (module.kind == ModuleKind::voicing && matters(patch, module, patch.descriptor({path, "voices"}))) {
        const int needed = mostNotesTogether(performance);
        if (needed > patch.value({path, "voices"})) return tr("the phrase needs %1 voices").arg(needed);
    }
    const bool mover =
        module.kind == ModuleKind::envelope || module.kind == ModuleKind::lfo || module.kind == ModuleKind::macro;
    if (!mover) return {};
    if (moved.isEmpty()) return tr("moves nothing yet");
    if (moved.size() > 2) return tr("moves %1 and %2 more").arg(moved.first()).arg(moved.size() - 1);
    return tr("moves %1").arg(moved.join(tr(" and ")));
}

QString titleOf(const Patch& patch, const Patch::Module& module, const std::vector<Modulation>& movements) {
    QString name = withoutLayerName(patch, module.path, text(patch.labelOf(module)));
    const bool named =
        module.kind == ModuleKind::lfo || (module.kind == ModuleKind::envelope && !Patch::isFixed(module.path));
    const auto first = std::find_if(movements.begin(), movements.end(),
                                    [&](const Modulation& m) { return m.mover == module.path && !m.muted; });
    if (!named || first == movements.end() || !patch.has(first->target)) return name;
    const std::string_view field = patch.descriptor(first->target).label;
    return tr("%1 → %2").arg(name, text(field).toLower());
}

} // namespace facet
