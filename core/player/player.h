// Playing: reference and render swapped in place at equal loudness, and the live engine for keys.
#pragma once

#include "core/audio/recording.h"
#include "core/engine/compile/graph.h"
#include "core/performance/key_event.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace facet {

/// The two sounds the transport swaps between.
enum class Side : std::uint8_t { reference, render };

/// How they are heard.
enum class Together : std::uint8_t {
    swapped,     ///< one at a time
    alternating, ///< one at a time, the other each time the loop begins anew
    ears,        ///< the reference left, the render right, each of them mono
};

/// A sound made ready to be played. A long one takes a while: any thread may make it.
class PlayableSound {
public:
    /// At `rateHz`, interleaved, as stereo, beginning at a place on the player's time line.
    PlayableSound(const Recording& recording, int rateHz, double gainDb = 0.0, double beginSeconds = 0.0);

private:
    friend class Player;
    std::vector<float> stereo_;
    float gain_ = 1.0f;
    int begin_ = 0; ///< frames
    int end() const { return stereo_.empty() ? 0 : begin_ + static_cast<int>(stereo_.size() / 2); }
};

/// Everything but fill() and keyEvent() belongs to one controlling thread (the window's); fill() belongs to the audio
/// thread, which never allocates, locks, frees or waits; keyEvent() to the thread of a MIDI input. Lock-free queues
/// cross between them.
class Player {
public:
    explicit Player(int rateHz);
    ~Player();

    int rateHz() const;

    // ---- transport ----

    /// Gives one side's sound with the gain in dB that matches its loudness. Converted to the player's rate here.
    /// Takes over within a short cross-fade, at the same place, while playing.
    void setSound(Side side, const Recording& recording, double gainDb);
    void setSound(Side side, std::unique_ptr<const PlayableSound> sound);
    void clearSound(Side side);
    /// What is heard together with either side; null: nothing. Its level may change at any time.
    void setBacking(std::unique_ptr<const PlayableSound> sound);
    void setBackingLevel(double db);
    void play();
    void stop();
    /// Swaps in place within 20 ms; takes effect at once when stopped.
    void listenTo(Side side);
    /// Changes within 20 ms too.
    void setTogether(Together together);
    /// Plays [begin, end) seconds over and over; begin = end: the whole sound. Looping can be switched off.
    void setLoop(double begin, double end, bool on);
    void seek(double seconds);
    /// Level of everything, dB; −60 and below is silence.
    void setVolume(double db);

    bool playing() const;
    double position() const; ///< seconds
    Side side() const;
    /// Highest magnitude since the last call, before the limiter.
    float takePeak();
    /// Whether anything may still sound in the live engine.
    bool liveActive() const;
    /// Notes sounding in it, and how many were stolen since it was made.
    int liveNotes() const;
    std::uint64_t liveNotesStolen() const;
    /// The largest share of real time that a call of fill() took since the last call; above 1 the sound breaks up.
    float takeLoad();

    // ---- live ----

    /// The patch for keys. A change of values is followed while notes sound; another graph replaces the engine and
    /// lets the old one fade.
    void setPatch(const Graph& graph);
    void noteOn(int key, double velocity);
    void noteOff(int key);
    /// Ends every sound at once.
    void panic();
    /// The same from a keyboard, at once, whatever the window is busy with. While the pedal is down notes go on.
    void keyEvent(const KeyEvent& event);

    // ---- audio thread ----

    void fill(float* stereo, int frames);

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
