#include "core/match/suggest/build_report.h"

#include "core/base/json.h"

#include <cctype>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

Json likenessNumber(double value) {
    return std::isfinite(value) ? Json(std::round(10.0 * value) / 10.0) : Json(nullptr);
}

std::string facetKey(Facet facet) {
    std::string key(labelOf(facet));
    key[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(key[0])));
    return key;
}

} // namespace

std::string buildText(const Build& build) {
    std::string text = fmt::format("The empty patch is {:.0f} alike.\n", build.empty);
    int number = 0;
    for (const BuildStep& step : build.steps) {
        if (step.hidden) continue;
        text += fmt::format("{}. {} ({:.0f} → {:.0f})\n", ++number, step.title, step.before, step.after);
        std::string settings;
        for (const PartSetting& each : step.settings)
            settings += fmt::format("{}{} {}", settings.empty() ? "" : ", ", each.label, each.text);
        if (!settings.empty()) text += fmt::format("   Set: {}.\n", settings);
        if (!step.text.empty()) {
            text += fmt::format("   {}\n", step.text);
            continue;
        }
        if (!step.why.empty()) text += fmt::format("   Why: {}.\n", step.why);
        if (!step.listen.empty()) text += fmt::format("   Listen: {}.\n", step.listen);
    }
    return text;
}

std::string buildReport(const Build& build, const Patch& patch) {
    Json json;
    json["format"] = "facet-build";
    json["version"] = 1;
    json["patch"] = patch.name;
    json["likeness"] = {{"empty", likenessNumber(build.empty)},
                        {"whole", likenessNumber(build.steps.empty() ? build.empty : build.steps.back().after)}};
    json["steps"] = Json::array();
    for (const BuildStep& step : build.steps) {
        Json one;
        one["title"] = step.title;
        one["parts"] = step.parts;
        one["settings"] = Json::array();
        for (const PartSetting& each : step.settings)
            one["settings"].push_back({{"address", each.address.text()},
                                       {"label", each.label},
                                       {"value", patch.value(each.address)},
                                       {"text", each.text}});
        one["why"] = step.why;
        one["listen"] = step.listen;
        if (!step.text.empty()) one["text"] = step.text;
        if (step.hidden) one["hidden"] = true;
        one["elements"] = Json::array();
        for (const Element each : step.elements) one["elements"].push_back(std::string(wordOf(each)));
        one["likeness"] = {{"before", likenessNumber(step.before)}, {"after", likenessNumber(step.after)}};
        for (const FacetGain& each : step.facets)
            one["facets"][facetKey(each.facet)] = {{"before", likenessNumber(each.before)},
                                                   {"after", likenessNumber(each.after)}};
        json["steps"].push_back(std::move(one));
    }
    return jsonText(json);
}

} // namespace facet
