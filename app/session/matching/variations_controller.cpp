#include "app/session/matching/variations_controller.h"

#include "core/base/parallel.h"

namespace facet {

VariationsController::VariationsController(DocumentStore& document, TakeKeeper& takes, Listening& listening,
                                           QObject* parent)
    : QObject(parent), document_(document), takes_(takes), listening_(listening) {}

void VariationsController::make(double likeness) {
    const Cue* current = document_.cue();
    if (!current || !current->excerpt() || document_.performance().notes.empty()) return;
    hear(-1);
    state_ = {};
    state_.running = true;
    state_.cue = current->id;
    state_.of = current->patch;
    VariationSettings settings;
    settings.limits = current->limits();
    settings.likeness = likeness;
    settings.threads = hardwareThreads();
    settings.seed = ++made_; // others each time
    emit changed();
    varying_.request(
        {[settings, patch = current->patch, played = document_.performance()](const Task& task, const auto& publish) {
             variationsOf(patch, played, settings, task, publish);
         },
         [this](const Variation& one) {
             state_.found.push_back(one);
             emit changed();
         },
         [](const std::exception_ptr&) {}, // what cannot be rendered is reported where it is rendered first
         [this] {
             state_.running = false;
             emit changed();
         }});
}

void VariationsController::hear(int index) {
    if (state_.heard < 0 && index < 0) return;
    if (state_.cue != document_.document().activeCue || index >= static_cast<int>(state_.found.size())) return;
    state_.heard = index;
    if (index < 0) {
        listening_.hearOther({});
    } else {
        listening_.playOther(state_.found[static_cast<std::size_t>(index)].patch);
    }
    emit changed();
}

void VariationsController::take(int index) {
    if (index < 0 || index >= static_cast<int>(state_.found.size()) || state_.cue != document_.document().activeCue)
        return;
    const Patch taken = state_.found[static_cast<std::size_t>(index)].patch;
    state_.heard = -1;
    listening_.hearOther({});
    takes_.replacePatch(tr("Take variation"), taken);
    emit changed();
}

} // namespace facet

#include "moc_variations_controller.cpp"
