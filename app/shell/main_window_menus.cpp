// The window's menus, and the questions they ask.
#include "app/shell/main_window.h"

#include "app/session/session.h"
#include "app/views/facets/next_moves_view.h"
#include "app/views/patch/patch_view.h"
#include "app/views/notes/keyboard_strip.h"
#include "app/views/listening/mirror_view.h"
#include "app/views/reference/reference_page.h"
#include "app/views/search/search_view.h"
#include "app/views/reference/source_picture.h"

#include <QActionGroup>
#include <QComboBox>
#include <QDateTime>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QRegularExpression>
#include <QStatusBar>
#include <algorithm>
#include <optional>

namespace facet {

namespace {

/// "200 – 4000" as two frequencies, 0 where one is left out; nothing when it is neither that nor empty.
std::optional<std::pair<double, double>> parseFocus(const QString& text) {
    if (text.trimmed().isEmpty()) return std::pair(0.0, 0.0);
    static const QRegularExpression form(R"(^\s*(\d*[.,]?\d*)\s*(?:Hz)?\s*[-–:]\s*(\d*[.,]?\d*)\s*(?:Hz)?\s*$)");
    const auto found = form.match(text);
    if (!found.hasMatch()) return std::nullopt;
    const auto hz = [&](int which) { return found.captured(which).replace(',', '.').toDouble(); };
    const double low = hz(1);
    const double high = hz(2);
    if ((low != 0.0 && (low < 20.0 || low > 10000.0)) ||
        (high != 0.0 && (high < 40.0 || high > 20000.0 || high < 2.0 * low)))
        return std::nullopt;
    return std::pair(low, high);
}

} // namespace

void MainWindow::makeFileMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&File"));
    menu->addAction(tr("&New project"), QKeySequence::New, this, [this] {
        if (confirmLosing()) session_.document.newProject();
    });
    menu->addAction(tr("&Open project …"), QKeySequence::Open, this, &MainWindow::openProject);
    menu->addAction(tr("&Save"), QKeySequence::Save, this, [this] { saveOrAsk(); });
    menu->addAction(tr("Save &as …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), this, &MainWindow::saveAs);
    menu->addSeparator();
    menu->addAction(tr("Open &reference …"), QKeySequence(Qt::CTRL | Qt::Key_R), this, &MainWindow::openReference);
    recent_ = menu->addMenu(tr("Recent re&ferences"));
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
    menu->addAction(tr("Recor&d a reference …"), this, &MainWindow::recordReference);
    menu->addAction(tr("Import &MIDI notes …"), QKeySequence(Qt::CTRL | Qt::Key_I), this, &MainWindow::importNotes);
    menu->addSeparator();
    menu->addAction(tr("Open &patch …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O), this, &MainWindow::openPatch);
    menu->addAction(tr("Save pa&tch …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_P), this, &MainWindow::savePatch);
    menu->addAction(tr("Export notes as MI&DI …"), this, &MainWindow::exportNotes);
    menu->addAction(tr("&Export render …"), QKeySequence(Qt::CTRL | Qt::Key_E), this, &MainWindow::exportRender);
    menu->addSeparator();
    menu->addAction(tr("&Quit"), QKeySequence(Qt::CTRL | Qt::Key_Q), this, &QWidget::close);
}

void MainWindow::makeEditMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Edit"));
    QAction* undo = session_.document.undoStack().createUndoAction(this, tr("&Undo"));
    undo->setShortcut(QKeySequence::Undo);
    QAction* redo = session_.document.undoStack().createRedoAction(this, tr("&Redo"));
    redo->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
    menu->addActions({undo, redo});
    menu->addSeparator();
    menu->addAction(tr("&Find a parameter"), QKeySequence::Find, this, [this] {
        showView("patch");
        patch_->startFinding();
    });
    menu->addAction(tr("Take the best next &move"), QKeySequence(Qt::CTRL | Qt::Key_Return), this,
                    [this] { moves_->take(0); });
    menu->addAction(tr("&Hear the best next move, or before"), QKeySequence(Qt::CTRL | Qt::Key_H), this,
                    [this] { moves_->hear(moves_->heard() == 0 ? -1 : 0); });
    menu->addAction(tr("&Keep take"), QKeySequence(Qt::CTRL | Qt::Key_K), this, [this] { session_.takes.keep(); });
    menu->addAction(tr("&Compare takes …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_T), this, [this] {
        if (session_.document.cue())
            compareTakes(session_.document.cue()->takes.empty() ? 0 : session_.document.cue()->takes.back()->id);
    });
    menu->addAction(tr("What changed since the last &take …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_K), this,
                    [this] {
                        if (session_.document.cue() && !session_.document.cue()->takes.empty())
                            showChanges(session_.document.cue()->takes.back()->id);
                        else
                            statusBar()->showMessage(tr("There is no take yet; keep one with Ctrl+K."), 4000);
                    });
    menu->addAction(tr("&Begin from …"), QKeySequence(Qt::CTRL | Qt::Key_G), this, &MainWindow::beginFrom);
    menu->addAction(tr("&Empty patch"), this, [this] { session_.takes.replacePatch(tr("Empty patch"), Patch()); });
    menu->addAction(tr("Unlock &all parameters"), this,
                    [this] { session_.document.editCue(tr("Unlock all"), [](Cue& cue) { cue.locks.clear(); }); });
}

void MainWindow::makeCueMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Cue"));
    menu->addAction(tr("&Add cue"), QKeySequence(Qt::CTRL | Qt::Key_T), this, [this] { session_.addCue(); });
    menu->addAction(tr("&Rename cue …"), this, [this] {
        bool fine = false;
        const QString name = QInputDialog::getText(this, tr("Rename cue"), tr("Name"), QLineEdit::Normal,
                                                   QString::fromStdString(session_.document.cue()->name), &fine);
        if (fine && !name.trimmed().isEmpty()) session_.document.renameCue(name.trimmed());
    });
    menu->addAction(tr("Re&move cue"), this, [this] { session_.document.removeCue(); });
    const auto step = [this](int by) {
        const int count = cues_->count();
        session_.document.selectCue(cues_->itemData((cues_->currentIndex() + by + count) % count).toULongLong());
    };
    menu->addAction(tr("&Next cue"), QKeySequence(Qt::CTRL | Qt::Key_PageDown), this, [step] { step(1); });
    menu->addAction(tr("&Previous cue"), QKeySequence(Qt::CTRL | Qt::Key_PageUp), this, [step] { step(-1); });
    menu->addSeparator();
    menu->addAction(tr("Use &selection as reference"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R), this,
                    [this] { session_.reference.useSelectionAsReference(); });
    menu->addAction(tr("&Find notes again"), this, [this] { session_.notes.findAgain(); });
    menu->addAction(tr("Read the notes another &way"), QKeySequence(Qt::SHIFT | Qt::Key_F4), this,
                    [this] { session_.notes.chooseNextReading(); });
    menu->addAction(tr("Focus &band …"), QKeySequence(Qt::CTRL | Qt::Key_B), this, &MainWindow::askFocus);
    menu->addAction(tr("Set &tempo …"), this, [this] {
        bool fine = false;
        const double bpm = QInputDialog::getDouble(this, tr("Tempo"), tr("Quarter notes per minute"),
                                                   session_.document.performance().tempo, 10, 1000, 2, &fine);
        if (fine) session_.notes.setTempo(bpm);
    });
    menu->addAction(tr("Tap te&mpo"), QKeySequence(Qt::Key_F3), this, &MainWindow::tapTempo);
    menu->addAction(tr("Half tempo"), this,
                    [this] { session_.notes.setTempo(0.5 * session_.document.performance().tempo); });
    menu->addAction(tr("Double tempo"), this,
                    [this] { session_.notes.setTempo(2.0 * session_.document.performance().tempo); });
    menu->addSeparator();
    menu->addAction(tr("&Match / stop"), QKeySequence(Qt::CTRL | Qt::Key_M), this, [this] { matchButton_->click(); });
}

void MainWindow::makePlayMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Play"));
    // Space, X and / work wherever no text is typed; see eventFilter().
    menu->addAction(tr("Play or stop\tSpace"), this, [this] { session_.playback.toggle(); });
    menu->addAction(tr("Swap reference and render\tX"), this, [this] { session_.playback.swap(); });
    menu->addAction(tr("Loop on or off\t/"), this,
                    [this] { session_.playback.setLooping(!session_.playback.looping()); });
    menu->addAction(tr("Play the reference"), QKeySequence(Qt::CTRL | Qt::Key_1), this,
                    [this] { session_.playback.play(Side::reference); });
    menu->addAction(tr("Play the render"), QKeySequence(Qt::CTRL | Qt::Key_2), this,
                    [this] { session_.playback.play(Side::render); });
    auto* ways = new QActionGroup(this);
    const auto addWay = [&](const QString& name, Qt::Key digit, Together together, bool difference) {
        QAction* way = menu->addAction(name, QKeySequence(Qt::CTRL | digit), this, [this, together, difference] {
            session_.listening.hearDifference(difference);
            session_.playback.setTogether(together);
        });
        way->setCheckable(true);
        way->setChecked(digit == Qt::Key_3);
        ways->addAction(way);
    };
    addWay(tr("One at a time"), Qt::Key_3, Together::swapped, false);
    addWay(tr("The other one each time the loop begins"), Qt::Key_4, Together::alternating, false);
    addWay(tr("Reference left, render right"), Qt::Key_5, Together::ears, false);
    addWay(tr("Difference only: lacking, too much"), Qt::Key_6, Together::swapped, true);
    QAction* together = menu->addAction(tr("All cues together in the piece"), QKeySequence(Qt::CTRL | Qt::Key_7), this,
                                        [this] { session_.listening.hearPiece(!session_.listening.hearingPiece()); });
    together->setCheckable(true);
    connect(&session_.listening, &Listening::pieceChanged, together,
            [this, together] { together->setChecked(session_.listening.hearingPiece()); });
    menu->addAction(tr("&Blind test …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B), this, &MainWindow::testBlind);
    menu->addSeparator();
    menu->addAction(tr("Loop the chosen note"), QKeySequence(Qt::CTRL | Qt::Key_L), this, [this] {
        const auto notes = session_.document.performance().notes;
        const int i = mirror_->selectedNote();
        if (i >= 0 && i < static_cast<int>(notes.size()))
            session_.document.setLoop(notes[static_cast<std::size_t>(i)].start, notes[static_cast<std::size_t>(i)].end);
    });
    menu->addAction(tr("Loop the whole sound"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_L), this,
                    [this] { session_.document.setLoop(0, 0); });
    menu->addSeparator();
    auto* speeds = new QActionGroup(this);
    int key = Qt::Key_1;
    for (const auto& [name, times] : {std::pair{tr("Full speed"), 1},
                                      {tr("Half speed, same pitch"), 2},
                                      {tr("Quarter speed, same pitch"), 4},
                                      {tr("Eighth speed, same pitch"), 8}}) {
        QAction* speed = menu->addAction(name, QKeySequence(Qt::ALT | static_cast<Qt::Key>(key++)), this,
                                         [this, times = times] { session_.playback.setSlowness(times); });
        speed->setCheckable(true);
        speed->setChecked(times == 1);
        speeds->addAction(speed);
    }
    menu->addSeparator();
    QAction* anew =
        menu->addAction(tr("Slowly: play the render anew, envelopes at full speed"), QKeySequence(Qt::ALT | Qt::Key_5),
                        this, [this] { session_.listening.setSlowAnew(!session_.listening.slowAnew()); });
    anew->setCheckable(true);
    menu->addAction(tr("Record moves of parameters\tR"), this,
                    [this] { session_.automation.record(!session_.automation.recording()); });
    menu->addAction(tr("Stop all sound\tEsc"), this, [this] { session_.playback.panic(); });
}

void MainWindow::makeViewMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&View"));
    menu->addAction(tr("&Reference"), QKeySequence(Qt::Key_F2), this, [this] { showView("reference"); });
    menu->addAction(tr("&Notes"), QKeySequence(Qt::Key_F4), this, [this] { showView("notes"); });
    menu->addAction(tr("&Facets"), QKeySequence(Qt::Key_F5), this, [this] { showView("facets"); });
    menu->addAction(tr("&Patch"), QKeySequence(Qt::Key_F6), this, [this] { showView("patch"); });
    menu->addAction(tr("&Search"), QKeySequence(Qt::Key_F7), this, [this] { showView("search"); });
    menu->addAction(tr("&Build"), QKeySequence(Qt::SHIFT | Qt::Key_F6), this, [this] { showView("build"); });
    menu->addAction(tr("S&heet"), QKeySequence(Qt::SHIFT | Qt::Key_F8), this, [this] { showView("sheet"); });
    menu->addAction(tr("Pi&ece"), QKeySequence(Qt::SHIFT | Qt::Key_F7), this, [this] { showView("piece"); });
    menu->addSeparator();
    auto* pictures = new QActionGroup(this);
    const auto picture = [&](const QString& name, MirrorView::Picture which, const QKeySequence& key) {
        QAction* action = menu->addAction(name, key, this, [this, which] { mirror_->setPicture(which); });
        action->setCheckable(true);
        action->setChecked(which == MirrorView::Picture::wave);
        pictures->addAction(action);
    };
    picture(tr("Mirror: &waveform"), MirrorView::Picture::wave, QKeySequence(Qt::Key_F8));
    picture(tr("Mirror: spectro&gram"), MirrorView::Picture::spectrum, QKeySequence(Qt::Key_F9));
    picture(tr("Mirror: &level"), MirrorView::Picture::level, QKeySequence(Qt::Key_F10));
    picture(tr("Mirror: p&itch"), MirrorView::Picture::pitch, QKeySequence(Qt::Key_F11));
    picture(tr("Mirror: &difference"), MirrorView::Picture::difference, QKeySequence(Qt::SHIFT | Qt::Key_F9));
    // On the reference page the source is looked at, elsewhere the mirror.
    const auto zoom = [this](double factor) {
        if (reference_->isVisible())
            reference_->picture().zoom(factor, reference_->picture().wantedPart().begin);
        else
            mirror_->zoom(factor, mirror_->secondsAt(mirror_->rulerRect().center().x()));
    };
    menu->addAction(tr("Zoom &in"), QKeySequence::ZoomIn, this, [zoom] { zoom(1.6); });
    menu->addAction(tr("Zoom &out"), QKeySequence::ZoomOut, this, [zoom] { zoom(1.0 / 1.6); });
    menu->addAction(tr("Show &all"), QKeySequence(Qt::CTRL | Qt::Key_0), this,
                    [this] { reference_->isVisible() ? reference_->picture().showAll() : mirror_->showAll(); });
    menu->addSeparator();
    keyboardAction_ = menu->addAction(tr("&Keyboard"), QKeySequence(Qt::Key_F12), this,
                                      [this] { showKeyboard(keyboard_->isHidden()); });
    keyboardAction_->setCheckable(true);
    QAction* dark =
        menu->addAction(tr("&Dark theme"), QKeySequence(Qt::CTRL | Qt::Key_D), this, [this] { setDark(!dark_); });
    dark->setCheckable(true);
}

void MainWindow::makeHelpMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Help"));
    menu->addAction(tr("&Keys"), QKeySequence::HelpContents, this, [this] {
        QMessageBox::information(
            this, tr("Keys"),
            tr("<p><b>Listening</b><br>Space play or stop · X swap reference and render · / loop · R record moves · "
               "Ctrl+3 … 7 one at a time, in turn, an ear each, the difference, all cues together · Esc stop all sound "
               "· Enter presses the control that has the focus</p>"
               "<p><b>Playing the patch</b><br>A W S E D F T G Y H U J K play notes, − and + change the octave · F12 "
               "shows the keyboard and what the phrase does not play</p>"
               "<p><b>Notes on the mirror</b><br>← → choose · ↑ ↓ semitone · Ctrl+↑ ↓ octave · Ctrl+← → 5 ms · "
               "Delete</p>"
               "<p><b>The patch</b><br>↑ ↓ from line to line · Enter opens one · Alt+↑ ↓ pass an effect earlier or "
               "later "
               "· Ctrl+C, Ctrl+V copy a line onto another · Delete removes · Ctrl+F finds a parameter</p>"
               "<p><b>Curves</b><br>arrows move the chosen handle, with Shift finely · Page Up, Page Down choose · "
               "Insert "
               "and Delete for breakpoints</p>"
               "<p><b>Values</b><br>arrows step, with Shift finely · type a number with its unit, x2, 250+30, C2 or "
               "1/16 "
               "· double-click: default · right click: ties and more</p>"));
    });
    menu->addAction(tr("&About Facet"), this, [this] {
        QMessageBox::about(this, tr("About Facet"),
                           tr("<p><b>Facet</b> rebuilds a synthesizer sound heard on a recording.</p>"
                              "<p>Free software under the GNU General Public License, version 3 or later.</p>"));
    });
}

/// A tap a beat: the median distance of the last taps is a quarter note. A pause of two seconds begins anew.
void MainWindow::tapTempo() {
    const qint64 now = QDateTime::currentMSecsSinceEpoch();
    if (!taps_.empty() && now - taps_.back() > 2000) taps_.clear();
    taps_.push_back(now);
    if (taps_.size() < 3) {
        statusBar()->showMessage(tr("Tap on with each beat …"), 2000);
        return;
    }
    std::vector<qint64> distances;
    for (std::size_t i = taps_.size() - std::min<std::size_t>(taps_.size() - 1, 8); i < taps_.size(); ++i)
        distances.push_back(taps_[i] - taps_[i - 1]);
    std::nth_element(distances.begin(), distances.begin() + static_cast<std::ptrdiff_t>(distances.size() / 2),
                     distances.end());
    const double tempo = 60000.0 / static_cast<double>(std::max<qint64>(60, distances[distances.size() / 2]));
    session_.notes.setTempo(std::round(2.0 * tempo) / 2.0);
}

void MainWindow::askFocus() {
    if (!session_.document.cue()) return;
    const auto text = [](double hz) { return hz > 0.0 ? QString("%1").arg(hz, 0, 'f', 0) : QString(); };
    const QString now =
        session_.document.cue()->focused()
            ? tr("%1 – %2").arg(text(session_.document.cue()->focusLowHz), text(session_.document.cue()->focusHighHz))
            : QString();
    bool fine = false;
    const QString typed = QInputDialog::getText(
        this, tr("Focus band"),
        tr("Hear, compare and search only between two frequencies in Hz,\nfor example 200 – 4000. Empty: everything."),
        QLineEdit::Normal, now, &fine);
    if (!fine) return;
    if (const auto band = parseFocus(typed))
        session_.document.setFocus(band->first, band->second);
    else
        showProblem(tr("“%1” is not a band: type two frequencies from 20 to 20000 Hz, the lower one first.").arg(typed),
                    {});
}

} // namespace facet
