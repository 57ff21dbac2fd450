#include "core/player/player.h"

#include "core/base/units.h"
#include "core/engine/kernels/denormals.h"
#include "core/engine/engine.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <bitset>
#include <boost/lockfree/spsc_queue.hpp>
#include <chrono>
#include <cmath>
#include <optional>
#include <vector>

namespace facet {

namespace {

constexpr double swapSeconds = 0.02;
constexpr double startSeconds = 0.01; ///< soft start and stop
constexpr double engineFadeSeconds = 0.05;
constexpr float limiterKnee = 0.9f;

struct LiveEngine {
    Engine engine;
    double bendSemitones;
    LiveEngine(const Graph& graph, double rate) : engine({&graph, 1}, rate, 1), bendSemitones(graph.bendSemitones) {}
};

/// What crosses to the audio thread. Pointers change owner with the message.
struct Message {
    enum class Kind : std::uint8_t {
        sound,
        backingLevel,
        play,
        stop,
        listen,
        together,
        loop,
        seek,
        volume,
        engine,
        values,
        noteOn,
        noteOff,
        panic
    };
    Kind kind = Kind::stop;
    Side side = Side::reference;
    std::size_t slot = 0;
    const PlayableSound* sound = nullptr;
    LiveEngine* engine = nullptr;
    Graph* graph = nullptr;
    double a = 0.0;
    double b = 0.0;
    bool on = false;
};

/// What comes back to be freed.
struct Waste {
    const PlayableSound* sound = nullptr;
    LiveEngine* engine = nullptr;
    Graph* graph = nullptr;
};

float limited(float x) {
    const float magnitude = std::abs(x);
    if (magnitude <= limiterKnee) return x;
    const float room = 1.0f - limiterKnee;
    return std::copysign(limiterKnee + room * std::tanh((magnitude - limiterKnee) / room), x);
}

} // namespace

struct Player::Impl {
    const double rate;
    boost::lockfree::spsc_queue<Message, boost::lockfree::capacity<1024>> inbox;
    boost::lockfree::spsc_queue<Waste, boost::lockfree::capacity<1024>> outbox;
    boost::lockfree::spsc_queue<KeyEvent, boost::lockfree::capacity<1024>> keys;

    // Seen by both threads.
    std::atomic<bool> playing = false;
    std::atomic<double> seconds = 0.0;
    std::atomic<Side> heard = Side::reference;
    std::atomic<float> peak = 0.0f;
    std::atomic<bool> liveActive = false;
    std::atomic<int> liveNotes = 0;
    std::atomic<std::uint64_t> liveStolen = 0;
    std::atomic<float> load = 0.0f;

    // The audio thread's own.
    struct Slot {
        const PlayableSound* sound = nullptr;
        const PlayableSound* leaving = nullptr; ///< what it replaced, which still fades
        float fresh = 1.0f;                     ///< 0 … 1: how far it has faded in
    };
    static constexpr std::size_t backingSlot = 2;
    std::array<Slot, 3> slots; ///< reference, render, backing
    float backingLevel = 1.0f;
    float backingTarget = 1.0f;
    bool running = false;
    float transport = 0.0f; ///< soft start and stop
    float mix = 0.0f;       ///< 0: reference, 1: render
    Side side = Side::reference;
    Together together = Together::swapped;
    float ears = 0.0f; ///< 0: both in both ears, 1: each in its own
    double at = 0.0;   ///< frames
    int loopBegin = 0;
    int loopEnd = 0;
    bool looping = true;
    float volume = 1.0f;
    float volumeTarget = 1.0f;
    LiveEngine* engine = nullptr;
    LiveEngine* oldEngine = nullptr;
    float oldEngineGain = 0.0f;
    struct EngineFifo {
        std::array<float, 2 * Engine::blockFrames> samples{};
        int begin = 0;
        int end = 0;
    };
    EngineFifo fifo;
    EngineFifo oldFifo;
    bool pedal = false;
    std::bitset<128> heldByPedal; ///< keys that were let go while it was down
    KeyEvent bend{KeyEvent::Kind::bend, 0, 0.0}, wheel{KeyEvent::Kind::wheel, 0, 0.0},
        pressure{KeyEvent::Kind::pressure, 0, 0.0}; ///< where they stand, for the next engine

    // The controlling thread's own.
    std::optional<Graph> graph;

    explicit Impl(int rateHz) : rate(rateHz) {}
    ~Impl() {
        Message message;
        while (inbox.pop(message)) free({message.sound, message.engine, message.graph});
        collect();
        for (const Slot& slot : slots) {
            delete slot.sound;
            delete slot.leaving;
        }
        delete engine;
        delete oldEngine;
    }

    static void free(const Waste& waste) {
        delete waste.sound;
        delete waste.engine;
        delete waste.graph;
    }
    void give(std::size_t slot, std::unique_ptr<const PlayableSound> sound);
    void collect() {
        Waste waste;
        while (outbox.pop(waste)) free(waste);
    }
    void send(const Message& message) {
        collect();
        if (!inbox.push(message))
            free({message.sound, message.engine, message.graph}); // nobody fetches: no device runs
    }

    // ---- audio thread ----

    void discard(const Waste& waste) {
        // The outbox is as large as the inbox, and is emptied at each message: there is always room.
        if (waste.sound || waste.engine || waste.graph) outbox.push(waste);
    }

    static float gainOrSilence(double db) { return static_cast<float>(db <= -60.0 ? 0.0 : gainFromDb(db)); }

    void receive(const Message& message) {
        switch (message.kind) {
        case Message::Kind::sound: replaceSound(slots[message.slot], message.sound); break;
        case Message::Kind::backingLevel: backingTarget = gainOrSilence(message.a); break;
        case Message::Kind::play: running = true; break;
        case Message::Kind::stop: running = false; break;
        case Message::Kind::listen:
            side = message.side;
            if (transport == 0.0f) mix = side == Side::render ? 1.0f : 0.0f;
            break;
        case Message::Kind::together:
            together = static_cast<Together>(static_cast<int>(message.a));
            if (transport == 0.0f) ears = together == Together::ears ? 1.0f : 0.0f;
            break;
        case Message::Kind::loop:
            loopBegin = static_cast<int>(message.a * rate);
            loopEnd = static_cast<int>(message.b * rate);
            looping = message.on;
            break;
        case Message::Kind::seek: at = message.a * rate; break;
        case Message::Kind::volume: volumeTarget = gainOrSilence(message.a); break;
        case Message::Kind::engine:
            discard({nullptr, oldEngine, nullptr});
            oldEngine = engine;
            oldFifo = fifo;
            oldEngineGain = 1.0f;
            engine = message.engine;
            fifo = {};
            for (const KeyEvent& event : {bend, wheel, pressure}) follow(event);
            break;
        case Message::Kind::values:
            if (engine) {
                engine->engine.setValues(*message.graph);
                engine->bendSemitones = message.graph->bendSemitones;
                follow(bend);
            }
            discard({nullptr, nullptr, message.graph});
            break;
        case Message::Kind::noteOn:
            if (engine) engine->engine.noteOn(static_cast<std::uint32_t>(message.a), message.a, message.b);
            break;
        case Message::Kind::noteOff:
            if (engine) engine->engine.noteOff(static_cast<std::uint32_t>(message.a));
            break;
        case Message::Kind::panic:
            running = false;
            transport = 0.0f;
            if (engine) engine->engine.silence();
            if (oldEngine) oldEngine->engine.silence();
            break;
        }
    }

    void follow(const KeyEvent& event) {
        if (!engine) return;
        const auto number = static_cast<std::uint32_t>(event.key);
        const auto place = static_cast<std::size_t>(event.key & 127);
        switch (event.kind) {
        case KeyEvent::Kind::noteOn:
            heldByPedal.reset(place);
            engine->engine.noteOn(number, event.key, event.value);
            break;
        case KeyEvent::Kind::noteOff:
            if (pedal)
                heldByPedal.set(place);
            else
                engine->engine.noteOff(number);
            break;
        case KeyEvent::Kind::bend:
            bend = event;
            engine->engine.bend(event.value * engine->bendSemitones);
            break;
        case KeyEvent::Kind::wheel:
            wheel = event;
            engine->engine.wheel(event.value);
            break;
        case KeyEvent::Kind::pressure:
            pressure = event;
            engine->engine.pressure(event.value);
            break;
        case KeyEvent::Kind::pedal:
            pedal = event.value >= 0.5; // a switch: MIDI 1.0, controllers 64 to 69
            if (!pedal) releaseHeld();
            break;
        case KeyEvent::Kind::allOff:
            for (int key = 0; key < 128; ++key) engine->engine.noteOff(static_cast<std::uint32_t>(key));
            heldByPedal.reset();
            break;
        }
    }
    void releaseHeld() {
        for (std::size_t key = 0; key < heldByPedal.size(); ++key)
            if (heldByPedal[key]) engine->engine.noteOff(static_cast<std::uint32_t>(key));
        heldByPedal.reset();
    }

    void replaceSound(Slot& slot, const PlayableSound* sound) {
        discard({slot.leaving, nullptr, nullptr});
        slot = {sound, slot.sound, 0.0f};
    }

    int lengthFrames() const {
        int frames = 0;
        for (const Slot& slot : slots) frames = std::max(frames, slot.sound ? slot.sound->end() : 0);
        return frames;
    }

    static void add(const PlayableSound* sound, int frame, float gain, float (&to)[2]) {
        if (!sound || gain == 0.0f || frame < sound->begin_ || frame >= sound->end()) return;
        const auto at = static_cast<std::size_t>(2 * (frame - sound->begin_));
        to[0] += gain * sound->gain_ * sound->stereo_[at];
        to[1] += gain * sound->gain_ * sound->stereo_[at + 1];
    }
    static void add(const Slot& slot, int frame, float gain, float (&to)[2]) {
        add(slot.sound, frame, gain * slot.fresh, to);
        add(slot.leaving, frame, gain * (1.0f - slot.fresh), to);
    }

    void addTransport(float& left, float& right) {
        const auto towards = [this](float value, float target, double time) {
            const auto step = static_cast<float>(1.0 / (time * rate));
            return value < target ? std::min(target, value + step) : std::max(target, value - step);
        };
        transport = towards(transport, running ? 1.0f : 0.0f, startSeconds);
        if (transport == 0.0f) return;
        mix = towards(mix, side == Side::render ? 1.0f : 0.0f, swapSeconds);
        ears = towards(ears, together == Together::ears ? 1.0f : 0.0f, swapSeconds);
        for (Slot& slot : slots) slot.fresh = towards(slot.fresh, 1.0f, swapSeconds);
        backingLevel = towards(backingLevel, backingTarget, swapSeconds);
        const int length = lengthFrames();
        const bool partial = loopEnd > loopBegin && loopBegin < length;
        const int begin = partial ? loopBegin : 0;
        const int end = partial ? std::min(loopEnd, length) : length;
        if (at >= end) {
            if (looping && end > begin) {
                at = begin;
                if (together == Together::alternating) side = side == Side::render ? Side::reference : Side::render;
            } else {
                running = false;
                transport = 0.0f;
                at = begin;
                return;
            }
        }
        // A few milliseconds at either end of a loop keep it free of clicks.
        const double edge = std::min(at - begin, end - 1.0 - at) / (0.003 * rate);
        const float gain = transport * static_cast<float>(std::clamp(partial ? edge : 1.0, 0.0, 1.0));
        const int frame = static_cast<int>(at);
        for (int s = 0; s < 2; ++s) {
            const auto i = static_cast<std::size_t>(s);
            const float share = s == 1 ? mix : 1.0f - mix;
            if (share == 0.0f && ears == 0.0f) continue;
            float own[2]{};
            add(slots[i], frame, gain, own);
            left += (1.0f - ears) * share * own[0];
            right += (1.0f - ears) * share * own[1];
            (s == 0 ? left : right) += ears * 0.5f * (own[0] + own[1]);
        }
        float behind[2]{};
        add(slots[backingSlot], frame, gain * backingLevel, behind);
        left += behind[0];
        right += behind[1];
        at += 1.0;
    }

    static void addEngine(LiveEngine* live, EngineFifo& fifo, float gain, float& left, float& right) {
        if (!live) return;
        if (fifo.begin == fifo.end) {
            if (!live->engine.active()) return;
            const auto& block = live->engine.process(Engine::blockFrames).front();
            for (std::size_t i = 0; i < Engine::blockFrames; ++i) {
                fifo.samples[2 * i] = block.left[i];
                fifo.samples[2 * i + 1] = block.right[i];
            }
            fifo.begin = 0;
            fifo.end = Engine::blockFrames;
        }
        const auto i = static_cast<std::size_t>(2 * fifo.begin++);
        left += gain * fifo.samples[i];
        right += gain * fifo.samples[i + 1];
    }

    void fill(float* stereo, int frames) {
        const FlushDenormals flush;
        Message message;
        while (inbox.pop(message)) receive(message);
        KeyEvent event;
        while (keys.pop(event)) follow(event);
        float highest = peak.load(std::memory_order_relaxed);
        for (int i = 0; i < frames; ++i) {
            float left = 0.0f;
            float right = 0.0f;
            addTransport(left, right);
            addEngine(engine, fifo, 1.0f, left, right);
            if (oldEngine) {
                addEngine(oldEngine, oldFifo, oldEngineGain, left, right);
                oldEngineGain -= static_cast<float>(1.0 / (engineFadeSeconds * rate));
                if (oldEngineGain <= 0.0f) {
                    discard({nullptr, oldEngine, nullptr});
                    oldEngine = nullptr;
                }
            }
            volume += (volumeTarget - volume) * 0.001f;
            left *= volume;
            right *= volume;
            highest = std::max({highest, std::abs(left), std::abs(right)});
            stereo[2 * i] = limited(left);
            stereo[2 * i + 1] = limited(right);
        }
        for (Slot& slot : slots)
            if (slot.fresh >= 1.0f) {
                discard({slot.leaving, nullptr, nullptr});
                slot.leaving = nullptr;
            }
        peak.store(highest, std::memory_order_relaxed);
        playing.store(running, std::memory_order_relaxed);
        seconds.store(at / rate, std::memory_order_relaxed);
        heard.store(side, std::memory_order_relaxed);
        liveActive.store(engine && engine->engine.active(), std::memory_order_relaxed);
        liveNotes.store(engine ? engine->engine.notesSounding() : 0, std::memory_order_relaxed);
        liveStolen.store(engine ? engine->engine.notesStolen() : 0, std::memory_order_relaxed);
    }
};

Player::Player(int rateHz) : impl_(std::make_unique<Impl>(rateHz)) {}
Player::~Player() = default;

int Player::rateHz() const { return static_cast<int>(impl_->rate); }

PlayableSound::PlayableSound(const Recording& recording, int rateHz, double gainDb, double beginSeconds)
    : gain_(static_cast<float>(gainFromDb(gainDb))), begin_(static_cast<int>(std::lround(beginSeconds * rateHz))) {
    const Recording converted = atRate(recording, rateHz);
    stereo_.resize(2 * static_cast<std::size_t>(converted.frameCount()));
    for (std::size_t c = 0; c < 2 && !converted.channels.empty(); ++c) {
        const auto& channel = converted.channels[std::min(c, converted.channels.size() - 1)];
        for (std::size_t i = 0; i < channel.size(); ++i) stereo_[2 * i + c] = channel[i];
    }
}

void Player::Impl::give(std::size_t slot, std::unique_ptr<const PlayableSound> sound) {
    Message message;
    message.kind = Message::Kind::sound;
    message.slot = slot;
    message.sound = sound.release();
    send(message);
}

void Player::setSound(Side side, const Recording& recording, double gainDb) {
    setSound(side, std::make_unique<const PlayableSound>(recording, rateHz(), gainDb));
}
void Player::setSound(Side side, std::unique_ptr<const PlayableSound> sound) {
    impl_->give(static_cast<std::size_t>(side), std::move(sound));
}
void Player::clearSound(Side side) { impl_->give(static_cast<std::size_t>(side), nullptr); }
void Player::setBacking(std::unique_ptr<const PlayableSound> sound) {
    impl_->give(Impl::backingSlot, std::move(sound));
}

namespace {

Message simple(Message::Kind kind, double a = 0.0, double b = 0.0) {
    Message message;
    message.kind = kind;
    message.a = a;
    message.b = b;
    return message;
}

} // namespace

void Player::play() {
    impl_->playing = true;
    impl_->send(simple(Message::Kind::play));
}
void Player::stop() {
    impl_->playing = false;
    impl_->send(simple(Message::Kind::stop));
}
void Player::listenTo(Side side) {
    impl_->heard = side;
    Message message = simple(Message::Kind::listen);
    message.side = side;
    impl_->send(message);
}
void Player::setTogether(Together together) {
    impl_->send(simple(Message::Kind::together, static_cast<double>(together)));
}
void Player::setLoop(double begin, double end, bool on) {
    Message message = simple(Message::Kind::loop, begin, end);
    message.on = on;
    impl_->send(message);
}
void Player::seek(double seconds) {
    impl_->seconds = seconds;
    impl_->send(simple(Message::Kind::seek, seconds));
}
void Player::setBackingLevel(double db) { impl_->send(simple(Message::Kind::backingLevel, db)); }
void Player::setVolume(double db) { impl_->send(simple(Message::Kind::volume, db)); }

bool Player::playing() const { return impl_->playing; }
double Player::position() const { return impl_->seconds; }
Side Player::side() const { return impl_->heard; }
float Player::takePeak() { return impl_->peak.exchange(0.0f); }
bool Player::liveActive() const { return impl_->liveActive; }

void Player::setPatch(const Graph& graph) {
    Message message;
    if (impl_->graph && sameGraph(*impl_->graph, graph)) {
        message.kind = Message::Kind::values;
        message.graph = new Graph(graph);
    } else {
        message.kind = Message::Kind::engine;
        message.engine = new LiveEngine(graph, impl_->rate);
    }
    impl_->graph = graph;
    impl_->send(message);
}
void Player::noteOn(int key, double velocity) { impl_->send(simple(Message::Kind::noteOn, key, velocity)); }
void Player::noteOff(int key) { impl_->send(simple(Message::Kind::noteOff, key)); }
void Player::panic() {
    impl_->playing = false;
    impl_->send(simple(Message::Kind::panic));
}

int Player::liveNotes() const { return impl_->liveNotes; }
std::uint64_t Player::liveNotesStolen() const { return impl_->liveStolen; }
float Player::takeLoad() { return impl_->load.exchange(0.0f); }
void Player::keyEvent(const KeyEvent& event) { impl_->keys.push(event); } // where nobody fetches, nothing is played

void Player::fill(float* stereo, int frames) {
    using Clock = std::chrono::steady_clock;
    const auto begin = Clock::now();
    impl_->fill(stereo, frames);
    const double spent = std::chrono::duration<double>(Clock::now() - begin).count();
    const auto share = static_cast<float>(spent * impl_->rate / std::max(1, frames));
    impl_->load.store(std::max(impl_->load.load(std::memory_order_relaxed), share), std::memory_order_relaxed);
}

} // namespace facet
