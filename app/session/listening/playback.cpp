#include "app/session/listening/playback.h"

#include "core/base/error.h"

namespace facet {

Playback::Playback(const std::string& outputName, QObject* parent) : QObject(parent) {
    open(outputName);
    connect(&watch_, &QTimer::timeout, this, &Playback::watch);
    watch_.start(500);
}

Playback::~Playback() {
    keyboard_.reset();
    output_->stop();
}

void Playback::open(const std::string& name) {
    const std::string keys = keyboard_ && !keyboard_->simulated() ? keyboard_->name() : "";
    keyboard_.reset(); // it plays into the player that goes
    if (output_) output_->stop();
    output_ = openOutput(name);
    player_ = std::make_unique<Player>(output_->rateHz());
    player_->setLoop(loopBegin_ * slowness_, loopEnd_ * slowness_, looping_);
    player_->setVolume(volumeDb_);
    player_->setTogether(together_);
    const auto callback = [this](float* stereo, int frames) { player_->fill(stereo, frames); };
    try {
        output_->start(callback);
    } catch (const Error& failure) {
        emit problem(QString::fromUtf8(failure.what()), QString::fromStdString(failure.detail()));
        output_ = std::make_unique<SimulatedOutput>();
        player_ = std::make_unique<Player>(output_->rateHz());
        output_->start(callback);
    }
    if (!keys.empty()) chooseKeyboard(keys);
}

void Playback::takeKeys(std::span<const std::uint8_t> message) {
    if (const auto turned = controllerTurnOf(message)) emit controllerTurned(turned->number, turned->value);
    const auto event = keyEventOf(message);
    if (!event) return;
    player_->keyEvent(*event);
    const bool down = event->kind == KeyEvent::Kind::noteOn;
    if (down || event->kind == KeyEvent::Kind::noteOff) emit keyPlayed(event->key, down);
}

void Playback::chooseKeyboard(const std::string& name) {
    keyboard_.reset();
    try {
        keyboard_ = openMidiInput(name, [this](std::span<const std::uint8_t> message) { takeKeys(message); });
        if (!keyboard_ && !name.empty())
            emit problem(tr("The MIDI input “%1” is not there any more; connect it again or choose another.")
                             .arg(QString::fromStdString(name)),
                         {});
    } catch (const Error& failure) {
        emit problem(QString::fromUtf8(failure.what()), QString::fromStdString(failure.detail()));
    }
    emit keyboardChanged();
}

void Playback::closeKeyboard() {
    keyboard_.reset();
    emit keyboardChanged();
}

void Playback::chooseOutput(const std::string& name) {
    open(name);
    emit outputChanged();
    emit changed();
}

void Playback::watch() {
    if (output_->alive()) return;
    const QString lost = QString::fromStdString(output_->name());
    chooseOutput(SimulatedOutput().name());
    emit problem(tr("The sound device “%1” went away; connect it again or choose another output.").arg(lost), {});
}

void Playback::setSlowness(int times) {
    if (times == slowness_) return;
    const double place = position();
    slowness_ = times;
    player_->clearSound(Side::reference);
    player_->clearSound(Side::render);
    player_->setLoop(loopBegin_ * slowness_, loopEnd_ * slowness_, looping_);
    emit slownessChanged();
    seek(place);
    emit changed();
}

void Playback::toggle() {
    if (player_->playing())
        player_->stop();
    else
        player_->play();
    emit changed();
}

void Playback::play(Side side) {
    player_->listenTo(side);
    player_->play();
    emit changed();
}

void Playback::swap() { listenTo(player_->side() == Side::reference ? Side::render : Side::reference); }

void Playback::listenTo(Side side) {
    player_->listenTo(side);
    emit changed();
}

void Playback::setTogether(Together together) {
    together_ = together;
    player_->setTogether(together);
    emit changed();
}

void Playback::setBlind(bool on) {
    blind_ = on;
    emit changed();
}

void Playback::setLooping(bool on) {
    looping_ = on;
    player_->setLoop(loopBegin_ * slowness_, loopEnd_ * slowness_, looping_);
    emit changed();
}

void Playback::setLoop(double begin, double end) {
    loopBegin_ = begin;
    loopEnd_ = end;
    player_->setLoop(begin * slowness_, end * slowness_, looping_);
    emit changed();
}

void Playback::setVolume(double db) {
    volumeDb_ = db;
    player_->setVolume(db);
    emit changed();
}

void Playback::panic() {
    player_->panic();
    emit changed();
}

} // namespace facet

#include "moc_playback.cpp"
