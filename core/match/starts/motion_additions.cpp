#include "core/match/starts/motion_additions.h"

#include "core/base/error.h"
#include "core/match/evidence/residual_motion.h"
#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/parameters/relevance.h"

#include <cmath>
#include <functional>
#include <initializer_list>
#include <set>
#include <string>
#include <utility>

namespace facet {

namespace {

class MotionProposals {
public:
    MotionProposals(const ProposalContext& in, const ResidualMotions& left) : in_(in), left_(left) {
        for (const PatchElement& each : elementsOf(in.patch)) there_.insert(each.element);
    }

    std::vector<ElementProposal> all() && {
        constexpr double cutoffToCentroid = 1.4; // a cutoff moves farther than the centroid does
        if (in_.patch.value({firstFilter, "on"}) >= 0.5)
            for (const ResidualSine& each : left_.brightness)
                sways(Element::filterLfo, firstFilter + "/cutoff", 12.0 * cutoffToCentroid * each.depth, each.rateHz,
                      each.phase);
        if (!there_.contains(Element::gate))
            for (const ResidualSine& each : left_.level)
                sways(Element::tremolo, firstLayer + "/level", each.depth, each.rateHz, each.phase);
        if (in_.patch.value({firstSource, "wave"}) == static_cast<double>(Wave::pulse)) {
            constexpr int places = 4; // which way a width moves level and brightness depends on where it is
            for (const auto* sines : {&left_.level, &left_.brightness})
                for (const ResidualSine& each : *sines)
                    for (int place = 0; place < places; ++place)
                        sways(Element::movedWidth, firstSource + "/width", 12.0, each.rateHz,
                              each.phase + static_cast<double>(place) / places);
        }
        noise();
        equalizer();
        return std::move(proposals_);
    }

private:
    void add(Element element, const std::function<void(Patch&)>& change) {
        Patch patch = in_.patch;
        try {
            change(patch);
        } catch (const Error&) { // there is no room for it
            return;
        }
        if (in_.keepsLocks(patch) && !in_.movesLocked(patch)) proposals_.push_back({element, std::move(patch)});
    }

    void sways(Element element, const std::string& to, double amount, double rateHz, double phase) {
        if (there_.contains(element)) return;
        add(element, [&](Patch& patch) {
            const std::string lfo = patch.freePath(ModuleKind::lfo, firstLayer);
            patch.add(lfo);
            patch.set({lfo, "mode"}, static_cast<double>(LfoMode::free));
            patch.setNearest({lfo, "rate"}, rateHz);
            patch.setNearest({lfo, "phase"}, 360.0 * (phase - std::floor(phase)));
            addLink(patch, lfo, to, amount);
        });
    }

    /// A source that does not take part yet.
    static std::string freeSource(Patch& patch) {
        for (const auto& module : patch.modules())
            if (module.kind == ModuleKind::source && layerOfPath(module.path) == firstLayer &&
                patch.value({module.path, "on"}) < 0.5)
                return module.path;
        std::string path = patch.freePath(ModuleKind::source, firstLayer);
        patch.add(path);
        return path;
    }
    void source(Element element, std::initializer_list<std::pair<const char*, double>> values) {
        add(element, [&](Patch& patch) {
            const std::string path = freeSource(patch);
            patch.set({path, "on"}, 1.0);
            for (const auto& [field, value] : values) patch.setNearest({path, field}, value);
        });
    }

    void noise() {
        if (there_.contains(Element::noise)) return;
        for (const double level : {-26.0, -14.0})
            for (const double color : {-3.0, 0.0})
                source(Element::noise,
                       {{"wave", static_cast<double>(Wave::noise)}, {"level", level}, {"color", color}});
    }

    void equalizer() {
        if (there_.contains(Element::equalizer)) return;
        for (const auto& [field, gain] : {std::pair{"low_gain", 5.0},
                                          {"low_gain", -5.0},
                                          {"gain_1", 5.0},
                                          {"gain_1", -5.0},
                                          {"gain_2", 5.0},
                                          {"gain_2", -5.0},
                                          {"high_gain", 5.0},
                                          {"high_gain", -5.0}})
            add(Element::equalizer, [&, on = field, by = gain](Patch& patch) {
                const std::string path = patch.freePath(ModuleKind::equalizer);
                patch.add(path);
                patch.set({path, "on"}, 1.0);
                patch.set({path, on}, by);
                moveToUsualPlace(patch, path);
            });
    }

    const ProposalContext& in_;
    const ResidualMotions& left_;
    std::set<Element> there_;
    std::vector<ElementProposal> proposals_;
};

} // namespace

std::vector<ElementProposal> withMotions(const ProposalContext& in, const Recording& reference48k,
                                         const Recording& render48k) {
    constexpr std::size_t mostSines = 2;
    const ResidualMotions left = residualMotions(reference48k, render48k, mostSines);
    return MotionProposals(in, left).all();
}

} // namespace facet
