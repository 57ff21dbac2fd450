#include "core/base/units.h"
#include "core/devices/audio_output.h"
#include "core/devices/midi_input.h"
#include "core/performance/key_event.h"
#include "core/player/player.h"
#include "tests/support/allocations.h"
#include "tests/support/sounds.h"

#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <gtest/gtest.h>
#include <mutex>
#include <new>
#include <numbers>
#include <thread>

namespace facet {
namespace {

Recording sine(double hz, double amplitude, double seconds = 1.0) {
    return testing::soundOf(seconds, 48000,
                            [=](double t) { return amplitude * std::sin(2.0 * std::numbers::pi * hz * t); });
}

double rms(const std::vector<float>& stereo, int begin, int end) {
    double sum = 0.0;
    for (int i = begin; i < end; ++i)
        sum += static_cast<double>(stereo[static_cast<std::size_t>(2 * i)]) * stereo[static_cast<std::size_t>(2 * i)];
    return std::sqrt(sum / (end - begin));
}

std::vector<float> fill(Player& player, int frames) {
    std::vector<float> out(static_cast<std::size_t>(2 * frames));
    for (int at = 0; at < frames; at += 256) player.fill(out.data() + 2 * at, std::min(256, frames - at));
    return out;
}

float largestStep(const std::vector<float>& stereo, int begin, int end) {
    float step = 0.0f;
    for (int i = begin + 1; i < end; ++i)
        step = std::max(
            step, std::abs(stereo[static_cast<std::size_t>(2 * i)] - stereo[static_cast<std::size_t>(2 * i - 2)]));
    return step;
}

TEST(Transport, SwapsInPlaceAtMatchedLoudness) {
    Player player(48000);
    player.setSound(Side::reference, sine(200.0, 0.5), 0.0);
    player.setSound(Side::render, sine(1000.0, 0.05), 20.0);
    player.play();
    const auto reference = fill(player, 12000);
    EXPECT_NEAR(rms(reference, 4800, 12000), 0.5 / std::numbers::sqrt2, 0.01);
    const double before = player.position();
    player.listenTo(Side::render);
    const auto render = fill(player, 12000);
    EXPECT_NEAR(player.position() - before, 0.25, 1e-6) << "the swap moved the place";
    EXPECT_NEAR(rms(render, 4800, 12000), 0.5 / std::numbers::sqrt2, 0.01) << "equal loudness";
    EXPECT_LT(largestStep(render, 0, 12000), 0.5f * 2.0f * 3.15f * 1000.0f / 48000.0f + 0.02f) << "a click";
}

TEST(Transport, LoopsAndEnds) {
    Player player(48000);
    player.setSound(Side::reference, sine(200.0, 0.5), 0.0);
    player.setLoop(0.25, 0.5, true);
    player.seek(0.25);
    player.play();
    fill(player, 48000);
    EXPECT_TRUE(player.playing());
    EXPECT_TRUE(player.position() >= 0.25 && player.position() <= 0.51);
    player.setLoop(0.0, 0.0, false);
    fill(player, 48000);
    EXPECT_FALSE(player.playing()) << "the sound has an end";
}

/// RMS of one channel, 0 left.
double channelRms(const std::vector<float>& stereo, int channel, int begin, int end) {
    double sum = 0.0;
    for (int i = begin; i < end; ++i) {
        const double x = stereo[static_cast<std::size_t>(2 * i + channel)];
        sum += x * x;
    }
    return std::sqrt(sum / (end - begin));
}

TEST(Transport, SwapsWithinTwoBuffersAndWithoutAClickInTheSpectrum) {
    Player player(48000);
    player.setSound(Side::reference, sine(200.0, 0.5, 2.0), 0.0);
    player.setSound(Side::render, sine(310.0, 0.5, 2.0), 0.0);
    player.play();
    fill(player, 9600);
    player.listenTo(Side::render);
    // Two buffers later nothing of the reference is left.
    std::vector<float> out = fill(player, 4096);
    const auto part = [&](double hz, int begin, int size) {
        std::vector<float> left;
        for (int i = 0; i < 4096; ++i) left.push_back(out[static_cast<std::size_t>(2 * i)]);
        return testing::componentDb(left, begin, size, hz, 48000.0);
    };
    // A click is broad: nothing of it stands out of the cross-fade between 4 and 20 kHz.
    for (double hz = 4000.0; hz < 20000.0; hz += 375.0) EXPECT_LT(part(hz, 0, 4096), -75.0) << hz;
    player.stop();
    fill(player, 4096);
    player.listenTo(Side::reference);
    player.play();
    fill(player, 9600);
    player.listenTo(Side::render);
    fill(player, 2 * 512);
    out = fill(player, 4096);
    EXPECT_NEAR(part(310.0, 0, 4096), dbFromGain(0.5), 0.3);
    EXPECT_LT(part(200.0, 0, 4096), -60.0);
}

TEST(Transport, AlternatesWhereTheLoopBegins) {
    Player player(48000);
    player.setSound(Side::reference, sine(200.0, 0.5), 0.0);
    player.setSound(Side::render, sine(200.0, 0.1), 0.0);
    player.setLoop(0.0, 0.25, true);
    player.setTogether(Together::alternating);
    player.play();
    const auto out = fill(player, 48000);
    for (int turn = 0; turn < 4; ++turn)
        EXPECT_NEAR(rms(out, 12000 * turn + 2400, 12000 * turn + 9600),
                    (turn % 2 == 0 ? 0.5 : 0.1) / std::numbers::sqrt2, 0.01)
            << turn;
    player.setTogether(Together::swapped);
    const Side side = player.side();
    fill(player, 36000);
    EXPECT_EQ(player.side(), side);
}

TEST(Transport, GivesEachEarItsOwnSound) {
    Player player(48000);
    Recording wide = sine(200.0, 0.4);
    wide.channels.push_back(std::vector<float>(wide.channels[0].size(), 0.0f)); // all of it on the left
    player.setSound(Side::reference, wide, 0.0);
    player.setSound(Side::render, sine(200.0, 0.1), 6.0206);
    player.setTogether(Together::ears);
    player.play();
    auto out = fill(player, 24000);
    EXPECT_NEAR(channelRms(out, 0, 4800, 24000), 0.2 / std::numbers::sqrt2, 0.01) << "mono, of both channels";
    EXPECT_NEAR(channelRms(out, 1, 4800, 24000), 0.2 / std::numbers::sqrt2, 0.01) << "at matched loudness";
    player.setTogether(Together::swapped);
    out = fill(player, 9600);
    EXPECT_LT(largestStep(out, 0, 9600), 0.03f) << "a click";
    EXPECT_NEAR(channelRms(out, 1, 4800, 9600), 0.0, 1e-4) << "the reference as it is";
}

TEST(Transport, PlaysABackingBehindEitherSide) {
    Player player(48000);
    player.setSound(Side::reference, std::make_unique<const PlayableSound>(sine(200.0, 0.2), 48000, 0.0, 0.5));
    player.setBacking(std::make_unique<const PlayableSound>(sine(1000.0, 0.1, 2.0), 48000));
    player.setLoop(0.0, 0.0, false);
    player.play();
    const auto first = fill(player, 96000);
    EXPECT_NEAR(rms(first, 4800, 23000), 0.1 / std::numbers::sqrt2, 1e-3) << "before the sound's place";
    EXPECT_NEAR(rms(first, 28800, 67200), std::sqrt(0.5 * (0.04 + 0.01)), 2e-3) << "both";
    EXPECT_NEAR(rms(first, 76800, 93000), 0.1 / std::numbers::sqrt2, 1e-3) << "behind it";
    fill(player, 2000);
    EXPECT_FALSE(player.playing()) << "at the end of the longer one";
    player.listenTo(Side::render);
    player.play();
    fill(player, 4800);
    EXPECT_NEAR(rms(fill(player, 9600), 0, 9600), 0.1 / std::numbers::sqrt2, 1e-3) << "the other side is empty";
    player.setBackingLevel(-20.0);
    fill(player, 4800);
    EXPECT_NEAR(rms(fill(player, 9600), 0, 9600), 0.01 / std::numbers::sqrt2, 1e-3);
    player.setBacking(nullptr);
    fill(player, 4800);
    EXPECT_LT(rms(fill(player, 4800), 0, 4800), 1e-6);
}

TEST(Transport, BothSidesMayBeReplacedAtOnceWithoutAClick) {
    Player player(48000);
    player.setSound(Side::reference, sine(200.0, 0.5), 0.0);
    player.setSound(Side::render, sine(200.0, 0.5), 0.0);
    player.play();
    fill(player, 9640); // not at a zero of the sound
    player.setSound(Side::reference, sine(200.0, 0.1), 0.0);
    player.setSound(Side::render, sine(200.0, 0.1), 0.0);
    const auto over = fill(player, 4800);
    EXPECT_LT(largestStep(over, 0, 4800), 0.5f * 2.0f * 3.15f * 200.0f / 48000.0f + 0.002f);
}

TEST(Transport, NewSoundTakesOverWithoutAClick) {
    Player player(48000);
    player.setSound(Side::render, sine(100.0, 0.8), 0.0);
    player.listenTo(Side::render);
    player.play();
    fill(player, 9600);
    player.setSound(Side::render, sine(100.0, 0.4), 0.0);
    const auto out = fill(player, 9600);
    EXPECT_LT(largestStep(out, 0, 9600), 0.02f);
    EXPECT_NEAR(rms(out, 4800, 9600), 0.4 / std::numbers::sqrt2, 0.01);
}

TEST(Transport, NeverExceedsFullScale) {
    Player player(48000);
    player.setSound(Side::reference, sine(300.0, 5.0), 12.0);
    player.play();
    for (float v : fill(player, 9600)) ASSERT_LE(std::abs(v), 1.0f);
    EXPECT_GT(player.takePeak(), 1.0f) << "the overload is told";
}

TEST(LivePlaying, SoundsFollowsEditsAndStops) {
    Player player(48000);
    Patch patch;
    patch.set({"layer:a/source:a", "wave"}, 0.0);
    patch.set({"output", "level"}, -12.0);
    player.setPatch(compile(patch));
    player.noteOn(69, 100.0);
    EXPECT_NEAR(rms(fill(player, 9600), 4800, 9600), gainFromDb(-12.0) / std::numbers::sqrt2, 0.01);
    EXPECT_TRUE(player.liveActive());
    patch.set({"output", "level"}, -18.0); // values: followed
    player.setPatch(compile(patch));
    EXPECT_NEAR(rms(fill(player, 9600), 4800, 9600), gainFromDb(-18.0) / std::numbers::sqrt2, 0.01);
    patch.set({"layer:a/filter:a", "on"}, 1.0); // another graph: the old one fades
    player.setPatch(compile(patch));
    EXPECT_LT(largestStep(fill(player, 9600), 0, 9600), 0.03f);
    player.noteOn(60, 100.0);
    fill(player, 4800);
    player.panic();
    EXPECT_EQ(rms(fill(player, 4800), 512, 4800), 0.0);
}

/// MIDI bytes as a keyboard sends them.
void send(Player& player, std::initializer_list<std::uint8_t> bytes) {
    const std::vector<std::uint8_t> message(bytes);
    if (const auto event = keyEventOf(message)) player.keyEvent(*event);
}

double pitchOf(const std::vector<float>& stereo, int begin, int end) {
    int crossings = 0;
    for (int i = begin + 1; i < end; ++i)
        crossings +=
            stereo[static_cast<std::size_t>(2 * i)] > 0.0f && stereo[static_cast<std::size_t>(2 * i - 2)] <= 0.0f;
    return 48000.0 * crossings / (end - begin);
}

Patch plainSine() {
    Patch patch;
    patch.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
    return patch;
}

TEST(LivePlaying, FollowsAKeyboard) {
    Player player(48000);
    player.setPatch(compile(plainSine()));
    send(player, {0x93, 69, 100}); // any channel
    auto heard = fill(player, 24000);
    EXPECT_NEAR(pitchOf(heard, 4800, 24000), 440.0, 4.0);
    EXPECT_EQ(player.liveNotes(), 1);
    // Full bend is the patch's bend range: two semitones, the default of MIDI (common practice, no source).
    send(player, {0xe3, 0x7f, 0x7f});
    heard = fill(player, 24000);
    EXPECT_NEAR(pitchOf(heard, 4800, 24000), 440.0 * std::exp2(2.0 / 12.0), 5.0);
    Patch wider = plainSine();
    wider.set({"voicing", "bend_range"}, 12.0);
    player.setPatch(compile(wider));
    heard = fill(player, 24000);
    EXPECT_NEAR(pitchOf(heard, 4800, 24000), 880.0, 8.0) << "a wider range is taken while the wheel is held";
    send(player, {0xe3, 0x00, 0x40});
    send(player, {0x93, 69, 0}); // velocity 0 lets go
    fill(player, 24000);
    EXPECT_EQ(player.liveNotes(), 0);
}

TEST(LivePlaying, NotesLastWhileThePedalIsDown) {
    Player player(48000);
    player.setPatch(compile(plainSine()));
    send(player, {0xb0, 64, 127});
    send(player, {0x90, 60, 100});
    send(player, {0x80, 60, 0});
    fill(player, 9600);
    EXPECT_EQ(player.liveNotes(), 1);
    send(player, {0xb0, 64, 0});
    fill(player, 9600);
    EXPECT_EQ(player.liveNotes(), 0);
    for (int key : {60, 64, 67}) send(player, {0x90, static_cast<std::uint8_t>(key), 90});
    fill(player, 9600);
    EXPECT_EQ(player.liveNotes(), 3);
    send(player, {0xb0, 123, 0});
    fill(player, 9600);
    EXPECT_EQ(player.liveNotes(), 0) << "all notes off";
}

TEST(LivePlaying, CountsWhatHadToGiveWay) {
    Player player(48000);
    Patch patch;
    patch.set({"voicing", "voices"}, 3.0);
    player.setPatch(compile(patch));
    for (std::uint8_t key = 60; key < 65; ++key) send(player, {0x90, key, 90});
    fill(player, 4800);
    EXPECT_EQ(player.liveNotes(), 3);
    EXPECT_EQ(player.liveNotesStolen(), 2u);
    EXPECT_GT(player.takeLoad(), 0.0f);
    EXPECT_EQ(player.takeLoad(), 0.0f) << "until the next call";
}

TEST(Keyboards, MessagesMeanWhatMidiSays) {
    using Kind = KeyEvent::Kind;
    const auto of = [](std::initializer_list<std::uint8_t> bytes) {
        const std::vector<std::uint8_t> message(bytes);
        return keyEventOf(message);
    };
    EXPECT_EQ(of({0x9f, 36, 1}), (KeyEvent{Kind::noteOn, 36, 1.0}));
    EXPECT_EQ(of({0x90, 36, 0}), (KeyEvent{Kind::noteOff, 36, 0.0}));
    EXPECT_EQ(of({0xe0, 0, 0}), (KeyEvent{Kind::bend, 0, -1.0}));
    EXPECT_EQ(of({0xe0, 0, 64}), (KeyEvent{Kind::bend, 0, 0.0}));
    EXPECT_EQ(of({0xe0, 127, 127}), (KeyEvent{Kind::bend, 0, 1.0}));
    EXPECT_EQ(of({0xd2, 127}), (KeyEvent{Kind::pressure, 0, 1.0}));
    EXPECT_EQ(of({0xb0, 1, 127}), (KeyEvent{Kind::wheel, 0, 1.0}));
    EXPECT_EQ(of({0xb0, 7, 127}), std::nullopt) << "a controller without a meaning here";
    for (const auto& broken : {of({}), of({0x90}), of({0x90, 60}), of({0x90, 200, 10}), of({0xf8}), of({60, 100, 3})})
        EXPECT_EQ(broken, std::nullopt);
}

TEST(Keyboards, TheSimulatedOnePlaysItsPhraseAndWhatItIsToldTo) {
    std::mutex mutex;
    std::vector<KeyEvent> events;
    const auto take = [&](std::span<const std::uint8_t> bytes) {
        const std::scoped_lock lock(mutex);
        if (const auto event = keyEventOf(bytes)) events.push_back(*event);
    };
    const auto keyboard = openMidiInput(SimulatedKeyboard::displayName(), take);
    ASSERT_NE(keyboard, nullptr);
    const auto count = [&](KeyEvent::Kind kind) {
        const std::scoped_lock lock(mutex);
        return static_cast<std::size_t>(
            std::count_if(events.begin(), events.end(), [&](auto& e) { return e.kind == kind; }));
    };
    for (int i = 0; i < 500 && count(KeyEvent::Kind::noteOff) < SimulatedKeyboard::keys().size(); ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    EXPECT_EQ(count(KeyEvent::Kind::noteOn), SimulatedKeyboard::keys().size());
    EXPECT_EQ(count(KeyEvent::Kind::noteOff), SimulatedKeyboard::keys().size());
    EXPECT_GT(count(KeyEvent::Kind::bend), 0u);
    EXPECT_GT(count(KeyEvent::Kind::wheel), 0u);

    events.clear();
    SimulatedKeyboard quiet(take, false);
    const std::array<std::uint8_t, 3> message{0x90, 72, 64};
    quiet.send(message);
    ASSERT_EQ(events.size(), 1u);
    EXPECT_EQ(events[0], (KeyEvent{KeyEvent::Kind::noteOn, 72, 64.0}));
    EXPECT_EQ(openMidiInput("no such keyboard", take), nullptr);
    EXPECT_EQ(midiInputNames().back(), SimulatedKeyboard::displayName());
}

TEST(AudioThread, NeitherAllocatesNorFrees) {
    Player player(48000);
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    player.setPatch(compile(patch));
    player.setSound(Side::reference, sine(200.0, 0.5), 0.0);
    player.play();
    std::vector<float> out(512);
    int allocations = 0;
    for (int i = 0; i < 400; ++i) {
        // The controlling thread's part, not counted.
        if (i % 7 == 0) player.noteOn(40 + i % 30, 90.0);
        if (i % 11 == 0) player.noteOff(40 + i % 30);
        if (i % 13 == 0) player.listenTo(i % 2 ? Side::render : Side::reference);
        if (i % 50 == 0) player.setSound(Side::render, sine(300.0, 0.3), 0.0);
        if (i % 20 == 0) {
            patch.set({"layer:a/filter:a", "cutoff"}, 100.0 + i);
            player.setPatch(compile(patch));
        }
        if (i == 150) {
            patch.set({"layer:a/source:b", "on"}, 1.0);
            player.setPatch(compile(patch));
        }
        const testing::AllocationCounter counter;
        player.fill(out.data(), 256);
        allocations += counter.count();
    }
    EXPECT_EQ(allocations, 0);
}

TEST(SimulatedOutputs, KeepPaceAndLoudness) {
    SimulatedOutput output;
    Player player(output.rateHz());
    player.setSound(Side::reference, sine(997.0, 0.25, 3.0), 0.0);
    output.capture(2.0);
    output.start([&](float* stereo, int frames) { player.fill(stereo, frames); });
    player.play();
    const auto begin = std::chrono::steady_clock::now();
    // Controlling it meanwhile from this thread is what the sanitizer watches.
    while (output.capturedFrames() < 96000 && std::chrono::steady_clock::now() - begin < std::chrono::seconds(10)) {
        player.setVolume(0.0);
        static_cast<void>(player.position());
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    output.stop();
    ASSERT_EQ(output.capturedFrames(), 96000);
    EXPECT_NEAR(seconds, 2.0, 0.6) << "the pace of a sound card, on a busy machine";
    EXPECT_NEAR(rms(output.captured(), 9600, 96000), 0.25 / std::numbers::sqrt2, 0.002);
}

TEST(SimulatedOutputs, StandInWhereThereIsNoDevice) {
    const auto names = outputNames();
    ASSERT_FALSE(names.empty());
    EXPECT_EQ(names.back(), SimulatedOutput().name());
    EXPECT_TRUE(openOutput(SimulatedOutput().name())->simulated());
}

} // namespace
} // namespace facet
