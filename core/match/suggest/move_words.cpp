#include "core/match/suggest/move_words.h"

#include "core/match/element_evidence.h"
#include "core/parameters/changes.h"
#include "core/parameters/elements.h"
#include "core/parameters/noticed.h"
#include "core/parameters/part_words.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <fmt/format.h>
#include <vector>

namespace facet {

namespace {

/// Changes that people read: where effects stand and what is tied is none of a move's, nor is a value that is hardly
/// another one, where something else is.
std::vector<PatchChange> toldChanges(const Patch& before, const Patch& after) {
    std::vector<PatchChange> changes = changesBetween(before, after);
    std::erase_if(changes, [](const PatchChange& each) {
        return each.kind == PatchChange::Kind::order || each.kind == PatchChange::Kind::ties;
    });
    const auto isSlight = [&](const PatchChange& each) {
        const Address address{each.path, each.field};
        return each.kind == PatchChange::Kind::value &&
               noticedSteps(before.shownDescriptor(address), before.value(address), after.value(address)) <= 1.0;
    };
    if (!std::all_of(changes.begin(), changes.end(), isSlight)) std::erase_if(changes, isSlight);
    return changes;
}

bool isWithin(const SignalPart& part, const PatchChange& change) {
    const auto holds = [&](const std::string& path) {
        return std::find(part.modules.begin(), part.modules.end(), path) != part.modules.end();
    };
    return holds(change.path) || std::any_of(part.values.begin(), part.values.end(), [&](const Address& each) {
               return each.module == change.path && (change.field.empty() || each.field == change.field);
           });
}

/// Parts of the changed patch in which something was changed.
std::vector<SignalPart> changedParts(const Patch& after, const std::vector<PatchChange>& changes) {
    std::vector<SignalPart> parts = partsOf(after);
    std::erase_if(parts, [&](const SignalPart& part) {
        return part.place == PartPlace::output ||
               std::none_of(changes.begin(), changes.end(), [&](const PatchChange& each) {
                   return each.kind != PatchChange::Kind::removed && isWithin(part, each);
               });
    });
    return parts;
}

std::string capital(std::string text) {
    if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
    return text;
}

/// What the render does where it has nothing of an element.
std::string contrast(Element element) {
    switch (element) {
    case Element::sweptFilter:
    case Element::filterLfo: return "the render's cutoff holds still";
    case Element::vibrato:
    case Element::pitchEnvelope:
    case Element::glide:
    case Element::drift: return "the render's pitch holds still";
    case Element::tremolo:
    case Element::gate: return "the render's level holds still";
    case Element::delay: return "nothing comes back in the render";
    case Element::reverb: return "the render ends with its notes";
    case Element::stacked:
    case Element::detunedSources: return "those of the render stand still";
    case Element::lowPass: return "the render is open";
    case Element::velocityToLevel:
    case Element::velocityToFilter: return "the render plays all alike";
    case Element::chorus:
    case Element::flanger:
    case Element::width: return "the render's sides are alike";
    case Element::noise: return "the render has none";
    default: return {};
    }
}

} // namespace

std::set<Element> elementsBeyond(const Patch& patch, const Patch& other) {
    std::set<Element> beyond;
    for (const PatchElement& each : elementsOf(patch)) beyond.insert(each.element);
    for (const PatchElement& each : elementsOf(other)) beyond.erase(each.element);
    return beyond;
}

std::string wordsOfMove(const Patch& before, const Patch& after, bool asParts) {
    constexpr std::size_t few = 2;
    const std::vector<PatchChange> changes = toldChanges(before, after);
    const bool plain = !asParts && std::all_of(changes.begin(), changes.end(), [&](const PatchChange& each) {
        return each.kind == PatchChange::Kind::value && each.field != "on" &&
               (changes.size() == 1 || (each.field != "wave" && each.field != "kind"));
    });
    const auto parts = plain && changes.size() <= few ? std::vector<SignalPart>() : changedParts(after, changes);
    std::string words;
    const auto say = [&](const std::string& one) { words += (words.empty() ? "" : ", ") + one; };
    for (const PatchChange& each : changes) {
        if (each.kind == PatchChange::Kind::removed)
            say((words.empty() ? "Without " : "without ") + each.what);
        else if (parts.empty() && each.kind == PatchChange::Kind::added)
            say((words.empty() ? "Add " : "add ") + each.what);
        else if (parts.empty())
            say(fmt::format("{} {} → {}", each.what, each.before, each.after));
    }
    for (const SignalPart& part : parts) say(wordsOf(part, after));
    return words;
}

std::string ideaOfMove(const Patch& before, const Patch& after) {
    std::string idea;
    for (const Element each : elementsBeyond(after, before)) idea += "+" + std::string(wordOf(each));
    for (const Element each : elementsBeyond(before, after)) idea += "-" + std::string(wordOf(each));
    if (!idea.empty()) return idea;
    const std::vector<PatchChange> changes = toldChanges(before, after);
    const auto parts = changes.size() > 2 ? changedParts(after, changes) : std::vector<SignalPart>();
    for (const SignalPart& part : parts) idea += (idea.empty() ? "part " : ", ") + part.id;
    if (!idea.empty()) return idea;
    for (const PatchChange& each : changes) {
        // However it is brought there, another interval is one idea.
        constexpr std::array intervals{"octave", "semitone", "transpose", "ratio_over", "ratio_under"};
        const bool interval = std::find(intervals.begin(), intervals.end(), each.field) != intervals.end();
        const std::string one = interval ? "interval" : each.path + (each.field.empty() ? "" : "/" + each.field);
        if (idea.find(one) == idea.npos) idea += (idea.empty() ? "" : ", ") + one;
    }
    return idea;
}

std::string reasonOfMove(const std::set<Element>& brought, Facet gains, const MoveReasons& known) {
    std::string likely;
    // What comes later in the vocabulary is the more special: "swept" says more than "low-pass".
    for (auto each = brought.rbegin(); each != brought.rend(); ++each) {
        const std::string heard = evidenceFor(*each, known.reference);
        if (likely.empty())
            if (const std::string odds = likelihoodOf(*each, known.odds); !odds.empty() && !odds.starts_with("only"))
                likely = odds;
        if (heard.empty()) continue;
        const std::string rendered = evidenceFor(*each, known.render);
        if (rendered == heard) return capital(heard);
        const std::string other = rendered.empty() ? contrast(*each) : "in the render " + rendered;
        return capital(heard) + (other.empty() ? "" : "; " + other);
    }
    const FacetComparison* facet = known.apart.find(gains);
    const bool differs = facet && facet->measured && facet->words != "alike";
    if (differs) return fmt::format("{} now: {}", labelOf(gains), facet->words);
    return capital(likely);
}

} // namespace facet
