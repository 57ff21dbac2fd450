#include "app/session/results/patch_comparisons.h"

#include "core/base/error.h"
#include "core/base/parallel.h"

namespace facet {

PatchComparisons::PatchComparisons(DocumentStore& document, ResultsController& results, QObject* parent)
    : QObject(parent), document_(document), results_(results) {
    for (auto outdated : {&DocumentStore::cueEdited, &DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, outdated, this, &PatchComparisons::stopWeighing);
}

quint64 PatchComparisons::weigh(std::vector<Patch> patches) {
    const quint64 ticket = ++weighTicket_;
    const auto phrase = results_.comparedPhrase();
    if (!phrase) return ticket;
    weighing_.request(
        {[phrase = *phrase, patches = std::move(patches)](const Task& task, const auto& publish) mutable {
             const int threads = hardwareThreads();
             for (std::size_t i = 0; i < patches.size(); ++i) {
                 try {
                     phrase.profile = phrase.measuredProfile(threads, task);
                     publish({static_cast<int>(i), renderAndCompare(patches[i], phrase, threads, task).likeness});
                 } catch (const Error&) {} // what cannot be measured gets no likeness
             }
         },
         [this, ticket](const std::pair<int, double>& found) { emit weighed(ticket, found.first, found.second); }});
    return ticket;
}

void PatchComparisons::stopWeighing() {
    ++weighTicket_;
    weighing_.cancel();
}

std::vector<Patch> PatchComparisons::withEachChoice(const Address& address) const {
    std::vector<Patch> patches;
    if (!document_.cue() || !document_.cue()->patch.has(address)) return patches;
    const auto& d = document_.cue()->patch.descriptor(address);
    for (std::size_t i = 0; i < d.choices.size(); ++i) {
        patches.push_back(document_.cue()->patch);
        patches.back().set(address, static_cast<double>(i));
    }
    return patches;
}

quint64 PatchComparisons::comparePair(const Patch& a, const Patch& b) {
    const quint64 ticket = ++pairTicket_;
    const auto phrase = results_.comparedPhrase();
    if (!phrase || !phrase->profile) return ticket;
    pairing_.request(
        [phrase = *phrase, a, b](const Task& task) {
            auto pair = std::make_shared<PatchPair>();
            const Patch* patches[] = {&a, &b};
            for (std::size_t i = 0; i < 2; ++i) {
                MeasuredSound& sound = pair->sounds[i];
                sound = soundOf(renderPhrase(*patches[i], phrase, task));
                sound.profile = measureRender(*sound.recording, *phrase.profile, phrase, hardwareThreads(), task);
                pair->toReference[i] = compare(*phrase.profile, *sound.profile, phrase.weights);
            }
            return std::shared_ptr<const PatchPair>(pair);
        },
        [this, ticket](const std::shared_ptr<const PatchPair>& pair) { emit pairCompared(ticket, pair); },
        [](const std::exception_ptr&) {}); // what cannot be rendered is reported where it is worked on
    return ticket;
}

} // namespace facet

#include "moc_patch_comparisons.cpp"
