// What holds for any patch: edits leave it valid, files keep it, ties and locks hold, and its graph says what is
// compiled. The seed of the random cases is fixed where the tests are registered (RC_PARAMS).
#include "core/base/error.h"
#include "core/engine/compile/graph.h"
#include "core/match/proposals/catalogue.h"
#include "core/match/search/constraints.h"
#include "core/parameters/changes.h"
#include "core/parameters/patch_json.h"
#include "core/project/document.h"
#include "core/project/project_file.h"
#include "tests/support/files.h"

#include <cmath>
#include <gtest/gtest.h>
#include <rapidcheck.h>
#include <rapidcheck/gtest.h>

namespace facet {
namespace {

/// One random edit, of whatever kind; what the patch refuses leaves it as it was.
void editAtRandom(Patch& patch) {
    const auto addresses = patch.addresses();
    const auto anyAddress = [&] { return *rc::gen::elementOf(addresses); };
    const auto anyPath = [&] { return (*rc::gen::elementOf(patch.modules())).path; };
    const Patch before = patch;
    try {
        switch (*rc::gen::inRange(0, 7)) {
        case 0: {
            const auto kind = static_cast<ModuleKind>(*rc::gen::inRange(0, moduleKindCount));
            const std::string path = patch.freePath(kind, "layer:a");
            patch.add(path);
            if (patch.has({path, "on"})) patch.set({path, "on"}, 1.0);
            break;
        }
        case 1: patch.remove(anyPath()); break;
        case 2: patch.moveEffect(anyPath(), *rc::gen::inRange(0, 4)); break;
        case 3: patch.tie({{anyAddress(), anyAddress()}, *rc::gen::arbitrary<bool>()}); break;
        case 4: patch.untie(anyAddress()); break;
        case 5: {
            const std::string path = patch.freePath(ModuleKind::link);
            patch.add(path);
            ModuleData ends;
            ends.from = *rc::gen::element<std::string>("velocity", "key", "layer:a/envelope:filter", "layer:a/lfo:a");
            ends.to = anyAddress().text();
            patch.setData(path, ends);
            break;
        }
        default: {
            const Address address = anyAddress();
            const auto& d = patch.descriptor(address);
            patch.setNearest(address, d.fromUnit(*rc::gen::inRange(0, 1001) / 1000.0));
        }
        }
    } catch (const Error&) {
        patch = before;
    }
}

Patch randomPatch() {
    Patch patch;
    for (int edits = *rc::gen::inRange(0, 25); edits > 0; --edits) editAtRandom(patch);
    return patch;
}

RC_GTEST_PROP(AnyPatch, HasAllItsValuesInTheirRanges, ()) {
    const Patch patch = randomPatch();
    for (const Address& address : patch.addresses()) {
        const auto& d = patch.descriptor(address);
        const double value = patch.value(address);
        RC_ASSERT(value >= d.low && value <= d.high);
        if (d.isDiscrete()) RC_ASSERT(value == std::round(value));
    }
}

RC_GTEST_PROP(AnyPatch, ComesBackFromItsText, ()) {
    const Patch patch = randomPatch();
    const Patch read = patchFromJson(patchToJson(patch));
    RC_ASSERT(read == patch);
    RC_ASSERT(read.hash() == patch.hash());
}

RC_GTEST_PROP(AnyPatch, DiffersFromAnotherByTheChangesListed, ()) {
    const Patch before = randomPatch();
    Patch after = before;
    for (int edits = *rc::gen::inRange(0, 6); edits > 0; --edits) editAtRandom(after);
    const auto changes = changesBetween(before, after);
    if (after == before) RC_ASSERT(changes.empty());
    if (!after.soundsLike(before)) RC_ASSERT(!changes.empty());
    for (const Address& address : changedAddresses(before, after))
        if (before.has(address) && after.has(address)) RC_ASSERT(before.value(address) != after.value(address));
}

RC_GTEST_PROP(AnyPatch, KeepsEqualWhatIsTiedEqual, ()) {
    Patch patch = randomPatch();
    for (const Tie& tie : std::vector(patch.ties())) {
        const Address moved = *rc::gen::elementOf(tie.members);
        patch.setNearest(moved, patch.descriptor(moved).fromUnit(*rc::gen::inRange(0, 1001) / 1000.0));
        if (tie.offset) continue;
        for (const Address& member : tie.members) // one with another range stops at its own end
            RC_ASSERT(patch.value(member) == patch.descriptor(member).nearest(patch.value(moved)));
    }
}

/// Whether a parameter is a value of the graph alone: feedback, mix and switches leave parts out.
bool isValueOnly(const ParameterDescriptor& d) {
    return d.smoothing == Smoothing::block && d.field != "feedback" && d.field != "mix" && d.field != "on";
}

RC_GTEST_PROP(AnyPatch, HasTheGraphOfAnotherThatDiffersInValuesOnly, ()) {
    const Patch patch = randomPatch();
    Patch other = patch;
    for (int i = 0; i < 5; ++i) {
        const Address address = *rc::gen::elementOf(patch.addresses());
        const auto& d = other.descriptor(address);
        if (!isValueOnly(d)) continue;
        other.setNearest(address, d.fromUnit(*rc::gen::inRange(0, 1001) / 1000.0));
        RC_LOG() << address.text() << " = " << other.value(address) << "\n";
    }
    for (const Address& address : changedAddresses(patch, other)) // ties may have moved what the graph depends on
        RC_PRE(isValueOnly(patch.descriptor(address)));
    const Graph compiled = compile(patch);
    RC_ASSERT(sameGraph(compiled, compile(patch)));
    RC_ASSERT(sameGraph(compiled, compile(other)));
}

RC_GTEST_PROP(AnyConstraints, HoldLocksAndRangesInWhateverIsTried, ()) {
    MatchSettings settings;
    settings.start = randomPatch();
    const auto addresses = settings.start.addresses();
    for (int i = *rc::gen::inRange(0, 6); i > 0; --i) settings.limits.locks.insert(*rc::gen::elementOf(addresses));
    for (int i = *rc::gen::inRange(0, 4); i > 0; --i) {
        const Address address = *rc::gen::elementOf(addresses);
        const auto& d = settings.start.descriptor(address);
        const double middle = d.fromUnit(0.5);
        if (!d.isDiscrete()) settings.limits.ranges[address] = {d.low, middle};
    }
    RC_PRE(settings.start.ties().empty()); // what is tied to something locked stands with it, wherever its range is
    const Constraints constraints(settings, {});
    const Patch tried = constraints.applied(randomPatch());
    for (const Address& lock : settings.limits.locks)
        if (tried.has(lock)) RC_ASSERT(tried.value(lock) == settings.start.value(lock));
    for (const auto& [address, range] : settings.limits.ranges)
        if (tried.has(address) && !settings.limits.locked(address) && tried.ties().empty())
            RC_ASSERT(tried.value(address) <= range.second + 1e-9 * std::abs(range.second));
    RC_ASSERT(constraints.applied(tried).soundsLike(tried));
}

RC_GTEST_PROP(AnyProposal, LeavesAloneWhatIsLocked, ()) {
    const Patch patch = randomPatch();
    SearchLimits limits;
    const auto addresses = patch.addresses();
    for (int i = *rc::gen::inRange(0, 12); i > 0; --i) limits.locks.insert(*rc::gen::elementOf(addresses));
    const Profile profile;
    RC_PRE(patch.ties().empty());
    for (const Patch& proposal : structuralProposals({patch, limits, profile}))
        for (const Address& lock : limits.locks)
            if (proposal.has(lock)) RC_ASSERT(proposal.value(lock) == patch.value(lock));
}

RC_GTEST_PROP(AnyProject, ComesBackFromItsFile, ()) {
    testing::TemporaryFolder folder;
    Document document = newDocument();
    document.name = *rc::gen::container<std::string>(rc::gen::inRange('a', 'z'));
    for (int i = *rc::gen::inRange(0, 4); i > 0; --i) {
        Cue cue;
        cue.id = takeId(document);
        cue.name = "cue " + std::to_string(cue.id);
        cue.patch = randomPatch();
        Take take;
        take.id = takeId(document);
        take.patch = randomPatch();
        take.name = "take";
        if (*rc::gen::arbitrary<bool>()) take.likeness = *rc::gen::inRange(0, 101);
        cue.takes.push_back(std::make_shared<const Take>(take));
        cue.locks.insert(*rc::gen::elementOf(cue.patch.addresses()));
        document.activeCue = cue.id;
        document = withCue(document, std::move(cue));
    }
    saveProject(folder / "any.facet", document, 3);
    const LoadedProject loaded = loadProject(folder / "any.facet");
    RC_ASSERT(loaded.generation == 3);
    RC_ASSERT(loaded.document.name == document.name);
    RC_ASSERT(loaded.document.activeCue == document.activeCue);
    RC_ASSERT(loaded.document.cues.size() == document.cues.size());
    for (std::size_t i = 0; i < document.cues.size(); ++i) {
        const Cue &was = *document.cues[i], &is = *loaded.document.cues[i];
        RC_ASSERT(is.patch == was.patch);
        RC_ASSERT(is.locks == was.locks);
        RC_ASSERT(is.takes.size() == was.takes.size());
        for (std::size_t t = 0; t < was.takes.size(); ++t) {
            RC_ASSERT(is.takes[t]->patch == was.takes[t]->patch);
            RC_ASSERT(is.takes[t]->likeness == was.takes[t]->likeness);
        }
    }
}

} // namespace
} // namespace facet
