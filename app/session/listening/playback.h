// What is heard: the player on an output, with volume and choices remembered while the program runs.
#pragma once

#include "core/devices/audio_output.h"
#include "core/devices/midi_input.h"
#include "core/player/player.h"

#include <QObject>
#include <QString>
#include <QTimer>
#include <memory>

namespace facet {

/// GUI thread only.
class Playback : public QObject {
    Q_OBJECT

public:
    explicit Playback(const std::string& outputName, QObject* parent = nullptr);
    ~Playback() override;

    Player& player() { return *player_; }
    AudioOutput& output() { return *output_; }
    /// Opens another output; what was given to the player must be given again (outputChanged signals it).
    void chooseOutput(const std::string& name);

    /// The keyboard whose keys are played, null: none. Its keys reach the player on a thread of their own.
    MidiInput* keyboard() { return keyboard_.get(); }
    /// Opens a MIDI input by name, empty: the first there is. A device that does not open is reported.
    void chooseKeyboard(const std::string& name);
    void closeKeyboard();

    /// Place in the sound in seconds, at any speed.
    double position() const { return player_->position() / slowness_; }
    void seek(double seconds) { player_->seek(seconds * slowness_); }
    /// How many times slower sounds are played, at the same pitch: 1, 2, 4 or 8. Sounds must be given again, stretched
    /// (slownessChanged signals it).
    void setSlowness(int times);
    int slowness() const { return slowness_; }

    void toggle();
    void play(Side side);
    void swap();
    void listenTo(Side side);
    void setTogether(Together together);
    Together together() const { return together_; }
    /// While a blind test runs, nothing may show which side plays.
    void setBlind(bool on);
    bool blind() const { return blind_; }
    void setLooping(bool on);
    bool looping() const { return looping_; }
    void setLoop(double begin, double end);
    void setVolume(double db);
    double volume() const { return volumeDb_; }
    void panic();

signals:
    void changed();
    void outputChanged();
    void keyboardChanged();
    /// A key of the keyboard went down or up.
    void keyPlayed(int key, bool down);
    /// A controller without a meaning of its own, 0 … 1. Emitted on the thread of the MIDI input.
    void controllerTurned(int number, double value);
    void slownessChanged();
    void problem(const QString& sentence, const QString& detail);

private:
    void open(const std::string& name);
    void watch();
    void takeKeys(std::span<const std::uint8_t> message);

    std::unique_ptr<Player> player_;
    std::unique_ptr<AudioOutput> output_; ///< stops before the player goes
    std::unique_ptr<MidiInput> keyboard_; ///< likewise
    QTimer watch_;                        ///< notices a device that went away
    bool looping_ = true;
    double loopBegin_ = 0.0;
    double loopEnd_ = 0.0;
    double volumeDb_ = 0.0;
    int slowness_ = 1;
    Together together_ = Together::swapped;
    bool blind_ = false;
};

} // namespace facet
