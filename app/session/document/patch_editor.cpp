#include "app/session/document/patch_editor.h"

#include "core/base/error.h"
#include "core/parameters/sections.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace facet {

namespace {

QString shownWordOf(Element element) {
    const std::string_view word = wordOf(element);
    return QString::fromUtf8(word.data(), static_cast<int>(word.size()));
}

} // namespace

void PatchEditor::setParameter(const Address& address, double value) {
    if (!document_.cue() || !document_.cue()->patch.has(address)) return;
    const auto& descriptor = document_.cue()->patch.descriptor(address);
    const double nearest = descriptor.nearest(value);
    if (nearest == document_.cue()->patch.value(address)) return;
    emit turning(address, descriptor.toUnit(nearest));
    document_.editCue(
        tr("Change %1").arg(QString::fromUtf8(descriptor.label.data(), static_cast<int>(descriptor.label.size()))),
        [&](Cue& c) { c.patch.setNearest(address, nearest); }, QString::fromStdString("parameter " + address.text()));
}

void PatchEditor::setPatch(const QString& what, const Patch& patch) {
    document_.editCue(what, [&](Cue& c) { c.patch = patch; });
}

void PatchEditor::setLocked(const Address& address, bool locked) {
    document_.editCue(locked ? tr("Lock") : tr("Unlock"), [&](Cue& c) {
        if (locked)
            c.locks.insert(address);
        else
            c.locks.erase(address);
    });
}

void PatchEditor::setSearchRange(const Address& address, std::optional<std::pair<double, double>> range) {
    document_.editCue(tr("Search range"), [&](Cue& c) {
        if (range)
            c.ranges[address] = std::minmax(range->first, range->second);
        else
            c.ranges.erase(address);
    });
}

PatchEditor::Wish PatchEditor::wishFor(Element element) const {
    const Cue* cue = document_.cue();
    if (cue && cue->ruledOut.contains(element)) return Wish::ruledOut;
    return cue && cue->insisted.contains(element) ? Wish::insisted : Wish::none;
}

void PatchEditor::setWish(Element element, Wish wish) {
    if (!document_.cue() || wishFor(element) == wish) return;
    const QString name = shownWordOf(element);
    const QString what = wish == Wish::ruledOut   ? tr("Rule out %1").arg(name)
                         : wish == Wish::insisted ? tr("Insist on %1").arg(name)
                                                  : tr("Leave %1 to the search").arg(name);
    document_.editCue(what, [&](Cue& cue) {
        cue.ruledOut.erase(element);
        cue.insisted.erase(element);
        if (wish == Wish::ruledOut) cue.ruledOut.insert(element);
        if (wish == Wish::insisted) cue.insisted.insert(element);
    });
}

void PatchEditor::ruleOut(Element element, const std::optional<Patch>& without) {
    if (!document_.cue()) return;
    document_.editCue(tr("Rule out %1").arg(shownWordOf(element)), [&](Cue& cue) {
        cue.insisted.erase(element);
        cue.ruledOut.insert(element);
        if (without) cue.patch = *without;
    });
}

std::string PatchEditor::addModule(ModuleKind kind, const std::string& layer) {
    if (!document_.cue()) return {};
    Patch patch = document_.cue()->patch;
    std::string path = patch.freePath(kind, layer);
    try {
        patch.add(path);
        // What can be switched on is wanted on.
        if (patch.has({path, "on"})) patch.set({path, "on"}, 1.0);
    } catch (const Error& error) {
        messages_.warn(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
        return {};
    }
    setPatch(tr("Add %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path))).toLower()), patch);
    return path;
}

void PatchEditor::removeModule(const std::string& path) {
    if (!document_.cue() || !document_.cue()->patch.find(path) || Patch::isFixed(path)) return;
    Patch patch = document_.cue()->patch;
    const QString name = QString::fromStdString(patch.labelOf(*patch.find(path))).toLower();
    patch.remove(path);
    setPatch(tr("Remove %1").arg(name), patch);
}

void PatchEditor::setModuleData(const std::string& path, const ModuleData& data) {
    if (!document_.cue() || !document_.cue()->patch.find(path)) return;
    Patch patch = document_.cue()->patch;
    try {
        patch.setData(path, data);
    } catch (const Error& error) {
        messages_.warn(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
        return;
    }
    setPatch(tr("Change %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path))).toLower()), patch);
}

void PatchEditor::addLink(const std::string& from, const std::string& to) {
    if (!document_.cue()) return;
    Patch patch = document_.cue()->patch;
    const std::string path = patch.freePath(ModuleKind::link);
    try {
        patch.add(path);
        ModuleData link;
        link.from = from;
        link.to = to;
        patch.setData(path, link);
        const ParameterDescriptor shown = patch.shownDescriptor({path, "amount"});
        patch.setNearest({path, "amount"}, std::round(0.05 * (shown.high - shown.low)));
    } catch (const Error& error) {
        messages_.warn(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
        return;
    }
    setPatch(tr("Add a link"), patch);
}

void PatchEditor::moveEffect(const std::string& path, int place) {
    if (!document_.cue() || !document_.cue()->patch.find(path)) return;
    Patch patch = document_.cue()->patch;
    patch.moveEffect(path, std::max(0, place));
    if (patch == document_.cue()->patch) return;
    setPatch(tr("Move %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path))).toLower()), patch);
}

void PatchEditor::tryPatch(const QString& what, const std::function<Patch(const Patch&)>& change) {
    if (!document_.cue()) return;
    try {
        const Patch changed = change(document_.cue()->patch);
        if (changed != document_.cue()->patch) setPatch(what, changed);
    } catch (const Error& error) {
        messages_.warn(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
    }
}

std::string PatchEditor::copiedModule(const std::string& path) const {
    return document_.cue() && document_.cue()->patch.find(path) ? sectionToText(document_.cue()->patch, path)
                                                                : std::string();
}

void PatchEditor::pasteModule(const std::string& path, const std::string& text) {
    tryPatch(tr("Paste"), [&](const Patch& patch) { return withSection(patch, path, text); });
}

void PatchEditor::resetModule(const std::string& path) {
    tryPatch(tr("Back to defaults"), [&](const Patch& patch) { return withDefaults(patch, path); });
}

void PatchEditor::randomizeModule(const std::string& path) {
    const auto now = std::chrono::steady_clock::now().time_since_epoch().count();
    tryPatch(tr("Random values"), [&](const Patch& patch) {
        return withRandomValues(patch, path, document_.cue()->limits(), static_cast<std::uint64_t>(now));
    });
}

void PatchEditor::takeModuleBack(const std::string& path) {
    if (!document_.cue() || document_.cue()->takes.empty()) return;
    tryPatch(tr("Back to the take"),
             [&](const Patch& patch) { return withModuleOf(patch, path, document_.cue()->takes.back()->patch); });
}

void PatchEditor::takeChangeBack(std::uint64_t take, const PatchChange& change) {
    if (!document_.cue()) return;
    for (const auto& each : document_.cue()->takes)
        if (each->id == take) {
            tryPatch(tr("Take back %1").arg(QString::fromStdString(change.what)),
                     [&](const Patch& patch) { return withoutChange(patch, each->patch, change); });
            return;
        }
}

void PatchEditor::tie(const Address& address, const Address& to, bool keepDistance) {
    tryPatch(tr("Tie"), [&](Patch patch) {
        // The first member's value is taken. What is tied already takes the other in.
        Tie wanted{{to}, keepDistance};
        for (const Tie& tie : patch.ties())
            if (std::find(tie.members.begin(), tie.members.end(), to) != tie.members.end())
                wanted.members = tie.members;
        std::erase(wanted.members, address);
        wanted.members.push_back(address);
        patch.untie(to);
        patch.untie(address);
        patch.tie(wanted);
        return patch;
    });
}

void PatchEditor::untie(const Address& address) {
    tryPatch(tr("Untie"), [&](Patch patch) {
        patch.untie(address);
        return patch;
    });
}

} // namespace facet

#include "moc_patch_editor.cpp"
