#include "app/session/reference/reference_controller.h"

#include "app/session/reference/excerpt_notes.h"
#include "core/analysis/separation.h"
#include "core/audio/audio_stream.h"

#include <algorithm>

namespace facet {

namespace {

/// Longer files are shown, and the producer chooses parts of them.
constexpr double longestWhole = 60.0; // seconds

} // namespace

void ReferenceController::put(std::uint64_t cueId, const QString& what, Place place, const Excerpt& excerpt) {
    const Cue* target = document_.document().find(cueId);
    if (!target) return;
    Document after = document_.document();
    Cue changed = *target;
    auto kept = std::make_shared<Excerpt>(excerpt);
    kept->id = takeId(after);
    const auto* inView = changed.excerpt();
    if (place == Place::inView && inView)
        *changed.slot(inView->id) = kept;
    else
        changed.excerpts.push_back(kept);
    changed.activeExcerpt = kept->id;
    changed.loopBegin = changed.loopEnd = 0.0;
    if (!excerpt.sourcePath.empty()) changed.source = excerpt.sourcePath;
    if (changed.takes.empty() && target->excerpts.empty() && !excerpt.name.empty()) changed.name = excerpt.name;
    document_.push(what, withCue(after, std::move(changed)));
    if (!excerpt.noteProblem.empty()) messages_.say(QString::fromStdString(excerpt.noteProblem));
}

void ReferenceController::prepareExcerpt(const QString& what, Place place, std::function<Excerpt()> make) {
    imports_.request({[make = std::move(make)](const Task& task, const auto& publish) {
                          Excerpt excerpt = make();
                          if (excerpt.performance.notes.empty()) findNotesOf(excerpt, task);
                          publish(std::make_shared<const Excerpt>(std::move(excerpt)));
                      },
                      [this, what, place, cueId = document_.document().activeCue,
                       project = document_.projectNumber()](const std::shared_ptr<const Excerpt>& excerpt) {
                          if (project == document_.projectNumber()) put(cueId, what, place, *excerpt);
                      },
                      [this](const std::exception_ptr& failure) { messages_.report(failure); },
                      [this] { emit finished(); }});
}

void ReferenceController::remakeExcerpt(const QString& what, std::uint64_t id,
                                        std::function<Excerpt(const Excerpt&)> make) {
    if (!document_.cue()) return;
    Cue copy = *document_.cue();
    const auto* slot = copy.slot(id);
    if (!slot) return;
    imports_.request(
        {[before = *slot, make = std::move(make)](const Task&, const auto& publish) {
             publish(std::make_shared<const Excerpt>(make(*before)));
         },
         [this, what, id, project = document_.projectNumber()](const std::shared_ptr<const Excerpt>& after) {
             if (project == document_.projectNumber()) document_.editExcerpt(what, id, [&](Excerpt& e) { e = *after; });
         },
         [this](const std::exception_ptr& failure) { messages_.report(failure); }, [this] { emit finished(); }});
}

void ReferenceController::importReference(const std::filesystem::path& path, const ChannelChoice& channels) {
    double seconds = 0.0;
    int count = 0;
    try {
        const AudioStream stream(path);
        seconds = stream.seconds();
        count = stream.channelCount();
    } catch (const std::exception& failure) {
        messages_.report(failure);
        return;
    }
    if (count > 2 && channels.picked.empty()) {
        emit channelsWanted(QString::fromStdString(path.string()), count);
        return;
    }
    if (seconds > longestWhole) {
        document_.editCue(tr("Open recording"), [&](Cue& c) { c.source = path.string(); });
        messages_.say(tr("%1 is %2 minutes long: drag over the sound you want and add it as an excerpt.")
                          .arg(QString::fromStdString(path.filename().string()))
                          .arg(seconds / 60.0, 0, 'f', 1));
        emit partsWanted();
        return;
    }
    messages_.say(tr("Listening to %1 …").arg(QString::fromStdString(path.filename().string())));
    prepareExcerpt(tr("Import reference"), Place::inView,
                   [path, channels] { return makeExcerpt(path, 0, 0, channels); });
}

void ReferenceController::addExcerptFile(const std::filesystem::path& path) {
    messages_.say(tr("Listening to %1 …").arg(QString::fromStdString(path.filename().string())));
    prepareExcerpt(tr("Add excerpt"), Place::further, [path] { return makeExcerpt(path); });
}

void ReferenceController::addExcerptSound(const Recording& recording, const QString& name) {
    prepareExcerpt(tr("Add excerpt"), Place::further,
                   [recording, name = name.toStdString()] { return makeExcerpt(recording, name); });
}

void ReferenceController::addExcerpt(double begin, double end, const ChannelChoice& channels) {
    if (!document_.cue()) return;
    const QString what = tr("Add excerpt");
    const double tempo = document_.performance().tempo;
    if (source_.whole() && !source_.path().empty()) {
        prepareExcerpt(what, Place::further, [path = source_.path(), begin, end, channels, tempo] {
            Excerpt part = makeExcerpt(path, begin, end, channels);
            part.performance.tempo = tempo;
            return part;
        });
    } else if (const auto kept = document_.cue()->activePointer()) {
        prepareExcerpt(what, Place::further, [kept, begin, end, channels] {
            Excerpt part = withRegion(withChannels(*kept, channels), begin, end);
            part.performance.notes.clear();
            part.corrections.clear();
            return part;
        });
    }
}

void ReferenceController::useSelectionAsReference() {
    const Cue* current = document_.cue();
    if (!current || !current->excerpt()) return;
    if (!(current->loopEnd > current->loopBegin)) {
        messages_.say(tr("Drag over the part you want in the upper picture first."));
        return;
    }
    prepareExcerpt(tr("Use selection as reference"), Place::inView,
                   [whole = current->activePointer(), begin = current->loopBegin, end = current->loopEnd] {
                       Excerpt part = withRegion(*whole, whole->begin + begin, whole->begin + end);
                       part.performance.notes.clear();
                       part.corrections.clear();
                       return part;
                   });
}

void ReferenceController::moveExcerpt(std::uint64_t id, double begin, double end) {
    remakeExcerpt(tr("Move excerpt"), id, [begin, end](const Excerpt& e) { return withRegion(e, begin, end); });
}

void ReferenceController::setExcerptChannels(std::uint64_t id, const ChannelChoice& channels) {
    remakeExcerpt(tr("Choose channels"), id, [channels](const Excerpt& e) { return withChannels(e, channels); });
}

void ReferenceController::setExcerptWeight(std::uint64_t id, double weight) {
    document_.editExcerpt(
        tr("Weigh excerpt"), id, [&](Excerpt& e) { e.weight = std::clamp(weight, 0.0, 1.0); }, "excerpt weight");
}

void ReferenceController::renameExcerpt(std::uint64_t id, const QString& name) {
    document_.editExcerpt(tr("Rename excerpt"), id, [&](Excerpt& e) { e.name = name.toStdString(); });
}

void ReferenceController::removeExcerpt(std::uint64_t id) {
    document_.editCue(tr("Remove excerpt"), [&](Cue& c) {
        std::erase_if(c.excerpts, [id](const auto& e) { return e->id == id; });
        c.loopBegin = c.loopEnd = 0.0;
    });
}

void ReferenceController::leaveOut(double begin, double end, bool out) {
    if (!document_.cue() || !document_.excerpt() || !(end > begin)) return;
    document_.editExcerpt(out ? tr("Leave out") : tr("Take in again"), document_.excerpt()->id, [&](Excerpt& e) {
        if (out) {
            e.leftOut.push_back({begin, end});
        } else {
            std::vector<TimeSpan> rest;
            for (const TimeSpan& span : e.leftOut) {
                rest.push_back({span.begin, std::min(span.end, begin)});
                rest.push_back({std::max(span.begin, end), span.end});
            }
            e.leftOut = rest;
        }
        e.leftOut = joinedSpans(e.leftOut);
    });
}

void ReferenceController::wantSource() {
    const Cue* current = document_.cue();
    if (!current) return;
    const auto excerpt = current->activePointer();
    source_.show(current->source.empty() && excerpt ? excerpt->sourcePath : current->source, excerpt);
}

void ReferenceController::addPartAsExcerpt(HeardPart heard) {
    const auto excerpt = document_.cue() ? document_.cue()->activePointer() : nullptr;
    if (!excerpt || heard == HeardPart::all) return;
    const bool tonal = heard == HeardPart::tonal;
    const std::string name = excerpt->name + (tonal ? tr(" (tonal part)") : tr(" (struck part)")).toStdString();
    prepareExcerpt(tr("Add excerpt"), Place::further, [excerpt, tonal, name] {
        const SeparatedSound parts = separated(*excerpt->audio);
        Excerpt part = makeExcerpt(tonal ? parts.tonal : parts.struck, name);
        Performance notes = excerpt->corrected(); // the same phrase: its notes are known
        notes.frames = part.performance.frames;
        notes.rateHz = part.performance.rateHz;
        notes.channelCount = part.performance.channelCount;
        part.performance = notes;
        part.imported = excerpt->imported;
        return part;
    });
}

} // namespace facet

#include "moc_reference_controller.cpp"
