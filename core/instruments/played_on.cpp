#include "core/instruments/played_on.h"

#include "core/parameters/noticed.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/part_words.h"
#include "core/parameters/relevance.h"
#include "core/parameters/rounding.h"
#include "core/parameters/signal_parts.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>

namespace facet {

namespace {

/// What a link leads to, without the key of what it leads to: "source/cents".
std::string kindOfEnd(const std::string& address) {
    const Address to = Address::parse(address);
    const auto kind = kindOfPath(to.module);
    return kind ? std::string(wordOf(*kind)) + "/" + to.field : address;
}

bool isMover(ModuleKind kind) { return kind == ModuleKind::lfo || kind == ModuleKind::envelope; }

/// Whether a source of the instrument plays what a source of a patch does.
bool playsWave(const Instrument& instrument, const std::string& mine, double wave) {
    const Address address{mine, "wave"};
    const InstrumentControl* control = instrument.controlOf(address);
    return control ? control->reaches(wave) : instrument.patch.value(address) == wave;
}

/// Modules of one patch that stand for those of another: in their order within a kind, sources by their wave, LFOs and
/// envelopes that links use by what they move, links by what leads where.
std::map<std::string, std::string> counterparts(const Instrument& described, const Patch& patch) {
    const Patch& instrument = described.patch;
    std::map<std::string, std::string> pairs; // of the instrument's → the patch's
    if (isOf(described, patch)) {
        for (const auto& module : instrument.modules()) pairs[module.path] = module.path;
        return pairs;
    }
    std::set<std::string> used;
    const auto pair = [&](const std::string& mine, const std::string& theirs) {
        pairs[mine] = theirs;
        used.insert(theirs);
    };
    for (const auto& module : instrument.modules())
        if (Patch::isFixed(module.path) && patch.find(module.path) && module.kind != ModuleKind::source)
            pair(module.path, module.path);
    const auto linksFrom = [](const Patch& of, const std::string& mover) {
        std::set<std::string> ends;
        for (const auto& link : of.modules())
            if (link.kind == ModuleKind::link && !link.contents().to.empty() &&
                (link.contents().from == mover || link.contents().by == mover))
                ends.insert(kindOfEnd(link.contents().to));
        return ends;
    };
    const auto standsFor = [&](const Patch::Module& module, const Patch::Module& other) {
        if (other.kind != module.kind || used.contains(other.path) || !takesPart(patch, other)) return false;
        if (module.kind == ModuleKind::source)
            return playsWave(described, module.path, patch.value({other.path, "wave"}));
        if (!isMover(module.kind)) return true;
        const std::set<std::string> mine =
                                        linksFrom(instrument, module.path), // the same movement, whatever else it moves
            theirs = linksFrom(patch, other.path);
        return std::any_of(theirs.begin(), theirs.end(), [&](const auto& each) { return mine.contains(each); });
    };
    for (const bool samePlace : {true, false}) // what stands at the same place first
        for (const auto& module : instrument.modules()) {
            if (pairs.contains(module.path) || module.kind == ModuleKind::link) continue;
            for (const auto& other : patch.modules())
                if ((other.path == module.path || !samePlace) && standsFor(module, other)) {
                    pair(module.path, other.path);
                    break;
                }
        }
    for (const auto& module : instrument.modules()) {
        if (module.kind != ModuleKind::link || module.contents().to.empty()) continue;
        const ModuleData& ends = module.contents();
        const auto from = pairs.find(ends.from);
        for (const auto& other : patch.modules()) {
            if (other.kind != ModuleKind::link || used.contains(other.path) || other.contents().to.empty()) continue;
            const bool sameMover =
                from != pairs.end() ? other.contents().from == from->second : other.contents().from == ends.from;
            if (!sameMover || kindOfEnd(other.contents().to) != kindOfEnd(ends.to)) continue;
            pair(module.path, other.path);
            break;
        }
    }
    return pairs;
}

/// Whether nobody would call the difference between what an instrument has once and for all and what a patch has a
/// lack: where cycles begin, how envelopes bend, a sine in place of a triangle that moves something, another low-pass.
bool isHardlyMissed(const ParameterDescriptor& shown, const ParameterDescriptor& d, double fixed, double wanted) {
    if (d.field.ends_with("_curve") || d.field == "mode" || d.field == "phase" || d.field == "phase_random" ||
        d.field == "retrigger")
        return true;
    const auto isRound = [](double shape) {
        return shape == static_cast<double>(LfoShape::sine) || shape == static_cast<double>(LfoShape::triangle);
    };
    if (d.module == ModuleKind::lfo && d.field == "shape" && isRound(fixed) && isRound(wanted)) return true;
    const auto isLowPass = [](double kind) {
        return kind == static_cast<double>(FilterKind::lowPass) || kind == static_cast<double>(FilterKind::ladder);
    };
    if (d.module == ModuleKind::filter && d.field == "kind" && isLowPass(fixed) && isLowPass(wanted)) return true;
    constexpr double heard = 1.0; // noticed steps
    return noticedSteps(shown, fixed, wanted) < heard;
}

/// Parts of one patch as the instrument would have them.
class WayAround {
public:
    WayAround(const Instrument& instrument, const Patch& patch)
        : instrument_(instrument), patch_(patch), pairs_(counterparts(instrument, patch)) {
        for (const auto& [mine, theirs] : pairs_) mine_[theirs] = mine;
    }

    /// Nothing: the instrument plays the part as it is.
    std::optional<Patch> of(const SignalPart& part) const {
        Patch around = patch_;
        bool differs = false;
        std::vector<Address> values = part.values;
        std::vector<std::string> idle; // movers that the instrument has not
        for (const std::string& path : part.modules) {
            const Patch::Module& module = *patch_.find(path);
            if (mine_.contains(path)) {
                for (const auto& d : parametersOf(module.kind)) values.push_back({path, std::string(d.field)});
            } else if (takesPart(patch_, module)) {
                differs = true;
                if (isMover(module.kind)) // what it moves is moved by another, or by nothing
                    idle.push_back(path);
                else if (!rerouted(around, module))
                    return without(part);
            }
        }
        for (const std::string& path : idle) // not what moves another part too
            if (!Patch::isFixed(path) && movesOnly(around, path, part)) around.remove(path);
        if (!idle.empty() && idle.size() == part.modules.size()) return without(part);
        for (const Address& address : values) {
            const auto& module = *patch_.find(address.module);
            const ParameterDescriptor& d = patch_.descriptor(address);
            if (!takesPart(patch_, module) || !matters(patch_, module, d)) continue;
            if (!mine_.contains(address.module)) return without(part);
            if (!around.has(address)) continue; // it went with what moved it
            const double wanted = patch_.value(address), had = instead(address, wanted);
            const bool isFixed = !instrument_.controlOf({mine_.at(address.module), address.field});
            if (isFixed ? isHardlyMissed(patch_.shownDescriptor(address), d, had, wanted) : had == wanted) continue;
            around.setNearest(address, had);
            differs = true;
        }
        return differs ? std::optional(std::move(around)) : std::nullopt;
    }

private:
    Patch without(const SignalPart& part) const {
        std::set<std::string> others;
        for (const SignalPart& each : partsOf(patch_))
            if (each.id != part.id) others.insert(each.id);
        return withParts(patch_, others);
    }

    static bool movesOnly(const Patch& patch, const std::string& mover, const SignalPart& part) {
        return std::all_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& each) {
            const bool its =
                each.kind == ModuleKind::link && (each.contents().from == mover || each.contents().by == mover);
            return !its || std::find(part.modules.begin(), part.modules.end(), each.path) != part.modules.end();
        });
    }

    /// What a value becomes: as it is where a control reaches it.
    double instead(const Address& address, double wanted) const {
        const Address own{mine_.at(address.module), address.field};
        const InstrumentControl* control = instrument_.controlOf(own);
        if (!control) return instrument_.holds(own) ? instrument_.patch.value(own) : wanted;
        return control->reaches(wanted) ? wanted : control->within(wanted);
    }

    /// Leads a link from what moves the same on the instrument: its filter envelope follows that of the level where it
    /// has but one.
    bool rerouted(Patch& around, const Patch::Module& link) const {
        if (link.kind != ModuleKind::link || link.contents().to.empty()) return false;
        ModuleData ends = link.contents();
        for (const auto& module : instrument_.patch.modules()) {
            if (module.kind != ModuleKind::link || module.contents().to.empty()) continue;
            const auto mover = pairs_.find(module.contents().from);
            if (mover == pairs_.end() || kindOfEnd(module.contents().to) != kindOfEnd(ends.to)) continue;
            if (kindOfPath(mover->second) != kindOfPath(ends.from)) continue;
            ends.from = mover->second;
            around.setData(link.path, ends);
            return true;
        }
        return false;
    }

    const Instrument& instrument_;
    const Patch& patch_;
    std::map<std::string, std::string> pairs_; ///< of the instrument's → the patch's
    std::map<std::string, std::string> mine_;  ///< the other way round
};

/// Values that a field of one of the instrument's modules can be set to: a few of a choice or of steps; one without a
/// control.
std::vector<double> settingsOf(const Instrument& instrument, const Address& address) {
    const InstrumentControl* control = instrument.controlOf(address);
    if (!control) return {instrument.patch.value(address)};
    std::vector<double> values;
    for (const auto& [called, value] : control->choices) values.push_back(value);
    if (!control->scale) return values;
    const ParameterDescriptor& d = instrument.patch.descriptor(address);
    const auto [lowest, highest] = control->scale->ends();
    for (double value = std::ceil(lowest); value <= highest + 1e-9; value += 1.0)
        values.push_back(d.nearest(control->nearest(value)));
    return values;
}

/// Cents of a source against the note.
double intervalOf(const Patch& patch, const std::string& source) {
    const auto value = [&](const char* field) { return patch.value({source, field}); };
    return 1200.0 * (value("octave") + std::log2(value("ratio_over") / value("ratio_under"))) +
           100.0 * value("semitone") + value("cents");
}

/// Tunes a source of the instrument to an interval in cents as nearly as its controls allow, octave, semitones and
/// ratio each as near to what the patch has as can be.
void tune(const Instrument& instrument, Patch& played, const std::string& source, double cents) {
    if (std::abs(intervalOf(played, source) - cents) < 0.5) return;
    const Address fine{source, "cents"};
    const InstrumentControl* control = instrument.controlOf(fine);
    const double standing = instrument.patch.value(fine);
    Patch best = played;
    double leastCost = std::numeric_limits<double>::infinity();
    for (const double octave : settingsOf(instrument, {source, "octave"}))
        for (const double semitone : settingsOf(instrument, {source, "semitone"}))
            for (const double over : settingsOf(instrument, {source, "ratio_over"}))
                for (const double under : settingsOf(instrument, {source, "ratio_under"})) {
                    const double rest = cents - 1200.0 * (octave + std::log2(over / under)) - 100.0 * semitone;
                    const double set = control ? control->within(rest) : standing;
                    const double cost = std::abs(rest - set) + 0.01 * std::abs(set) + 1e-3 * over * under +
                                        1e-3 * std::abs(octave - played.value({source, "octave"}));
                    if (cost >= leastCost) continue;
                    leastCost = cost;
                    best = played;
                    best.setNearest({source, "octave"}, octave);
                    best.setNearest({source, "semitone"}, semitone);
                    best.setNearest({source, "ratio_over"}, over);
                    best.setNearest({source, "ratio_under"}, under);
                    best.setNearest(fine, set);
                }
    played = std::move(best);
}

/// One link that an envelope scales in place of two links of which it scales one, as FM is often made: both amounts,
/// and a sustain that leaves what always stays.
void joinScaledLinks(const Instrument& instrument, const Patch& patch, const std::map<std::string, std::string>& pairs,
                     Patch& played) {
    for (const auto& module : instrument.patch.modules()) {
        if (module.kind != ModuleKind::link || kindOfPath(module.contents().by) != ModuleKind::envelope) continue;
        const auto mover = pairs.find(module.contents().from);
        const Address amount{module.path, "amount"}, sustain{module.contents().by, "sustain"};
        const InstrumentControl *amountOf = instrument.controlOf(amount), *sustainOf = instrument.controlOf(sustain);
        if (mover == pairs.end() || !amountOf || !sustainOf) continue;
        double always = 0.0, scaled = 0.0, left = 0.0;
        for (const auto& link : patch.modules()) {
            const ModuleData& ends = link.contents();
            if (link.kind != ModuleKind::link || ends.to.empty() || ends.from != mover->second ||
                kindOfEnd(ends.to) != kindOfEnd(module.contents().to))
                continue;
            const double depth = patch.value({link.path, "amount"});
            if (kindOfPath(ends.by) == ModuleKind::envelope) {
                scaled += depth;
                left += depth * patch.value({ends.by, "sustain"}) / 100.0;
            } else {
                always += depth;
            }
        }
        if (always + scaled == 0.0 || always == 0.0) continue;
        played.setNearest(amount, amountOf->within(std::abs(always + scaled)));
        played.setNearest(sustain,
                          sustainOf->within(100.0 * std::clamp((always + left) / (always + scaled), 0.0, 1.0)));
    }
}

/// The instrument's patch with the values of another one, each as `set` makes it one of the control's.
template <typename Set> Patch adopted(const Instrument& instrument, const Patch& patch, const Set& set) {
    Patch played = instrument.patch;
    played.name = patch.name;
    if (const Address volume{"output", "level"}; !instrument.controlOf(volume))
        played.setNearest(volume, patch.value(volume));
    if (isOf(instrument, patch)) {
        for (const InstrumentControl& each : instrument.controls)
            played.setNearest(each.address, set(each, patch.value(each.address)));
        return played;
    }
    const auto pairs = counterparts(instrument, patch);
    for (const InstrumentControl& control : instrument.controls) {
        const auto pair = pairs.find(control.address.module);
        const ModuleKind kind = instrument.patch.find(control.address.module)->kind;
        double value = played.value(control.address);
        if (pair != pairs.end())
            value = patch.value({pair->second, control.address.field});
        else if (kind == ModuleKind::link || control.address.field == "mix" || control.address.field == "on")
            value = 0.0; // what the patch has not
        else if (kind == ModuleKind::source && control.address.field == "level")
            value = silentSourceDb;
        played.setNearest(control.address, control.within(value));
    }
    joinScaledLinks(instrument, patch, pairs, played);
    // Levels count against the first source, whose own the volume makes up for.
    double first = 0.0;
    for (const auto& [mine, theirs] : pairs) {
        if (kindOfPath(mine) != ModuleKind::source) continue;
        tune(instrument, played, mine,
             intervalOf(patch, theirs) + 100.0 * patch.value({std::string(layerOfPath(theirs)), "transpose"}));
        const Address level{mine, "level"};
        const double own = patch.value({theirs, "level"});
        if (const InstrumentControl* control = instrument.controlOf(level); !control && own > silentSourceDb)
            first = own;
        else if (control && own > silentSourceDb)
            played.setNearest(level, control->within(own - first));
    }
    for (const InstrumentControl& each : instrument.controls)
        played.setNearest(each.address, set(each, played.value(each.address)));
    return played;
}

} // namespace

bool isOf(const Instrument& instrument, const Patch& patch) {
    const auto& mine = instrument.patch.modules();
    const auto& theirs = patch.modules();
    return mine.size() == theirs.size() && std::equal(mine.begin(), mine.end(), theirs.begin(), [](auto& a, auto& b) {
               const ModuleData &here = a.contents(), &there = b.contents();
               return a.path == b.path && here.from == there.from && here.to == there.to && here.by == there.by;
           });
}

Patch withoutSilent(Patch patch) {
    const auto anyModule = [&](const auto& holds) {
        return std::any_of(patch.modules().begin(), patch.modules().end(), holds);
    };
    /// Whether it moves something, or begins another source's cycles anew.
    const auto isUsed = [&](const Patch::Module& module) {
        return anyModule([&](const Patch::Module& each) {
            if (each.kind == ModuleKind::link)
                return each.contents().from == module.path || each.contents().by == module.path;
            if (module.kind != ModuleKind::source || each.kind != ModuleKind::source) return false;
            const double sync = patch.value({each.path, "sync"});
            const std::string_view by = patch.descriptor({each.path, "sync"}).choices[static_cast<std::size_t>(sync)];
            return layerOfPath(each.path) == layerOfPath(module.path) &&
                   by == "source " + std::string(keyOfPath(module.path));
        });
    };
    /// Whether a value that silences it stands so, and no link moves that.
    const auto isAtRest = [&](const Patch::Module& module, const char* field, double rest) {
        const Address address{module.path, field};
        return patch.has(address) && patch.value(address) == rest && !anyModule([&](const Patch::Module& each) {
                   return each.kind == ModuleKind::link && each.contents().to == address.text();
               });
    };
    const auto isSilent = [&](const Patch::Module& module) {
        if (module.kind == ModuleKind::link) return isAtRest(module, "amount", 0.0);
        if (isEffect(module.kind)) return isAtRest(module, "mix", 0.0);
        if (module.kind == ModuleKind::source) return isAtRest(module, "level", silentSourceDb) && !isUsed(module);
        return isMover(module.kind) && !isUsed(module);
    };
    for (std::size_t before = 0; before != patch.modules().size();) { // one goes after the other
        before = patch.modules().size();
        for (const auto& module : std::vector<Patch::Module>(patch.modules()))
            if (patch.find(module.path) && !Patch::isFixed(module.path) && isSilent(module)) patch.remove(module.path);
    }
    for (const auto& module : std::vector<Patch::Module>(patch.modules()))
        if (module.kind == ModuleKind::source && Patch::isFixed(module.path) && isSilent(module))
            patch.set({module.path, "on"}, 0.0);
    return patch;
}

Patch withinReachOf(const Instrument& instrument, const Patch& patch) {
    return adopted(instrument, patch,
                   [](const InstrumentControl& control, double value) { return control.within(value); });
}

Patch playedOn(const Instrument& instrument, const Patch& patch) {
    return adopted(instrument, patch,
                   [](const InstrumentControl& control, double value) { return control.nearest(value); });
}

std::vector<Lack> lackingOn(const Instrument& instrument, const Patch& patch) {
    const std::vector<SignalPart> parts = partsOf(patch);
    const WayAround way(instrument, patch);
    std::vector<Lack> lacking;
    for (const SignalPart& part : parts) {
        if (part.place >= PartPlace::macros) continue;
        std::optional<Patch> around = way.of(part);
        if (!around) continue;
        const std::string words = wordsOf(part, patch);
        std::string instead;
        for (const SignalPart& each : partsOf(*around))
            if (each.id == part.id || std::any_of(each.modules.begin(), each.modules.end(), [&](const auto& path) {
                    return std::find(part.modules.begin(), part.modules.end(), path) != part.modules.end();
                }))
                instead = wordsOf(each, *around);
        if (instead == words) continue; // nobody would tell one from the other by words
        lacking.push_back({words, std::move(instead), std::move(*around)});
    }
    return lacking;
}

std::vector<ControlSetting> settingsOn(const Instrument& instrument, const Patch& played) {
    const Patch heard = withoutSilent(played);
    // Of what is silent only what would sound it is told.
    const auto isIdentifiable = [&](const InstrumentControl& control) {
        const std::string& field = control.address.field;
        const bool sounds = heard.find(control.address.module) && takesPart(heard, *heard.find(control.address.module));
        return sounds || field == "level" || field == "mix" || field == "amount" || field == "on";
    };
    std::vector<ControlSetting> settings;
    for (const InstrumentControl& control : instrument.controls) {
        const auto* module = played.find(control.address.module);
        const ParameterDescriptor shown = played.shownDescriptor(control.address);
        if (!module || !isIdentifiable(control) || !matters(played, *module, played.descriptor(control.address))) continue;
        const double value = played.value(control.address);
        settings.push_back({control.name, control.textOf(value),
                            control.scale ? roundedText(shown, value) : std::string(), control.address});
    }
    return settings;
}

} // namespace facet
