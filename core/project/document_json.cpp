#include "core/project/document_json.h"

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/parameters/patch_json.h"

#include <algorithm>
#include <filesystem>

namespace facet {

namespace {

Json noteJson(const std::optional<Note>& note) {
    if (!note) return nullptr;
    return {{"start", note->start},
            {"end", note->end},
            {"key", note->key},
            {"cents", note->cents},
            {"velocity", note->velocity}};
}

std::optional<Note> noteFrom(const Json& json) {
    if (json.is_null()) return std::nullopt;
    return Note{json.at("start").get<double>(), json.at("end").get<double>(), json.at("key").get<int>(),
                json.at("cents").get<double>(), json.at("velocity").get<double>()};
}

Json readingJson(const NoteReading& reading) {
    Json json{{"words", reading.words},
              {"probability", reading.probability},
              {"evidence", reading.evidence},
              {"problem", reading.problem},
              {"tuning_cents", reading.tuningCents},
              {"tempo", reading.tempo ? Json(*reading.tempo) : Json(nullptr)}};
    json["notes"] = Json::array();
    for (const Note& note : reading.notes) json["notes"].push_back(noteJson(note));
    return json;
}

NoteReading readingFrom(const Json& json) {
    NoteReading reading;
    reading.words = json.at("words");
    reading.probability = json.at("probability");
    reading.evidence = json.at("evidence");
    reading.problem = json.at("problem");
    reading.tuningCents = json.at("tuning_cents");
    if (!json.at("tempo").is_null()) reading.tempo = json.at("tempo").get<double>();
    for (const Json& note : json.at("notes"))
        if (const auto read = noteFrom(note)) reading.notes.push_back(*read);
    return reading;
}

Json patchJson(const Patch& patch) { return parseJson(patchToJson(patch)); }
Patch patchFrom(const Json& json) { return patchFromJson(jsonText(json)); }

Json excerptJson(const Excerpt& e) {
    Json json{{"id", e.id},
              {"source", e.sourcePath},
              {"source_hash", e.sourceHash},
              {"name", e.name},
              {"begin", e.begin},
              {"end", e.end},
              {"kept_begin", e.keptBegin},
              {"channels", e.channels.text()},
              {"weight", e.weight},
              {"audio", e.audioKey},
              {"imported", e.imported},
              {"note_problem", e.noteProblem},
              {"note_evidence", e.noteEvidence},
              {"place", e.place ? Json(*e.place) : Json(nullptr)}};
    json["left_out"] = Json::array();
    for (const TimeSpan& span : e.leftOut) json["left_out"].push_back({span.begin, span.end});
    json["performance"] = parseJson(performanceToJson(e.performance));
    json["reading"] = e.reading;
    json["readings"] = Json::array();
    for (const NoteReading& reading : e.readings) json["readings"].push_back(readingJson(reading));
    json["corrections"] = Json::array();
    for (const NoteCorrection& c : e.corrections)
        json["corrections"].push_back({{"from", noteJson(c.from)}, {"to", noteJson(c.to)}});
    return json;
}

Excerpt excerptFrom(const Json& json, const AudioSource& audio) {
    Excerpt e;
    e.id = json.at("id");
    e.sourcePath = json.at("source");
    e.sourceHash = json.at("source_hash");
    e.name = json.value("name", std::filesystem::path(e.sourcePath).stem().string());
    e.begin = json.at("begin");
    e.end = json.at("end");
    e.keptBegin = json.value("kept_begin", e.begin); // once only the region was kept
    e.channels = ChannelChoice::parse(json.value("channels", "both"));
    e.weight = json.value("weight", 1.0);
    for (const Json& span : json.value("left_out", Json::array())) e.leftOut.push_back({span.at(0), span.at(1)});
    e.imported = json.value("imported", false);
    e.noteProblem = json.value("note_problem", "");
    e.noteEvidence = json.value("note_evidence", "");
    if (const auto place = json.find("place"); place != json.end() && !place->is_null()) e.place = place->get<double>();
    e.performance = performanceFromJson(jsonText(json.at("performance")));
    for (const Json& reading : json.value("readings", Json::array())) e.readings.push_back(readingFrom(reading));
    e.reading = std::min(json.value("reading", std::size_t{0}), e.readings.empty() ? 0 : e.readings.size() - 1);
    for (const Json& c : json.at("corrections"))
        e.corrections.push_back({noteFrom(c.at("from")), noteFrom(c.at("to"))});
    e.audioKey = json.at("audio");
    e.bytes = audio(e.audioKey);
    decode(e);
    return e;
}

Json buildJson(const BuildPlan& plan) {
    Json steps = Json::array();
    for (const PlannedStep& step : plan.steps)
        steps.push_back({{"parts", step.parts}, {"title", step.title}, {"text", step.text}, {"hidden", step.hidden}});
    return steps;
}

BuildPlan buildFrom(const Json& json) {
    BuildPlan plan;
    for (const Json& step : json)
        plan.steps.push_back({step.at("parts").get<std::vector<std::string>>(), step.value("title", ""),
                              step.value("text", ""), step.value("hidden", false)});
    return plan;
}

Json takeJson(const Take& t) {
    const Json blind = t.blind ? Json{{"trials", t.blind->trials}, {"right", t.blind->right}} : Json(nullptr);
    return {{"id", t.id},
            {"name", t.name},
            {"blind_test", blind},
            {"note", t.note},
            {"patch", patchJson(t.patch)},
            {"likeness", t.likeness ? Json(*t.likeness) : Json(nullptr)},
            {"kept_at", t.keptAt},
            {"engine_version", t.engineVersion},
            {"starred", t.starred},
            {"build", buildJson(t.build)}};
}

Take takeFrom(const Json& json) {
    Take t;
    t.id = json.at("id");
    t.name = json.at("name");
    t.note = json.value("note", "");
    t.patch = patchFrom(json.at("patch"));
    if (!json.at("likeness").is_null()) t.likeness = json.at("likeness").get<double>();
    t.keptAt = json.value("kept_at", std::int64_t{0});
    t.engineVersion = json.value("engine_version", 0);
    t.starred = json.value("starred", false);
    t.build = buildFrom(json.value("build", Json::array()));
    if (const auto blind = json.find("blind_test"); blind != json.end() && !blind->is_null())
        t.blind = BlindResult{blind->at("trials"), blind->at("right")};
    return t;
}

Json headJson(const Document& d) {
    Json json{{"project", d.projectId}, {"name", d.name}, {"active", d.activeCue}, {"next_id", d.nextId}};
    json["order"] = Json::array();
    for (const auto& cue : d.cues) json["order"].push_back(cue->id);
    json["backing"] = nullptr;
    if (d.backing)
        json["backing"] = {{"name", d.backing->name},
                           {"source", d.backing->sourcePath},
                           {"seconds", d.backing->seconds},
                           {"audio", d.backing->audioKey}};
    json["backing_db"] = d.backingDb;
    return json;
}

Json wordsOf(const std::set<Element>& elements) {
    Json words = Json::array();
    for (const Element each : elements) words.push_back(wordOf(each));
    return words;
}

/// Words that only a newer program knows are left out.
std::set<Element> elementsFrom(const Json& json, const char* key) {
    std::set<Element> elements;
    if (const auto words = json.find(key); words != json.end())
        for (const Json& word : *words)
            if (const auto element = elementOfWord(word.get<std::string>())) elements.insert(*element);
    return elements;
}

Json cueJson(const Cue& cue) {
    Json json{{"id", cue.id},
              {"name", cue.name},
              {"chosen", cue.chosenTake},
              {"loop", {cue.loopBegin, cue.loopEnd}},
              {"focus_hz", {cue.focusLowHz, cue.focusHighHz}},
              {"source", cue.source},
              {"active_excerpt", cue.activeExcerpt}};
    json["facet_weights"] = cue.facetWeights;
    json["in_piece"] = {{"heard", cue.part.heard}, {"level_db", cue.part.levelDb}, {"take", cue.part.take}};
    json["patch"] = patchJson(cue.patch);
    json["locks"] = Json::array();
    for (const Address& address : cue.locks) json["locks"].push_back(address.text());
    json["ranges"] = Json::object();
    for (const auto& [address, range] : cue.ranges) json["ranges"][address.text()] = {range.first, range.second};
    json["ruled_out"] = wordsOf(cue.ruledOut);
    json["insisted"] = wordsOf(cue.insisted);
    if (cue.instrument) json["instrument"] = parseJson(instrumentToJson(*cue.instrument));
    json["declined_moves"] = cue.declinedMoves;
    json["build"] = buildJson(cue.build);
    json["excerpts"] = Json::array();
    for (const auto& e : cue.excerpts) json["excerpts"].push_back(excerptJson(*e));
    json["takes"] = Json::array();
    for (const auto& t : cue.takes) json["takes"].push_back(takeJson(*t));
    return json;
}

Cue cueFrom(const Json& json, const AudioSource& audio) {
    Cue cue;
    cue.id = json.at("id");
    cue.name = json.at("name");
    cue.chosenTake = json.value("chosen", std::uint64_t{0});
    cue.loopBegin = json.at("loop").at(0);
    cue.loopEnd = json.at("loop").at(1);
    if (const auto focus = json.find("focus_hz"); focus != json.end()) {
        cue.focusLowHz = focus->at(0);
        cue.focusHighHz = focus->at(1);
    }
    if (const auto weights = json.find("facet_weights"); weights != json.end())
        for (std::size_t f = 0; f < cue.facetWeights.size(); ++f)
            cue.facetWeights[f] = std::max(0.0, weights->at(f).get<double>());
    if (const auto part = json.find("in_piece"); part != json.end())
        cue.part = {part->at("heard"), part->at("level_db"), part->at("take")};
    cue.source = json.value("source", "");
    cue.activeExcerpt = json.value("active_excerpt", std::uint64_t{0});
    cue.patch = patchFrom(json.at("patch"));
    for (const Json& lock : json.at("locks")) cue.locks.insert(Address::parse(lock.get<std::string>()));
    if (const auto ranges = json.find("ranges"); ranges != json.end())
        for (const auto& [address, range] : ranges->items())
            cue.ranges[Address::parse(address)] = {range.at(0).get<double>(), range.at(1).get<double>()};
    cue.ruledOut = elementsFrom(json, "ruled_out");
    cue.insisted = elementsFrom(json, "insisted");
    if (const auto described = json.find("instrument"); described != json.end())
        cue.instrument = std::make_shared<const Instrument>(instrumentFromJson(jsonText(*described)));
    cue.declinedMoves = json.value("declined_moves", std::set<std::string>());
    cue.build = buildFrom(json.value("build", Json::array()));
    for (const Json& e : json.at("excerpts"))
        cue.excerpts.push_back(std::make_shared<const Excerpt>(excerptFrom(e, audio)));
    for (const Json& t : json.at("takes")) cue.takes.push_back(std::make_shared<const Take>(takeFrom(t)));
    return cue;
}

void applyHead(Document& document, const Json& json, const AudioSource& audio) {
    document.projectId = json.at("project");
    document.name = json.at("name");
    document.activeCue = json.at("active");
    document.nextId = json.at("next_id");
    std::vector<std::shared_ptr<const Cue>> ordered;
    for (const Json& id : json.at("order"))
        for (const auto& cue : document.cues)
            if (cue->id == id.get<std::uint64_t>()) ordered.push_back(cue);
    document.cues = std::move(ordered);
    document.backingDb = json.value("backing_db", 0.0);
    const Json backing = json.value("backing", Json(nullptr));
    if (backing.is_null()) {
        document.backing.reset();
    } else if (const std::string key = backing.at("audio"); !document.backing || document.backing->audioKey != key) {
        document.backing = std::make_shared<const Backing>(
            Backing{backing.at("name"), backing.at("source"), backing.at("seconds"), key, audio(key)});
    }
}

/// Any surprise in the JSON means that the file is damaged.
template <typename F> auto guarded(F&& read) {
    try {
        return read();
    } catch (const Json::exception& problem) {
        throw Error("This project is damaged and cannot be opened; open an earlier copy of it.", problem.what());
    }
}

} // namespace

std::string headToJson(const Document& document) { return jsonText(headJson(document)); }
std::string cueToJson(const Cue& cue) { return jsonText(cueJson(cue)); }

std::string documentToJson(const Document& document) {
    Json json;
    json["head"] = headJson(document);
    json["cues"] = Json::array();
    for (const auto& cue : document.cues) json["cues"].push_back(cueJson(*cue));
    return jsonText(json, 1);
}

Document documentFromJson(const std::string& text, const AudioSource& audio) {
    return guarded([&] {
        const Json json = parseJson(text);
        Document document;
        for (const Json& cue : json.at("cues"))
            document.cues.push_back(std::make_shared<const Cue>(cueFrom(cue, audio)));
        applyHead(document, json.at("head"), audio);
        return document;
    });
}

void applyHead(Document& document, const std::string& text, const AudioSource& audio) {
    guarded([&] { applyHead(document, parseJson(text), audio); });
}

Cue cueFromJson(const std::string& text, const AudioSource& audio) {
    return guarded([&] { return cueFrom(parseJson(text), audio); });
}

} // namespace facet
