// A real audio server between Facet and a listener: JACK with its dummy device, run by tests/with_sound_server.
#include "app/session/listening/playback.h"
#include "core/base/units.h"
#include "tests/support/sounds.h"

#include <QCoreApplication>
#include <QTest>
#include <RtMidi.h>
#include <atomic>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <gtest/gtest.h>
#include <jack/jack.h>
#include <numbers>

namespace facet {
namespace {

/// Another program on the sound server, that hears what Facet plays.
class Listener {
public:
    Listener() : client_(jack_client_open("listener", JackNoStartServer, nullptr)) {
        if (!client_) return;
        port_ = jack_port_register(client_, "in", JACK_DEFAULT_AUDIO_TYPE, JackPortIsInput, 0);
        jack_set_process_callback(client_, &hear, this);
        jack_activate(client_);
    }
    ~Listener() {
        if (client_) jack_client_close(client_);
    }
    Listener(const Listener&) = delete;
    Listener& operator=(const Listener&) = delete;

    /// Connects to the first port that plays into the speakers.
    bool connectToWhatPlays() {
        const char** speakers = jack_get_ports(client_, "system:playback", nullptr, 0);
        if (!speakers) return false;
        const char** players = jack_port_get_all_connections(client_, jack_port_by_name(client_, speakers[0]));
        const bool connected = players && jack_connect(client_, players[0], jack_port_name(port_)) == 0;
        jack_free(static_cast<void*>(players));
        jack_free(static_cast<void*>(speakers));
        return connected;
    }
    std::int64_t frames() const { return frames_; }
    double rms() const { return std::sqrt(energy_ / static_cast<double>(frames_)); }
    void startOver() { restart_ = true; }

private:
    static int hear(jack_nframes_t count, void* user) {
        auto* self = static_cast<Listener*>(user);
        const auto* samples = static_cast<const float*>(jack_port_get_buffer(self->port_, count));
        double sum = 0.0;
        for (jack_nframes_t i = 0; i < count; ++i) sum += static_cast<double>(samples[i]) * samples[i];
        const bool restart = self->restart_.exchange(false);
        self->energy_ = (restart ? 0.0 : self->energy_.load()) + sum;
        self->frames_ = (restart ? 0 : self->frames_.load()) + count;
        return 0;
    }

    jack_client_t* client_;
    jack_port_t* port_ = nullptr;
    std::atomic<double> energy_ = 0.0;
    std::atomic<std::int64_t> frames_ = 0;
    std::atomic<bool> restart_ = false;
};

Recording tone() {
    return testing::soundOf(10.0, 48000, [](double t) { return 0.25 * std::sin(2.0 * std::numbers::pi * 997.0 * t); });
}

// One test: the server is gone afterwards.
TEST(SoundServer, IsPlayedToAndMayGoAway) {
    ASSERT_FALSE(openOutput()->simulated()) << "run this through tests/with_sound_server";
    EXPECT_GE(outputNames().size(), 2u);
    Playback playback("");
    ASSERT_FALSE(playback.output().simulated());
    EXPECT_EQ(playback.output().rateHz(), 48000);
    playback.player().setSound(Side::reference, tone(), 0.0);
    Listener listener;
    ASSERT_TRUE(listener.connectToWhatPlays());
    playback.play(Side::reference);
    ASSERT_TRUE(QTest::qWaitFor([&] { return listener.frames() > 14400; }, 30000)) << "it has begun";
    listener.startOver();
    ASSERT_TRUE(QTest::qWaitFor([&] { return listener.frames() > 96000; }, 30000)) << listener.frames();
    // The server drops a block now and then on a busy machine; the level says that the rest arrived whole.
    EXPECT_NEAR(dbFromGain(listener.rms()), dbFromGain(0.25 / std::numbers::sqrt2), 0.5);

    // A keyboard on the same server: its keys sound.
    RtMidiOut keys(RtMidi::UNIX_JACK, "Stage keys");
    keys.openVirtualPort("out");
    std::string port;
    for (const std::string& name : midiInputNames())
        if (name.find("Stage keys") != std::string::npos) port = name;
    ASSERT_FALSE(port.empty());
    playback.player().setPatch(compile(Patch()));
    playback.chooseKeyboard(port);
    ASSERT_NE(playback.keyboard(), nullptr);
    EXPECT_FALSE(playback.keyboard()->simulated());
    const std::vector<unsigned char> down{0x90, 60, 100}, up{0x80, 60, 0};
    keys.sendMessage(&down);
    EXPECT_TRUE(QTest::qWaitFor([&] { return playback.player().liveNotes() == 1; }, 15000));
    keys.sendMessage(&up);
    EXPECT_TRUE(QTest::qWaitFor([&] { return playback.player().liveNotes() == 0; }, 15000));
    playback.closeKeyboard();
    keys.closePort();

    QString shown;
    QObject::connect(&playback, &Playback::problem, [&](const QString& sentence) { shown = sentence; });
    ::kill(static_cast<pid_t>(std::atoi(std::getenv("FACET_SOUND_SERVER"))),
           SIGTERM); // killed harder it would leave its shared memory behind
    ASSERT_TRUE(QTest::qWaitFor([&] { return playback.output().simulated(); }, 24000));
    EXPECT_TRUE(shown.contains("went away")) << shown.toStdString();
    playback.player().setSound(Side::reference, tone(), 0.0);
    playback.play(Side::reference);
    ASSERT_TRUE(QTest::qWaitFor([&] { return playback.player().position() > 0.2; }, 10000)) << "play goes on";
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    const QCoreApplication app(argc, argv);
    ::testing::InitGoogleTest(&argc, argv);
    return RUN_ALL_TESTS();
}
