#include "core/project/document.h"

#include "core/instruments/played_on.h"

#include <algorithm>
#include <fmt/format.h>
#include <random>

namespace facet {

std::shared_ptr<const Excerpt> Cue::activePointer() const {
    for (const auto& each : excerpts)
        if (each->id == activeExcerpt) return each;
    return excerpts.empty() ? nullptr : excerpts.front();
}

std::shared_ptr<const Excerpt>* Cue::slot(std::uint64_t excerptId) {
    for (auto& each : excerpts)
        if (each->id == excerptId) return &each;
    return nullptr;
}

bool Cue::isHeld(const Address& address) const {
    return instrument && isOf(*instrument, patch) && instrument->holds(address);
}

const Patch& Cue::patchInPiece() const {
    for (const auto& take : takes)
        if (take->id == part.take) return take->patch;
    return patch;
}

const Cue* Document::find(std::uint64_t cueId) const {
    const auto found = std::find_if(cues.begin(), cues.end(), [cueId](const auto& cue) { return cue->id == cueId; });
    return found == cues.end() ? nullptr : found->get();
}

std::uint64_t takeId(Document& document) { return document.nextId++; }

Document newDocument() {
    Document document;
    std::random_device device; // the one thing that must differ between two projects
    document.projectId = fmt::format("{:08x}{:08x}", device(), device());
    Cue cue;
    cue.id = takeId(document);
    cue.name = "Cue 1";
    document.activeCue = cue.id;
    return withCue(document, std::move(cue));
}

Document withCue(const Document& document, Cue cue) {
    Document result = document;
    const auto found =
        std::find_if(result.cues.begin(), result.cues.end(), [&](const auto& c) { return c->id == cue.id; });
    auto shared = std::make_shared<const Cue>(std::move(cue));
    if (found == result.cues.end())
        result.cues.push_back(std::move(shared));
    else
        *found = std::move(shared);
    return result;
}

Document withoutCue(const Document& document, std::uint64_t cueId) {
    Document result = document;
    std::erase_if(result.cues, [cueId](const auto& cue) { return cue->id == cueId; });
    if (!result.active()) result.activeCue = result.cues.empty() ? 0 : result.cues.front()->id;
    return result;
}

} // namespace facet
