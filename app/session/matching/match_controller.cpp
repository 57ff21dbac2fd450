#include "app/session/matching/match_controller.h"

#include "core/base/parallel.h"
#include "core/match/starts/estimate.h"

#include <algorithm>

namespace facet {

namespace {

/// What a cue is matched to, and the excerpts that it is of.
struct Searched {
    std::vector<MatchTarget> targets;
    std::vector<std::uint64_t> excerpts;
    std::vector<NoteReading> readings; ///< those of the first target, in its order
};

/// The chosen reading first, then the others as likely as they are.
void addReadings(const Excerpt& excerpt, Searched& searched) {
    if (!excerpt.openToReadings()) return;
    const auto add = [&](std::size_t index) {
        const NoteReading& reading = excerpt.readings[index];
        searched.readings.push_back(reading);
        searched.targets.front().readings.push_back({excerpt.correctedAs(index), reading.words, reading.probability});
    };
    add(excerpt.reading);
    for (std::size_t r = 0; r < excerpt.readings.size(); ++r)
        if (r != excerpt.reading) add(r);
}

/// Reads an excerpt's notes as a found patch plays them.
void readAs(Cue& cue, const MatchState& state, const ScoredPatch& found) {
    auto* slot = cue.slot(state.excerpt);
    if (!slot || !*slot || found.reading >= state.readings.size()) return;
    const auto place = (*slot)->placeOf(state.readings[found.reading]);
    if (!place || *place == (*slot)->reading) return;
    Excerpt read = **slot;
    read.readAs(*place);
    *slot = std::make_shared<const Excerpt>(std::move(read));
}

/// The excerpt in view first, then the others that count.
Searched searchedIn(const Cue& cue) {
    Searched searched;
    const auto add = [&](const Excerpt& excerpt, double weight) {
        const Performance played = excerpt.corrected();
        if (weight <= 0.0 || attendedNotes(played, excerpt.leftOut).notes.empty()) return;
        searched.targets.push_back({*excerpt.audio, played, weight, excerpt.leftOut});
        searched.excerpts.push_back(excerpt.id);
    };
    const Excerpt& first = *cue.excerpt();
    // One that is set aside still counts when it is the only one.
    add(first, first.weight > 0.0 || cue.excerpts.size() > 1 ? first.weight : 1.0);
    if (!searched.targets.empty()) addReadings(first, searched);
    for (const auto& each : cue.excerpts)
        if (each.get() != &first) add(*each, each->weight);
    return searched;
}

/// What was in the excerpt's phrase already stays: only what a search was free to move is drawn.
void drawCurves(Cue& cue, std::uint64_t excerpt, const std::vector<Curve>& curves) {
    for (auto& each : cue.excerpts) {
        if (each->id != excerpt) continue;
        Excerpt drawn = *each;
        for (const Curve& curve : curves) drawn.performance.setCurve(curve);
        each = std::make_shared<const Excerpt>(std::move(drawn));
    }
}

} // namespace

MatchController::MatchController(DocumentStore& document, TakeKeeper& takes, ResultsController& results,
                                 Listening& listening, SeedBankKeeper& bank, Messages& messages, QObject* parent)
    : QObject(parent), document_(document), takes_(takes), results_(results), listening_(listening), bank_(bank),
      messages_(messages), searching_(JobQueue::Priority::behind) {
    document_.journalThrough([this](const Document& current) { return withUnfinished(current); });
    for (auto outdated : {&DocumentStore::cueEdited, &DocumentStore::lookedElsewhere})
        connect(&document_, outdated, this, [this] { state_.heard = -1; });
    connect(&document_, &DocumentStore::replaced, this, [this] {
        searching_.cancel();
        if (state_.running) bank_.resume();
        state_ = {};
        emit changed();
    });
}

void MatchController::start(double seconds, bool goOn) {
    const Cue* cue = document_.cue();
    if (!cue || !cue->excerpt() || state_.running) return;
    const Searched searched = searchedIn(*cue);
    if (searched.targets.empty()) {
        messages_.warn(tr("There are no notes to play: import a MIDI file or draw the notes of this recording first."));
        return;
    }
    MatchSettings settings;
    settings.start = cue->patch;
    settings.limits = cue->limits();
    settings.weights = cue->facetWeights;
    settings.instrument = cue->instrument;
    settings.seconds = seconds;
    settings.seed = document_.performance().seed;
    settings.threads = hardwareThreads();
    settings.bank = bank_.bank();
    if (goOn) {
        settings.goOnWith.push_back(cue->patch);
        if (state_.cue == cue->id)
            for (const ScoredPatch& found : state_.found)
                if (!found.patch.soundsLike(cue->patch) && found.reading == state_.found.front().reading)
                    settings.goOnWith.push_back(found.patch);
    }
    if (cue->focusLowHz > 0.0) settings.focusLowHz = std::clamp(cue->focusLowHz, 20.0, 10000.0);
    if (cue->focusHighHz > 0.0) settings.focusHighHz = std::clamp(cue->focusHighHz, 2.0 * settings.focusLowHz, 20000.0);
    bank_.pause(); // all cores are the search's
    state_ = {};
    state_.running = true;
    state_.cue = cue->id;
    state_.excerpt = cue->excerpt()->id;
    state_.readings = searched.readings;
    state_.trying = tr("measuring the reference");
    emit changed();
    searching_.request(
        {[settings, searched, phrase = ComparedPhrase::of(*cue, *cue->excerpt(), {})](const Task& task,
                                                                                      const auto& publish) {
             const auto progress = [&](const MatchProgress& now) {
                 // The best so far is heard and seen at once.
                 MeasuredSound preview;
                 if (now.improved) {
                     ComparedPhrase read = phrase;
                     const auto& readings = searched.targets.front().readings;
                     if (now.reading < readings.size()) read.performance = readings[now.reading].performance;
                     preview = soundOf(renderPhrase(now.best, read, task));
                 }
                 publish(Progress{now, std::move(preview)});
             };
             publish(std::make_shared<const MatchResult>(match(searched.targets, settings, task, progress)));
         },
         [this, excerpts = searched.excerpts, cueId = cue->id, start = cue->patch](const Delivery& delivery) {
             if (const auto* progress = std::get_if<Progress>(&delivery)) {
                 showProgress(*progress, cueId, start);
             } else {
                 end();
                 finish(*std::get<1>(delivery), cueId, excerpts);
             }
         },
         [this](const std::exception_ptr& failure) { messages_.report(failure); },
         [this] {
             if (state_.running) end();
             emit changed();
         }});
}

void MatchController::showProgress(const Progress& progress, std::uint64_t cueId, const Patch& start) {
    const MatchProgress& now = progress.now;
    // An edit or another cue matters more than what is being tried.
    const Cue* cue = document_.cue();
    if (progress.preview.recording && cue && cue->id == cueId && cue->patch.soundsLike(start))
        results_.preview(progress.preview);
    state_.trying = QString::fromStdString(now.trying);
    state_.fraction = now.fraction;
    state_.likeness = now.likeness;
    state_.loss = now.loss;
    state_.evaluations = now.evaluations;
    state_.seconds = now.seconds;
    state_.history.push_back({now.seconds, now.likeness, now.facets});
    showLeaders(now.leaders, now.reading);
    if (now.improved) document_.journalNowAndThen();
    emit changed();
}

void MatchController::end() {
    state_.running = false;
    document_.journalSoon(); // its result holds what it had found until now
    bank_.resume();
    results_.endPreview(); // back from what was tried, unless something was found
}

void MatchController::showLeaders(const std::vector<Leader>& leaders, std::size_t reading) {
    const std::string heard =
        state_.heard >= 0 ? structureText(state_.found[static_cast<std::size_t>(state_.heard)].patch) : std::string();
    state_.found.clear();
    state_.heard = -1;
    for (const Leader& leader : leaders) {
        ScoredPatch found;
        found.patch = leader.patch;
        found.loss = leader.loss;
        found.likeness = leader.likeness;
        found.reading = reading;
        if (!heard.empty() && structureText(leader.patch) == heard) {
            state_.heard = static_cast<int>(state_.found.size());
            listening_.hearOther(leader.patch, played(found));
        }
        state_.found.push_back(std::move(found));
    }
    if (!heard.empty() && state_.heard < 0) listening_.hearOther({}); // it leads no more
}

std::optional<Performance> MatchController::played(const ScoredPatch& found) const {
    const Cue* cue = document_.cue();
    if (!cue || !cue->excerpt() || cue->excerpt()->id != state_.excerpt || found.reading >= state_.readings.size())
        return {};
    const auto place = cue->excerpt()->placeOf(state_.readings[found.reading]);
    if (!place || *place == cue->excerpt()->reading) return {};
    return cue->excerpt()->correctedAs(*place);
}

void MatchController::hear(int index) {
    if (state_.cue != document_.document().activeCue || index >= static_cast<int>(state_.found.size())) return;
    state_.heard = index;
    if (index < 0) {
        listening_.hearOther({});
    } else {
        const ScoredPatch& found = state_.found[static_cast<std::size_t>(index)];
        listening_.playOther(found.patch, played(found));
    }
    emit changed();
}

void MatchController::finish(const MatchResult& result, std::uint64_t cueId,
                             const std::vector<std::uint64_t>& excerpts) {
    state_.heard = -1;
    state_.found = {result.best};
    state_.found.insert(state_.found.end(), result.runnersUp.begin(), result.runnersUp.end());
    state_.ranges = result.ranges;
    state_.shortfalls = result.shortfalls;
    state_.trials = result.readings;
    state_.likeness = result.best.comparison.likeness;
    state_.evaluations = result.evaluations;
    state_.seconds = result.seconds;
    state_.fraction = 1.0;
    std::array<double, facetCount> facets;
    facets.fill(notMeasurable);
    for (const auto& each : result.best.comparison.facets)
        if (each.measured) facets[static_cast<std::size_t>(each.facet)] = each.likeness;
    state_.history.push_back({result.seconds, result.best.comparison.likeness, facets});
    const Cue* target = document_.document().find(cueId);
    if (!target) return;
    if (document_.cue() && document_.cue()->id == cueId)
        listening_.hearOther({}); // what was heard of the candidates has had its time
    // The found patch becomes the one worked on and is kept as a take, in one step of undo.
    Document after = document_.document();
    Cue changed = *target;
    if (!state_.taken) takes_.keepBefore(after, changed, tr("Match"));
    const auto earlier = std::count_if(target->takes.begin(), target->takes.end(),
                                       [](const auto& t) { return t->name.starts_with("Match"); });
    Take take = takes_.takeOf(result.best.patch, after, tr("Match %1").arg(earlier + 1));
    take.likeness = result.best.comparison.likeness;
    if (!state_.taken) {
        changed.patch = result.best.patch;
        changed.chosenTake = take.id;
        readAs(changed, state_, result.best);
        for (std::size_t i = 0; i < excerpts.size() && i < result.curves.size(); ++i)
            if (!result.curves[i].empty()) drawCurves(changed, excerpts[i], result.curves[i]);
        for (const Curve& curve : result.curves.front()) state_.moving.push_back(Address::parse(curve.target));
    }
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    document_.push(tr("Match"), withCue(after, std::move(changed)));
    const bool better = !result.best.patch.soundsLike(result.before.patch);
    QString said = (better ? tr("Found in %1 s: likeness %2") : tr("Nothing better found in %1 s: likeness stays %2"))
                       .arg(result.seconds, 0, 'f', 1)
                       .arg(result.best.comparison.likeness, 0, 'f', 0);
    if (result.best.reading > 0 && !state_.taken)
        for (const ReadingTrial& each : result.readings)
            if (each.reading == result.best.reading)
                said += tr(". The notes are read another way now: %1").arg(QString::fromStdString(each.words));
    messages_.say(said);
}

Document MatchController::withUnfinished(const Document& current) const {
    Document document = current;
    const Cue* target = document.find(state_.cue);
    if (!state_.running || state_.found.empty() || !target) return document;
    Cue changed = *target;
    Take take = takes_.takeOf(state_.found.front().patch, document, tr("Match, interrupted"));
    if (isMeasured(state_.likeness)) take.likeness = state_.likeness;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    return withCue(document, std::move(changed));
}

void MatchController::take(int index) {
    if (index < 0 || index >= static_cast<int>(state_.found.size()) || state_.cue != document_.document().activeCue)
        return;
    state_.taken = state_.running;
    state_.heard = -1;
    const ScoredPatch& found = state_.found[static_cast<std::size_t>(index)];
    takes_.replacePatch(tr("Take found patch"), found.patch, [&](Cue& cue) { readAs(cue, state_, found); });
    emit changed();
}

} // namespace facet

#include "moc_match_controller.cpp"
