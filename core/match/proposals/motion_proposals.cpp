#include "core/match/proposals/motion_proposals.h"

#include "core/base/error.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <functional>
#include <initializer_list>
#include <set>
#include <string>
#include <utility>

namespace facet {

namespace {

class MotionProposals {
public:
    explicit MotionProposals(const ProposalContext& in) : in_(in) {
        for (const PatchElement& each : elementsOf(in.patch)) there_.insert(each.element);
    }

    std::vector<ElementProposal> all() && {
        if (in_.patch.value({firstFilter, "on"}) >= 0.5)
            sways(Element::filterLfo, firstFilter + "/cutoff", 7.0, {0.18, 0.3, 0.5, 0.8, 1.4, 2.4, 4.0}, 4);
        if (!there_.contains(Element::gate))
            sways(Element::tremolo, firstLayer + "/level", 2.0, {0.5, 1.0, 2.0, 3.3, 4.5, 5.5, 6.7}, 3);
        if (in_.patch.value({firstSource, "wave"}) == static_cast<double>(Wave::pulse))
            sways(Element::movedWidth, firstSource + "/width", 14.0, {0.2, 0.45, 0.9, 1.8, 3.0}, 3);
        noise();
        sources();
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

    void sways(Element element, const std::string& to, double amount, std::initializer_list<double> rates, int places) {
        if (there_.contains(element)) return;
        for (const double rate : rates)
            for (int place = 0; place < places; ++place)
                add(element, [&](Patch& patch) {
                    const std::string lfo = patch.freePath(ModuleKind::lfo, firstLayer);
                    patch.add(lfo);
                    patch.set({lfo, "mode"}, static_cast<double>(LfoMode::free));
                    patch.setNearest({lfo, "rate"}, rate);
                    patch.setNearest({lfo, "phase"}, 360.0 * place / places);
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

    void sources() {
        if (there_.contains(Element::otherSource)) return;
        const double own = in_.patch.value({firstSource, "wave"});
        for (const Wave wave : {Wave::sine, Wave::triangle, Wave::saw, Wave::pulse})
            for (const double semitone : {-12.0, 0.0, 7.0, 12.0}) {
                if (semitone == 0.0 && own == static_cast<double>(wave)) continue;
                source(Element::otherSource, {{"wave", static_cast<double>(wave)},
                                              {"octave", in_.patch.value({firstSource, "octave"})},
                                              {"semitone", in_.patch.value({firstSource, "semitone"}) + semitone},
                                              {"level", -8.0}});
            }
    }

    const ProposalContext& in_;
    std::set<Element> there_;
    std::vector<ElementProposal> proposals_;
};

} // namespace

std::vector<ElementProposal> withMotions(const ProposalContext& in) { return MotionProposals(in).all(); }

} // namespace facet
