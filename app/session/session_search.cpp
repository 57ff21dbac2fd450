// The session's search: from the cue's excerpts to a patch.
#include "app/session/session.h"

#include "core/base/parallel.h"
#include "core/engine/render.h"

#include <algorithm>
#include <chrono>

namespace facet {

namespace {

/// What a cue is matched to: the excerpt in view first, then the others that count.
std::vector<MatchTarget> targetsOf(const Cue& cue) {
    std::vector<MatchTarget> targets;
    const auto add = [&](const Excerpt& excerpt, double weight) {
        const Performance played = excerpt.corrected();
        if (weight > 0.0 && !attendedNotes(played, excerpt.leftOut).notes.empty())
            targets.push_back({*excerpt.audio, played, weight, excerpt.leftOut});
    };
    const Excerpt& first = *cue.excerpt();
    // One that is set aside still counts when it is the only one.
    add(first, first.weight > 0.0 || cue.excerpts.size() > 1 ? first.weight : 1.0);
    for (const auto& each : cue.excerpts)
        if (each.get() != &first) add(*each, each->weight);
    return targets;
}

} // namespace

// ---- search ----

void Session::startMatch(double seconds) {
    const Cue* current = cue();
    if (!current || !current->excerpt() || match_.running) return;
    const Performance played = performance();
    std::vector<MatchTarget> targets = targetsOf(*current);
    if (targets.empty()) {
        emit problem(tr("There are no notes to play: import a MIDI file or draw the notes of this recording first."),
                     {});
        return;
    }
    match_ = {};
    match_.running = true;
    match_.cue = current->id;
    match_.trying = tr("measuring the reference");
    MatchSettings settings;
    settings.start = current->patch;
    settings.limits = current->limits();
    settings.weights = current->facetWeights;
    settings.seconds = seconds;
    settings.seed = played.seed;
    settings.threads = hardwareThreads();
    if (current->focusLowHz > 0.0) settings.focusLowHz = std::clamp(current->focusLowHz, 20.0, 10000.0);
    if (current->focusHighHz > 0.0)
        settings.focusHighHz = std::clamp(current->focusHighHz, 2.0 * settings.focusLowHz, 20000.0);
    emit matchChanged();
    search_.submit([this, settings, played, targets, cueId = current->id, project = projectCount_](const Task& task) {
        std::exception_ptr failure;
        auto result = std::make_shared<MatchResult>();
        try {
            *result = match(targets, settings, task, [&](const MatchProgress& now) {
                // The best so far is heard and seen at once.
                auto preview = std::make_shared<MeasuredSound>();
                if (now.improved) *preview = soundOf(std::make_shared<const Recording>(render(now.best, played, task)));
                post([this, now, project, preview, cueId, start = settings.start] {
                    if (project != projectCount_ || !match_.running) return;
                    // An edit or another cue matters more than what is being tried.
                    if (preview->recording && cue() && cue()->id == cueId && cue()->patch.soundsLike(start)) {
                        renderKey_ = 0;
                        showRender(*preview);
                    }
                    match_.trying = QString::fromStdString(now.trying);
                    match_.fraction = now.fraction;
                    match_.likeness = now.likeness;
                    match_.loss = now.loss;
                    match_.evaluations = now.evaluations;
                    match_.seconds = now.seconds;
                    match_.history.push_back({now.seconds, now.likeness});
                    emit matchChanged();
                });
            });
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, result, failure, cueId, project] {
            match_.running = false;
            if (renderKey_ == 0) refresh(); // back from what was tried, unless something was found
            try {
                if (failure) std::rethrow_exception(failure);
                if (project == projectCount_) finishMatch(*result, cueId);
            } catch (const Cancelled&) {
            } catch (const std::exception& problem) {
                report(problem);
            }
            emit matchChanged();
        });
    });
}

void Session::stopMatch() { search_.cancel(); }

void Session::finishMatch(const MatchResult& result, std::uint64_t cueId) {
    match_.found = {result.best};
    match_.found.insert(match_.found.end(), result.runnersUp.begin(), result.runnersUp.end());
    match_.likeness = result.best.comparison.likeness;
    match_.evaluations = result.evaluations;
    match_.seconds = result.seconds;
    match_.fraction = 1.0;
    match_.history.push_back({result.seconds, result.best.comparison.likeness});
    const Cue* target = document_->find(cueId);
    if (!target) return;
    // The found patch becomes the one worked on and is kept as a take, in one step of undo.
    Document after = *document_;
    Cue changed = *target;
    keepBefore(after, changed, tr("Match"));
    Take take;
    take.id = takeId(after);
    take.name = tr("Match %1")
                    .arg(std::count_if(target->takes.begin(), target->takes.end(),
                                       [](const auto& t) { return t->name.starts_with("Match"); }) +
                         1)
                    .toStdString();
    take.patch = result.best.patch;
    take.likeness = result.best.comparison.likeness;
    take.engineVersion = engineVersion;
    take.keptAt =
        std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
    changed.patch = result.best.patch;
    changed.chosenTake = take.id;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    push(tr("Match"), withCue(after, std::move(changed)));
    emit notice(tr("Found in %1 s: likeness %2")
                    .arg(result.seconds, 0, 'f', 1)
                    .arg(result.best.comparison.likeness, 0, 'f', 0));
}

void Session::takeFound(int index) {
    if (index < 0 || index >= static_cast<int>(match_.found.size()) || match_.cue != document_->activeCue) return;
    replacePatch(tr("Take found patch"), match_.found[static_cast<std::size_t>(index)].patch);
}

} // namespace facet
