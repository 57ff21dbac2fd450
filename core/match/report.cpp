#include "core/match/report.h"

#include "core/base/json.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/out_of_reach.h"
#include "core/match/starts/estimate.h"
#include "core/parameters/elements.h"

#include <cmath>

namespace facet {

namespace {

/// JSON writes what is not measurable, a NaN, as null.
Json number(double value) { return std::isfinite(value) ? Json(sixDigits(value)) : Json(nullptr); }

std::string keyOf(Facet facet) {
    std::string key(labelOf(facet));
    key[0] = static_cast<char>(std::tolower(key[0]));
    return key;
}

Json toJson(const Comparison& comparison) {
    Json json;
    json["likeness"] = number(comparison.likeness);
    for (const auto& facet : comparison.facets) {
        Json& entry = json["facets"][keyOf(facet.facet)];
        entry["likeness"] = facet.measured ? number(facet.likeness) : Json(nullptr);
        entry["difference"] = number(facet.difference);
        entry["words"] = facet.words;
        for (const auto& value : facet.values)
            entry["values"].push_back({{"what", value.label},
                                       {"reference", value.reference},
                                       {"render", value.render},
                                       {"difference", value.difference}});
    }
    return json;
}

/// What a patch is made of: an element's word and its values in words.
Json elementsIn(const Patch& patch, const std::vector<std::vector<Curve>>& curves) {
    std::vector<std::string> moved;
    for (const auto& of : curves)
        for (const Curve& curve : of) moved.push_back(curve.target);
    Json list = Json::array();
    for (const PatchElement& each : elementsOf(patch, moved))
        list.push_back({{"element", wordOf(each.element)}, {"words", each.words}});
    return list;
}

} // namespace

std::string matchReport(const MatchResult& result, const std::vector<HeardElement>& made) {
    Json json;
    json["format"] = "facet-report";
    json["version"] = 1;
    json["engine_version"] = engineVersion;
    json["likeness"] = {{"before", number(result.before.likeness)},
                        {"after", number(result.best.likeness)},
                        {"floor", number(result.best.floor)}};
    json["loss_db"] = {{"before", number(result.before.loss)}, {"after", number(result.best.loss)}};
    for (std::size_t i = 0; i < result.best.comparison.facets.size(); ++i) {
        const auto& after = result.best.comparison.facets[i];
        const auto* before = result.before.comparison.find(after.facet);
        json["facets"][keyOf(after.facet)] = {
            {"before", before && before->measured ? number(before->likeness) : Json(nullptr)},
            {"after", after.measured ? number(after.likeness) : Json(nullptr)},
            {"floor", number(result.best.facetFloors[i])},
            {"words", after.words}};
    }
    json["structure"] = structureText(result.best.patch);
    json["elements"] = elementsIn(result.best.patch, result.curves);
    for (std::size_t i = 0; i < json["elements"].size(); ++i) {
        Json& each = json["elements"][i];
        const Element element = *elementOfWord(each["element"].get<std::string>());
        const auto words = result.evidence.find(element);
        if (words != result.evidence.end()) each["evidence"] = words->second;
        if (result.odds.known()) each["probability"] = number(result.odds.probabilityOf(element));
        if (i < made.size()) each["cost"] = number(made[i].cost);
    }
    json["evidence"] = Json::object(); // also for what the patch has not
    for (const auto& [element, words] : result.evidence) json["evidence"][std::string(wordOf(element))] = words;
    if (result.odds.known()) // of what may well be there, in the patch or not
        for (int e = 0; e < elementCount; ++e)
            if (const auto element = static_cast<Element>(e); result.odds.probabilityOf(element) > 0.05)
                json["probabilities"][std::string(wordOf(element))] = number(result.odds.probabilityOf(element));
    if (result.instrument) {
        json["instrument"] = result.instrument->name;
        json["settings"] = Json::object(); // all of them, heard or not
        for (const InstrumentControl& each : result.instrument->controls) {
            const double value = result.best.patch.value(each.address);
            if (each.scale)
                json["settings"][each.name] = number(each.scale->positionOf(value));
            else
                json["settings"][each.name] = each.textOf(value);
        }
        json["out_of_reach"] = Json::array(); // what the recording speaks for and the instrument cannot make
        for (const Element each : outOfReach(result.evidence, result.odds, *result.instrument))
            json["out_of_reach"].push_back(std::string(wordOf(each)));
    }
    json["runners_up"] = Json::array();
    for (const auto& other : result.runnersUp) {
        json["runners_up"].push_back({{"structure", structureText(other.patch)},
                                      {"elements", elementsIn(other.patch, {})},
                                      {"likeness", number(other.likeness)},
                                      {"loss_db", number(other.loss)}});
        if (!result.readings.empty()) json["runners_up"].back()["reading"] = other.reading + 1;
    }
    if (!result.readings.empty()) json["reading"] = result.best.reading + 1;
    json["readings"] = Json::array(); // after a short trial each; empty where the notes were certain
    for (const ReadingTrial& each : result.readings)
        json["readings"].push_back({{"reading", each.reading + 1},
                                    {"words", each.words},
                                    {"notes", each.notes},
                                    {"probability", number(each.probability)},
                                    {"loss_db", number(each.loss)},
                                    {"likeness", number(each.likeness)},
                                    {"worth", number(each.worth)}});
    json["moving"] = Json::array(); // parameters that follow a curve of the performance
    if (!result.curves.empty())
        for (const Curve& curve : result.curves.front()) json["moving"].push_back(curve.target);
    json["shortfalls"] = Json::array();
    for (const Shortfall& each : result.shortfalls)
        json["shortfalls"].push_back({{"facet", keyOf(each.facet)},
                                      {"likeness", number(each.likeness)},
                                      {"words", each.words},
                                      {"likely", each.likely}});
    json["unidentifiable"] = Json::array();
    for (const Address& each : result.unidentifiable) json["unidentifiable"].push_back(each.text());
    json["ranges"] = Json::object();
    for (const KnownRange& each : result.ranges)
        json["ranges"][each.address.text()] = {
            {"value", number(each.value)}, {"low", number(each.low)}, {"high", number(each.high)}};
    json["evaluations"] = result.evaluations;
    json["seconds"] = number(result.seconds);
    json["stages"] = Json::array();
    for (const StageTime& each : result.stages)
        json["stages"].push_back({{"stage", each.stage},
                                  {"seconds", number(each.seconds)},
                                  {"processor_seconds", number(each.processor)},
                                  {"comparing_seconds", number(each.comparing)},
                                  {"candidates", each.candidates},
                                  {"renders", number(each.renders)}});
    json["seed"] = result.performance.seed;
    json["complete"] = result.complete;
    return jsonText(json, 2) + "\n";
}

std::string comparisonReport(const Comparison& comparison) { return jsonText(toJson(comparison), 2) + "\n"; }

} // namespace facet
