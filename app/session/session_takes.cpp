// Takes: states of a patch that are kept, restored, compared and branched from.
#include "app/session/session.h"

#include "core/audio/attention.h"
#include "core/base/error.h"
#include "core/base/parallel.h"
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

/// With the likeness that is known of it.
Take Session::takeOf(const Patch& patch, Document& document, const QString& name) const {
    Take take;
    take.id = takeId(document);
    take.name = name.toStdString();
    take.patch = patch;
    take.keptAt =
        std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
    take.engineVersion = engineVersion;
    if (results_.comparisonIsCurrent && results_.comparison && cue() && cue()->patch.soundsLike(patch))
        take.likeness = results_.likeness;
    return take;
}

void Session::keepTake(const QString& name) {
    if (!cue()) return;
    Document after = *document_;
    Take take = takeOf(cue()->patch, after, name.isEmpty() ? tr("Take %1").arg(cue()->takes.size() + 1) : name);
    Cue changed = *cue();
    changed.chosenTake = take.id;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    push(tr("Keep take"), withCue(after, std::move(changed)));
}

/// Before the whole patch is replaced: a state worked on that no take holds becomes one.
void Session::keepBefore(Document& document, Cue& changed, const QString& what) const {
    const Patch& present = changed.patch;
    if (present.soundsLike(Patch()) || std::any_of(changed.takes.begin(), changed.takes.end(),
                                                   [&](const auto& take) { return take->patch.soundsLike(present); }))
        return;
    changed.takes.push_back(
        std::make_shared<const Take>(takeOf(present, document, tr("Before: %1").arg(what.toLower()))));
}

void Session::replacePatch(const QString& what, const Patch& patch) {
    if (!cue()) return;
    Document after = *document_;
    Cue changed = *cue();
    keepBefore(after, changed, what);
    changed.patch = patch;
    push(what, withCue(after, std::move(changed)));
}

void Session::restoreTake(std::uint64_t id) {
    if (!cue()) return;
    const Take* take = takeIn(*cue(), id);
    if (!take) return;
    Document after = *document_;
    Cue changed = *cue();
    keepBefore(after, changed, tr("“%1”").arg(QString::fromStdString(take->name)));
    changed.patch = take->patch;
    changed.chosenTake = id;
    push(tr("Go back to take"), withCue(after, std::move(changed)));
}

void Session::branchTake(std::uint64_t id) {
    const Take* take = cue() ? takeIn(*cue(), id) : nullptr;
    if (!take) return;
    Document after = *document_;
    Cue branch = *cue();
    branch.id = takeId(after);
    branch.name =
        tr("%1, from %2").arg(QString::fromStdString(cue()->name), QString::fromStdString(take->name)).toStdString();
    branch.patch = take->patch;
    branch.takes = {std::make_shared<const Take>(*take)};
    branch.chosenTake = id;
    after.activeCue = branch.id;
    push(tr("New cue from take"), withCue(after, std::move(branch)));
}

void Session::renameTake(std::uint64_t id, const QString& name) {
    editCue(tr("Rename take"), [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.name = name.toStdString(); }); });
}

void Session::noteTake(std::uint64_t id, const QString& note) {
    editCue(tr("Note on take"), [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.note = note.toStdString(); }); });
}

void Session::starTake(std::uint64_t id, bool starred) {
    editCue(starred ? tr("Star take") : tr("Unstar take"),
            [&](Cue& c) { changeTake(c, id, [&](Take& t) { t.starred = starred; }); });
}

void Session::deleteTake(std::uint64_t id) {
    editCue(tr("Delete take"), [&](Cue& c) {
        std::erase_if(c.takes, [id](const auto& take) { return take->id == id; });
        if (c.chosenTake == id) c.chosenTake = 0;
    });
}

void Session::keepBlindResult(const BlindResult& result) {
    if (!cue()) return;
    Document after = *document_;
    Cue changed = *cue();
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
    push(tr("Result of a blind test"), withCue(after, std::move(changed)));
}

quint64 Session::comparePatches(const Patch& a, const Patch& b) {
    const quint64 ticket = ++pairTicket_;
    const Cue* current = cue();
    if (!current || !current->excerpt() || current->excerpt()->corrected().notes.empty() || !results_.reference.profile)
        return ticket;
    pairing_.submit([this, ticket, patches = std::array{a, b}, played = current->excerpt()->corrected(),
                     weights = current->facetWeights, attention = current->attentionTo(*current->excerpt()),
                     reference = results_.reference.profile](const Task& task) {
        auto pair = std::make_shared<PatchPair>();
        try {
            const Performance counted = attendedNotes(played, attention.leftOut);
            for (std::size_t i = 0; i < 2; ++i) {
                pair->sounds[i] = soundOf(std::make_shared<const Recording>(render(patches[i], played, task)));
                pair->sounds[i].profile = std::make_shared<const Profile>(
                    measureProfile(attended(*pair->sounds[i].recording, attention), counted,
                                   {.source = &reference->source, .threads = hardwareThreads()}, task));
                pair->toReference[i] = compare(*reference, *pair->sounds[i].profile, weights);
            }
        } catch (const Cancelled&) {
            return;
        } catch (const Error&) {
            return; // what cannot be rendered is told where it is worked on
        }
        post([this, ticket, pair] {
            if (ticket == pairTicket_) emit patchesCompared(ticket, pair);
        });
    });
    return ticket;
}

} // namespace facet
