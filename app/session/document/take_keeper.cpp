#include "app/session/document/take_keeper.h"

#include "core/engine/render.h"

#include <algorithm>
#include <chrono>

namespace facet {

namespace {

template <typename F> void changeTake(Cue& cue, std::uint64_t id, F&& change) {
    for (auto& take : cue.takes)
        if (take->id == id) {
            Take copy = *take;
            change(copy);
            take = std::make_shared<const Take>(std::move(copy));
        }
}

const Take* takeIn(const Cue& cue, std::uint64_t id) {
    for (const auto& take : cue.takes)
        if (take->id == id) return take.get();
    return nullptr;
}

} // namespace

Take TakeKeeper::takeOf(const Patch& patch, Document& document, const QString& name) const {
    Take take;
    take.id = takeId(document);
    take.name = name.toStdString();
    take.patch = patch;
    take.keptAt =
        std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
    take.engineVersion = engineVersion;
    if (document_.cue() && document_.cue()->patch.soundsLike(patch)) {
        take.build = document_.cue()->build;
        if (const auto likeness = currentLikeness_()) take.likeness = *likeness;
    }
    return take;
}

void TakeKeeper::keep(const QString& name) {
    if (!document_.cue()) return;
    Document after = document_.document();
    Take take = takeOf(document_.cue()->patch, after,
                       name.isEmpty() ? tr("Take %1").arg(document_.cue()->takes.size() + 1) : name);
    Cue changed = *document_.cue();
    changed.chosenTake = take.id;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    document_.push(tr("Keep take"), withCue(after, std::move(changed)));
}

void TakeKeeper::keepBefore(Document& document, Cue& changed, const QString& what) const {
    const Patch& present = changed.patch;
    if (present.soundsLike(Patch()) || std::any_of(changed.takes.begin(), changed.takes.end(),
                                                   [&](const auto& take) { return take->patch.soundsLike(present); }))
        return;
    changed.takes.push_back(
        std::make_shared<const Take>(takeOf(present, document, tr("Before: %1").arg(what.toLower()))));
}

void TakeKeeper::replacePatch(const QString& what, const Patch& patch, const std::function<void(Cue&)>& also) {
    if (!document_.cue()) return;
    Document after = document_.document();
    Cue changed = *document_.cue();
    keepBefore(after, changed, what);
    changed.patch = patch;
    if (also) also(changed);
    document_.push(what, withCue(after, std::move(changed)));
}

void TakeKeeper::restore(std::uint64_t id) {
    if (!document_.cue()) return;
    const Take* take = takeIn(*document_.cue(), id);
    if (!take) return;
    Document after = document_.document();
    Cue changed = *document_.cue();
    keepBefore(after, changed, tr("“%1”").arg(QString::fromStdString(take->name)));
    changed.patch = take->patch;
    changed.build = take->build;
    changed.chosenTake = id;
    document_.push(tr("Go back to take"), withCue(after, std::move(changed)));
}

void TakeKeeper::branch(std::uint64_t id) {
    const Take* take = document_.cue() ? takeIn(*document_.cue(), id) : nullptr;
    if (!take) return;
    Document after = document_.document();
    Cue branch = *document_.cue();
    branch.id = takeId(after);
    branch.name = tr("%1, from %2")
                      .arg(QString::fromStdString(document_.cue()->name), QString::fromStdString(take->name))
                      .toStdString();
    branch.patch = take->patch;
    branch.build = take->build;
    branch.takes = {std::make_shared<const Take>(*take)};
    branch.chosenTake = id;
    after.activeCue = branch.id;
    document_.push(tr("New cue from take"), withCue(after, std::move(branch)));
}

void TakeKeeper::rename(std::uint64_t id, const QString& name) {
    document_.editCue(tr("Rename take"),
                      [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.name = name.toStdString(); }); });
}

void TakeKeeper::note(std::uint64_t id, const QString& note) {
    document_.editCue(tr("Note on take"),
                      [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.note = note.toStdString(); }); });
}

void TakeKeeper::star(std::uint64_t id, bool starred) {
    document_.editCue(starred ? tr("Star take") : tr("Unstar take"),
                      [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.starred = starred; }); });
}

void TakeKeeper::remove(std::uint64_t id) {
    document_.editCue(tr("Delete take"), [&](Cue& c) {
        std::erase_if(c.takes, [id](const auto& take) { return take->id == id; });
        if (c.chosenTake == id) c.chosenTake = 0;
    });
}

void TakeKeeper::keepBlindResult(const BlindResult& result) {
    if (!document_.cue()) return;
    Document after = document_.document();
    Cue changed = *document_.cue();
    const auto found = std::find_if(changed.takes.begin(), changed.takes.end(),
                                    [&](const auto& take) { return take->patch.soundsLike(changed.patch); });
    if (found != changed.takes.end()) {
        changeTake(changed, (*found)->id, [&](Take& take) { take.blind = result; });
    } else {
        Take take = takeOf(changed.patch, after, tr("Take %1").arg(changed.takes.size() + 1));
        take.blind = result;
        changed.chosenTake = take.id;
        changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    }
    document_.push(tr("Result of a blind test"), withCue(after, std::move(changed)));
}

} // namespace facet

#include "moc_take_keeper.cpp"
