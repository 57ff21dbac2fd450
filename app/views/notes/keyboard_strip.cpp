#include "app/views/notes/keyboard_strip.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/views/notes/piano_keys.h"
#include "app/views/common/theme.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QSpinBox>
#include <QVBoxLayout>

namespace facet {

namespace {

constexpr int warningStaysMs = 4000;

} // namespace

KeyboardStrip::KeyboardStrip(DocumentStore& document, Listening& listening, Playback& playback, QWidget* parent)
    : QWidget(parent), document_(document), listening_(listening), playback_(playback) {
    setObjectName("keyboardStrip");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* line = new QHBoxLayout;
    line->setSpacing(8);
    const auto number = [&](const QString& name, int low, int high, int value, const QString& tip) {
        auto* caption = new QLabel(name, this);
        caption->setObjectName("quiet");
        line->addWidget(caption);
        auto* box = new QSpinBox(this);
        box->setRange(low, high);
        box->setValue(value);
        box->setButtonSymbols(QAbstractSpinBox::NoButtons);
        box->setFixedWidth(48);
        box->setAlignment(Qt::AlignCenter);
        box->setAccessibleName(name);
        box->setToolTip(tip);
        caption->setBuddy(box);
        line->addWidget(box);
        return box;
    };
    octave_ = number(tr("Letters play from C"), 0, 8, 4, tr("The letters A to K are the keys of one octave (− and +)"));
    velocity_ = number(tr("at velocity"), 1, 127, 100, tr("Velocity of the letters, 1 to 127"));
    auto* caption = new QLabel(tr("MIDI input"), this);
    caption->setObjectName("quiet");
    line->addSpacing(8);
    line->addWidget(caption);
    inputs_ = new QComboBox(this);
    inputs_->setAccessibleName(tr("MIDI input"));
    inputs_->setToolTip(
        tr("Where keys, wheel, bend, pressure and pedal come from; the simulated keyboard plays a short phrase"));
    inputs_->setMinimumWidth(170);
    connect(inputs_, &QComboBox::activated, this, [this](int index) {
        const QString name = inputs_->itemData(index).toString();
        name.isEmpty() ? playback_.closeKeyboard() : playback_.chooseKeyboard(name.toStdString());
    });
    line->addWidget(inputs_);
    line->addStretch(1);
    engineState_ = new QLabel(this);
    engineState_->setObjectName("engineState");
    engineState_->setAccessibleName(tr("State of the engine"));
    line->addWidget(engineState_);
    layout->addLayout(line);
    keys_ = new PianoKeys(this);
    layout->addWidget(keys_);
    connect(keys_, &PianoKeys::pressed, this, &KeyboardStrip::press);
    connect(keys_, &PianoKeys::released, this, &KeyboardStrip::release);
    connect(keys_, &PianoKeys::wanted, this, [this](int key, double velocity) {
        Note note;
        note.key = key;
        note.velocity = velocity;
        listening_.hearNote(note);
    });
    connect(&playback_, &Playback::keyPlayed, keys_, &PianoKeys::setDown);
    connect(&playback_, &Playback::keyboardChanged, this, [this] {
        keys_->allUp();
        fillInputs();
    });
    fillInputs();
}

void KeyboardStrip::fillInputs() {
    inputs_->clear();
    inputs_->addItem(tr("none"), QString());
    for (const std::string& name : midiInputNames()) {
        inputs_->addItem(QString::fromStdString(name), QString::fromStdString(name));
        const MidiInput* open = playback_.keyboard();
        if (open && open->name() == name) inputs_->setCurrentIndex(inputs_->count() - 1);
    }
}

void KeyboardStrip::refresh() { keys_->setPhrase(document_.performance().notes); }

void KeyboardStrip::tick() {
    Player& player = playback_.player();
    const std::uint64_t notesStolen = player.liveNotesStolen();
    const float load = player.takeLoad();
    const auto* voicing = document_.cue() ? document_.cue()->patch.find("voicing") : nullptr;
    const bool poly =
        voicing && document_.cue()->patch.value({"voicing", "mode"}) == static_cast<double>(VoiceMode::poly);
    const int limit = poly ? static_cast<int>(document_.cue()->patch.value({"voicing", "voices"})) : 1;
    if (load > 1.0f) {
        warning_ = tr("Too much for this machine: the sound broke up");
        warnedAgo_.start();
    } else if (notesStolen > notesStolen_ && poly) {
        warning_ = tr("More than %1 notes: the oldest gave way").arg(limit);
        warnedAgo_.start();
    }
    notesStolen_ = notesStolen;
    const bool warned = warnedAgo_.isValid() && warnedAgo_.elapsed() < warningStaysMs;
    const QString words = warned ? warning_
                                 : tr("%1 of %2 notes · engine %3 % busy")
                                       .arg(player.liveNotes())
                                       .arg(limit)
                                       .arg(100.0 * static_cast<double>(load), 0, 'f', 0);
    if (engineState_->text() == words) return;
    engineState_->setText(words);
    QPalette palette = engineState_->palette();
    palette.setColor(QPalette::WindowText, warned ? theme().warning : theme().quiet);
    engineState_->setPalette(palette);
}

void KeyboardStrip::press(int key, double velocity) {
    keys_->setDown(key, true);
    playback_.player().noteOn(key, velocity);
}

void KeyboardStrip::release(int key) {
    keys_->setDown(key, false);
    playback_.player().noteOff(key);
}

bool KeyboardStrip::playLetter(int key, bool down) {
    static const QString row = "AWSEDFTGYHUJK";
    if (!down) {
        const auto found = lettersDown_.find(key);
        if (found == lettersDown_.end()) return false;
        release(found->second);
        lettersDown_.erase(found);
        return true;
    }
    if (key == Qt::Key_Minus || key == Qt::Key_Plus) {
        octave_->setValue(octave_->value() + (key == Qt::Key_Plus ? 1 : -1));
        emit notice(tr("The keys A to K play from C%1").arg(octave_->value()));
        return true;
    }
    const auto step = key >= Qt::Key_A && key <= Qt::Key_Z ? row.indexOf(QChar(key)) : -1;
    if (step < 0) return false;
    if (lettersDown_.contains(key)) return true;
    const int note = std::min(127, 12 * (octave_->value() + 1) + static_cast<int>(step));
    lettersDown_[key] = note;
    press(note, velocity_->value());
    return true;
}

} // namespace facet

#include "moc_keyboard_strip.cpp"
