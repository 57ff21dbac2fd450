#include "core/recipe/recipe.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/part_words.h"
#include "core/parameters/reading.h"
#include "core/parameters/relevance.h"
#include "core/parameters/rounding.h"
#include "core/parameters/signal_parts.h"
#include "core/parameters/value_text.h"
#include "core/performance/spread.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numeric>
#include <set>
#include <utility>

namespace facet {

namespace {

/// "390 Hz to 460 Hz", "up to 460 Hz".
std::string rangeOf(const ParameterDescriptor& d, const AlikeRange& range) {
    const auto text = [&](double value) { return textOf(d, roundedTo(d, value, 2)); };
    const bool fromBottom = range.low <= d.low, toTop = range.high >= d.high;
    if (fromBottom && toTop) return "any";
    if (fromBottom) return "up to " + text(range.high);
    if (toTop) return "from " + text(range.low);
    const std::string low = text(range.low), high = text(range.high);
    return low == high ? "exactly" : low + " to " + high;
}

/// Partials and drawn steps in words; of what is longer, where it is.
std::string contentsOf(const SignalPart& part, const Patch& patch) {
    constexpr std::size_t most = 16;
    constexpr double absent = -100.0; // dB
    std::string words;
    const auto say = [&](const std::string& one) { words += (words.empty() ? "" : "; ") + one; };
    const auto belongs = [&](const std::string& path) {
        return std::find(part.modules.begin(), part.modules.end(), path) != part.modules.end() ||
               std::any_of(part.values.begin(), part.values.end(), [&](const Address& a) { return a.module == path; });
    };
    for (const auto& module : patch.modules()) {
        if (!belongs(module.path)) continue;
        const ModuleData& data = module.contents();
        const bool source = module.kind == ModuleKind::source;
        const auto wave = source ? static_cast<Wave>(patch.value({module.path, "wave"})) : Wave::sine;
        if (source && wave == Wave::harmonics) {
            const std::size_t count = std::min(most, data.partialsDb.size());
            const double loudest =
                data.partialsDb.empty() ? 0.0 : *std::max_element(data.partialsDb.begin(), data.partialsDb.end());
            std::string levels;
            for (std::size_t i = 0; i < count; ++i)
                levels += (i ? ", " : "") + (data.partialsDb[i] < absent
                                                 ? std::string("–")
                                                 : fmt::format("{:.0f}", data.partialsDb[i] - loudest));
            say(fmt::format("{}: partials 1 to {} at {} dB", patch.labelOf(module), count, levels));
        }
        if (source && wave == Wave::wavetable) say(patch.labelOf(module) + ": its wavetable is in the patch");
        if (source && wave == Wave::sample) say(patch.labelOf(module) + ": its recording is in the patch");
        if (module.kind == ModuleKind::response && !data.sample.empty())
            say(patch.labelOf(module) + ": its impulse response is in the patch");
        if (module.kind == ModuleKind::lfo && !data.shape.empty() &&
            static_cast<LfoShape>(patch.value({module.path, "shape"})) == LfoShape::drawn) {
            std::string points;
            for (std::size_t i = 0; i < std::min(most, data.shape.size()); ++i)
                points += fmt::format("{}{:.0f} % at {:.0f} %", i ? ", " : "", 100.0 * data.shape[i].value,
                                      100.0 * data.shape[i].place);
            if (data.shape.size() > most) points += ", …";
            say(fmt::format("{} drawn: {} of its cycle", patch.labelOf(module), points));
        }
    }
    return words;
}

/// What the modules of a line are known by, also where it stands as in the beginning.
void addKnown(Recipe& recipe) {
    for (RecipeLine& line : recipe.lines) {
        std::set<std::string> modules;
        for (const RecipeValue& each : line.values)
            if (each.address.field == "on" || kindOfPath(each.address.module) == ModuleKind::envelope ||
                !Patch::isFixed(each.address.module))
                modules.insert(each.address.module);
        std::vector<RecipeValue> all;
        for (const Address& address : recipe.patch.addresses()) {
            const auto set = std::find_if(line.values.begin(), line.values.end(),
                                          [&](const RecipeValue& each) { return each.address == address; });
            if (set != line.values.end()) {
                all.push_back(*set);
                continue;
            }
            if (!modules.contains(address.module)) continue;
            const auto& module = *recipe.patch.find(address.module);
            const ParameterDescriptor shown = recipe.patch.shownDescriptor(address);
            if (!isKnownBy(module.kind, address.field) || !matters(recipe.patch, module, shown)) continue;
            all.push_back({address,
                           settingLabel(recipe.patch, address),
                           textOf(shown, recipe.patch.value(address)),
                           {},
                           0.0,
                           false});
        }
        line.values = std::move(all);
    }
}

std::vector<std::string> untoldBy(const Performance& performance, const Profile& profile) {
    std::vector<std::string> untold;
    NoteSpread spread;
    for (const Note& note : performance.notes) spread.add(note);
    if (!spread.tellsKeyTracking())
        untold.push_back("What follows the key: its notes lie within three semitones of each other");
    if (!spread.tellsVelocityResponse())
        untold.push_back("What follows how hard keys are struck: its notes are all struck alike");
    constexpr double hardlyWide = -40.0; // dB; common practice, no source
    if (!profile.width.stereo || !(profile.width.sideDb > hardlyWide))
        untold.push_back("How wide it is: both of its sides are the same");
    return untold;
}

} // namespace

std::size_t valuesIn(const Recipe& recipe) {
    std::size_t count = 0;
    for (const RecipeLine& line : recipe.lines)
        count += static_cast<std::size_t>(
            std::count_if(line.values.begin(), line.values.end(), [](const RecipeValue& each) { return each.isSet; }));
    return count;
}

std::string recipeBeginning() {
    return "Begin with one saw at the note, no filter, no modulation and no effects; the level goes up and down within "
           "2 ms.";
}

LikenessOf likenessToward(const ReferenceScore& score, const FacetWeights& weights, int threads, const Task& task) {
    return [&score, weights, threads, &task](const std::vector<Patch>& patches) {
        std::vector<double> likeness(patches.size(), 0.0);
        parallelFor(static_cast<int>(patches.size()), threads, [&](int i) {
            const auto at = static_cast<std::size_t>(i);
            try {
                likeness[at] = score.of(patches[at], weights, 1, task).comparison.likeness;
            } catch (const Error&) { // nothing is heard of it
            }
        });
        return likeness;
    };
}

Recipe recipeOf(const Patch& patch, const ReferenceScore& score, const FacetWeights& weights, int threads,
                const Task& task) {
    if (score.of(patch, weights, threads, task).comparison.likeness <= 0.0)
        throw Error("The patch cannot be heard with these notes; play others, or turn it up.");
    const LikenessOf likeness = likenessToward(score, weights, threads, task);
    const auto part = [&](double begin, double share) {
        Task each = task;
        if (task.progress)
            each.progress = [&task, begin, share](double done, std::string_view what) {
                task.progress(begin + share * done, what);
            };
        return each;
    };
    const RoundedPatch rounded = roundedPatch(patch, likeness, part(0.0, 0.4));
    const std::vector<AlikeRange> ranges = alikeRanges(rounded, likeness, part(0.4, 0.5));
    Recipe recipe;
    recipe.patch = rounded.patch;
    recipe.patch.name = patch.name;
    recipe.exact = rounded.exact;
    recipe.likeness = rounded.likeness;
    recipe.isAlike = rounded.isAlike();
    const std::vector<SignalPart> parts = partsOf(recipe.patch);
    std::set<std::string> all;
    for (const SignalPart& each : parts) all.insert(each.id);
    std::vector<Patch> without;
    for (const SignalPart& each : parts) {
        std::set<std::string> rest = all;
        rest.erase(each.id);
        without.push_back(withParts(recipe.patch, rest));
        recipe.lines.push_back({each.id, wordsOf(each, recipe.patch), {}, contentsOf(each, recipe.patch)});
    }
    const std::vector<double> left = likeness(without);
    for (std::size_t i = 0; i < parts.size(); ++i) recipe.lines[i].costs = recipe.likeness - left[i];
    for (std::size_t i = 0; i < rounded.values.size(); ++i) {
        const RoundedValue& value = rounded.values[i];
        const ParameterDescriptor shown = recipe.patch.shownDescriptor(value.address);
        const std::string id = partOf(recipe.patch, value.address);
        const auto line = std::find_if(recipe.lines.begin(), recipe.lines.end(),
                                       [&](const RecipeLine& each) { return each.part == id; });
        if (line == recipe.lines.end()) continue;
        line->values.push_back({value.address, settingLabel(recipe.patch, value.address),
                                textOf(shown, recipe.patch.value(value.address)),
                                shown.isDiscrete() ? std::string() : rangeOf(shown, ranges[i]), value.costs});
    }
    addKnown(recipe);
    std::erase_if(recipe.lines, [](const RecipeLine& each) { return each.values.empty() && each.contents.empty(); });
    recipe.mattersMost.resize(recipe.lines.size());
    std::iota(recipe.mattersMost.begin(), recipe.mattersMost.end(), std::size_t{0});
    std::erase_if(recipe.mattersMost, [&](std::size_t i) { return recipe.lines[i].costs < RoundedPatch::mostLost; });
    std::stable_sort(recipe.mattersMost.begin(), recipe.mattersMost.end(),
                     [&](std::size_t a, std::size_t b) { return recipe.lines[a].costs > recipe.lines[b].costs; });
    for (const Address& each : rounded.leftOut) {
        const bool told = std::any_of(recipe.lines.begin(), recipe.lines.end(), [&](const RecipeLine& line) {
            return std::any_of(line.values.begin(), line.values.end(),
                               [&](const RecipeValue& value) { return value.address == each; });
        });
        if (!told) recipe.hardlyMatter.push_back(settingLabel(patch, each));
    }
    recipe.untold = untoldBy(score.counted(), *score.first().profile);
    return recipe;
}

} // namespace facet
