#include "core/performance/performance.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/base/json.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>

namespace facet {

void Performance::normalize() {
    std::erase_if(notes, [](const Note& note) { return !(note.end > note.start); });
    std::stable_sort(notes.begin(), notes.end(), [](const Note& a, const Note& b) {
        return a.start != b.start ? a.start < b.start : a.key < b.key;
    });
    const auto sort = [](std::vector<CurvePoint>& points) {
        std::stable_sort(points.begin(), points.end(),
                         [](const CurvePoint& a, const CurvePoint& b) { return a.seconds < b.seconds; });
    };
    sort(bends);
    for (Curve& curve : curves) sort(curve.points);
    std::erase_if(curves, [](const Curve& curve) { return curve.points.empty(); });
}

const Curve* Performance::curveOf(std::string_view target) const {
    const auto found = std::find_if(curves.begin(), curves.end(), [&](const Curve& c) { return c.target == target; });
    return found == curves.end() ? nullptr : &*found;
}

void Performance::setCurve(const Curve& curve) {
    std::erase_if(curves, [&](const Curve& c) { return c.target == curve.target; });
    if (!curve.points.empty()) curves.push_back(curve);
    normalize();
}

double Performance::bendAt(double seconds) const { return valueAt(bends, seconds); }

std::uint64_t Performance::hash() const {
    Hasher hasher;
    for (const Note& n : notes) hasher.number(n.start).number(n.end).number(n.key).number(n.cents).number(n.velocity);
    for (const CurvePoint& p : bends) hasher.number(p.seconds).number(p.value);
    for (const Curve& curve : curves) {
        hasher.text(curve.target);
        for (const CurvePoint& p : curve.points) hasher.number(p.seconds).number(p.value);
    }
    hasher.number(tempo).number(tuningCents).number(frames).number(rateHz).number(channelCount).number(seed);
    return hasher.value();
}

std::string nameOfKey(int key) {
    static constexpr std::array<const char*, 12> names{"C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"};
    const int octave = static_cast<int>(std::floor(key / 12.0)) - 1;
    return fmt::format("{}{}", names[static_cast<std::size_t>(((key % 12) + 12) % 12)], octave);
}

std::string performanceToJson(const Performance& p) {
    Json json;
    json["format"] = "facet-performance";
    json["version"] = 1;
    json["tempo_bpm"] = p.tempo;
    json["downbeat"] = p.downbeat;
    json["beats_per_bar"] = p.beatsPerBar;
    json["tuning_cents"] = p.tuningCents;
    json["render"] = {{"frames", p.frames}, {"rate_hz", p.rateHz}, {"channels", p.channelCount}, {"seed", p.seed}};
    json["notes"] = Json::array();
    for (const Note& n : p.notes)
        json["notes"].push_back(
            {{"start", n.start}, {"end", n.end}, {"key", n.key}, {"cents", n.cents}, {"velocity", n.velocity}});
    json["bend_cents"] = Json::array();
    for (const CurvePoint& point : p.bends) json["bend_cents"].push_back({point.seconds, point.value});
    json["curves"] = Json::object();
    for (const Curve& curve : p.curves)
        for (const CurvePoint& point : curve.points)
            json["curves"][curve.target].push_back({point.seconds, point.value});
    return jsonText(json, 2) + "\n";
}

namespace {

double numberIn(const Json& json, const char* key, double low, double high, double fallback) {
    if (!json.contains(key)) return fallback;
    const Json& value = json[key];
    if (!value.is_number() || !(value.get<double>() >= low && value.get<double>() <= high))
        throw Error(fmt::format("“{}” must be a number from {} to {}.", key, low, high));
    return value.get<double>();
}

/// Pairs of seconds and a value within [low, high].
std::vector<CurvePoint> pointsIn(const Json& json, const std::string& name, double low, double high) {
    if (!json.is_array()) throw Error(fmt::format("“{}” must be a list of points.", name));
    std::vector<CurvePoint> points;
    for (const Json& point : json) {
        if (!point.is_array() || point.size() != 2 || !point[0].is_number() || !point[1].is_number())
            throw Error(fmt::format("Each point of “{}” must be a pair of seconds and a value.", name));
        const double value = point[1].get<double>();
        if (!(value >= low && value <= high))
            throw Error(fmt::format("“{}” must stay between {} and {}.", name, low, high));
        points.push_back({point[0].get<double>(), value});
    }
    return points;
}

} // namespace

Performance performanceFromJson(const std::string& text) {
    Json json;
    try {
        json = parseJson(text);
    } catch (const Json::exception& problem) {
        throw Error("This is not a Facet performance: it is not valid JSON; open another file.", problem.what());
    }
    if (!json.is_object() || json.value("format", Json()) != "facet-performance")
        throw Error("This is not a Facet performance: its “format” is not “facet-performance”; open another file.");
    if (json.value("version", Json()) != 1)
        throw Error("This performance needs a newer Facet; update Facet to open it.");
    Performance p;
    p.tempo = numberIn(json, "tempo_bpm", 10, 1000, p.tempo);
    p.downbeat = numberIn(json, "downbeat", -1e6, 1e6, 0.0);
    p.beatsPerBar = static_cast<int>(numberIn(json, "beats_per_bar", 1, 32, p.beatsPerBar));
    p.tuningCents = numberIn(json, "tuning_cents", -1200, 1200, 0.0);
    const Json render = json.value("render", Json::object());
    if (!render.is_object()) throw Error("“render” must hold named values.");
    p.rateHz = static_cast<int>(numberIn(render, "rate_hz", 4000, 768000, p.rateHz));
    p.frames = static_cast<int>(numberIn(render, "frames", 1, 1e9, 1));
    p.channelCount = static_cast<int>(numberIn(render, "channels", 1, 2, p.channelCount));
    if (render.contains("seed") && !render["seed"].is_number_unsigned()) throw Error("“seed” must be a whole number.");
    p.seed = render.value("seed", p.seed);
    const Json notes = json.value("notes", Json::array());
    if (!notes.is_array()) throw Error("“notes” must be a list.");
    for (const Json& n : notes) {
        if (!n.is_object() || !n.contains("start") || !n.contains("end") || !n.contains("key"))
            throw Error("Each of “notes” must state “start”, “end” and “key”.");
        p.notes.push_back({numberIn(n, "start", -1e6, 1e6, 0), numberIn(n, "end", -1e6, 1e6, 0),
                           static_cast<int>(numberIn(n, "key", 0, 127, 60)), numberIn(n, "cents", -1200, 1200, 0),
                           numberIn(n, "velocity", 0, 127, 100)});
    }
    p.bends = pointsIn(json.value("bend_cents", Json::array()), "bend_cents", -4800, 4800);
    const Json curves = json.value("curves", Json::object());
    if (!curves.is_object()) throw Error("“curves” must hold a list of points for each thing moved.");
    for (const auto& [target, points] : curves.items()) p.curves.push_back({target, pointsIn(points, target, 0, 1)});
    p.normalize();
    return p;
}

Performance readPerformance(const std::filesystem::path& path) {
    const std::string text = readWholeFile(path);
    try {
        return performanceFromJson(text);
    } catch (const Error& problem) {
        throw Error(fmt::format("“{}”: {}", path.filename().string(), problem.what()), problem.detail());
    }
}

void writePerformance(const std::filesystem::path& path, const Performance& p) {
    writeWholeFile(path, performanceToJson(p));
}

int mostNotesTogether(const Performance& performance) {
    int most = 0;
    for (const Note& at : performance.notes) // the most sound where one of them begins
        most = std::max(most, static_cast<int>(
                                  std::count_if(performance.notes.begin(), performance.notes.end(), [&](const Note& n) {
                                      return n.start <= at.start && n.end > at.start;
                                  })));
    return most;
}

} // namespace facet
