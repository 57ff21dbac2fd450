#include "core/parameters/elements.h"

#include "core/base/error.h"
#include "core/parameters/audition.h"
#include "core/parameters/field.h"
#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace facet {

namespace {

constexpr auto elementWords = std::to_array<std::string_view>({"saw",
                                                               "pulse",
                                                               "triangle",
                                                               "sine",
                                                               "noise",
                                                               "partials",
                                                               "wavetable",
                                                               "sample",
                                                               "blend",
                                                               "stacked",
                                                               "detuned sources",
                                                               "second source",
                                                               "fm",
                                                               "feedback fm",
                                                               "ring",
                                                               "sync",
                                                               "moved width",
                                                               "moved table",
                                                               "second layer",
                                                               "late layer",
                                                               "low-pass",
                                                               "high-pass",
                                                               "band-pass",
                                                               "notch",
                                                               "comb",
                                                               "all-pass",
                                                               "formants",
                                                               "filter envelope",
                                                               "filter lfo",
                                                               "filter opens",
                                                               "velocity to filter",
                                                               "key tracking",
                                                               "vibrato",
                                                               "drift",
                                                               "pitch envelope",
                                                               "glide",
                                                               "tremolo",
                                                               "gate",
                                                               "velocity to level",
                                                               "voice drive",
                                                               "saturation",
                                                               "folding",
                                                               "reduction",
                                                               "equalizer",
                                                               "compressor",
                                                               "limiter",
                                                               "chorus",
                                                               "flanger",
                                                               "phaser",
                                                               "shifter",
                                                               "resonator",
                                                               "delay",
                                                               "reverb",
                                                               "response",
                                                               "width"});
static_assert(elementWords.size() == elementCount);

Element elementOf(Wave wave) {
    switch (wave) {
    case Wave::sine: return Element::sine;
    case Wave::triangle: return Element::triangle;
    case Wave::saw: return Element::saw;
    case Wave::pulse: return Element::pulse;
    case Wave::clippedSine: return Element::sine;
    case Wave::harmonics: return Element::partials;
    case Wave::wavetable: return Element::wavetable;
    case Wave::noise: return Element::noise;
    case Wave::sample: return Element::sample;
    }
    return Element::saw;
}

Element elementOf(FilterKind kind) {
    switch (kind) {
    case FilterKind::lowPass:
    case FilterKind::ladder: return Element::lowPass;
    case FilterKind::highPass: return Element::highPass;
    case FilterKind::bandPass: return Element::bandPass;
    case FilterKind::notch: return Element::notch;
    case FilterKind::comb: return Element::comb;
    case FilterKind::allPass: return Element::allPass;
    }
    return Element::lowPass;
}

Element elementOf(ModuleKind effect) {
    switch (effect) {
    case ModuleKind::saturation: return Element::saturation;
    case ModuleKind::folding: return Element::folding;
    case ModuleKind::reduction: return Element::reduction;
    case ModuleKind::equalizer: return Element::equalizer;
    case ModuleKind::compressor:
    case ModuleKind::bandCompressor: return Element::compressor;
    case ModuleKind::limiter: return Element::limiter;
    case ModuleKind::chorus: return Element::chorus;
    case ModuleKind::flanger: return Element::flanger;
    case ModuleKind::phaser: return Element::phaser;
    case ModuleKind::shifter: return Element::shifter;
    case ModuleKind::resonator: return Element::resonator;
    case ModuleKind::delay: return Element::delay;
    case ModuleKind::reverb: return Element::reverb;
    case ModuleKind::response: return Element::response;
    default: return Element::width;
    }
}

/// Reads the elements of one patch.
class ElementReader {
public:
    ElementReader(const Patch& patch, std::span<const std::string> curves) : patch_(patch), curves_(curves) {}

    std::vector<PatchElement> read() {
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::source && takesPart(patch_, module) && !onlyMoves(module.path))
                heard_.push_back(&module);
        for (const auto& module : patch_.modules()) {
            if (!takesPart(patch_, module)) continue;
            switch (module.kind) {
            case ModuleKind::voicing: readVoicing(); break;
            case ModuleKind::layer: readLayer(module); break;
            case ModuleKind::source: readSource(module); break;
            case ModuleKind::filter: readFilter(module); break;
            default:
                if (isEffect(module.kind)) readEffect(module);
                break;
            }
        }
        return std::move(found_);
    }

private:
    using Module = Patch::Module;

    double value(const std::string& path, const char* field) const { return patch_.value({path, field}); }
    std::string text(const std::string& path, const char* field) const {
        return textOf(patch_.descriptor({path, field}), value(path, field));
    }
    bool isCurve(const Address& address) const {
        return std::find(curves_.begin(), curves_.end(), address.text()) != curves_.end();
    }

    void add(Element element, std::string words) { found_.push_back({element, std::move(words), {}}); }
    void add(Element element, std::string words, Patch without) {
        found_.push_back({element, std::move(words), std::move(without)});
    }
    /// What links move, or a curve, or both.
    void addMoved(Element element, std::string words, Patch without, const Address& moved) {
        add(element, std::move(words), std::move(without));
        if (isCurve(moved)) found_.back().curve = moved.text();
    }
    /// The patch with some values set.
    Patch with(const std::string& path, std::initializer_list<std::pair<const char*, double>> values) const {
        Patch changed = patch_;
        for (const auto& [field, value] : values) changed.set({path, field}, value);
        return changed;
    }

    /// Links that take part and lead to a parameter of a module.
    std::vector<const Module*> linksTo(const std::string& path, std::initializer_list<std::string_view> fields) const {
        std::vector<const Module*> links;
        for (const auto& module : patch_.modules()) {
            if (module.kind != ModuleKind::link || !takesPart(patch_, module) || module.contents().to.empty()) continue;
            const Address to = Address::parse(module.contents().to);
            if (to.module == path && std::find(fields.begin(), fields.end(), to.field) != fields.end() &&
                value(module.path, "amount") != 0.0)
                links.push_back(&module);
        }
        return links;
    }
    /// Those among them whose mover is of a kind.
    std::vector<const Module*> only(std::vector<const Module*> links, ModuleKind mover) const {
        std::erase_if(links, [&](const Module* link) { return kindOfPath(link->contents().from) != mover; });
        return links;
    }
    /// Those that a performance moves: "velocity", "random", …
    std::vector<const Module*> onlyFrom(std::vector<const Module*> links, std::string_view mover) const {
        std::erase_if(links, [&](const Module* link) { return link->contents().from != mover; });
        return links;
    }
    Patch withoutLinks(const std::vector<const Module*>& links) const {
        Patch changed = patch_;
        for (const Module* link : links) changed.set({link->path, "on"}, 0.0);
        return changed;
    }
    LfoShape shapeOf(const Module* link) const { return static_cast<LfoShape>(value(link->contents().from, "shape")); }
    std::string rateOf(const Module* link) const {
        const std::string& lfo = link->contents().from;
        return value(lfo, "timing") > 0.5 ? text(lfo, "beats") : text(lfo, "rate");
    }
    std::string amountOf(const Module* link) const {
        const Address amount{link->path, "amount"};
        return textOf(patch_.shownDescriptor(amount), patch_.value(amount));
    }
    /// Whether an LFO goes once through what a phrase lasts.
    bool isSlowWay(const Module* link) const {
        constexpr double slowHz = 0.5;
        const std::string& lfo = link->contents().from;
        const bool ramp = shapeOf(link) == LfoShape::risingSaw || shapeOf(link) == LfoShape::fallingSaw;
        return ramp && value(lfo, "timing") < 0.5 && value(lfo, "rate") < slowHz &&
               static_cast<LfoMode>(value(lfo, "mode")) != LfoMode::eachNote;
    }

    bool onlyMoves(const std::string& source) const {
        return value(source, "level") <= -60.0 &&
               std::any_of(patch_.modules().begin(), patch_.modules().end(), [&](const Module& m) {
                   return m.kind == ModuleKind::link && takesPart(patch_, m) && m.contents().from == source;
               });
    }

    /// An interval from the note that two sources may have in common.
    double intervalOf(const Module& source) const {
        return 12.0 * value(source.path, "octave") + value(source.path, "semitone") +
               12.0 * std::log2(value(source.path, "ratio_over") / value(source.path, "ratio_under"));
    }

    void readVoicing() {
        if (value("voicing", "glide") > 0.0)
            add(Element::glide, "glide " + text("voicing", "glide"), with("voicing", {{"glide", 0.0}}));
        if (value("voicing", "tuning_spread") > 0.0)
            add(Element::drift, "voices out of tune by up to " + text("voicing", "tuning_spread"),
                with("voicing", {{"tuning_spread", 0.0}}));
    }

    void readLayer(const Module& layer) {
        const bool first = &layer == patch_.find("layer:a");
        const bool audible = std::any_of(heard_.begin(), heard_.end(),
                                         [&](const Module* s) { return layerOfPath(s->path) == layer.path; });
        if (!audible) return;
        if (!first) {
            const bool late = value(layer.path, "offset") > 0.0;
            add(late ? Element::lateLayer : Element::secondLayer,
                late ? "a layer " + text(layer.path, "offset") + " late" : "a second layer",
                facet::without(patch_, layer.path));
        }
        if (value(layer.path, "velocity") > 0.0)
            add(Element::velocityToLevel, "softer notes down to " + text(layer.path, "velocity") + " less",
                with(layer.path, {{"velocity", 0.0}}));
        else if (const auto links = onlyFrom(linksTo(layer.path, {"level"}), "velocity"); !links.empty())
            add(Element::velocityToLevel, "velocity moves the level by " + amountOf(links.front()),
                withoutLinks(links));
        if (value(layer.path, "drive_curve") > 0.0)
            add(Element::voiceDrive, "each note driven by " + text(layer.path, "drive"),
                with(layer.path, {{"drive_curve", 0.0}}));
        readMotionOfLevel(layer);
    }

    /// Tremolo and gates, which may move a layer's level, its pan, or its sources' levels.
    void readMotionOfLevel(const Module& layer) {
        std::vector<const Module*> links = only(linksTo(layer.path, {"level", "pan"}), ModuleKind::lfo);
        for (const Module* source : heard_)
            if (layerOfPath(source->path) == layer.path)
                for (const Module* link : only(linksTo(source->path, {"level", "amplitude"}), ModuleKind::lfo))
                    links.push_back(link);
        std::vector<const Module*> gates, tremolos;
        for (const Module* link : links) {
            const LfoShape shape = shapeOf(link);
            const bool steps = shape == LfoShape::drawn || shape == LfoShape::square;
            (steps ? gates : tremolos).push_back(link);
        }
        if (!gates.empty()) add(Element::gate, "gate, a cycle of " + rateOf(gates.front()), withoutLinks(gates));
        if (!tremolos.empty()) add(Element::tremolo, "tremolo " + rateOf(tremolos.front()), withoutLinks(tremolos));
    }

    void readSource(const Module& source) {
        const std::string& path = source.path;
        if (std::find(heard_.begin(), heard_.end(), &source) == heard_.end()) return;
        readWave(source);
        if (value(path, "voices") > 1.0)
            add(Element::stacked, fmt::format("{} stacked, ±{}", text(path, "voices"), text(path, "detune")),
                with(path, {{"voices", 1.0}}));
        if (value(path, "blend") > 0.0 && matters(patch_, source, patch_.descriptor({path, "blend"})))
            add(Element::blend, text(path, "blend") + " " + text(path, "blend_wave"), with(path, {{"blend", 0.0}}));
        std::vector<const Module*> moved = linksTo(path, {"width"});
        if (static_cast<Wave>(value(path, "wave")) == Wave::pulse && (!moved.empty() || isCurve({path, "width"})))
            addMoved(Element::movedWidth, "its width moves", withoutLinks(moved), {path, "width"});
        if (const auto table = linksTo(path, {"position"}); !table.empty() || isCurve({path, "position"}))
            addMoved(Element::movedTable, "its table is run through", withoutLinks(table), {path, "position"});
        readPitch(source);
        readSecond(source);
    }

    /// The wave itself, or what makes another of it.
    void readWave(const Module& source) {
        const std::string& path = source.path;
        const std::optional<Patch> gone =
            heard_.size() > 1 ? std::optional(facet::without(patch_, path)) : std::nullopt;
        const auto phases = only(linksTo(path, {"phase", "cents"}), ModuleKind::source);
        std::vector<const Module*> own, others;
        for (const Module* link : phases) (link->contents().from == path ? own : others).push_back(link);
        const auto times = only(linksTo(path, {"amplitude"}), ModuleKind::source);
        const bool synced = value(path, "sync") > 0.0;
        if (!others.empty()) add(Element::fm, "phase moved by " + amountOf(others.front()), withoutLinks(others));
        if (!own.empty())
            add(Element::feedbackFm, "its own phase moved by " + amountOf(own.front()), withoutLinks(own));
        if (synced) add(Element::sync, "hard sync, " + text(path, "sync_ratio") + " up", with(path, {{"sync", 0.0}}));
        if (!times.empty()) {
            Patch plain = withoutLinks(times);
            plain.set({path, "amplitude"}, 100.0);
            add(Element::ring, "times another source", std::move(plain));
        }
        if (!others.empty() || !own.empty() || synced) return;
        const auto wave = static_cast<Wave>(value(path, "wave"));
        std::string said = text(path, "wave");
        if (wave == Wave::pulse) said += " " + text(path, "width");
        found_.push_back({elementOf(wave), std::move(said), gone});
        if (wave == Wave::clippedSine && value(path, "clip") > 0.0)
            add(Element::saturation, "clipped by " + text(path, "clip"), with(path, {{"clip", 0.0}}));
    }

    /// What moves the pitch; the same of several sources is said once.
    void readPitch(const Module& source) {
        if (&source != heard_.front() && layerOfPath(source.path) == layerOfPath(heard_.front()->path)) return;
        std::vector<const Module*> links;
        for (const Module* each : heard_)
            if (layerOfPath(each->path) == layerOfPath(source.path))
                for (const Module* link : linksTo(each->path, {"cents", "semitone"})) links.push_back(link);
        std::vector<const Module*> vibrato, drift = onlyFrom(links, "random");
        for (const Module* link : only(links, ModuleKind::lfo)) {
            const LfoShape shape = shapeOf(link);
            (shape == LfoShape::wander || shape == LfoShape::steps ? drift : vibrato).push_back(link);
        }
        const auto swept = only(links, ModuleKind::envelope);
        if (!vibrato.empty())
            add(Element::vibrato, fmt::format("vibrato {}, ±{}", rateOf(vibrato.front()), amountOf(vibrato.front())),
                withoutLinks(vibrato));
        if (!drift.empty()) add(Element::drift, "drift of " + amountOf(drift.front()), withoutLinks(drift));
        if (!swept.empty())
            add(Element::pitchEnvelope, "an envelope moves the pitch by " + amountOf(swept.front()),
                withoutLinks(swept));
    }

    /// What a source is to the first of its layer.
    void readSecond(const Module& source) {
        const Module& first = *heard_.front();
        if (&source == &first || layerOfPath(source.path) != layerOfPath(first.path)) return;
        if (static_cast<Wave>(value(source.path, "wave")) == Wave::noise) return;
        constexpr double same = 0.05; // semitones
        const bool alike = value(source.path, "wave") == value(first.path, "wave") &&
                           std::abs(intervalOf(source) - intervalOf(first)) < same;
        if (!alike)
            add(Element::otherSource,
                fmt::format("a second source {:+.0f} semitones", intervalOf(source) - intervalOf(first)),
                facet::without(patch_, source.path));
        else if (value(source.path, "cents") != value(first.path, "cents"))
            add(Element::detunedSources,
                fmt::format("two alike, {:.0f} cents apart", value(source.path, "cents") - value(first.path, "cents")),
                with(source.path, {{"cents", value(first.path, "cents")}}));
    }

    void readFilter(const Module& filter) {
        const std::string& path = filter.path;
        const std::string layer(layerOfPath(path));
        const auto kind = static_cast<FilterKind>(value(path, "kind"));
        const Module* other = otherPeak(filter);
        std::string said = text(path, "kind");
        if (matters(patch_, filter, patch_.descriptor({path, "slope"}))) said += " " + text(path, "slope");
        said += " at " + text(path, "cutoff");
        if (!other)
            add(elementOf(kind), said, facet::without(patch_, path));
        else if (other->path > path) // said once
            add(Element::formants, "formants at " + text(path, "cutoff") + " and " + text(other->path, "cutoff"),
                facet::without(facet::without(patch_, path), other->path));
        readCutoff(filter);
    }

    /// Whether a filter has a peak that is heard as one of a vowel's.
    bool isPeak(const Module& filter) const {
        constexpr double resonantDb = 6.0;
        const auto kind = static_cast<FilterKind>(value(filter.path, "kind"));
        return kind == FilterKind::bandPass ||
               (kind == FilterKind::lowPass && value(filter.path, "resonance") >= resonantDb);
    }
    /// The other of two such filters side by side.
    const Module* otherPeak(const Module& filter) const {
        const std::string layer(layerOfPath(filter.path));
        if (static_cast<FilterRouting>(value(layer, "routing")) != FilterRouting::parallel || !isPeak(filter))
            return nullptr;
        for (const auto& other : patch_.modules())
            if (other.kind == ModuleKind::filter && &other != &filter && layerOfPath(other.path) == layer &&
                takesPart(patch_, other) && isPeak(other))
                return &other;
        return nullptr;
    }

    void readCutoff(const Module& filter) {
        const std::string& path = filter.path;
        const auto links = linksTo(path, {"cutoff"});
        const auto envelopes = only(links, ModuleKind::envelope);
        if (value(path, "envelope") != 0.0 || !envelopes.empty()) {
            Patch still = withoutLinks(envelopes);
            still.set({path, "envelope"}, 0.0);
            add(Element::sweptFilter,
                "its envelope moves the cutoff by " +
                    (envelopes.empty() ? text(path, "envelope") : amountOf(envelopes.front())),
                std::move(still));
        }
        std::vector<const Module*> lfos, ways;
        for (const Module* link : only(links, ModuleKind::lfo)) (isSlowWay(link) ? ways : lfos).push_back(link);
        if (!lfos.empty())
            add(Element::filterLfo,
                fmt::format("an LFO of {} moves the cutoff by {}", rateOf(lfos.front()), amountOf(lfos.front())),
                withoutLinks(lfos));
        if (!ways.empty() || isCurve({path, "cutoff"}))
            addMoved(Element::filterOpens, "the cutoff moves over the phrase", withoutLinks(ways), {path, "cutoff"});
        const auto velocities = onlyFrom(links, "velocity");
        if (value(path, "velocity") > 0.0 || !velocities.empty()) {
            Patch still = withoutLinks(velocities);
            still.set({path, "velocity"}, 0.0);
            add(Element::velocityToFilter,
                "harder is brighter by " + (velocities.empty() ? text(path, "velocity") : amountOf(velocities.front())),
                std::move(still));
        }
        if (value(path, "key_tracking") > 0.0)
            add(Element::keyTracking, "the cutoff follows the key by " + text(path, "key_tracking"),
                with(path, {{"key_tracking", 0.0}}));
    }

    void readEffect(const Module& effect) {
        const std::string& path = effect.path;
        Patch gone = facet::without(patch_, path);
        if (effect.kind == ModuleKind::postFilter) {
            add(elementOf(static_cast<FilterKind>(value(path, "kind"))),
                text(path, "kind") + " at " + text(path, "cutoff") + " behind all notes", gone);
            const auto lfos = only(linksTo(path, {"cutoff"}), ModuleKind::lfo);
            if (!lfos.empty())
                add(Element::filterLfo, "moved by an LFO of " + rateOf(lfos.front()), withoutLinks(lfos));
            return;
        }
        std::string said(wordOf(elementOf(effect.kind)));
        if (effect.kind == ModuleKind::delay)
            said += " " + (value(path, "timing") > 0.5 ? text(path, "beats") : text(path, "time"));
        if (effect.kind == ModuleKind::reverb) said += " " + text(path, "decay");
        add(elementOf(effect.kind), std::move(said), std::move(gone));
    }

    const Patch& patch_;
    std::span<const std::string> curves_;
    std::vector<const Module*> heard_; ///< sources that are heard themselves
    std::vector<PatchElement> found_;
};

} // namespace

std::string_view wordOf(Element element) { return elementWords[static_cast<std::size_t>(element)]; }

std::optional<Element> elementOfWord(std::string_view word) {
    const auto found = std::find(elementWords.begin(), elementWords.end(), word);
    if (found == elementWords.end()) return std::nullopt;
    return static_cast<Element>(found - elementWords.begin());
}

std::set<Element> elementsOfWords(std::string_view list) {
    std::set<Element> elements;
    while (!list.empty()) {
        const auto comma = list.find(',');
        std::string_view word = list.substr(0, comma);
        list.remove_prefix(comma == list.npos ? list.size() : comma + 1);
        while (word.starts_with(' ')) word.remove_prefix(1);
        while (word.ends_with(' ')) word.remove_suffix(1);
        if (word.empty()) continue;
        if (word == "effects") {
            for (int i = static_cast<int>(Element::saturation); i < elementCount; ++i)
                elements.insert(static_cast<Element>(i));
            continue;
        }
        const auto element = elementOfWord(word);
        if (!element)
            throw Error(fmt::format("“{}” is no element; there are {}.", word, fmt::join(elementWords, ", ")));
        elements.insert(*element);
    }
    return elements;
}

std::vector<PatchElement> elementsOf(const Patch& patch, std::span<const std::string> curves) {
    return ElementReader(patch, curves).read();
}

Patch withoutElements(Patch patch, const std::set<Element>& unwanted) {
    if (unwanted.empty()) return patch;
    // Taking one out may bring another forth (a synced saw becomes a saw): as often as there can be elements.
    for (int round = 0; round < elementCount; ++round) {
        const auto elements = elementsOf(patch);
        const auto found = std::find_if(elements.begin(), elements.end(), [&](const PatchElement& each) {
            return each.without && unwanted.contains(each.element) && !each.without->soundsLike(patch);
        });
        if (found == elements.end()) break;
        patch = *found->without;
    }
    const Patch before = patch;
    for (const auto& module : before.modules()) {
        if (module.kind != ModuleKind::source || !takesPart(patch, module)) continue;
        const Address wave{module.path, "wave"};
        if (!unwanted.contains(elementOf(static_cast<Wave>(patch.value(wave))))) continue;
        for (Wave other : {Wave::saw, Wave::pulse, Wave::triangle, Wave::sine, Wave::noise})
            if (!unwanted.contains(elementOf(other))) {
                patch.set(wave, static_cast<double>(other));
                break;
            }
    }
    return patch;
}

} // namespace facet
