#include "core/recipe/rounded_patch.h"

#include "core/parameters/noticed.h"
#include "core/parameters/relevance.h"
#include "core/parameters/rounding.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace facet {

namespace {

const Patch& emptyPatch() {
    static const Patch empty;
    return empty;
}

double unsetValue(const Patch& patch, const Address& address) {
    return emptyPatch().has(address) ? emptyPatch().value(address) : patch.descriptor(address).defaultValue;
}

/// The patch without what is not heard of it: modules that take no part, values that do not matter, ties.
Patch heardOf(Patch patch) {
    while (!patch.ties().empty()) patch.untie(patch.ties().front().members.front());
    const std::vector<Patch::Module> modules(patch.modules());
    for (const auto& module : modules)
        if (patch.find(module.path) && !Patch::isFixed(module.path) && module.kind != ModuleKind::macro &&
            !takesPart(patch, module))
            patch.remove(module.path);
    const Patch before = patch;
    for (const auto& module : before.modules())
        for (const auto& d : parametersOf(module.kind))
            if (const Address address{module.path, std::string(d.field)}; !matters(before, module, d))
                patch.set(address, unsetValue(patch, address));
    return patch;
}

/// Sets values of a patch as far as they sound alike.
class Rounding {
public:
    Rounding(const Patch& patch, const LikenessOf& likenessOf, const Task& task)
        : likenessOf_(likenessOf), task_(task), exact_(heardOf(patch)) {
        for (const Address& address : exact_.addresses()) {
            if (exact_.value(address) == unsetValue(exact_, address)) continue;
            const auto& module = *exact_.find(address.module);
            if (matters(exact_, module, exact_.descriptor(address))) set_.push_back(address);
        }
        likeness_ = asked({patch}).front();
    }

    RoundedPatch run() {
        weigh();
        leaveOut();
        task_.report(0.4, "rounding");
        for (const Address& each : set_) digits_[each] = usual;
        refine();
        task_.report(0.7, "rounding");
        coarsen();
        RoundedPatch result;
        result.patch = current();
        result.exact = likeness_;
        result.likeness = asked({result.patch}).front();
        for (const Address& each : set_) {
            const bool isUnset = result.patch.value(each) == unsetValue(exact_, each);
            if (leftOut_.contains(each) || isUnset)
                result.leftOut.push_back(each);
            else
                result.values.push_back({each, costs_.at(each)});
        }
        return result;
    }

private:
    static constexpr int coarse = 1, usual = 2, fine = 3;
    static constexpr double leftOutMay = 0.4, allMay = 0.9; ///< lose of likeness

    std::vector<double> asked(const std::vector<Patch>& patches) const {
        task_.check();
        return patches.empty() ? std::vector<double>() : likenessOf_(patches);
    }
    double rounded(const Address& address, int digits) const {
        return roundedTo(exact_.shownDescriptor(address), exact_.value(address), digits);
    }
    Patch current() const {
        Patch patch = exact_;
        for (const Address& each : set_)
            if (leftOut_.contains(each))
                patch.set(each, unsetValue(exact_, each));
            else if (const auto digits = digits_.find(each); digits != digits_.end())
                patch.setNearest(each, rounded(each, digits->second));
        return patch;
    }

    /// The longest beginning of an order that may be done without losing more than `may`; done it is by `apply`.
    std::size_t longestThatMay(const std::vector<Address>& order, double may,
                               const std::function<Patch(std::size_t)>& first) const {
        std::vector<std::size_t> counts;
        for (double share = 1.0; share > 0.05; share *= 0.7) {
            const auto count = static_cast<std::size_t>(std::floor(share * static_cast<double>(order.size())));
            if (count > 0 && (counts.empty() || counts.back() != count)) counts.push_back(count);
        }
        std::vector<Patch> patches;
        for (const std::size_t count : counts) patches.push_back(first(count));
        const std::vector<double> likeness = asked(patches);
        for (std::size_t i = 0; i < counts.size(); ++i)
            if (likeness[i] >= likeness_ - may) return counts[i];
        return 0;
    }

    /// What each value is worth: the likeness that is lost where it is not set.
    void weigh() {
        std::vector<Patch> without;
        for (const Address& each : set_) {
            Patch patch = exact_;
            patch.set(each, unsetValue(exact_, each));
            without.push_back(std::move(patch));
        }
        const std::vector<double> likeness = asked(without);
        for (std::size_t i = 0; i < set_.size(); ++i) costs_[set_[i]] = likeness_ - likeness[i];
    }

    void leaveOut() {
        constexpr double hardly = 0.3; // likeness
        std::vector<Address> order;
        for (const Address& each : set_)
            if (costs_.at(each) < hardly) order.push_back(each);
        std::stable_sort(order.begin(), order.end(),
                         [&](const Address& a, const Address& b) { return costs_.at(a) < costs_.at(b); });
        const auto without = [&](std::size_t count) {
            Patch patch = exact_;
            for (std::size_t i = 0; i < count; ++i) patch.set(order[i], unsetValue(exact_, order[i]));
            return patch;
        };
        const std::size_t count = longestThatMay(order, leftOutMay, without);
        leftOut_.insert(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(count));
    }

    /// What each value loses where it alone has so many digits, of those that are not left out and have steps to lose.
    std::vector<std::pair<double, Address>> lossesAt(int digits) const {
        std::vector<Patch> patches;
        std::vector<Address> which;
        const Patch now = current();
        for (const Address& each : set_) {
            if (leftOut_.contains(each) || exact_.descriptor(each).isDiscrete()) continue;
            Patch patch = now;
            patch.setNearest(each, rounded(each, digits));
            if (patch.value(each) == now.value(each)) continue;
            patches.push_back(std::move(patch));
            which.push_back(each);
        }
        const double here = asked({now}).front();
        const std::vector<double> likeness = asked(patches);
        std::vector<std::pair<double, Address>> losses;
        for (std::size_t i = 0; i < which.size(); ++i) losses.emplace_back(here - likeness[i], which[i]);
        std::stable_sort(losses.begin(), losses.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        return losses;
    }
    Patch withDigits(const std::vector<Address>& order, std::size_t count, int digits) {
        const auto before = digits_;
        for (std::size_t i = 0; i < count; ++i) digits_[order[i]] = digits;
        Patch patch = current();
        digits_ = before;
        return patch;
    }

    /// More digits where two lose too much, for what gains most by them first.
    void refine() {
        if (asked({current()}).front() >= likeness_ - allMay) return;
        std::vector<Address> order;
        for (const auto& [loss, address] : lossesAt(fine)) order.push_back(address); // what gains most first
        for (std::size_t count = 1; !order.empty(); count = std::min(2 * count, order.size())) {
            const double likeness = asked({withDigits(order, count, fine)}).front();
            const bool enough = likeness >= likeness_ - allMay;
            if (!enough && count < order.size()) continue;
            for (std::size_t i = 0; i < count; ++i) digits_[order[i]] = fine;
            if (enough) return;
            break;
        }
        // What was left out made the rest harder to round.
        while (!leftOut_.empty() && asked({current()}).front() < likeness_ - allMay) {
            const auto most = std::max_element(leftOut_.begin(), leftOut_.end(), [&](const auto& a, const auto& b) {
                return costs_.at(a) < costs_.at(b);
            });
            digits_[*most] = fine;
            leftOut_.erase(most);
        }
    }

    /// Fewer digits where that is hardly heard.
    void coarsen() {
        constexpr double hardly = 0.1; // likeness
        std::vector<Address> order;
        for (const auto& [loss, address] : lossesAt(coarse))
            if (loss < hardly) order.push_back(address);
        const std::size_t count =
            longestThatMay(order, allMay, [&](std::size_t first) { return withDigits(order, first, coarse); });
        for (std::size_t i = 0; i < count; ++i) digits_[order[i]] = coarse;
    }

    const LikenessOf& likenessOf_;
    const Task& task_;
    const Patch exact_;
    double likeness_ = 0.0;
    std::vector<Address> set_;
    std::map<Address, double> costs_;
    std::set<Address> leftOut_;
    std::map<Address, int> digits_;
};

/// The value that lies so many noticed steps from another one, up or down its scale; where the parameter ends before,
/// its end.
double valueAway(const ParameterDescriptor& d, double value, double steps, bool up) {
    double near = d.toUnit(value), far = up ? 1.0 : 0.0;
    if (noticedSteps(d, value, d.fromUnit(far)) <= steps) return d.fromUnit(far);
    constexpr int halvings = 30;
    for (int i = 0; i < halvings; ++i) {
        const double middle = 0.5 * (near + far);
        (noticedSteps(d, value, d.fromUnit(middle)) <= steps ? near : far) = middle;
    }
    return d.fromUnit(near);
}

/// One way of one value: how far it goes until it is heard.
struct Way {
    std::size_t value; ///< index
    bool up;
    double within = 0.0, beyond = 0.0; ///< noticed steps; beyond 0: not found yet
    bool ended = false;                ///< by the parameter's own end
};

} // namespace

RoundedPatch roundedPatch(const Patch& patch, const LikenessOf& likenessOf, const Task& task) {
    return Rounding(patch, likenessOf, task).run();
}

std::vector<AlikeRange> alikeRanges(const RoundedPatch& rounded, const LikenessOf& likenessOf, const Task& task) {
    constexpr double first = 1.0, times = 3.0, farthest = 9.0; // noticed steps
    constexpr int halvings = 2;                                // the later ones where nothing has sounded alike yet
    const double least = std::min(rounded.likeness, rounded.exact) - RoundedPatch::mostLost;
    std::vector<Way> ways;
    for (std::size_t i = 0; i < rounded.values.size(); ++i)
        if (!rounded.patch.descriptor(rounded.values[i].address).isDiscrete())
            for (const bool up : {false, true}) ways.push_back({i, up});
    const auto valueOf = [&](const Way& way, double steps) {
        const Address& address = rounded.values[way.value].address;
        return valueAway(rounded.patch.shownDescriptor(address), rounded.patch.value(address), steps, way.up);
    };
    // All ways go on side by side: farther each time until they are heard, then halfway back.
    const auto go = [&](const std::vector<std::pair<std::size_t, double>>& tries) {
        std::vector<Patch> patches;
        for (const auto& [way, steps] : tries) {
            Patch patch = rounded.patch;
            patch.setNearest(rounded.values[ways[way].value].address, valueOf(ways[way], steps));
            patches.push_back(std::move(patch));
        }
        task.check();
        const std::vector<double> likeness = patches.empty() ? std::vector<double>() : likenessOf(patches);
        for (std::size_t i = 0; i < tries.size(); ++i) {
            Way& way = ways[tries[i].first];
            (likeness[i] >= least ? way.within : way.beyond) = tries[i].second;
        }
    };
    double done = 0.0;
    for (double steps = first; steps <= farthest; steps *= times) {
        std::vector<std::pair<std::size_t, double>> tries;
        for (std::size_t i = 0; i < ways.size(); ++i) {
            if (ways[i].beyond > 0.0 || ways[i].ended) continue;
            ways[i].ended = valueOf(ways[i], steps) == valueOf(ways[i], times * steps); // that is as far as it goes
            tries.emplace_back(i, steps);
        }
        go(tries);
        task.report(std::min(0.8, done += 0.25), "how exact values must be");
    }
    for (int i = 0; i < halvings; ++i) {
        std::vector<std::pair<std::size_t, double>> tries;
        for (std::size_t w = 0; w < ways.size(); ++w)
            if (ways[w].beyond > 0.0 && (i == 0 || ways[w].within == 0.0))
                tries.emplace_back(w, 0.5 * (ways[w].within + ways[w].beyond));
        go(tries);
    }
    std::vector<AlikeRange> ranges;
    for (const RoundedValue& each : rounded.values) {
        const double value = rounded.patch.value(each.address);
        ranges.push_back({value, value});
    }
    for (const Way& way : ways) {
        AlikeRange& range = ranges[way.value];
        const Address& address = rounded.values[way.value].address;
        const double end = rounded.patch.descriptor(address).nearest(valueOf(way, way.within));
        (way.up ? range.high : range.low) = end;
        const ParameterDescriptor d = rounded.patch.shownDescriptor(address);
        if (end <= d.low || end >= d.high) range.open = true;
    }
    return ranges;
}

} // namespace facet
