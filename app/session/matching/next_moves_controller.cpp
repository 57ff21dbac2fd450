#include "app/session/matching/next_moves_controller.h"

#include "core/base/hash.h"
#include "core/base/parallel.h"

#include <chrono>
#include <thread>

namespace facet {

namespace {

/// Who turns a parameter changes it again at once.
constexpr auto restBefore = std::chrono::milliseconds(250);
constexpr double leastWeight = 1e-6;

void measureMissing(MoveTarget& target, const Task& task) {
    if (target.profile) return;
    target.profile = std::make_shared<const Profile>(
        measureProfile(attended(*target.reference, target.attention),
                       attendedNotes(target.performance, target.attention.leftOut), {}, task));
}

} // namespace

NextMovesController::NextMovesController(DocumentStore& document, PatchEditor& patch, ResultsController& results,
                                         Listening& listening, Playback& playback, std::function<bool()> searchRuns,
                                         QObject* parent)
    : QObject(parent), document_(document), patch_(patch), results_(results), listening_(listening),
      playback_(playback), searchRuns_(std::move(searchRuns)), finding_(JobQueue::Priority::low) {
    for (auto outdated : {&DocumentStore::cueEdited, &DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, outdated, this, &NextMovesController::drop);
    connect(&results_, &ResultsController::compared, this, &NextMovesController::look);
}

void NextMovesController::want(bool wanted) {
    if (wanted == wanted_) return;
    wanted_ = wanted;
    if (wanted)
        look();
    else if (state_ == State::looking)
        drop();
}

void NextMovesController::drop() {
    finding_.cancel();
    moves_ = {};
    state_ = State::none;
}

void NextMovesController::look() {
    const Cue* current = document_.cue();
    const CueResults& results = results_.state();
    if (!wanted_ || state_ != State::none || searchRuns_() || !results.comparisonIsCurrent || !current ||
        !current->excerpt() || current->excerpt()->corrected().notes.empty() || !results.reference.profile)
        return;
    state_ = State::looking;
    emit changed();
    MoveSettings settings;
    settings.limits = current->limits();
    settings.instrument = current->instrument;
    settings.weights = current->facetWeights;
    settings.threads = hardwareThreads();
    settings.declined = current->declinedMoves;
    settings.facet = facet_;
    if (current->patch.find(module_)) settings.module = module_;
    // The one in view first; it is looked at even when it does not count.
    std::vector<MoveTarget> targets;
    Hasher key;
    const auto add = [&](const Excerpt& excerpt) {
        const std::uint64_t profileKey = ResultsController::profileKeyOf(*current, excerpt);
        targets.push_back({excerpt.audio, results_.profileOf(profileKey), excerpt.corrected(),
                           current->attentionTo(excerpt), std::max(excerpt.weight, leastWeight)});
        key.number(profileKey).number(targets.back().weight);
    };
    add(*current->excerpt());
    for (const auto& each : current->excerpts)
        if (each.get() != current->excerpt() && each->weight > 0.0 && !each->corrected().notes.empty()) add(*each);
    finding_.request(
        {[this, settings, patch = current->patch, targets, key = key.value()](const Task& task,
                                                                              const auto& publish) mutable {
             for (auto waited = restBefore; waited.count() > 0; waited -= std::chrono::milliseconds(10)) {
                 task.check();
                 std::this_thread::sleep_for(std::chrono::milliseconds(10));
             }
             if (!finder_ || finderKey_ != key) {
                 for (MoveTarget& each : targets) measureMissing(each, task);
                 finder_ = std::make_unique<MoveFinder>(targets);
                 finderKey_ = key;
             }
             finder_->prepare(settings.threads, task);
             finder_->find(patch, settings, task, publish);
         },
         [this](const NextMoves& moves) {
             moves_ = moves;
             state_ = moves.complete ? State::complete : State::looking;
             emit changed();
         },
         [this](const std::exception_ptr&) { // what cannot be rendered is reported where it is rendered first
             moves_ = {};
             moves_.complete = true;
             state_ = State::complete;
             emit changed();
         }});
}

void NextMovesController::take(int index) {
    if (index < 0 || index >= static_cast<int>(moves_.best.size()) || !document_.cue()) return;
    const Move move = moves_.best[static_cast<std::size_t>(index)];
    patch_.setPatch(QString::fromStdString(move.what), move.patch);
}

void NextMovesController::decline(int index) {
    if (index < 0 || index >= static_cast<int>(moves_.best.size()) || !document_.cue()) return;
    const Move move = moves_.best[static_cast<std::size_t>(index)];
    listening_.hearOther({});
    document_.editCue(tr("Not this move"), [&](Cue& cue) { cue.declinedMoves.insert(move.idea); });
    again();
}

void NextMovesController::forgetDeclined() {
    if (!document_.cue() || document_.cue()->declinedMoves.empty()) return;
    document_.editCue(tr("Propose all moves"), [](Cue& cue) { cue.declinedMoves.clear(); });
    again();
}

void NextMovesController::setFocus(std::optional<Facet> facet, const std::string& module) {
    if (facet == facet_ && module == module_) return;
    facet_ = facet;
    module_ = module;
    again();
}

void NextMovesController::again() {
    drop();
    emit changed();
    look();
}

void NextMovesController::hear(int index) {
    const bool known = index >= 0 && index < static_cast<int>(moves_.best.size());
    listening_.hearOther(known ? std::optional(moves_.best[static_cast<std::size_t>(index)].patch) : std::nullopt);
    if (known && !playback_.player().playing()) playback_.play(Side::render);
    if (known && playback_.player().side() == Side::reference) playback_.listenTo(Side::render);
}

} // namespace facet

#include "moc_next_moves_controller.cpp"
