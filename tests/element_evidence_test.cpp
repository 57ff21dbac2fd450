// What recordings say of elements, in words: sounds of known making by the engine and by another program.
#include "core/audio/audio_file.h"
#include "core/engine/render.h"
#include "core/match/element_evidence.h"
#include "core/performance/midi_file.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>
#include <map>
#include <regex>
#include <string>

namespace facet {
namespace {

using testing::link;
using testing::oneNote;

std::map<Element, std::string> evidenceOf(const Recording& recording, const Performance& performance) {
    return evidenceIn(measureProfile(recording, performance));
}

std::map<Element, std::string> evidenceInDemo(const std::string& name) {
    const Recording recording = readAudio(std::string(FACET_SOURCE_DIR "/demo/") + name + ".flac");
    Performance performance = readMidi(std::string(FACET_SOURCE_DIR "/demo/") + name + ".mid");
    performance.rateHz = recording.rateHz;
    performance.frames = recording.frameCount();
    performance.channelCount = recording.channelCount();
    return evidenceOf(recording, performance);
}

TEST(ElementEvidence, TellsEchoesOfAnotherProgramsSound) {
    const auto found = evidenceInDemo("comet-tail-echoes");
    ASSERT_TRUE(found.contains(Element::delay));
    EXPECT_NE(found.at(Element::delay).find("375 ms"), std::string::npos) << found.at(Element::delay);
    EXPECT_NE(found.at(Element::delay).find("side to side"), std::string::npos);
    EXPECT_FALSE(found.contains(Element::reverb)) << "the tail is the echoes'";
    EXPECT_FALSE(evidenceInDemo("comet-tail").contains(Element::delay));
    EXPECT_FALSE(evidenceInDemo("comet-tail").contains(Element::reverb)) << "a release is no room";
}

TEST(ElementEvidence, TellsAFilterThatCloses) {
    const auto found = evidenceInDemo("airlock");
    ASSERT_TRUE(found.contains(Element::sweptFilter));
    EXPECT_NE(found.at(Element::sweptFilter).find("kHz to"), std::string::npos) << found.at(Element::sweptFilter);
    ASSERT_TRUE(found.contains(Element::saw));
    EXPECT_FALSE(found.contains(Element::vibrato));
}

TEST(ElementEvidence, TellsAGateAndAFallingPitch) {
    const auto gated = evidenceInDemo("beacon");
    EXPECT_TRUE(gated.contains(Element::gate));
    const auto hit = evidenceInDemo("touchdown");
    ASSERT_TRUE(hit.contains(Element::pitchEnvelope));
    EXPECT_NE(hit.at(Element::pitchEnvelope).find("above"), std::string::npos);
}

TEST(ElementEvidence, TellsWhatMovesWithItsRate) {
    Patch patch;
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "rate"}, 5.5);
    link(patch, "layer:a/lfo:a", "layer:a/source:a/cents", 30.0);
    const Performance note = oneNote(57, 0.0, 2.4, 2.6);
    const auto found = evidenceOf(render(patch, note), note);
    ASSERT_TRUE(found.contains(Element::vibrato));
    EXPECT_NE(found.at(Element::vibrato).find("5.5 times a second"), std::string::npos);
    EXPECT_TRUE(std::regex_search(found.at(Element::vibrato), std::regex("by (29|30|31) cents")))
        << found.at(Element::vibrato);
    EXPECT_FALSE(evidenceOf(render(Patch(), note), note).contains(Element::vibrato));
}

TEST(ElementEvidence, TellsHowLevelFollowsVelocity) {
    Patch patch;
    patch.set({"layer:a", "velocity"}, 30.0);
    Performance notes = oneNote(57, 0.0, 0.4, 2.2);
    const Note first = notes.notes.front();
    notes.notes.clear();
    double at = 0.0;
    for (const double velocity : {127.0, 40.0, 90.0, 64.0}) {
        Note note = first;
        note.start = at;
        note.end = at + 0.4;
        note.velocity = velocity;
        notes.notes.push_back(note);
        at += 0.5;
    }
    EXPECT_TRUE(evidenceOf(render(patch, notes), notes).contains(Element::velocityToLevel));
    EXPECT_FALSE(evidenceOf(render(Patch(), notes), notes).contains(Element::velocityToLevel));
}

} // namespace
} // namespace facet
