// Edits of whole modules of the patch: added, joined, moved, copied, drawn at random.
#include "app/session/session.h"
#include "core/base/error.h"
#include "core/parameters/sections.h"

#include <algorithm>
#include <chrono>
#include <cmath>

namespace facet {

std::string Session::addModule(ModuleKind kind, const std::string& layer) {
    if (!cue()) return {};
    Patch patch = cue()->patch;
    const std::string path = patch.freePath(kind, layer);
    try {
        patch.add(path);
        // What can be switched on is wanted on.
        if (patch.has({path, "on"})) patch.set({path, "on"}, 1.0);
    } catch (const Error& error) {
        emit problem(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
        return {};
    }
    setPatch(tr("Add %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path))).toLower()), patch);
    return path;
}

void Session::removeModule(const std::string& path) {
    if (!cue() || !cue()->patch.find(path) || Patch::isFixed(path)) return;
    Patch patch = cue()->patch;
    const QString name = QString::fromStdString(patch.labelOf(*patch.find(path))).toLower();
    patch.remove(path);
    setPatch(tr("Remove %1").arg(name), patch);
}

void Session::setModuleData(const std::string& path, const ModuleData& data) {
    if (!cue() || !cue()->patch.find(path)) return;
    Patch patch = cue()->patch;
    try {
        patch.setData(path, data);
    } catch (const Error& error) {
        emit problem(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
        return;
    }
    setPatch(tr("Change %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path))).toLower()), patch);
}

void Session::addLink(const std::string& from, const std::string& to) {
    if (!cue()) return;
    Patch patch = cue()->patch;
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
        emit problem(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
        return;
    }
    setPatch(tr("Add a link"), patch);
}

void Session::moveEffect(const std::string& path, int place) {
    if (!cue() || !cue()->patch.find(path)) return;
    Patch patch = cue()->patch;
    patch.moveEffect(path, std::max(0, place));
    if (patch == cue()->patch) return;
    setPatch(tr("Move %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path))).toLower()), patch);
}

/// Makes an edit of the patch that may be refused; then the sentence is told and nothing changes.
void Session::tryPatch(const QString& what, const std::function<Patch(const Patch&)>& change) {
    if (!cue()) return;
    try {
        const Patch changed = change(cue()->patch);
        if (changed != cue()->patch) setPatch(what, changed);
    } catch (const Error& error) {
        emit problem(QString::fromUtf8(error.what()), QString::fromStdString(error.detail()));
    }
}

std::string Session::copiedModule(const std::string& path) const {
    return cue() && cue()->patch.find(path) ? sectionToText(cue()->patch, path) : std::string();
}

void Session::pasteModule(const std::string& path, const std::string& text) {
    tryPatch(tr("Paste"), [&](const Patch& patch) { return withSection(patch, path, text); });
}

void Session::resetModule(const std::string& path) {
    tryPatch(tr("Back to defaults"), [&](const Patch& patch) { return withDefaults(patch, path); });
}

void Session::randomizeModule(const std::string& path) {
    const auto now = std::chrono::steady_clock::now().time_since_epoch().count();
    tryPatch(tr("Random values"), [&](const Patch& patch) {
        return withRandomValues(patch, path, cue()->limits(), static_cast<std::uint64_t>(now));
    });
}

void Session::takeModuleBack(const std::string& path) {
    if (!cue() || cue()->takes.empty()) return;
    tryPatch(tr("Back to the take"),
             [&](const Patch& patch) { return withModuleOf(patch, path, cue()->takes.back()->patch); });
}

void Session::takeChangeBack(std::uint64_t take, const PatchChange& change) {
    if (!cue()) return;
    for (const auto& each : cue()->takes)
        if (each->id == take) {
            tryPatch(tr("Take back %1").arg(QString::fromStdString(change.what)),
                     [&](const Patch& patch) { return withoutChange(patch, each->patch, change); });
            return;
        }
}

void Session::tie(const Address& address, const Address& to, bool keepDistance) {
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

void Session::untie(const Address& address) {
    tryPatch(tr("Untie"), [&](Patch patch) {
        patch.untie(address);
        return patch;
    });
}

} // namespace facet
