#include "core/match/proposals/added_element.h"

#include "core/base/error.h"
#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <initializer_list>
#include <optional>
#include <string>
#include <utility>

namespace facet {

namespace {

using Values = std::initializer_list<std::pair<const char*, double>>;

constexpr double silentDb = -60.0;

template <typename Enum> double choice(Enum value) { return static_cast<double>(value); }

/// Adds to one patch. Every function throws Error where there is no room.
class ElementAdder {
public:
    ElementAdder(Patch patch, const std::set<Element>& wanted) : patch_(std::move(patch)), wanted_(wanted) {}

    Patch with(Element element) && {
        add(element);
        return std::move(patch_);
    }

private:
    void set(const std::string& path, Values values) {
        for (const auto& [field, value] : values) patch_.setNearest({path, field}, value);
    }
    std::string added(ModuleKind kind, Values values, const std::string& layer = firstLayer) {
        std::string path = patch_.freePath(kind, layer);
        patch_.add(path);
        set(path, values);
        return path;
    }
    void effect(ModuleKind kind, Values values) {
        const std::string path = added(kind, values, {});
        patch_.set({path, "on"}, 1.0);
        moveToUsualPlace(patch_, path);
    }
    void moveBy(ModuleKind mover, Values values, const std::string& to, double amount) {
        addLink(patch_, added(mover, values), to, amount);
    }

    bool isOn(const std::string& path) const { return patch_.value({path, "on"}) >= 0.5; }
    bool isHeard(const Patch::Module& module) const {
        return module.kind == ModuleKind::source && takesPart(patch_, module) &&
               patch_.value({module.path, "level"}) > silentDb;
    }
    /// A source that does not sound yet, switched on.
    std::string freeSource(Values values) {
        std::string path;
        for (const auto& module : patch_.modules())
            if (path.empty() && module.kind == ModuleKind::source && !isOn(module.path)) path = module.path;
        if (path.empty()) path = added(ModuleKind::source, {});
        patch_.set({path, "on"}, 1.0);
        set(path, values);
        return path;
    }
    std::string filter() {
        if (!isOn(firstFilter)) set(firstFilter, {{"on", 1.0}, {"cutoff", 1500.0}});
        return firstFilter;
    }
    /// The first filter, or where it is of a kind that is wanted, another.
    void filterOfKind(FilterKind kind, double hz) {
        std::string path = firstFilter;
        if (isOn(firstFilter) && isWanted(static_cast<FilterKind>(patch_.value({firstFilter, "kind"}))))
            path = added(ModuleKind::filter, {});
        set(path, {{"on", 1.0}, {"kind", choice(kind)}, {"slope", choice(FilterSlope::twoPole)}, {"cutoff", hz}});
    }
    bool isWanted(FilterKind kind) const {
        switch (kind) {
        case FilterKind::lowPass:
        case FilterKind::ladder: return wanted_.contains(Element::lowPass);
        case FilterKind::highPass: return wanted_.contains(Element::highPass);
        case FilterKind::bandPass: return wanted_.contains(Element::bandPass);
        case FilterKind::notch: return wanted_.contains(Element::notch);
        case FilterKind::comb: return wanted_.contains(Element::comb);
        case FilterKind::allPass: return wanted_.contains(Element::allPass);
        }
        return false;
    }
    bool isWanted(Wave wave) const {
        switch (wave) {
        case Wave::saw: return wanted_.contains(Element::saw);
        case Wave::pulse: return wanted_.contains(Element::pulse);
        case Wave::triangle: return wanted_.contains(Element::triangle);
        case Wave::sine:
        case Wave::clippedSine: return wanted_.contains(Element::sine);
        case Wave::noise: return wanted_.contains(Element::noise);
        case Wave::harmonics: return wanted_.contains(Element::partials);
        case Wave::wavetable: return wanted_.contains(Element::wavetable);
        case Wave::sample: return wanted_.contains(Element::sample);
        }
        return false;
    }
    void wave(Wave wave) {
        for (const auto& module : patch_.modules())
            if (isHeard(module) && !isWanted(static_cast<Wave>(patch_.value({module.path, "wave"})))) {
                patch_.set({std::string(module.path), "wave"}, choice(wave));
                return;
            }
        freeSource({{"wave", choice(wave)}, {"level", -6.0}});
    }
    /// The first pulse that sounds; the first source is made one where there is none.
    std::string pulse() {
        for (const auto& module : patch_.modules())
            if (isHeard(module) && patch_.value({module.path, "wave"}) == choice(Wave::pulse)) return module.path;
        patch_.set({firstSource, "wave"}, choice(Wave::pulse));
        return firstSource;
    }
    void everyPitch(ModuleKind mover, Values values, const char* field, double amount) {
        const std::string path = added(mover, values);
        for (const auto& module : std::vector<Patch::Module>(patch_.modules()))
            if (isHeard(module) && layerOfPath(module.path) == firstLayer)
                addLink(patch_, path, module.path + "/" + field, amount);
    }
    void furtherLayer(double offsetMs) {
        const std::string layer = patch_.freePath(ModuleKind::layer);
        patch_.add(layer);
        set(layer, {{"level", -6.0}, {"offset", offsetMs}});
        set(layer + "/source:a", {{"on", 1.0}});
    }

    void add(Element element) {
        switch (element) {
        case Element::saw: wave(Wave::saw); break;
        case Element::pulse: wave(Wave::pulse); break;
        case Element::triangle: wave(Wave::triangle); break;
        case Element::sine: wave(Wave::sine); break;
        case Element::partials: wave(Wave::harmonics); break;
        case Element::noise: freeSource({{"wave", choice(Wave::noise)}, {"level", -18.0}}); break;
        case Element::blend:
            set(firstSource,
                {{"blend_wave",
                  choice(patch_.value({firstSource, "wave"}) == choice(Wave::sine) ? Wave::saw : Wave::sine)},
                 {"blend", 50.0}});
            break;
        case Element::stacked: set(firstSource, {{"voices", 3.0}, {"detune", 10.0}}); break;
        case Element::detunedSources:
            freeSource({{"wave", patch_.value({firstSource, "wave"})},
                        {"width", patch_.value({firstSource, "width"})},
                        {"octave", patch_.value({firstSource, "octave"})},
                        {"semitone", patch_.value({firstSource, "semitone"})},
                        {"cents", 8.0}});
            break;
        case Element::otherSource:
            freeSource({{"wave", patch_.value({firstSource, "wave"})}, {"octave", -1.0}, {"level", -6.0}});
            break;
        case Element::fm:
            addLink(patch_, freeSource({{"wave", choice(Wave::sine)}, {"level", silentDb}}), firstSource + "/phase",
                    60.0);
            break;
        case Element::feedbackFm: addLink(patch_, firstSource, firstSource + "/phase", 40.0); break;
        case Element::ring:
            addLink(patch_, freeSource({{"wave", choice(Wave::sine)}, {"level", silentDb}, {"semitone", 7.0}}),
                    firstSource + "/amplitude", 100.0);
            patch_.set({firstSource, "amplitude"}, 0.0);
            break;
        case Element::sync: set(firstSource, {{"sync", choice(Sync::itself)}, {"sync_ratio", 9.0}}); break;
        case Element::movedWidth:
            moveBy(ModuleKind::lfo, {{"rate", 0.6}, {"mode", choice(LfoMode::free)}}, pulse() + "/width", 25.0);
            break;
        case Element::secondLayer: furtherLayer(0.0); break;
        case Element::lateLayer: furtherLayer(30.0); break;
        case Element::lowPass: filterOfKind(FilterKind::lowPass, 1500.0); break;
        case Element::highPass: filterOfKind(FilterKind::highPass, 300.0); break;
        case Element::bandPass: filterOfKind(FilterKind::bandPass, 1000.0); break;
        case Element::notch: filterOfKind(FilterKind::notch, 1000.0); break;
        case Element::comb: filterOfKind(FilterKind::comb, 500.0); break;
        case Element::allPass: filterOfKind(FilterKind::allPass, 1000.0); break;
        case Element::formants: {
            set(firstLayer, {{"routing", choice(FilterRouting::parallel)}});
            set(firstFilter,
                {{"on", 1.0}, {"kind", choice(FilterKind::bandPass)}, {"cutoff", 600.0}, {"resonance", 9.0}});
            const std::string second = added(ModuleKind::filter, {});
            set(second, {{"on", 1.0}, {"kind", choice(FilterKind::bandPass)}, {"cutoff", 1700.0}, {"resonance", 9.0}});
            for (const auto& module : std::vector<Patch::Module>(patch_.modules()))
                if (module.kind == ModuleKind::source && layerOfPath(module.path) == firstLayer)
                    set(module.path, {{"route", choice(Route::both)}});
            break;
        }
        case Element::sweptFilter: set(filter(), {{"envelope", 24.0}}); break;
        case Element::filterLfo:
            moveBy(ModuleKind::lfo, {{"rate", 0.8}, {"mode", choice(LfoMode::free)}}, filter() + "/cutoff", 9.0);
            break;
        case Element::filterOpens:
            moveBy(ModuleKind::lfo,
                   {{"shape", choice(LfoShape::risingSaw)}, {"rate", 0.15}, {"mode", choice(LfoMode::once)}},
                   filter() + "/cutoff", 12.0);
            break;
        case Element::velocityToFilter: set(filter(), {{"velocity", 12.0}}); break;
        case Element::keyTracking: set(filter(), {{"key_tracking", 50.0}}); break;
        case Element::vibrato: everyPitch(ModuleKind::lfo, {{"rate", 5.5}, {"fade", 200.0}}, "cents", 15.0); break;
        case Element::drift: set("voicing", {{"tuning_spread", 6.0}}); break;
        case Element::pitchEnvelope:
            everyPitch(ModuleKind::envelope, {{"attack", 0.0}, {"decay", 60.0}, {"sustain", 0.0}}, "semitone", 7.0);
            break;
        case Element::glide: set("voicing", {{"glide", 70.0}}); break;
        case Element::tremolo:
            moveBy(ModuleKind::lfo, {{"rate", 5.0}, {"mode", choice(LfoMode::free)}}, firstLayer + "/level", 4.0);
            break;
        case Element::gate:
            moveBy(ModuleKind::lfo,
                   {{"shape", choice(LfoShape::square)}, {"rate", 8.0}, {"mode", choice(LfoMode::free)}},
                   firstLayer + "/level", 15.0);
            break;
        case Element::velocityToLevel: set(firstLayer, {{"velocity", 9.0}}); break;
        case Element::voiceDrive: set(firstLayer, {{"drive_curve", 1.0}, {"drive", 12.0}}); break;
        case Element::saturation: effect(ModuleKind::saturation, {{"drive", 12.0}, {"output", -7.0}}); break;
        case Element::folding: effect(ModuleKind::folding, {}); break;
        case Element::reduction: effect(ModuleKind::reduction, {{"bits", 8.0}}); break;
        case Element::equalizer: effect(ModuleKind::equalizer, {{"gain_1", -4.0}, {"high_gain", 4.0}}); break;
        case Element::compressor:
            effect(ModuleKind::compressor, {{"threshold", -24.0}, {"ratio", 4.0}, {"attack", 8.0}, {"release", 140.0}});
            break;
        case Element::limiter: effect(ModuleKind::limiter, {{"drive", 6.0}}); break;
        case Element::chorus: effect(ModuleKind::chorus, {{"rate", 0.6}, {"delay", 12.0}, {"depth", 2.0}}); break;
        case Element::flanger: effect(ModuleKind::flanger, {{"rate", 0.3}, {"delay", 3.0}}); break;
        case Element::phaser: effect(ModuleKind::phaser, {{"rate", 0.3}, {"center", 900.0}}); break;
        case Element::shifter: effect(ModuleKind::shifter, {{"shift", 3.0}}); break;
        case Element::resonator: effect(ModuleKind::resonator, {}); break;
        case Element::delay: effect(ModuleKind::delay, {}); break;
        case Element::reverb: effect(ModuleKind::reverb, {}); break;
        case Element::width: effect(ModuleKind::width, {{"low", 50.0}, {"mid", 100.0}, {"high", 100.0}}); break;
        case Element::wavetable:
        case Element::movedTable:
        case Element::sample:
        case Element::response: break;
        }
    }

    Patch patch_;
    const std::set<Element>& wanted_;
};

} // namespace

bool canBeAdded(Element element) {
    return element != Element::wavetable && element != Element::movedTable && element != Element::sample &&
           element != Element::response;
}

Patch withElements(Patch patch, const std::set<Element>& wanted) {
    if (wanted.empty()) return patch;
    std::set<Element> there;
    for (const PatchElement& each : elementsOf(patch)) there.insert(each.element);
    for (const Element element : wanted) {
        if (there.contains(element) || !canBeAdded(element)) continue;
        try {
            patch = ElementAdder(patch, wanted).with(element);
        } catch (const Error&) {} // no room: what is left out is said by the report
    }
    return patch;
}

} // namespace facet
