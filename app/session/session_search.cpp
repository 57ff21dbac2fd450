// The session's search: from the cue's excerpts to a patch.
#include "app/session/session.h"

#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/match/starts/estimate.h"

#include <algorithm>

namespace facet {

namespace {

/// What a cue is matched to, with the excerpts they are of.
struct Searched {
    std::vector<MatchTarget> targets;
    std::vector<std::uint64_t> excerpts;
};

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

// ---- search ----

void Session::startMatch(double seconds, bool goOn) {
    const Cue* current = cue();
    if (!current || !current->excerpt() || match_.running) return;
    const Performance played = performance();
    const Searched searched = searchedIn(*current);
    if (searched.targets.empty()) {
        emit problem(tr("There are no notes to play: import a MIDI file or draw the notes of this recording first."),
                     {});
        return;
    }
    std::vector<Patch> entrants;
    if (goOn) {
        entrants.push_back(current->patch);
        if (match_.cue == current->id)
            for (const ScoredPatch& found : match_.found)
                if (!found.patch.soundsLike(current->patch)) entrants.push_back(found.patch);
    }
    banking_.cancel(); // both cores are the search's
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
    settings.goOnWith = std::move(entrants);
    settings.bank = bank_;
    if (current->focusLowHz > 0.0) settings.focusLowHz = std::clamp(current->focusLowHz, 20.0, 10000.0);
    if (current->focusHighHz > 0.0)
        settings.focusHighHz = std::clamp(current->focusHighHz, 2.0 * settings.focusLowHz, 20000.0);
    emit matchChanged();
    search_.submit([this, settings, played, searched, cueId = current->id, project = projectCount_](const Task& task) {
        std::exception_ptr failure;
        auto result = std::make_shared<MatchResult>();
        try {
            *result = match(searched.targets, settings, task, [&](const MatchProgress& now) {
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
                    match_.history.push_back({now.seconds, now.likeness, now.facets});
                    showLeaders(now.leaders);
                    if (now.improved && !searchJournalTimer_.isActive()) searchJournalTimer_.start();
                    emit matchChanged();
                });
            });
        } catch (...) {
            failure = std::current_exception();
        }
        post([this, result, failure, excerpts = searched.excerpts, cueId, project] {
            match_.running = false;
            journalTimer_.start(); // what it had found until now is told by its result
            makeBank();
            if (renderKey_ == 0) refresh(); // back from what was tried, unless something was found
            try {
                if (failure) std::rethrow_exception(failure);
                if (project == projectCount_) finishMatch(*result, cueId, excerpts);
            } catch (const Cancelled&) {
            } catch (const std::exception& problem) {
                report(problem);
            }
            emit matchChanged();
        });
    });
}

void Session::stopMatch() { search_.cancel(); }

/// What is heard of them is followed to its new place, and to what it has become.
void Session::showLeaders(const std::vector<Leader>& leaders) {
    const std::string heard =
        match_.heard >= 0 ? structureText(match_.found[static_cast<std::size_t>(match_.heard)].patch) : std::string();
    match_.found.clear();
    match_.heard = -1;
    for (const Leader& leader : leaders) {
        ScoredPatch found;
        found.patch = leader.patch;
        found.loss = leader.loss;
        found.likeness = leader.likeness;
        if (!heard.empty() && structureText(leader.patch) == heard) {
            match_.heard = static_cast<int>(match_.found.size());
            hearOther(leader.patch);
        }
        match_.found.push_back(std::move(found));
    }
    if (!heard.empty() && match_.heard < 0) hearOther({}); // it leads no more
}

void Session::hearFound(int index) {
    if (match_.cue != document_->activeCue || index >= static_cast<int>(match_.found.size())) return;
    match_.heard = index;
    if (index < 0) {
        hearOther({});
    } else {
        hearOther(match_.found[static_cast<std::size_t>(index)].patch);
        playback_.play(Side::render);
    }
    emit matchChanged();
}

void Session::finishMatch(const MatchResult& result, std::uint64_t cueId, const std::vector<std::uint64_t>& excerpts) {
    match_.heard = -1;
    match_.found = {result.best};
    match_.found.insert(match_.found.end(), result.runnersUp.begin(), result.runnersUp.end());
    match_.ranges = result.ranges;
    match_.shortfalls = result.shortfalls;
    match_.likeness = result.best.comparison.likeness;
    match_.evaluations = result.evaluations;
    match_.seconds = result.seconds;
    match_.fraction = 1.0;
    std::array<double, facetCount> facets;
    facets.fill(notMeasurable);
    for (const auto& each : result.best.comparison.facets)
        if (each.measured) facets[static_cast<std::size_t>(each.facet)] = each.likeness;
    match_.history.push_back({result.seconds, result.best.comparison.likeness, facets});
    const Cue* target = document_->find(cueId);
    if (!target) return;
    if (cue() && cue()->id == cueId) hearOther({}); // what was heard of the candidates has had its time
    // The found patch becomes the one worked on and is kept as a take, in one step of undo.
    Document after = *document_;
    Cue changed = *target;
    if (!match_.taken) keepBefore(after, changed, tr("Match"));
    const auto earlier = std::count_if(target->takes.begin(), target->takes.end(),
                                       [](const auto& t) { return t->name.starts_with("Match"); });
    Take take = takeOf(result.best.patch, after, tr("Match %1").arg(earlier + 1));
    take.likeness = result.best.comparison.likeness;
    if (!match_.taken) {
        changed.patch = result.best.patch;
        changed.chosenTake = take.id;
        for (std::size_t i = 0; i < excerpts.size() && i < result.curves.size(); ++i)
            if (!result.curves[i].empty()) drawCurves(changed, excerpts[i], result.curves[i]);
        for (const Curve& curve : result.curves.front()) match_.moving.push_back(Address::parse(curve.target));
    }
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    push(tr("Match"), withCue(after, std::move(changed)));
    const bool better = !result.best.patch.soundsLike(result.before.patch);
    emit notice((better ? tr("Found in %1 s: likeness %2") : tr("Nothing better found in %1 s: likeness stays %2"))
                    .arg(result.seconds, 0, 'f', 1)
                    .arg(result.best.comparison.likeness, 0, 'f', 0));
}

Document Session::withUnfinishedMatch() const {
    Document document = *document_;
    const Cue* target = document.find(match_.cue);
    if (!match_.running || match_.found.empty() || !target) return document;
    Cue changed = *target;
    Take take = takeOf(match_.found.front().patch, document, tr("Match, interrupted"));
    if (isMeasured(match_.likeness)) take.likeness = match_.likeness;
    changed.takes.push_back(std::make_shared<const Take>(std::move(take)));
    return withCue(document, std::move(changed));
}

void Session::takeFound(int index) {
    if (index < 0 || index >= static_cast<int>(match_.found.size()) || match_.cue != document_->activeCue) return;
    match_.taken = match_.running;
    match_.heard = -1;
    replacePatch(tr("Take found patch"), match_.found[static_cast<std::size_t>(index)].patch);
    emit matchChanged();
}

// ---- variations ----

void Session::makeVariations(double likeness) {
    const Cue* current = cue();
    if (!current || !current->excerpt() || performance().notes.empty()) return;
    hearVariation(-1);
    variations_ = {};
    variations_.running = true;
    variations_.cue = current->id;
    variations_.of = current->patch;
    VariationSettings settings;
    settings.limits = current->limits();
    settings.likeness = likeness;
    settings.threads = hardwareThreads();
    const quint64 turn = ++variationTurn_;
    settings.seed = turn; // others each time
    emit variationsChanged();
    varying_.submit([this, turn, settings, patch = current->patch, played = performance()](const Task& task) {
        try {
            variationsOf(patch, played, settings, task, [&](const Variation& one) {
                post([this, turn, one] {
                    if (turn != variationTurn_) return;
                    variations_.found.push_back(one);
                    emit variationsChanged();
                });
            });
        } catch (const Cancelled&) {
        } catch (const std::exception&) {} // what cannot be rendered is told where it is rendered first
        post([this, turn] {
            if (turn != variationTurn_) return;
            variations_.running = false;
            emit variationsChanged();
        });
    });
}

void Session::hearVariation(int index) {
    if (variations_.heard < 0 && index < 0) return;
    if (variations_.cue != document_->activeCue || index >= static_cast<int>(variations_.found.size())) return;
    variations_.heard = index;
    if (index < 0) {
        hearOther({});
    } else {
        hearOther(variations_.found[static_cast<std::size_t>(index)].patch);
        playback_.play(Side::render);
    }
    emit variationsChanged();
}

void Session::takeVariation(int index) {
    if (index < 0 || index >= static_cast<int>(variations_.found.size()) || variations_.cue != document_->activeCue)
        return;
    const Patch taken = variations_.found[static_cast<std::size_t>(index)].patch;
    variations_.heard = -1;
    hearOther({});
    replacePatch(tr("Take variation"), taken);
    emit variationsChanged();
}

// ---- the bank ----

void Session::prepareBank() {
    if (bankFraction_ >= 0.0) return;
    bankFraction_ = 0.0;
    makeBank();
}

/// Goes on with the bank where it was left.
void Session::makeBank() {
    if (bankFraction_ < 0.0 || bankFraction_ >= 1.0) return;
    banking_.submit([this, known = bank_](const Task& task) {
        const auto give = [this](const SeedBank& bank) {
            auto shared = std::make_shared<const SeedBank>(bank);
            post([this, shared] {
                if (shared->size() >= SeedBank::usable) bank_ = shared;
                bankFraction_ = static_cast<double>(shared->size()) / SeedBank::full;
                emit bankChanged();
            });
        };
        try {
            const auto file = SeedBank::cacheFile();
            const SeedBank bank = known ? *known : SeedBank::load(file);
            give(bank);
            bank.completed(file, hardwareThreads(), task, give);
        } catch (const Cancelled&) {} // what was made of it is kept
    });
}

} // namespace facet
