#include "core/match/report.h"

#include "core/engine/render.h"
#include "core/match/estimate.h"

#include <cmath>
#include <nlohmann/json.hpp>

namespace facet {

namespace {

using Json = nlohmann::ordered_json;

/// Six significant digits; null where not measurable.
Json number(double value) {
    if (!std::isfinite(value)) return nullptr;
    if (value == 0.0) return 0.0;
    const double scale = std::pow(10.0, 5.0 - std::floor(std::log10(std::abs(value))));
    return std::round(value * scale) / scale;
}

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

Json toJson(const Track& track) {
    Json json;
    json["step_seconds"] = track.stepSeconds;
    json["values"] = Json::array();
    for (float value : track.values) json["values"].push_back(number(value));
    return json;
}

Json toJson(const Partials& partials) {
    Json json = Json::array();
    for (float value : partials) json.push_back(number(std::round(value * 100.0f) / 100.0f));
    return json;
}

} // namespace

std::string matchReport(const MatchResult& result) {
    Json json;
    json["format"] = "facet-report";
    json["version"] = 1;
    json["engine_version"] = engineVersion;
    json["likeness"] = {{"before", number(result.before.comparison.likeness)},
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
    json["runners_up"] = Json::array();
    for (const auto& other : result.runnersUp)
        json["runners_up"].push_back({{"structure", structureText(other.patch)},
                                      {"likeness", number(other.likeness)},
                                      {"loss_db", number(other.loss)}});
    json["evaluations"] = result.evaluations;
    json["seconds"] = number(result.seconds);
    json["seed"] = result.performance.seed;
    json["complete"] = result.complete;
    return json.dump(2) + "\n";
}

std::string comparisonReport(const Comparison& comparison) { return toJson(comparison).dump(2) + "\n"; }

std::string profileReport(const Profile& profile, const Performance& performance) {
    Json json;
    json["analysis_version"] = analysisVersion;
    json["seconds"] = number(profile.seconds);
    json["loudness_lufs"] = number(profile.loudness);
    json["tuning_cents"] = number(profile.tuningCents);
    json["tempo_bpm"] = number(performance.tempo);
    json["source"] = {{"nearest", nameOf(profile.source)},
                      {"pulse_width", number(profile.source.pulseWidth)},
                      {"error_db", number(profile.source.errorDb)}};
    json["notes"] = Json::array();
    for (const auto& n : profile.notes)
        json["notes"].push_back({{"start", number(n.note.start)},
                                 {"end", number(n.note.end)},
                                 {"key", n.note.key},
                                 {"name", nameOfKey(n.note.key)},
                                 {"velocity", number(n.note.velocity)},
                                 {"f0_hz", number(n.f0Hz)},
                                 {"cents", number(n.cents)},
                                 {"attack_ms", number(1000.0 * n.level.attack)},
                                 {"decay_ms", number(1000.0 * n.level.decay)},
                                 {"decay_63_ms", number(1000.0 * n.level.decayTime)},
                                 {"sustain_db", number(n.level.sustainDb)},
                                 {"release_ms", number(1000.0 * n.level.release)},
                                 {"highest_cutoff_hz", number(n.highestCutoffHz)},
                                 {"resting_cutoff_hz", number(n.restingCutoffHz)},
                                 {"closing_ms", number(1000.0 * n.closingTime)},
                                 {"partials_db", toJson(n.partials)}});
    json["partials_db"] = toJson(profile.partials);
    json["tracks"] = {{"pitch_hz", toJson(profile.pitchHz)},     {"pitch_cents", toJson(profile.pitchCents)},
                      {"level_db", toJson(profile.levelDb)},     {"centroid_hz", toJson(profile.centroidHz)},
                      {"rolloff_hz", toJson(profile.rolloffHz)}, {"effective_cutoff_hz", toJson(profile.cutoffHz)}};
    return json.dump(1) + "\n";
}

} // namespace facet
