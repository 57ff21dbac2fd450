#include "core/recipe/macros.h"

#include "core/base/error.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include "core/engine/render.h"
#include "core/match/proposals/links.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <optional>
#include <set>

namespace facet {

namespace {

constexpr int directionCount = 7;

/// How far a direction is asked to go, in the unit of what it moves.
double askedOf(Direction direction) {
    switch (direction) {
    case Direction::brighter:
    case Direction::darker: return 1.0; // octaves of the centroid
    case Direction::longer:
    case Direction::shorter: return 1.0; // twice, or half
    case Direction::softer: return 10.0; // dB
    case Direction::wider: return 8.0;   // dB
    case Direction::wilder: return 2.0;  // dB
    }
    return 1.0;
}

/// How far one sound lies from another in a direction, in its unit.
double wayFrom(const SoundMeasures& a, const SoundMeasures& b, Direction direction) {
    const double longer = std::log2(std::max(b.seconds, 0.02) / std::max(a.seconds, 0.02));
    switch (direction) {
    case Direction::brighter: return b.centroidOctaves - a.centroidOctaves;
    case Direction::darker: return a.centroidOctaves - b.centroidOctaves;
    case Direction::longer: return longer;
    case Direction::shorter: return -longer;
    case Direction::softer: return a.onsetDb - b.onsetDb;
    case Direction::wider: return b.sideDb - a.sideDb;
    case Direction::wilder: return b.motionDb - a.motionDb;
    }
    return 0.0;
}

/// The share of a change that lies in one direction, 0 … 1.
double purity(const SoundMeasures& a, const SoundMeasures& b, Direction direction) {
    constexpr std::array axes{Direction::brighter, Direction::longer, Direction::softer, Direction::wider,
                              Direction::wilder};
    double all = 1e-9;
    for (const Direction each : axes) all += std::abs(wayFrom(a, b, each)) / askedOf(each);
    return std::abs(wayFrom(a, b, direction)) / askedOf(direction) / all;
}

std::string changeWords(const SoundMeasures& a, const SoundMeasures& b, Direction direction) {
    const double way = wayFrom(a, b, direction);
    switch (direction) {
    case Direction::brighter: return fmt::format("{:.1f} octaves brighter", way);
    case Direction::darker: return fmt::format("{:.1f} octaves darker", way);
    case Direction::longer: return fmt::format("{:.1f} times as long", std::exp2(way));
    case Direction::shorter: return fmt::format("{:.1f} times as short", std::exp2(way));
    case Direction::softer: return fmt::format("onsets {:.0f} dB softer", way);
    case Direction::wider: return fmt::format("sides {:.0f} dB stronger", way);
    case Direction::wilder: return fmt::format("changes by {:.1f} dB more", way);
    }
    return {};
}

bool keepsLimits(const SoundMeasures& now, const SoundMeasures& end) {
    return end.levelDb >= now.levelDb - MacroLimits::softer && end.levelDb <= now.levelDb + MacroLimits::louder &&
           end.harshDb <= std::max(MacroLimits::harshDb, now.harshDb + 0.5);
}

/// What would move pitches, or is no part of the sound's character.
bool isLeftAlone(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& d) {
    static const std::set<std::string_view> fields{"phase",        "phase_random", "level",  "pan",       "key",
                                                   "velocity",     "delay",        "offset", "amplitude", "curve",
                                                   "key_tracking", "rate",         "gain",   "duty"};
    if (d.isDiscrete() || d.field.ends_with("_curve") || d.field.starts_with("blend") ||
        d.smoothing == Smoothing::graph || fields.contains(d.field) || (d.facets & facetBit(Facet::pitch)) != 0 ||
        module.kind == ModuleKind::output || module.kind == ModuleKind::voicing || module.kind == ModuleKind::macro ||
        module.kind == ModuleKind::shifter)
        return true;
    if (module.kind == ModuleKind::layer || (module.kind == ModuleKind::filter && d.field == "mix")) return true;
    const std::string& to = module.contents().to;
    if (module.kind != ModuleKind::link || to.empty() || !patch.has(Address::parse(to)) ||
        kindOfPath(module.contents().from) == ModuleKind::source)
        return false;
    return (patch.descriptor(Address::parse(to)).facets & facetBit(Facet::pitch)) != 0;
}

/// Facets that a parameter has to answer for to lead in a direction.
FacetSet facetsOf(Direction direction) {
    const auto of = [](auto... each) { return static_cast<FacetSet>((facetBit(each) | ...)); };
    switch (direction) {
    case Direction::brighter:
    case Direction::darker: return of(Facet::brightness, Facet::harmonics, Facet::noise);
    case Direction::longer:
    case Direction::shorter: return of(Facet::level, Facet::space);
    case Direction::softer: return of(Facet::level);
    case Direction::wider: return of(Facet::width, Facet::space);
    case Direction::wilder: return of(Facet::motion, Facet::noise);
    }
    return 0;
}

/// Whether a parameter that is moved up or down may lead there: nobody would shorten a release to make a sound longer.
bool mayLead(Direction direction, const Address& address, bool up) {
    const bool attack = address.field.starts_with("attack");
    switch (direction) {
    case Direction::brighter:
    case Direction::darker: return !attack;
    case Direction::longer: return up && !attack;
    case Direction::shorter: return !up && !attack;
    case Direction::softer: return up && address.field == "attack";
    case Direction::wider:
    case Direction::wilder: return up && !attack;
    }
    return false;
}

/// Facets that a parameter answers for: of a link those of what it moves; modulation by sources is heard as partials.
FacetSet facetsAt(const Patch& patch, const Address& address) {
    const auto* module = patch.find(address.module);
    const ModuleData& ends = module->contents();
    if (module->kind != ModuleKind::link || ends.to.empty()) return patch.descriptor(address).facets;
    if (kindOfPath(ends.from) == ModuleKind::source)
        return static_cast<FacetSet>(facetBit(Facet::brightness) | facetBit(Facet::harmonics));
    const FacetSet moved = patch.has(Address::parse(ends.to)) ? patch.descriptor(Address::parse(ends.to)).facets : 0;
    return static_cast<FacetSet>(moved | facetBit(Facet::motion));
}

/// One parameter moved one way.
struct Moved {
    Address address;
    double amount; ///< in its unit of movement
    Patch patch;   ///< as it stands then
};

/// The largest useful move of a parameter either way: two fifths of its scale, within its plausible range.
std::vector<Moved> movesOf(const Patch& patch) {
    constexpr double farthest = 0.4; // of the scale
    std::vector<Moved> moves;
    for (const auto& module : patch.modules()) {
        if (!takesPart(patch, module)) continue;
        for (const auto& d : parametersOf(module.kind)) {
            if (isLeftAlone(patch, module, d) || !matters(patch, module, d)) continue;
            const Address address{module.path, std::string(d.field)};
            const ParameterDescriptor shown = patch.shownDescriptor(address);
            const double value = patch.value(address);
            const double low = d.isSearched() ? std::min(d.priorLow, value) : shown.low,
                         high = d.isSearched() ? std::max(d.priorHigh, value) : shown.high;
            for (const double way : {-farthest, farthest}) {
                const double to = std::clamp(shown.fromUnit(shown.toUnit(value) + way), low, high);
                if (std::abs(shown.toUnit(to) - shown.toUnit(value)) < 0.02) continue;
                Patch moved = patch;
                moved.setNearest(address, to);
                const double amount = toMovement(shown, moved.value(address)) - toMovement(shown, value);
                moves.push_back({address, amount, std::move(moved)});
            }
        }
    }
    return moves;
}

/// A control for these moves, each by a share of its way.
ProposedMacro macroOf(Direction direction, const Patch& patch, const std::vector<const Moved*>& moves, double share) {
    ProposedMacro macro{direction, std::string(nameOf(direction)), {}, {}, 0.0};
    for (const Moved* each : moves) {
        const ParameterDescriptor shown = patch.shownDescriptor(each->address);
        const double value = patch.value(each->address), amount = share * each->amount;
        macro.moves.push_back(
            {each->address.text(), amount,
             fmt::format("{} {} → {}", settingLabel(patch, each->address), roundedText(shown, value),
                         roundedText(shown, fromMovement(shown, toMovement(shown, value) + amount)))});
    }
    return macro;
}

/// The patch with a macro at its end.
Patch atEnd(const Patch& patch, const ProposedMacro& macro) {
    Patch moved = withMacro(patch, macro);
    moved.set({patch.freePath(ModuleKind::macro), "value"}, 100.0);
    return moved;
}

} // namespace

std::string_view nameOf(Direction direction) {
    constexpr std::array<std::string_view, directionCount> names{"Brighter", "Darker", "Longer", "Shorter",
                                                                 "Softer",   "Wider",  "Wilder"};
    return names[static_cast<std::size_t>(direction)];
}

SoundMeasures measuresOf(const Recording& sound, const Performance& performance) {
    constexpr int size = 2048;
    SoundMeasures measures;
    const std::vector<float> mono = monoMix(sound);
    const int hop = sound.rateHz / 20;
    const std::vector<float>& window = hannWindow(size);
    RealFft fft(size);
    const double binHz = static_cast<double>(sound.rateHz) / size;
    // Third octaves from 50 Hz on, so that no partial alone decides how much changes.
    std::vector<double> before, mean(28, 0.0);
    double whole = 1e-20, high = 1e-20, logSum = 0.0, change = 0.0, changes = 0.0;
    for (int begin = 0; begin < static_cast<int>(mono.size()); begin += hop) {
        windowedFrame(mono, begin, window, fft.time());
        fft.forward();
        std::vector<double> bands(28, 1e-12);
        for (int bin = 2; bin < fft.binCount(); ++bin) {
            const double power = std::norm(fft.bins()[static_cast<std::size_t>(bin)]), hz = bin * binHz;
            whole += power;
            if (hz > 6000.0) high += power;
            const int band = static_cast<int>(3.0 * std::log2(hz / 50.0));
            if (band >= 0 && band < 28) bands[static_cast<std::size_t>(band)] += power;
        }
        for (std::size_t i = 0; i < bands.size(); ++i) mean[i] += bands[i];
        double sum = 0.0, largest = 0.0, used = 0.0;
        for (const double each : bands) largest = std::max(largest, each);
        for (std::size_t i = 0; !before.empty() && i < bands.size(); ++i) {
            if (bands[i] < 1e-4 * largest || before[i] < 1e-12) continue; // 40 dB
            sum += std::min(20.0, std::abs(10.0 * std::log10(bands[i] / before[i])));
            used += 1.0;
        }
        if (used > 0.0 && largest > 1e-6) {
            change += sum / used;
            changes += 1.0;
        }
        before = std::move(bands);
    }
    double weights = 1e-20;
    for (std::size_t i = 0; i < mean.size(); ++i) { // magnitudes: faint partials are heard too
        const double magnitude = std::sqrt(mean[i]), hz = 50.0 * std::exp2((static_cast<double>(i) + 0.5) / 3.0);
        logSum += magnitude * std::log2(hz / 1000.0);
        weights += magnitude;
    }
    measures.centroidOctaves = logSum / weights;
    measures.harshDb = 10.0 * std::log10(high / whole);
    measures.motionDb = changes > 0.0 ? change / changes : 0.0;
    const int stretch = sound.rateHz / 50;
    std::vector<double> levels;
    for (int begin = 0; begin + stretch <= static_cast<int>(mono.size()); begin += stretch) {
        double power = 1e-14;
        for (int i = begin; i < begin + stretch; ++i)
            power += static_cast<double>(mono[static_cast<std::size_t>(i)]) * mono[static_cast<std::size_t>(i)];
        levels.push_back(10.0 * std::log10(power / stretch));
    }
    if (!levels.empty()) measures.levelDb = *std::max_element(levels.begin(), levels.end());
    constexpr double heardDb = 30.0;
    for (const double each : levels) measures.seconds += each > measures.levelDb - heardDb ? 0.02 : 0.0;
    double onsets = 0.0, notes = 0.0;
    for (const Note& note : performance.notes) {
        const auto first = static_cast<std::size_t>(std::max(0.0, note.start / 0.02));
        if (first >= levels.size()) continue;
        constexpr std::size_t stretches = 15;
        const std::size_t end = std::min(levels.size(), first + stretches);
        const double loudest = *std::max_element(levels.begin() + static_cast<std::ptrdiff_t>(first),
                                                 levels.begin() + static_cast<std::ptrdiff_t>(end));
        onsets += std::max(-40.0, levels[first] - loudest);
        notes += 1.0;
    }
    if (notes > 0.0) measures.onsetDb = onsets / notes;
    if (sound.channelCount() == 2) {
        double side = 1e-20, middle = 1e-20;
        for (std::size_t i = 0; i < mono.size(); ++i) {
            const double left = sound.channels[0][i], right = sound.channels[1][i];
            side += (left - right) * (left - right);
            middle += (left + right) * (left + right);
        }
        measures.sideDb = std::max(-60.0, 10.0 * std::log10(side / middle));
    }
    return measures;
}

std::vector<ProposedMacro> proposedMacros(const Patch& patch, const Performance& performance, int threads,
                                          const Task& task) {
    constexpr std::size_t mostMoves = 3, mostProposed = 4;
    constexpr double pure = 0.3, useful = 0.1, leads = 0.25; // of what is asked
    std::vector<Moved> moves = movesOf(patch);
    std::vector<Patch> patches{patch};
    for (const Moved& each : moves) patches.push_back(each.patch);
    const auto measured = [&](const std::vector<Patch>& some) {
        std::vector<SoundMeasures> all(some.size());
        renderEach(
            some, performance, analysisRateHz,
            [&](std::size_t i, Recording&& sound) { all[i] = measuresOf(sound, performance); }, task, threads);
        return all;
    };
    const std::vector<SoundMeasures> stands = measured(patches);
    const SoundMeasures& now = stands.front();
    std::vector<ProposedMacro> found;
    for (int i = 0; i < directionCount; ++i) {
        const auto direction = static_cast<Direction>(i);
        task.check();
        std::vector<std::pair<double, const Moved*>> order;
        for (std::size_t m = 0; m < moves.size(); ++m) {
            const double way = wayFrom(now, stands[m + 1], direction) / askedOf(direction);
            const bool answers = (facetsAt(patch, moves[m].address) & facetsOf(direction)) != 0;
            if (answers && mayLead(direction, moves[m].address, moves[m].amount > 0.0) && way >= useful &&
                purity(now, stands[m + 1], direction) >= pure)
                order.emplace_back(way, &moves[m]);
        }
        std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
        std::vector<const Moved*> chosen;
        for (const auto& [way, move] : order) {
            const bool twice = std::any_of(chosen.begin(), chosen.end(),
                                           [&](const Moved* each) { return each->address == move->address; });
            if (!twice && chosen.size() < mostMoves && way >= 0.25 * order.front().first) chosen.push_back(move);
        }
        if (chosen.empty()) continue;
        // As far as is asked and the limits allow.
        constexpr std::array shares{1.0, 0.8, 0.6, 0.45, 0.3, 0.2};
        std::vector<ProposedMacro> macros;
        std::vector<Patch> ends;
        try {
            for (const double share : shares) {
                macros.push_back(macroOf(direction, patch, chosen, share));
                ends.push_back(atEnd(patch, macros.back()));
            }
        } catch (const Error&) { // no room for more controls, or for their links
            continue;
        }
        const std::vector<SoundMeasures> at = measured(ends);
        std::optional<std::size_t> best;
        for (std::size_t s = 0; s < shares.size(); ++s) {
            if (!keepsLimits(now, at[s]) || wayFrom(now, at[s], direction) <= 0.0) continue;
            if (!best || (wayFrom(now, at[*best], direction) > 1.5 * askedOf(direction) &&
                          wayFrom(now, at[s], direction) >= askedOf(direction)))
                best = s;
        }
        if (!best || wayFrom(now, at[*best], direction) < leads * askedOf(direction)) continue;
        ProposedMacro macro = macros[*best];
        macro.changes = changeWords(now, at[*best], direction);
        macro.strength = std::min(1.5, wayFrom(now, at[*best], direction) / askedOf(direction));
        found.push_back(std::move(macro));
    }
    // Brighter and darker are one control too many: the first, unless it leads nowhere near as far.
    const auto drop = [&](Direction a, Direction b) {
        constexpr double farEnough = 0.6;
        const auto find = [&](Direction which) {
            return std::find_if(found.begin(), found.end(), [&](const auto& each) { return each.direction == which; });
        };
        const auto first = find(a), second = find(b);
        if (first == found.end() || second == found.end()) return;
        found.erase(first->strength >= std::min(farEnough, second->strength) ? second : first);
    };
    drop(Direction::brighter, Direction::darker);
    drop(Direction::longer, Direction::shorter);
    std::stable_sort(found.begin(), found.end(),
                     [](const ProposedMacro& a, const ProposedMacro& b) { return a.strength > b.strength; });
    if (found.size() > mostProposed) found.resize(mostProposed);
    return found;
}

Patch withMacro(Patch patch, const ProposedMacro& macro) {
    const std::string path = patch.freePath(ModuleKind::macro);
    patch.add(path);
    ModuleData data;
    data.label = macro.name;
    patch.setData(path, data);
    for (const ProposedMacro::Move& each : macro.moves) addLink(patch, path, each.target, each.amount);
    return patch;
}

} // namespace facet
