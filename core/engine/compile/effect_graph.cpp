#include "core/engine/compile/effect_graph.h"

#include "core/base/hash.h"
#include "core/parameters/field.h"

#include <algorithm>
#include <tuple>

namespace facet {

namespace {

/// Compiles the links to effects and to the output, and those that move their amounts.
class EffectLinkCompiler {
public:
    EffectLinkCompiler(const Patch& patch, const SignalFinder& signalOf, const std::vector<std::string>& effects)
        : patch_(patch), signalOf_(signalOf), effects_(effects) {}

    std::vector<EffectLink> compile() {
        // Links to amounts are taken with the links they move.
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::link && !module.contents().to.ends_with("/amount")) take(module.path, 0);
        return std::move(links_);
    }

private:
    /// Place of a link among the compiled, −1 when it moves no effect. What moves its amount comes before it.
    int take(const std::string& path, int depth) {
        if (const auto found = std::find(paths_.begin(), paths_.end(), path); found != paths_.end())
            return static_cast<int>(found - paths_.begin());
        EffectLink link;
        if (depth > mostOf(ModuleKind::link) || !make(path, link)) return -1;
        // Movers of this amount are taken first, and pointed here once its place is known.
        std::vector<std::size_t> movers;
        for (const auto& module : patch_.modules()) {
            if (module.kind != ModuleKind::link || module.contents().to != path + "/amount") continue;
            if (const int place = take(module.path, depth + 1); place >= 0)
                movers.push_back(static_cast<std::size_t>(place));
        }
        const auto place = static_cast<int>(links_.size());
        for (std::size_t mover : movers) links_[mover].index = place;
        links_.push_back(link);
        paths_.push_back(path);
        return place;
    }

    bool make(const std::string& path, EffectLink& link) const {
        static const Field on(ModuleKind::link, "on"), amount(ModuleKind::link, "amount"),
            curve(ModuleKind::link, "curve"), linear(ModuleKind::link, "linear");
        const auto* module = patch_.find(path);
        const ModuleData& data = module->contents();
        if (data.to.empty() || data.from.empty() || !on.on(module->values)) return false;
        const Address to = Address::parse(data.to);
        if (!patch_.has(to) || !leadsToEffect(to, 0)) return false;
        std::tie(link.layer, link.from) = signalOf_(data.from);
        if (!data.by.empty()) std::tie(link.byLayer, link.by) = signalOf_(data.by);
        if (link.from == signal::none || (!data.by.empty() && link.by == signal::none)) return false;
        link.amount = amount.real(module->values);
        link.curve = curve.of(module->values) * curvePerPercent;
        const auto kind = *kindOfPath(to.module);
        link.toAmount = kind == ModuleKind::link;
        link.linear = linear.on(module->values) && canMoveLinearly(patch_.descriptor(to));
        if (link.linear) link.amount /= 100.0f;
        if (link.toAmount) return true; // its index is set by the link it moves
        link.index = kind == ModuleKind::output ? EffectLink::output : placeOf(to.module);
        link.field = fieldIndex(kind, to.field);
        return true;
    }

    int placeOf(const std::string& path) const {
        return static_cast<int>(std::find(effects_.begin(), effects_.end(), path) - effects_.begin());
    }

    bool leadsToEffect(const Address& to, int depth) const {
        const auto kind = *kindOfPath(to.module);
        if (kind == ModuleKind::output) return true;
        if (isEffect(kind)) return std::find(effects_.begin(), effects_.end(), to.module) != effects_.end();
        if (kind != ModuleKind::link || to.field != "amount" || depth > mostOf(ModuleKind::link)) return false;
        const std::string& next = patch_.find(to.module)->contents().to;
        return !next.empty() && patch_.has(Address::parse(next)) && leadsToEffect(Address::parse(next), depth + 1);
    }

    const Patch& patch_;
    const SignalFinder& signalOf_;
    const std::vector<std::string>& effects_;
    std::vector<EffectLink> links_;
    std::vector<std::string> paths_;
};

} // namespace

void compileEffects(const Patch& patch, const SignalFinder& signalOf, Graph& graph) {
    std::vector<std::string> paths;
    for (const auto& module : patch.modules()) {
        if (!isEffect(module.kind) || !Field(module.kind, "on").on(module.values)) continue;
        EffectGraph effect;
        effect.kind = module.kind;
        effect.key = Hasher().text(module.path).value();
        effect.chain = static_cast<Chain>(Field(module.kind, "chain").whole(module.values));
        effect.values = module.values;
        effect.data = module.data;
        graph.effects.push_back(effect);
        paths.push_back(module.path);
    }
    graph.effectLinks = EffectLinkCompiler(patch, signalOf, paths).compile();
    for (const EffectLink& link : graph.effectLinks)
        if (!link.toAmount && link.index >= 0) graph.effects[static_cast<std::size_t>(link.index)].moved = true;
}

bool sameEffects(const Graph& a, const Graph& b) {
    const auto same = [](const EffectGraph& x, const EffectGraph& y) {
        if (x.kind != y.kind || x.key != y.key || x.chain != y.chain || x.moved != y.moved) return false;
        if (x.data != y.data && (!x.data || !y.data || !(*x.data == *y.data))) return false;
        const auto fields = parametersOf(x.kind);
        for (std::size_t i = 0; i < fields.size(); ++i)
            if (fields[i].smoothing == Smoothing::graph && x.values[i] != y.values[i]) return false;
        return true;
    };
    const auto sameLink = [](const EffectLink& x, const EffectLink& y) {
        return x.layer == y.layer && x.from == y.from && x.byLayer == y.byLayer && x.by == y.by &&
               x.linear == y.linear && x.toAmount == y.toAmount && x.index == y.index && x.field == y.field;
    };
    return std::equal(a.effects.begin(), a.effects.end(), b.effects.begin(), b.effects.end(), same) &&
           std::equal(a.effectLinks.begin(), a.effectLinks.end(), b.effectLinks.begin(), b.effectLinks.end(), sameLink);
}

} // namespace facet
