// The keyboard below the page: keys to play the patch by, where they come from, and what the engine says of it.
#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <map>

class QComboBox;
class QLabel;
class QSpinBox;

namespace facet {

class PianoKeys;
class DocumentStore;
class Listening;
class Playback;

/// Plays the patch live by mouse, the computer's keyboard and MIDI input, without touching the phrase. GUI thread only.
class KeyboardStrip : public QWidget {
    Q_OBJECT

public:
    explicit KeyboardStrip(DocumentStore& document, Listening& listening, Playback& playback,
                           QWidget* parent = nullptr);
    /// The phrase may have changed.
    void refresh();
    /// Thirty times a second.
    void tick();
    /// A letter of the computer's keyboard, or − and + for the octave: true when it means something.
    bool playLetter(int key, bool down);
    PianoKeys& keys() { return *keys_; }

signals:
    /// Something worth a line in the status bar.
    void notice(const QString& sentence);

private:
    void press(int key, double velocity);
    void release(int key);
    void fillInputs();

    DocumentStore& document_;
    Listening& listening_;
    Playback& playback_;
    PianoKeys* keys_;
    QSpinBox* octave_;
    QSpinBox* velocity_;
    QComboBox* inputs_;
    QLabel* engineState_;
    std::map<int, int> lettersDown_;
    std::uint64_t notesStolen_ = 0;
    QElapsedTimer warnedAgo_;
    QString warning_;
};

} // namespace facet
