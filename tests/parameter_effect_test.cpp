// Each parameter of the table does something: it is heard, stays finite at its ends, and moves the facets that it
// says it answers for.
#include "core/base/error.h"
#include "core/compare/comparison.h"
#include "core/engine/render.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

/// Everything on, everything at a place from which it can be heard to move.
Patch richPatch() {
    Patch patch;
    const auto set = [&](const char* module, const char* field, double value) { patch.set({module, field}, value); };
    set("voicing", "mode", 1.0); // mono, so that glide is heard
    set("voicing", "glide", 150.0);
    set("layer:a/source:a", "wave", static_cast<double>(Wave::pulse));
    set("layer:a/source:a", "width", 30.0);
    set("layer:a/source:a", "voices", 3.0);
    set("layer:a/source:a", "detune", 20.0);
    set("layer:a/source:a", "spread", 60.0);
    set("layer:a/source:b", "on", 1.0);
    set("layer:a/source:b", "wave", static_cast<double>(Wave::pulse));
    set("layer:a/source:b", "width", 20.0);
    set("layer:a/source:b", "voices", 2.0);
    set("layer:a/source:b", "detune", 12.0);
    set("layer:a/source:b", "spread", 40.0);
    set("layer:a/source:b", "level", 3.0);
    set("layer:a/filter:a", "on", 1.0);
    set("layer:a/filter:a", "cutoff", 700.0);
    set("layer:a/filter:a", "resonance", 30.0);
    set("layer:a/filter:a", "envelope", 24.0);
    set("layer:a/envelope:filter", "attack", 90.0);
    set("layer:a/envelope:filter", "decay", 200.0);
    set("layer:a/envelope:filter", "sustain", 60.0);
    set("layer:a/envelope:filter", "release", 300.0);
    set("layer:a/envelope:level", "attack", 80.0);
    set("layer:a/envelope:level", "decay", 250.0);
    set("layer:a/envelope:level", "sustain", 50.0);
    set("layer:a/envelope:level", "release", 400.0);
    set("output", "level", -12.0);
    return patch;
}

/// Overlapping and separate notes, soft and loud, high and low; voices beyond any limit at the end.
Performance phrase() {
    Performance performance = testing::oneNote(45, 0.02, 0.5, 2.0, 48000, 2);
    performance.notes.push_back({0.4, 0.7, 52, 0.0, 60.0});
    performance.notes.push_back({1.1, 1.5, 48, 0.0, 127.0});
    performance.normalize();
    return performance;
}

double difference(const Recording& a, const Recording& b) {
    double sum = 0.0;
    for (std::size_t c = 0; c < a.channels.size(); ++c)
        for (std::size_t i = 0; i < a.channels[c].size(); ++i) sum += std::abs(a.channels[c][i] - b.channels[c][i]);
    return sum / static_cast<double>(a.channels.size() * a.channels[0].size());
}

void expectSane(const Recording& recording, const std::string& what) {
    for (const auto& channel : recording.channels)
        for (float v : channel) {
            ASSERT_TRUE(std::isfinite(v)) << what;
            ASSERT_LT(std::abs(v), 1000.0f) << what; // 30 dB of resonance and 24 dB of output add up
        }
}

TEST(EveryParameter, IsHeardAndStaysFiniteAtItsEnds) {
    const Patch patch = richPatch();
    const Recording before = render(patch, phrase());
    for (const Address& address : patch.addresses()) {
        if (address.field == "bend_range") continue; // of the wheel; a performance's bends are in cents
        const auto& d = patch.descriptor(address);
        double most = 0.0;
        for (double value : {d.low, d.nearest(d.fromUnit(0.4)), d.high}) {
            Patch changed = patch;
            changed.set(address, value);
            if (address == Address{"voicing", "voices"}) changed.set({"voicing", "mode"}, 0.0);
            const Recording after = render(changed, phrase());
            expectSane(after, address.text());
            most = std::max(most, difference(before, after));
        }
        EXPECT_GT(most, 1e-5) << address.text() << " is not heard";
    }
}

/// What a comparison is deaf to on purpose: loudness, phase, a wheel that nobody moves, a limit that is not reached.
bool isTakenOut(const Address& address) {
    return address == Address{"output", "level"} || address == Address{"layer:a", "level"} ||
           address.field == "phase" || address.field == "phase_random" || address.field == "bend_range" ||
           address == Address{"voicing", "voices"};
}

TEST(EveryParameter, MovesAFacetItAnswersFor) {
    const Patch patch = richPatch();
    const Profile reference = measureProfile(render(patch, phrase()), phrase());
    for (const Address& address : patch.addresses()) {
        if (isTakenOut(address)) continue;
        const auto& d = patch.descriptor(address);
        bool measured = false;
        double least = 100.0;
        for (double value : {d.low, d.high}) {
            Patch changed = patch;
            changed.set(address, value);
            const Comparison comparison =
                compare(reference, measureProfile(render(changed, phrase()), phrase(), {.source = &reference.source}));
            for (const FacetComparison& facet : comparison.facets) {
                if (!facet.measured || !(d.facets & facetBit(facet.facet))) continue;
                measured = true;
                least = std::min(least, facet.likeness);
            }
        }
        EXPECT_TRUE(!measured || least < 98.5) << address.text() << " leaves " << least;
    }
}

TEST(EveryParameter, IsReachedByItsSliderAndItsTextFromEndToEnd) {
    const Patch patch = richPatch();
    for (const Address& address : patch.addresses()) {
        const auto& d = patch.descriptor(address);
        EXPECT_EQ(d.fromUnit(0.0), d.low) << address.text();
        EXPECT_EQ(d.fromUnit(1.0), d.high) << address.text();
        EXPECT_EQ(d.nearest(d.low - 1e6), d.low) << address.text();
        EXPECT_EQ(d.nearest(d.high + 1e6), d.high) << address.text();
        Patch changed = patch;
        EXPECT_THROW(changed.set(address, d.high + 1.0), Error) << address.text();
        EXPECT_THROW(changed.set(address, std::nan("")), Error) << address.text();
        EXPECT_EQ(changed, patch);
    }
}

} // namespace
} // namespace facet
