#include "core/match/out_of_reach.h"

#include "core/instruments/reach.h"
#include "core/match/proposals/added_element.h"

#include <algorithm>

namespace facet {

std::set<Element> spokenFor(const std::map<Element, std::string>& evidence, const ElementOdds& odds) {
    static const std::set<Element> telling{
        Element::vibrato, Element::glide,  Element::pitchEnvelope, Element::tremolo,     Element::gate,
        Element::delay,   Element::reverb, Element::stacked,       Element::sweptFilter, Element::velocityToLevel};
    constexpr double surely = 0.85; // probability
    std::set<Element> elements;
    for (const auto& [element, words] : evidence)
        if (telling.contains(element) || (canBeAdded(element) && odds.probabilityOf(element) > surely))
            elements.insert(element);
    return elements;
}

std::set<Element> outOfReach(const std::map<Element, std::string>& evidence, const ElementOdds& odds,
                             const Instrument& instrument) {
    std::set<Element> elements = spokenFor(evidence, odds);
    const std::set<Element> within = elementsWithin(instrument);
    std::erase_if(elements, [&](Element each) { return within.contains(each); });
    return elements;
}

} // namespace facet
