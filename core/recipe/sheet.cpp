#include "core/recipe/sheet.h"

#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/suggest/move_words.h"
#include "core/parameters/part_words.h"
#include "core/parameters/signal_parts.h"
#include "core/recipe/sheet_plots.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <memory>
#include <set>
#include <utility>

namespace facet {

namespace {

/// A task whose progress is a part of another's.
Task partOf(const Task& task, double begin, double share) {
    Task part{task.stop, {}};
    if (task.progress)
        part.progress = [&task, begin, share](double done, std::string_view what) {
            task.progress(begin + share * done, what);
        };
    return part;
}

/// A patch that is told by its own sound.
MoveTarget ownTarget(const Patch& patch, int threads, const Task& task) {
    const Performance phrase = phraseOfSheet();
    auto sound = std::make_shared<const Recording>(render(patch, phrase, task));
    if (peakOf(*sound) < 1e-5f)
        throw Error("The patch is silent with the notes that a sheet plays; turn it up, or give it a recording.");
    auto profile =
        std::make_shared<const Profile>(measureProfile(*sound, phrase, {.source = nullptr, .threads = threads}, task));
    return {std::move(sound), std::move(profile), phrase};
}

/// As loud as another sound, and never clipped.
Recording levelled(const Recording& sound, const Recording& like) {
    const auto power = [](const Recording& one) {
        double sum = 1e-12;
        std::size_t count = 1;
        for (const auto& channel : one.channels) {
            for (const float sample : channel) sum += static_cast<double>(sample) * sample;
            count += channel.size();
        }
        return sum / static_cast<double>(count);
    };
    constexpr double headroom = -0.5; // dB
    const double gain = 10.0 * std::log10(power(like) / power(sound));
    const double peak = 20.0 * std::log10(std::max(1e-6, static_cast<double>(peakOf(sound))));
    return withGain(sound, std::min(gain, headroom - peak));
}

std::vector<std::string> wordsOfParts(const Patch& patch) {
    std::vector<std::string> words;
    for (const SignalPart& each : partsOf(patch))
        if (each.place < PartPlace::macros) words.push_back(wordsOf(each, patch));
    return words;
}

/// "8 notes from A1 to E2 at 120 BPM, A4 = 440 Hz."
std::string playedWords(const Performance& performance) {
    int lowest = 127, highest = 0;
    double softest = 127.0, hardest = 0.0;
    for (const Note& note : performance.notes) {
        lowest = std::min(lowest, note.key);
        highest = std::max(highest, note.key);
        softest = std::min(softest, note.velocity);
        hardest = std::max(hardest, note.velocity);
    }
    std::string words = performance.notes.size() == 1 ? "One note, " + nameOfKey(lowest)
                                                      : fmt::format("{} notes", performance.notes.size());
    if (performance.notes.size() > 1)
        words += lowest == highest ? ", all " + nameOfKey(lowest)
                                   : fmt::format(" from {} to {}", nameOfKey(lowest), nameOfKey(highest));
    words += fmt::format(", {:.4g} beats per minute, A4 = {:.4g} Hz", performance.tempo,
                         440.0 * std::exp2(performance.tuningCents / 1200.0));
    if (hardest - softest >= 5.0) words += fmt::format(", velocities {:.0f} to {:.0f}", softest, hardest);
    return words + ".";
}

/// The notes as people write them, "A1 A1 C2 …".
std::string noteNames(const Performance& performance) {
    constexpr std::size_t most = 24;
    std::string names;
    for (std::size_t i = 0; i < std::min(most, performance.notes.size()); ++i)
        names += (i ? " " : "") + nameOfKey(performance.notes[i].key);
    if (performance.notes.size() > most) names += " …";
    return names;
}

std::string joined(const std::vector<std::string>& pieces, const char* between) {
    std::string all;
    for (const std::string& each : pieces) all += (all.empty() ? "" : between) + each;
    return all;
}

std::string lessAlike(double costs) {
    return costs < RoundedPatch::mostLost ? std::string("hardly heard") : fmt::format("{:.0f} less alike", costs);
}

void addSettings(Page& page, const Recipe& recipe) {
    page.blocks.push_back(PageHeading{"Settings"});
    page.blocks.push_back(PageParagraph{recipeBeginning()});
    for (const RecipeLine& line : recipe.lines) {
        page.blocks.push_back(PageHeading{line.title, 3});
        PageTable table{{"Set", "to", "as alike", "without it"}, {}};
        for (const RecipeValue& value : line.values)
            table.rows.push_back(
                {value.label, value.text, value.range, value.isSet ? lessAlike(value.costs) : std::string("as it is")});
        if (!table.rows.empty()) page.blocks.push_back(std::move(table));
        if (!line.contents.empty()) page.blocks.push_back(PageParagraph{line.contents + "."});
    }
    if (!recipe.hardlyMatter.empty())
        page.blocks.push_back(PageParagraph{
            "Left as it is, as it hardly matters here: " + joined(recipe.hardlyMatter, ", ") + ".", true});
    if (recipe.untold.empty()) return;
    page.blocks.push_back(PageParagraph{"What the recording does not tell:"});
    PageList untold;
    for (const std::string& each : recipe.untold) untold.items.push_back(each + ".");
    page.blocks.push_back(std::move(untold));
}

void addInstrument(Page& page, const Sheet::Played& played, double likeness) {
    page.blocks.push_back(PageHeading{"On " + played.name});
    std::string about = fmt::format("So set it is {:.0f} of 100 alike", played.likeness);
    if (likeness - played.likeness >= RoundedPatch::mostLost)
        about += fmt::format(", {:.0f} less than in full", likeness - played.likeness);
    page.blocks.push_back(PageParagraph{about + "."});
    PageTable table{{"Control", "at", "which is"}, {}};
    for (const ControlSetting& each : played.settings) table.rows.push_back({each.control, each.text, each.value});
    if (!table.rows.empty()) page.blocks.push_back(std::move(table));
    if (played.lacking.empty()) return;
    page.blocks.push_back(PageParagraph{"It cannot do this, or not as far:"});
    PageList lacking;
    for (const Sheet::Played::Lacking& each : played.lacking)
        lacking.items.push_back(
            fmt::format("{}: {}, {:.0f} → {:.0f}.", each.part,
                        each.instead.empty() ? "left out" : fmt::format("instead “{}”", each.instead), likeness,
                        std::min(each.likeness, likeness)));
    page.blocks.push_back(std::move(lacking));
}

void addBuild(Page& page, const Build& build) {
    page.blocks.push_back(PageHeading{"Step by step"});
    page.blocks.push_back(
        PageParagraph{fmt::format("The beginning is {:.0f} of 100 alike.", std::max(0.0, build.empty))});
    PageList steps{{}, true};
    for (const BuildStep& step : build.steps) {
        if (step.hidden) continue;
        std::string item = fmt::format("{} ({:.0f} → {:.0f}).", step.title, step.before, step.after);
        if (!step.text.empty()) {
            item += " " + step.text;
        } else {
            if (!step.why.empty()) item += " Why: " + step.why + ".";
            if (!step.listen.empty()) item += " Listen: " + step.listen + ".";
        }
        steps.items.push_back(std::move(item));
    }
    page.blocks.push_back(std::move(steps));
}

} // namespace

Performance phraseOfSheet() {
    constexpr double beat = 0.3; // seconds
    Performance phrase;
    phrase.rateHz = analysisRateHz;
    const std::pair<int, double> played[] = {{48, 100.0}, {60, 60.0}, {67, 100.0}, {72, 118.0}};
    for (std::size_t i = 0; i < std::size(played); ++i) {
        const double start = beat * static_cast<double>(2 * i);
        phrase.notes.push_back({start, start + 1.5 * beat, played[i].first, 0.0, played[i].second});
    }
    phrase.frames = static_cast<int>(std::lround(phrase.rateHz * (8.0 * beat + 1.0)));
    phrase.normalize();
    return phrase;
}

Sheet sheetOf(const SheetSubject& subject, int threads, const Task& task) {
    Sheet sheet;
    sheet.name = subject.name;
    sheet.isRebuilt = !subject.targets.empty();
    const std::vector<MoveTarget> targets =
        sheet.isRebuilt ? subject.targets : std::vector<MoveTarget>{ownTarget(subject.patch, threads, task)};
    if (targets.front().performance.notes.empty())
        throw Error("There are no notes to play; find or import the recording's notes first.");
    const ReferenceScore score(targets);
    sheet.performance = score.counted();
    const bool isOwn = subject.instrument && isOf(*subject.instrument, subject.patch);
    sheet.recipe = recipeOf(isOwn ? withoutSilent(subject.patch) : subject.patch, score, subject.weights, threads,
                            partOf(task, 0.0, 0.7));
    task.report(0.7, "the build");
    BuildMaker maker(targets);
    const Patch& patch = sheet.recipe.patch;
    sheet.build = subject.plan.steps.empty() ? maker.make(patch, subject.weights, threads, task)
                                             : maker.follow(patch, subject.plan, subject.weights, threads, task);
    task.report(0.85, "what is worth playing");
    const Performance& performance = targets.front().performance;
    sheet.macros = proposedMacros(patch, performance, threads, task);
    if (subject.instrument) {
        const Patch played = playedOn(*subject.instrument, isOwn ? subject.patch : patch);
        const auto likenessOf = [&](const Patch& each) {
            return score.of(each, subject.weights, threads, task).comparison.likeness;
        };
        sheet.played =
            Sheet::Played{subject.instrument->name, likenessOf(played), settingsOn(*subject.instrument, played), {}};
        for (const Lack& each : isOwn ? std::vector<Lack>{} : lackingOn(*subject.instrument, patch))
            sheet.played->lacking.push_back({each.part, each.instead, likenessOf(each.around)});
    }
    task.report(0.95, "pictures and sounds");
    for (const OtherWay& other : subject.others) {
        if (elementsBeyond(other.patch, subject.patch).empty() && elementsBeyond(subject.patch, other.patch).empty())
            continue;
        sheet.others.push_back({other.name, wordsOfParts(other.patch),
                                score.of(other.patch, subject.weights, threads, task).comparison.likeness});
    }
    const Recording& reference = *targets.front().reference;
    const Recording whole = render(patch, performance, task);
    sheet.plots = soundPlots(reference, whole);
    for (Plot& each : patchPlots(patch)) sheet.plots.push_back(std::move(each));
    if (!subject.sounds) return sheet;
    const auto add = [&](const std::string& label, const Recording& sound) {
        sheet.sounds.push_back({label, audioFileBytes(levelled(sound, reference), SampleFormat::flac16)});
    };
    if (sheet.isRebuilt) add("The recording", reference);
    add(sheet.isRebuilt ? "As rebuilt" : "How it sounds", whole);
    int number = 0;
    for (const BuildStep& step : sheet.build.steps) {
        if (step.hidden) continue;
        add(fmt::format("{}. {}", ++number, step.title), render(step.patch, performance, task));
    }
    return sheet;
}

Page pageOfSheet(const Sheet& sheet) {
    const Recipe& recipe = sheet.recipe;
    Page page{sheet.name, {}};
    std::string about;
    if (sheet.isRebuilt)
        about = fmt::format("Rebuilt from a recording, {:.0f} of 100 alike; in the rounded values below {:.0f}.",
                            recipe.exact, recipe.likeness);
    else
        about = fmt::format("In the rounded values below it sounds {:.0f} of 100 alike.", recipe.likeness);
    if (!recipe.isAlike)
        about += " Rounded values change it more than is usual: take the patch itself where that matters.";
    page.blocks.push_back(PageParagraph{about});
    page.blocks.push_back(PageParagraph{playedWords(sheet.performance) + " " + noteNames(sheet.performance), true});
    if (!recipe.mattersMost.empty()) {
        page.blocks.push_back(PageHeading{"What matters most"});
        PageList most{{}, true};
        for (const std::size_t i : recipe.mattersMost)
            most.items.push_back(
                fmt::format("{} (without it {:.0f} less alike)", recipe.lines[i].title, recipe.lines[i].costs));
        page.blocks.push_back(std::move(most));
    }
    addSettings(page, recipe);
    if (sheet.played) addInstrument(page, *sheet.played, recipe.likeness);
    addBuild(page, sheet.build);
    if (!sheet.others.empty()) {
        page.blocks.push_back(PageHeading{"Other ways"});
        for (const Sheet::Other& other : sheet.others) {
            page.blocks.push_back(PageParagraph{fmt::format("{}, {:.0f} alike:", other.name, other.likeness)});
            page.blocks.push_back(PageList{other.lines});
        }
    }
    if (!sheet.macros.empty()) {
        page.blocks.push_back(PageHeading{"Worth playing"});
        PageList macros;
        for (const ProposedMacro& macro : sheet.macros) {
            std::vector<std::string> moves;
            for (const auto& each : macro.moves) moves.push_back(each.words);
            macros.items.push_back(fmt::format("{}: {} ({}).", macro.name, joined(moves, ", "), macro.changes));
        }
        page.blocks.push_back(std::move(macros));
    }
    page.blocks.push_back(PagePlots{"Pictures", sheet.plots});
    if (!sheet.sounds.empty()) page.blocks.push_back(PageSounds{"Sounds", sheet.sounds});
    return page;
}

} // namespace facet
