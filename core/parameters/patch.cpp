#include "core/parameters/patch.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

Address Address::parse(std::string_view text) {
    const auto slash = text.rfind('/');
    if (slash == std::string_view::npos || slash == 0 || slash + 1 == text.size())
        throw Error(fmt::format("“{}” is not a parameter's address; `facet-cli params` lists them.", text));
    return {std::string(text.substr(0, slash)), std::string(text.substr(slash + 1))};
}

namespace {

constexpr std::string_view fixedPaths[] = {"voicing",
                                           "layer:a",
                                           "layer:a/source:a",
                                           "layer:a/source:b",
                                           "layer:a/filter:a",
                                           "layer:a/envelope:level",
                                           "layer:a/envelope:filter",
                                           "output"};
constexpr std::string_view fixedInLayers[] = {"source:a", "source:b", "filter:a", "envelope:level", "envelope:filter"};

bool isKey(std::string_view text) {
    return !text.empty() && text.size() <= 24 && std::all_of(text.begin(), text.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-';
    });
}

/// Splits "source:b" into word and key.
std::pair<std::string_view, std::string_view> wordAndKey(std::string_view part) {
    const auto colon = part.find(':');
    return colon == std::string_view::npos ? std::pair(part, std::string_view())
                                           : std::pair(part.substr(0, colon), part.substr(colon + 1));
}

bool isInLayers(ModuleKind kind) {
    return kind == ModuleKind::source || kind == ModuleKind::filter || kind == ModuleKind::envelope ||
           kind == ModuleKind::lfo;
}

constexpr int effectRank = 99999;

/// Place of a module among the others; equal places keep the order in which they were added.
int rankOf(std::string_view path, ModuleKind kind) {
    int rank = 0;
    if (isEffect(kind)) return effectRank;
    switch (kind) {
    case ModuleKind::voicing: return 0;
    case ModuleKind::layer: rank = 0; break;
    case ModuleKind::source: rank = 1; break;
    case ModuleKind::filter: rank = 2; break;
    case ModuleKind::envelope: rank = 3; break;
    case ModuleKind::lfo: rank = 4; break;
    case ModuleKind::link: return 100000;
    case ModuleKind::macro: return 100001;
    case ModuleKind::output: return 100002;
    default: break;
    }
    // Layers in the order of their keys.
    const auto key = keyOfPath(layerOfPath(path).empty() ? path : layerOfPath(path));
    int place = 0;
    for (char c : key.substr(0, 2)) place = place * 40 + (c - '-');
    return 1 + 10 * place + rank;
}

} // namespace

int mostOf(ModuleKind kind) {
    switch (kind) {
    case ModuleKind::output:
    case ModuleKind::voicing: return 1;
    case ModuleKind::layer: return mostLayers;
    case ModuleKind::source: return mostSources;
    case ModuleKind::filter: return mostFilters;
    case ModuleKind::envelope: return mostEnvelopes;
    case ModuleKind::lfo: return mostLfos;
    case ModuleKind::link: return mostLinks;
    case ModuleKind::macro: return mostMacros;
    default: return mostEffects;
    }
}

std::string_view layerOfPath(std::string_view path) {
    const auto slash = path.find('/');
    return slash == std::string_view::npos ? std::string_view() : path.substr(0, slash);
}

std::string_view keyOfPath(std::string_view path) {
    const auto slash = path.rfind('/');
    return wordAndKey(slash == std::string_view::npos ? path : path.substr(slash + 1)).second;
}

std::optional<ModuleKind> kindOfPath(std::string_view path) {
    const auto slash = path.find('/');
    const bool inLayer = slash != std::string_view::npos;
    if (inLayer) {
        const auto [word, key] = wordAndKey(path.substr(0, slash));
        if (word != wordOf(ModuleKind::layer) || !isKey(key)) return std::nullopt;
    }
    const auto [word, key] = wordAndKey(inLayer ? path.substr(slash + 1) : path);
    for (int k = 0; k < moduleKindCount; ++k) {
        const auto kind = static_cast<ModuleKind>(k);
        if (wordOf(kind) != word || isInLayers(kind) != inLayer) continue;
        const bool keyless = kind == ModuleKind::output || kind == ModuleKind::voicing;
        if (keyless ? path == word : isKey(key)) return kind;
    }
    return std::nullopt;
}

const ModuleData& Patch::Module::contents() const {
    static const ModuleData none;
    return data ? *data : none;
}

Patch::Patch() : name("Empty") {
    for (std::string_view path : fixedPaths)
        if (!find(path)) add(path); // a layer brings its own
    set({"layer:a/source:a", "on"}, 1.0);
}

bool Patch::isFixed(std::string_view path) {
    if (std::find(std::begin(fixedPaths), std::end(fixedPaths), path) != std::end(fixedPaths)) return true;
    const auto slash = path.find('/');
    return slash != std::string_view::npos && std::find(std::begin(fixedInLayers), std::end(fixedInLayers),
                                                        path.substr(slash + 1)) != std::end(fixedInLayers);
}

void Patch::add(std::string_view path) {
    const auto kind = kindOfPath(path);
    if (!kind) throw Error(fmt::format("“{}” is not the path of a module; `facet-cli params` lists them.", path));
    if (find(path)) throw Error(fmt::format("The patch has “{}” already; give the new one another key.", path));
    const auto layer = layerOfPath(path);
    if (!layer.empty() && !find(layer))
        throw Error(fmt::format("“{}” lies in a layer that the patch does not have; add “{}” first.", path, layer));
    const auto like = std::count_if(modules_.begin(), modules_.end(),
                                    [&](const Module& m) { return m.kind == *kind && layerOfPath(m.path) == layer; });
    const auto effects =
        std::count_if(modules_.begin(), modules_.end(), [](const Module& m) { return isEffect(m.kind); });
    if (like >= mostOf(*kind) || (isEffect(*kind) && effects >= mostEffects))
        throw Error(fmt::format("“{}” would be one too many: there is room for {}.", path, mostOf(*kind)));
    Module module{std::string(path), *kind, {}, nullptr};
    for (const auto& descriptor : parametersOf(*kind)) module.values.push_back(descriptor.defaultValue);
    const int rank = rankOf(path, *kind);
    const auto place =
        std::find_if(modules_.begin(), modules_.end(), [&](const Module& m) { return rankOf(m.path, m.kind) > rank; });
    modules_.insert(place, std::move(module));
    if (path.ends_with("/envelope:filter")) set({std::string(path), "sustain"}, 0.0);
    if (*kind == ModuleKind::layer)
        for (std::string_view part : fixedInLayers) add(std::string(path) + "/" + std::string(part));
}

void Patch::moveEffect(std::string_view path, int place) {
    const auto found = std::find_if(modules_.begin(), modules_.end(), [&](const Module& m) { return m.path == path; });
    if (found == modules_.end() || !isEffect(found->kind))
        throw Error(fmt::format("“{}” is not an effect of the patch.", path));
    Module moved = std::move(*found);
    modules_.erase(found);
    auto to = std::find_if(modules_.begin(), modules_.end(), [](const Module& m) { return isEffect(m.kind); });
    if (to == modules_.end()) // it was the only one
        to = std::find_if(modules_.begin(), modules_.end(),
                          [](const Module& m) { return rankOf(m.path, m.kind) > effectRank; });
    while (place-- > 0 && to != modules_.end() && isEffect(to->kind)) ++to;
    modules_.insert(to, std::move(moved));
}

std::string Patch::freePath(ModuleKind kind, std::string_view layer) const {
    const std::string stem =
        (layer.empty() ? std::string() : std::string(layer) + "/") + std::string(wordOf(kind)) + ":";
    for (int i = 0;; ++i) {
        // a, b, …, z, a2, b2, …
        std::string path = stem + static_cast<char>('a' + i % 26) + (i < 26 ? "" : std::to_string(i / 26 + 1));
        if (!find(path) && !retired_.contains(path)) return path;
    }
}

void Patch::remove(std::string_view path) {
    const std::string gone(path); // it may be part of what is removed
    if (!find(gone)) throw Error(fmt::format("The patch has no “{}” to remove.", gone));
    if (isFixed(gone)) throw Error(fmt::format("“{}” is part of every patch; switch it off instead.", gone));
    const auto within = [&](std::string_view other) { return other == gone || other.starts_with(gone + "/"); };
    std::vector<std::string> links;
    for (const Module& module : modules_)
        if (const ModuleData& data = module.contents(); module.kind == ModuleKind::link && !within(module.path) &&
                                                        (within(data.from) || within(data.to) || within(data.by)))
            links.push_back(module.path);
    std::erase_if(ties_, [&](const Tie& tie) {
        return std::any_of(tie.members.begin(), tie.members.end(), [&](const Address& a) { return within(a.module); });
    });
    for (const Module& module : modules_)
        if (within(module.path)) retired_.insert(module.path);
    std::erase_if(modules_, [&](const Module& m) { return within(m.path); });
    for (const std::string& link : links)
        if (find(link)) remove(link);
}

void Patch::setData(std::string_view path, const ModuleData& data) {
    Module& changed = module(path);
    if (const std::string problem = dataProblem(*this, changed, data); !problem.empty()) throw Error(problem);
    changed.data = data.empty() ? nullptr : std::make_shared<const ModuleData>(data);
    changed.dataHash = changed.data ? data.hash() : 0;
}

void Patch::tie(const Tie& added) {
    if (added.members.size() < 2) throw Error("A tie needs at least two parameters.");
    for (const Address& member : added.members) {
        if (descriptor(member).isDiscrete())
            throw Error(fmt::format("“{}” cannot be tied: it takes steps only.", member.text()));
        for (const Tie& other : ties_)
            if (std::count(other.members.begin(), other.members.end(), member))
                throw Error(fmt::format("“{}” is tied already; untie it first.", member.text()));
    }
    ties_.push_back(added);
    if (!added.offset) set(added.members.front(), value(added.members.front()));
}

void Patch::untie(const Address& member) {
    std::erase_if(ties_,
                  [&](const Tie& tie) { return std::count(tie.members.begin(), tie.members.end(), member) > 0; });
}

const Patch::Module* Patch::find(std::string_view path) const {
    const auto found = std::find_if(modules_.begin(), modules_.end(), [&](const Module& m) { return m.path == path; });
    return found == modules_.end() ? nullptr : &*found;
}

Patch::Module& Patch::module(std::string_view path) {
    const auto* found = find(path);
    if (!found) throw Error(fmt::format("The patch has no “{}”; `facet-cli params` lists what it has.", path));
    return const_cast<Module&>(*found);
}

std::string Patch::labelOf(const Module& module) const {
    const auto layer = layerOfPath(module.path);
    const bool layered = find("layer:a") && std::count_if(modules_.begin(), modules_.end(), [](const Module& m) {
                                                return m.kind == ModuleKind::layer;
                                            }) > 1;
    std::string where;
    if (layered && !layer.empty()) where = fmt::format(" ({})", labelOf(*find(layer)));
    if (module.path.ends_with("envelope:level")) return "Level envelope" + where;
    if (module.path.ends_with("envelope:filter")) return "Filter envelope" + where;
    if (module.kind == ModuleKind::macro && !module.contents().label.empty()) return module.contents().label;
    int number = 0;
    int count = 0;
    for (const auto& other : modules_) {
        if (other.kind != module.kind || layerOfPath(other.path) != layer) continue;
        if (other.path.ends_with("envelope:level") || other.path.ends_with("envelope:filter")) continue;
        ++count;
        if (other.path == module.path) number = count;
    }
    const auto label = facet::labelOf(module.kind);
    return (count > 1 ? fmt::format("{} {}", label, number) : std::string(label)) + where;
}

bool Patch::has(const Address& address) const {
    const auto* found = find(address.module);
    return found && fieldIndex(found->kind, address.field) >= 0;
}

const ParameterDescriptor& Patch::descriptor(const Address& address) const {
    const auto* found = find(address.module);
    const int index = found ? fieldIndex(found->kind, address.field) : -1;
    if (index < 0)
        throw Error(fmt::format("The patch has no “{}”; `facet-cli params` lists what it has.", address.text()));
    return parametersOf(found->kind)[static_cast<std::size_t>(index)];
}

ParameterDescriptor Patch::shownDescriptor(const Address& address) const {
    ParameterDescriptor shown = descriptor(address);
    const std::string& to = find(address.module)->contents().to;
    if (shown.unit != Unit::amount || to.empty() || !has(Address::parse(to))) return shown;
    const ParameterDescriptor& moved = descriptor(Address::parse(to));
    if (moved.unit == Unit::amount) return shown; // of a link to a link: without a unit of its own
    if (canMoveLinearly(moved) && value({address.module, "linear"}) != 0.0) {
        shown.unit = Unit::percent;
        shown.low = -1000.0;
        shown.high = 1000.0;
        return shown;
    }
    const double span = toMovement(moved, moved.high) - toMovement(moved, moved.low);
    shown.unit = movementUnit(moved);
    shown.low = -span;
    shown.high = span;
    return shown;
}

double Patch::value(const Address& address) const {
    const auto& d = descriptor(address);
    return find(address.module)->values[static_cast<std::size_t>(fieldIndex(d.module, d.field))];
}

void Patch::set(const Address& address, double value) {
    for (const Tie& tie : ties_) {
        if (std::find(tie.members.begin(), tie.members.end(), address) == tie.members.end()) continue;
        const auto& moved = descriptor(address);
        const double before = toMovement(moved, this->value(address)), wanted = toMovement(moved, value) - before;
        setAlone(address, value);
        double by = wanted; // no further than all of them can go: distances would be lost
        for (const Address& other : tie.members) {
            if (other == address) continue;
            const auto& d = descriptor(other);
            if (!tie.offset) {
                setAlone(other, d.nearest(value));
                continue;
            }
            const double here = toMovement(d, this->value(other));
            by =
                std::clamp(by, std::min(0.0, toMovement(d, d.low) - here), std::max(0.0, toMovement(d, d.high) - here));
        }
        if (by != wanted) setAlone(address, fromMovement(moved, before + by));
        for (const Address& other : tie.members) {
            const auto& d = descriptor(other);
            if (tie.offset && other != address)
                setAlone(other, fromMovement(d, toMovement(d, this->value(other)) + by));
        }
        return;
    }
    setAlone(address, value);
}

void Patch::setAlone(const Address& address, double value) {
    const auto& d = descriptor(address);
    if (!(value >= d.low && value <= d.high) || (d.isDiscrete() && value != std::round(value)))
        throw Error(fmt::format("“{}” cannot be {}; it takes {}.", address.text(), value, rangeText(d)));
    module(address.module).values[static_cast<std::size_t>(fieldIndex(d.module, d.field))] = value;
}

void Patch::setNearest(const Address& address, double value) {
    const auto& d = descriptor(address);
    set(address, std::isnan(value) ? d.defaultValue : d.nearest(value));
}

std::vector<Address> Patch::addresses() const {
    std::vector<Address> all;
    for (const auto& module : modules_)
        for (const auto& descriptor : parametersOf(module.kind))
            all.push_back({module.path, std::string(descriptor.field)});
    return all;
}

std::uint64_t Patch::hash() const {
    Hasher hasher;
    for (const auto& module : modules_) {
        hasher.text(module.path);
        for (double value : module.values) hasher.number(value);
        if (module.data) hasher.number(static_cast<double>(module.dataHash >> 11));
    }
    return hasher.value();
}

std::uint64_t ModuleData::hash() const {
    Hasher hasher;
    for (const std::string* text : {&from, &to, &by, &label}) hasher.text(*text);
    for (const ShapePoint& point : shape) {
        hasher.number(point.place);
        hasher.number(point.value);
    }
    for (double db : partialsDb) hasher.number(db);
    hasher.number(static_cast<double>(frames.size()));
    for (float value : frames) hasher.number(value);
    for (float value : sample) hasher.number(value);
    hasher.number(sampleRateHz);
    hasher.number(sampleKey);
    if (controller != 0) hasher.number(controller);
    return hasher.value();
}

std::span<const std::string_view> performanceSources() {
    static constexpr std::string_view names[] = {"velocity", "key", "wheel", "pressure", "random", "noise"};
    return names;
}

bool movesBySample(const ParameterDescriptor& d) {
    if (d.module == ModuleKind::filter) return d.field == "cutoff";
    return d.module == ModuleKind::source && (d.field == "phase" || d.field == "cents" || d.field == "width" ||
                                              d.field == "position" || d.field == "amplitude");
}

namespace {

/// Whether something moved by link `from` leads, through amounts of links, to `path`.
bool leadsTo(const Patch& patch, const std::string& to, const std::string& path, int depth) {
    const auto slash = to.rfind('/');
    const std::string module = to.substr(0, slash);
    if (module == path) return true;
    const auto* next = patch.find(module);
    if (!next || next->kind != ModuleKind::link || depth > mostOf(ModuleKind::link)) return false;
    return next->contents().to.empty() ? false : leadsTo(patch, next->contents().to, path, depth + 1);
}

std::string moverProblem(const Patch& patch, const std::string& path, const std::string& mover,
                         const ParameterDescriptor& to) {
    for (std::string_view name : performanceSources())
        if (mover == name) return {};
    const auto* module = patch.find(mover);
    if (!module) return fmt::format("“{}” is moved by “{}”, which the patch does not have.", path, mover);
    switch (module->kind) {
    case ModuleKind::macro:
    case ModuleKind::envelope:
    case ModuleKind::lfo: return {};
    case ModuleKind::source:
        if (movesBySample(to)) return {};
        return fmt::format(
            "“{}”: a source can move a source's phase, cents, width, position and amplitude and a filter's "
            "cutoff, not “{}”.",
            path, to.field);
    default: return fmt::format("“{}” is moved by “{}”, which does not move.", path, mover);
    }
}

std::string linkProblem(const Patch& patch, const Patch::Module& module, const ModuleData& data) {
    if (data.to.empty()) return {}; // not yet a link: it waits for its other end
    Address to;
    try {
        to = Address::parse(data.to);
    } catch (const Error&) {
        return fmt::format("“{}” leads to “{}”, which is not a parameter's address.", module.path, data.to);
    }
    if (!patch.has(to)) return fmt::format("“{}” leads to “{}”, which the patch does not have.", module.path, data.to);
    const auto& d = patch.descriptor(to);
    if (d.isDiscrete() || d.smoothing == Smoothing::graph)
        return fmt::format("“{}” leads to “{}”, which cannot be moved while a note sounds.", module.path, data.to);
    if (!data.from.empty())
        if (std::string problem = moverProblem(patch, module.path, data.from, d); !problem.empty()) return problem;
    if (!data.by.empty()) {
        const auto* by = patch.find(data.by);
        if (by && by->kind == ModuleKind::source)
            return fmt::format("“{}”: a source cannot scale an amount; link it to the amount's own destination.",
                               module.path);
        if (std::string problem = moverProblem(patch, module.path, data.by, d); !problem.empty()) return problem;
    }
    // What a layer holds moves that layer only, or what belongs to all.
    const auto layerOf = [&](const std::string& path) {
        const auto* mover = patch.find(path);
        return std::string(mover ? layerOfPath(mover->path) : std::string_view());
    };
    const std::string there = to.module.starts_with("layer:") && layerOfPath(to.module).empty()
                                  ? to.module
                                  : std::string(layerOfPath(to.module));
    for (const std::string& mover : {layerOf(data.from), layerOf(data.by)})
        if (!mover.empty() && !there.empty() && mover != there)
            return fmt::format("“{}” leads from one layer to another; what a layer holds moves that layer only.",
                               module.path);
    if (leadsTo(patch, data.to, module.path, 0))
        return fmt::format("“{}” would move its own amount; let one of the links in the circle lead elsewhere.",
                           module.path);
    return {};
}

} // namespace

std::string dataProblem(const Patch& patch, const Patch::Module& module, const ModuleData& data) {
    constexpr int lastController = 119; // from 120 on they are channel mode messages
    const auto only = [&](bool allowed, bool there, const char* what) {
        return !allowed && there ? fmt::format("“{}” cannot hold {}.", module.path, what) : std::string();
    };
    const bool isSource = module.kind == ModuleKind::source;
    const bool holdsSample = isSource || module.kind == ModuleKind::response;
    for (const std::string& problem :
         {only(module.kind == ModuleKind::link, !data.from.empty() || !data.to.empty() || !data.by.empty(),
               "the ends of a link"),
          only(module.kind == ModuleKind::macro, !data.label.empty(), "a label"),
          only(module.kind == ModuleKind::macro, data.controller != 0, "a controller"),
          only(module.kind == ModuleKind::lfo, !data.shape.empty(), "a drawn shape"),
          only(isSource, !data.partialsDb.empty(), "partials"), only(isSource, !data.frames.empty(), "a wavetable"),
          only(holdsSample, !data.sample.empty(), "a sample")})
        if (!problem.empty()) return problem;
    if (data.controller < 0 || data.controller > lastController)
        return fmt::format("“{}”: MIDI controllers have the numbers 1 to {}.", module.path, lastController);
    const auto inUnit = [](double x) { return x >= 0.0 && x <= 1.0; };
    double last = 0.0;
    for (const ShapePoint& point : data.shape) {
        if (!inUnit(point.place) || !inUnit(point.value) || point.place < last)
            return fmt::format("“{}”: the points of a shape lie between 0 and 1, in order.", module.path);
        last = point.place;
    }
    if (data.shape.size() > mostShapePoints)
        return fmt::format("“{}”: a shape has at most {} points.", module.path, mostShapePoints);
    if (data.partialsDb.size() > tablePartials)
        return fmt::format("“{}”: a harmonic table has at most {} partials.", module.path, tablePartials);
    for (double db : data.partialsDb)
        if (!(db >= -120.0 && db <= 0.0))
            return fmt::format("“{}”: levels of partials lie between −120 and 0 dB.", module.path);
    if (data.frames.size() % tableFrameSamples != 0 || data.frames.size() / tableFrameSamples > mostTableFrames)
        return fmt::format("“{}”: a wavetable has 1 to {} frames of {} values each.", module.path, mostTableFrames,
                           tableFrameSamples);
    if (data.sample.size() > mostSampleFrames)
        return fmt::format("“{}”: a sample lasts at most {} s.", module.path, mostSampleFrames / 48000);
    if (module.kind == ModuleKind::response &&
        static_cast<double>(data.sample.size()) > longestResponseSeconds * data.sampleRateHz)
        return fmt::format("“{}”: a response lasts at most {} s; load a shorter one.", module.path,
                           longestResponseSeconds);
    for (const auto* values : {&data.frames, &data.sample})
        for (float value : *values)
            if (!(std::abs(value) <= 64.0f))
                return fmt::format("“{}”: its sound holds values that are not finite or far beyond full scale.",
                                   module.path);
    if (!(data.sampleRateHz >= 1000 && data.sampleRateHz <= 384000) ||
        !(data.sampleKey >= 0.0 && data.sampleKey <= 127.0))
        return fmt::format("“{}”: a sample's rate lies between 1 and 384 kHz, its key between 0 and 127.", module.path);
    return module.kind == ModuleKind::link ? linkProblem(patch, module, data) : std::string();
}

std::vector<Address> changedAddresses(const Patch& before, const Patch& after) {
    std::vector<Address> changed;
    for (const Address& address : after.addresses())
        if (!before.has(address) || before.value(address) != after.value(address)) changed.push_back(address);
    return changed;
}

} // namespace facet
