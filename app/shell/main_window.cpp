#include "app/shell/main_window.h"

#include "app/models/comparison_model.h"
#include "app/session/session.h"
#include "app/views/facet_list.h"
#include "app/views/facet_plot.h"
#include "app/views/mirror_view.h"
#include "app/views/notes_page.h"
#include "app/views/patch_view.h"
#include "app/views/record_dialog.h"
#include "app/views/reference_page.h"
#include "app/views/search_view.h"
#include "app/views/source_picture.h"
#include "app/views/takes_bar.h"
#include "app/views/theme.h"
#include "app/views/transport_bar.h"
#include "core/audio/audio_file.h"
#include "core/base/log.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "core/performance/midi_file.h"

#include <QAbstractButton>
#include <QAbstractSpinBox>
#include <QActionGroup>
#include <QApplication>
#include <QClipboard>
#include <QCloseEvent>
#include <QComboBox>
#include <QDateTime>
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QFrame>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QProgressBar>
#include <QPushButton>
#include <QRegularExpression>
#include <QSettings>
#include <QStackedWidget>
#include <QStatusBar>
#include <QTableView>
#include <QTimer>
#include <QVBoxLayout>
#include <optional>

namespace facet {

namespace {

constexpr const char* audioFilter =
    "Recordings (*.wav *.flac *.aif *.aiff *.ogg *.opus *.mp3 *.caf *.w64);;All files (*)";

std::filesystem::path toPath(const QString& name) { return std::filesystem::path(name.toStdString()); }

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

/// Whether typing goes into a field now, so that letters are text and not notes or shortcuts.
bool isTyping() {
    const QWidget* focus = QApplication::focusWidget();
    return qobject_cast<const QLineEdit*>(focus) || qobject_cast<const QAbstractSpinBox*>(focus) ||
           QApplication::activeModalWidget() || QApplication::activePopupWidget();
}

} // namespace

MainWindow::MainWindow(Session& session) : session_(session) {
    setAcceptDrops(true);
    resize(1280, 800);
    setMinimumSize(960, 640);
    auto* central = new QWidget(this);
    auto* layout = new QVBoxLayout(central);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(makeHeader());

    auto* body = new QWidget(central);
    auto* bodyLayout = new QVBoxLayout(body);
    bodyLayout->setContentsMargins(16, 6, 16, 6);
    bodyLayout->setSpacing(8);
    warning_ = new QLabel(body);
    warning_->setObjectName("warning");
    warning_->setWordWrap(true);
    warning_->hide();
    bodyLayout->addWidget(warning_);
    mirror_ = new MirrorView(session_, body);
    bodyLayout->addWidget(mirror_, 4);
    pages_ = new QStackedWidget(body);
    reference_ = new ReferencePage(session_, pages_);
    pages_->addWidget(reference_);
    notes_ = new NotesPage(session_, *mirror_, pages_);
    pages_->addWidget(notes_);
    pages_->addWidget(makeFacetsPage());
    patch_ = new PatchView(session_, pages_);
    pages_->addWidget(patch_);
    search_ = new SearchView(session_, pages_);
    pages_->addWidget(search_);
    connect(reference_, &ReferencePage::openWanted, this, &MainWindow::openReference);
    connect(reference_, &ReferencePage::recordWanted, this, &MainWindow::recordReference);
    connect(notes_, &NotesPage::importWanted, this, &MainWindow::importNotes);
    connect(notes_, &NotesPage::exportWanted, this, &MainWindow::exportNotes);
    bodyLayout->addWidget(pages_, 8);
    layout->addWidget(body, 1);
    layout->addWidget(makeBottomBar());
    setCentralWidget(central);
    statusBar()->setSizeGripEnabled(false);

    makeFileMenu();
    makeEditMenu();
    makeCueMenu();
    makePlayMenu();
    makeViewMenu();
    makeHelpMenu();

    connect(&session_, &Session::documentChanged, this, &MainWindow::refreshDocument);
    connect(&session_, &Session::resultsChanged, this, &MainWindow::refreshResults);
    connect(&session_, &Session::matchChanged, this, [this] {
        search_->refresh();
        refreshHeader();
    });
    connect(&session_, &Session::problem, this, &MainWindow::showProblem, Qt::QueuedConnection);
    connect(&session_, &Session::notice, this,
            [this](const QString& sentence) { statusBar()->showMessage(sentence, 8000); });
    connect(&session_.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::refreshTitle);
    connect(&session_, &Session::channelsWanted, this, &MainWindow::askChannels);
    connect(&session_, &Session::partsWanted, this, [this] { showView("reference"); });
    connect(mirror_, &MirrorView::seekWanted, this, [this](double seconds) { session_.playback().seek(seconds); });
    clock_ = new QTimer(this);
    clock_->setInterval(33);
    connect(clock_, &QTimer::timeout, this, [this] {
        Player& player = session_.playback().player();
        static bool wasPlaying = false;
        if (session_.auditioning())
            reference_->picture().setPlayhead(session_.auditionPosition());
        else
            mirror_->setPlayhead(session_.playback().position(), player.playing());
        transport_->showPeak(player.takePeak());
        if (wasPlaying != player.playing()) transport_->refresh();
        wasPlaying = player.playing();
    });
    clock_->start();
    qApp->installEventFilter(this);
    showView("facets");
    refreshDocument();
    chooseFacet(facets_->chosen());
}

// ---- parts ----

QWidget* MainWindow::makeHeader() {
    auto* header = new QWidget(this);
    auto* layout = new QHBoxLayout(header);
    layout->setContentsMargins(16, 6, 16, 2);
    project_ = new QLabel(header);
    project_->setFont(interfaceFont(12, QFont::DemiBold));
    layout->addWidget(project_);
    cues_ = new QComboBox(header);
    cues_->setAccessibleName(tr("Cue"));
    cues_->setToolTip(tr("The sound you are rebuilding (Ctrl+PageUp, Ctrl+PageDown)"));
    cues_->setMinimumWidth(180);
    connect(cues_, &QComboBox::activated, this,
            [this](int index) { session_.selectCue(cues_->itemData(index).toULongLong()); });
    layout->addWidget(cues_);
    layout->addSpacing(24);
    const char* const pageKeys[] = {"F2", "F4", "F5", "F6", "F7"};
    int page = 0;
    for (const auto& [id, name] : {std::pair{"reference", tr("Reference")},
                                   {"notes", tr("Notes")},
                                   {"facets", tr("Facets")},
                                   {"patch", tr("Patch")},
                                   {"search", tr("Search")}}) {
        auto* tab = new QPushButton(name, header);
        tab->setObjectName("tab");
        tab->setFont(interfaceFont(10.5, QFont::Medium));
        tab->setCheckable(true);
        tab->setToolTip(tr("%1 (%2)").arg(name, pageKeys[page++]));
        const QString viewId = id;
        connect(tab, &QPushButton::clicked, this, [this, viewId] { showView(viewId); });
        tabs_[viewId] = tab;
        layout->addWidget(tab);
    }
    layout->addStretch(1);
    matchButton_ = new QPushButton(tr("Match"), header);
    matchButton_->setObjectName("primary");
    matchButton_->setToolTip(tr("Search for a patch that sounds alike (Ctrl+M)"));
    matchButton_->setMinimumWidth(150);
    connect(matchButton_, &QPushButton::clicked, this,
            [this] { session_.matchState().running ? session_.stopMatch() : session_.startMatch(search_->seconds()); });
    layout->addWidget(matchButton_);
    layout->addSpacing(20);
    auto* caption = new QLabel(tr("Likeness"), header);
    caption->setObjectName("quiet");
    layout->addWidget(caption);
    likeness_ = new QLabel("–", header);
    likeness_->setObjectName("likeness");
    likeness_->setFont(interfaceFont(17, QFont::DemiBold));
    likeness_->setMinimumWidth(46);
    likeness_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    layout->addWidget(likeness_);
    likenessBar_ = new QProgressBar(header);
    likenessBar_->setTextVisible(false);
    likenessBar_->setFixedSize(110, 6);
    likenessBar_->setAccessibleName(tr("Likeness of the whole sound"));
    layout->addWidget(likenessBar_);
    return header;
}

QWidget* MainWindow::makeFacetsPage() {
    auto* page = new QWidget(this);
    auto* layout = new QHBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(18);
    facets_ = new FacetList(session_, page);
    facets_->setMinimumWidth(220);
    facets_->setMaximumWidth(300);
    layout->addWidget(facets_, 2);
    auto* middle = new QVBoxLayout;
    middle->setSpacing(4);
    plot_ = new FacetPlot(page);
    middle->addWidget(plot_, 3);
    model_ = new ComparisonModel(this);
    table_ = new QTableView(page);
    table_->setModel(model_);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(22);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTabKeyNavigation(false);
    table_->setAccessibleName(tr("Measured values"));
    table_->setMinimumHeight(120);
    middle->addWidget(table_, 2);
    layout->addLayout(middle, 5);
    answers_ = new AnswerView(session_, page);
    answers_->setMinimumWidth(290);
    answers_->setMaximumWidth(330);
    layout->addWidget(answers_, 3);
    connect(facets_, &FacetList::facetChosen, this, &MainWindow::chooseFacet);
    return page;
}

QWidget* MainWindow::makeBottomBar() {
    auto* bar = new QFrame(this);
    bar->setObjectName("bar");
    auto* layout = new QHBoxLayout(bar);
    layout->setContentsMargins(16, 6, 16, 6);
    layout->setSpacing(16);
    transport_ = new TransportBar(session_, bar);
    layout->addWidget(transport_);
    auto* caption = new QLabel(tr("Takes"), bar);
    caption->setObjectName("quiet");
    layout->addWidget(caption);
    takes_ = new TakesBar(session_, bar);
    layout->addWidget(takes_, 1);
    return bar;
}

// ---- menus ----

void MainWindow::makeFileMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&File"));
    menu->addAction(tr("&New project"), QKeySequence::New, this, [this] {
        if (confirmLosing()) session_.newProject();
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
    QAction* undo = session_.undoStack().createUndoAction(this, tr("&Undo"));
    undo->setShortcut(QKeySequence::Undo);
    QAction* redo = session_.undoStack().createRedoAction(this, tr("&Redo"));
    redo->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
    menu->addActions({undo, redo});
    menu->addSeparator();
    menu->addAction(tr("&Keep take"), QKeySequence(Qt::CTRL | Qt::Key_K), this, [this] { session_.keepTake(); });
    menu->addAction(tr("&Empty patch"), this, [this] { session_.setPatch(tr("Empty patch"), Patch()); });
    menu->addAction(tr("Unlock &all parameters"), this,
                    [this] { session_.editCue(tr("Unlock all"), [](Cue& cue) { cue.locks.clear(); }); });
}

void MainWindow::makeCueMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Cue"));
    menu->addAction(tr("&Add cue"), QKeySequence(Qt::CTRL | Qt::Key_T), this, [this] { session_.addCue(); });
    menu->addAction(tr("&Rename cue …"), this, [this] {
        bool fine = false;
        const QString name = QInputDialog::getText(this, tr("Rename cue"), tr("Name"), QLineEdit::Normal,
                                                   QString::fromStdString(session_.cue()->name), &fine);
        if (fine && !name.trimmed().isEmpty()) session_.renameCue(name.trimmed());
    });
    menu->addAction(tr("Re&move cue"), this, [this] { session_.removeCue(); });
    const auto step = [this](int by) {
        const int count = cues_->count();
        session_.selectCue(cues_->itemData((cues_->currentIndex() + by + count) % count).toULongLong());
    };
    menu->addAction(tr("&Next cue"), QKeySequence(Qt::CTRL | Qt::Key_PageDown), this, [step] { step(1); });
    menu->addAction(tr("&Previous cue"), QKeySequence(Qt::CTRL | Qt::Key_PageUp), this, [step] { step(-1); });
    menu->addSeparator();
    menu->addAction(tr("Use &selection as reference"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R), this,
                    [this] { session_.useSelectionAsReference(); });
    menu->addAction(tr("&Find notes again"), this, [this] { session_.findNotesAgain(); });
    menu->addAction(tr("Focus &band …"), QKeySequence(Qt::CTRL | Qt::Key_B), this, &MainWindow::askFocus);
    menu->addAction(tr("Set &tempo …"), this, [this] {
        bool fine = false;
        const double bpm = QInputDialog::getDouble(this, tr("Tempo"), tr("Quarter notes per minute"),
                                                   session_.performance().tempo, 10, 1000, 2, &fine);
        if (fine) session_.setTempo(bpm);
    });
    menu->addAction(tr("Tap te&mpo"), QKeySequence(Qt::Key_F3), this, &MainWindow::tapTempo);
    menu->addAction(tr("Half tempo"), this, [this] { session_.setTempo(0.5 * session_.performance().tempo); });
    menu->addAction(tr("Double tempo"), this, [this] { session_.setTempo(2.0 * session_.performance().tempo); });
    menu->addSeparator();
    menu->addAction(tr("&Match / stop"), QKeySequence(Qt::CTRL | Qt::Key_M), this, [this] { matchButton_->click(); });
}

void MainWindow::makePlayMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Play"));
    // Space, X and / work wherever no text is typed; see eventFilter().
    menu->addAction(tr("Play or stop\tSpace"), this, [this] { session_.playback().toggle(); });
    menu->addAction(tr("Swap reference and render\tX"), this, [this] { session_.playback().swap(); });
    menu->addAction(tr("Loop on or off\t/"), this,
                    [this] { session_.playback().setLooping(!session_.playback().looping()); });
    menu->addAction(tr("Play the reference"), QKeySequence(Qt::CTRL | Qt::Key_1), this,
                    [this] { session_.playback().play(Side::reference); });
    menu->addAction(tr("Play the render"), QKeySequence(Qt::CTRL | Qt::Key_2), this,
                    [this] { session_.playback().play(Side::render); });
    menu->addAction(tr("Loop the chosen note"), QKeySequence(Qt::CTRL | Qt::Key_L), this, [this] {
        const auto notes = session_.performance().notes;
        const int i = mirror_->selectedNote();
        if (i >= 0 && i < static_cast<int>(notes.size()))
            session_.setLoop(notes[static_cast<std::size_t>(i)].start, notes[static_cast<std::size_t>(i)].end);
    });
    menu->addAction(tr("Loop the whole sound"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_L), this,
                    [this] { session_.setLoop(0, 0); });
    menu->addSeparator();
    auto* speeds = new QActionGroup(this);
    int key = Qt::Key_1;
    for (const auto& [name, times] : {std::pair{tr("Full speed"), 1},
                                      {tr("Half speed, same pitch"), 2},
                                      {tr("Quarter speed, same pitch"), 4},
                                      {tr("Eighth speed, same pitch"), 8}}) {
        QAction* speed = menu->addAction(name, QKeySequence(Qt::ALT | static_cast<Qt::Key>(key++)), this,
                                         [this, times = times] { session_.playback().setSlowness(times); });
        speed->setCheckable(true);
        speed->setChecked(times == 1);
        speeds->addAction(speed);
    }
    menu->addSeparator();
    menu->addAction(tr("Stop all sound\tEsc"), this, [this] { session_.playback().panic(); });
}

void MainWindow::makeViewMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&View"));
    menu->addAction(tr("&Reference"), QKeySequence(Qt::Key_F2), this, [this] { showView("reference"); });
    menu->addAction(tr("&Notes"), QKeySequence(Qt::Key_F4), this, [this] { showView("notes"); });
    menu->addAction(tr("&Facets"), QKeySequence(Qt::Key_F5), this, [this] { showView("facets"); });
    menu->addAction(tr("&Patch"), QKeySequence(Qt::Key_F6), this, [this] { showView("patch"); });
    menu->addAction(tr("&Search"), QKeySequence(Qt::Key_F7), this, [this] { showView("search"); });
    menu->addSeparator();
    auto* pictures = new QActionGroup(this);
    const auto picture = [&](const QString& name, MirrorView::Picture which, QKeySequence key) {
        QAction* action = menu->addAction(name, key, this, [this, which] { mirror_->setPicture(which); });
        action->setCheckable(true);
        action->setChecked(which == MirrorView::Picture::wave);
        pictures->addAction(action);
    };
    picture(tr("Mirror: &waveform"), MirrorView::Picture::wave, QKeySequence(Qt::Key_F8));
    picture(tr("Mirror: spectro&gram"), MirrorView::Picture::spectrum, QKeySequence(Qt::Key_F9));
    picture(tr("Mirror: &level"), MirrorView::Picture::level, QKeySequence(Qt::Key_F10));
    picture(tr("Mirror: p&itch"), MirrorView::Picture::pitch, QKeySequence(Qt::Key_F11));
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
    QAction* dark =
        menu->addAction(tr("&Dark theme"), QKeySequence(Qt::CTRL | Qt::Key_D), this, [this] { setDark(!dark_); });
    dark->setCheckable(true);
}

void MainWindow::makeHelpMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Help"));
    menu->addAction(tr("&Keys"), QKeySequence::HelpContents, this, [this] {
        QMessageBox::information(
            this, tr("Keys"),
            tr("<p><b>Listening</b><br>Space play or stop · X swap reference and render · / loop · Esc stop all sound "
               "· Enter presses the control that has the focus</p>"
               "<p><b>Playing the patch</b><br>A W S E D F T G Y H U J K play notes, − and + change the octave</p>"
               "<p><b>Notes on the mirror</b><br>← → choose · ↑ ↓ semitone · Ctrl+↑ ↓ octave · Ctrl+← → 5 ms · "
               "Delete</p>"
               "<p><b>Values</b><br>arrows step, with Shift finely · type a number with its unit · double-click: "
               "default</p>"));
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
    session_.setTempo(std::round(2.0 * tempo) / 2.0);
}

void MainWindow::askFocus() {
    if (!session_.cue()) return;
    const auto text = [](double hz) { return hz > 0.0 ? QString("%1").arg(hz, 0, 'f', 0) : QString(); };
    const QString now = session_.cue()->focused()
                            ? tr("%1 – %2").arg(text(session_.cue()->focusLowHz), text(session_.cue()->focusHighHz))
                            : QString();
    bool fine = false;
    const QString typed = QInputDialog::getText(
        this, tr("Focus band"),
        tr("Hear, compare and search only between two frequencies in Hz,\nfor example 200 – 4000. Empty: everything."),
        QLineEdit::Normal, now, &fine);
    if (!fine) return;
    if (const auto band = parseFocus(typed))
        session_.setFocus(band->first, band->second);
    else
        showProblem(tr("“%1” is not a band: type two frequencies from 20 to 20000 Hz, the lower one first.").arg(typed),
                    {});
}

// ---- refreshing ----

void MainWindow::refreshTitle() {
    setWindowTitle(tr("%1[*] – Facet").arg(session_.title()));
    setWindowModified(session_.modified());
    project_->setText(session_.title());
}

void MainWindow::refreshDocument() {
    refreshTitle();
    const QSignalBlocker quiet(cues_);
    cues_->clear();
    for (const auto& cue : session_.document().cues) {
        cues_->addItem(QString::fromStdString(cue->name), QVariant::fromValue<qulonglong>(cue->id));
        if (cue->id == session_.document().activeCue) cues_->setCurrentIndex(cues_->count() - 1);
    }
    const Excerpt* excerpt = session_.cue() ? session_.cue()->excerpt() : nullptr;
    refreshWarning(excerpt);
    patch_->refresh();
    answers_->refresh();
    takes_->refresh();
    transport_->refresh();
    mirror_->refresh();
    search_->refresh();
    reference_->refresh();
    notes_->refresh();
}

/// What the producer should know about this reference: doubts about the notes first, then what was decided, then what
/// limits the recording, and that only a band of it is heard.
void MainWindow::refreshWarning(const Excerpt* excerpt) {
    QStringList sentences;
    if (excerpt && excerpt->corrections.empty())
        for (const std::string& each : {excerpt->noteProblem, excerpt->noteEvidence})
            if (!each.empty()) sentences << QString::fromStdString(each);
    if (excerpt)
        for (const std::string& each : session_.results().warnings) sentences << QString::fromStdString(each);
    if (const Cue* cue = session_.cue(); cue && cue->focused())
        sentences << tr("Heard, compared and searched: %1 to %2 only.")
                         .arg(cue->focusLowHz > 0.0 ? tr("%1 Hz").arg(cue->focusLowHz, 0, 'f', 0) : tr("the bottom"),
                              cue->focusHighHz > 0.0 ? tr("%1 Hz").arg(cue->focusHighHz, 0, 'f', 0) : tr("the top"));
    warning_->setText(sentences.join("  "));
    warning_->setVisible(!sentences.isEmpty());
}

void MainWindow::refreshHeader() {
    const CueResults& results = session_.results();
    const bool known = results.comparison != nullptr;
    likeness_->setText(known ? QString::number(std::lround(results.likeness)) : "–");
    likeness_->setEnabled(results.comparisonIsCurrent);
    likenessBar_->setValue(known ? static_cast<int>(results.likeness) : 0);
    const MatchState& match = session_.matchState();
    matchButton_->setText(match.running ? tr("Stop and keep best · %1").arg(match.likeness, 0, 'f', 0) : tr("Match"));
    matchButton_->setEnabled(match.running || !session_.performance().notes.empty());
}

void MainWindow::refreshResults() {
    refreshHeader();
    refreshWarning(session_.cue() ? session_.cue()->excerpt() : nullptr);
    facets_->refresh();
    const CueResults& results = session_.results();
    plot_->show(facets_->chosen(), results);
    model_->show(results.comparison ? results.comparison->find(facets_->chosen()) : nullptr);
    mirror_->refresh();
    search_->refresh();
    reference_->refresh();
    notes_->refresh();
}

void MainWindow::chooseFacet(Facet facet) {
    answers_->show(facet);
    refreshResults();
}

bool MainWindow::showView(const QString& id) {
    const QStringList ids{"reference", "notes", "facets", "patch", "search"};
    for (int i = 0; i < facetCount; ++i) {
        const auto facet = static_cast<Facet>(i);
        const std::string_view label = labelOf(facet);
        if (QString::fromUtf8(label.data(), static_cast<qsizetype>(label.size())).toLower() != id) continue;
        facets_->choose(facet);
        return showView("facets");
    }
    const auto index = ids.indexOf(id);
    if (index < 0) return false;
    pages_->setCurrentIndex(static_cast<int>(index));
    for (auto& [tabId, tab] : tabs_) tab->setChecked(tabId == id);
    return true;
}

void MainWindow::setDark(bool dark) {
    dark_ = dark;
    applyTheme(*qApp, dark);
    plot_->restyle();
    search_->restyle();
    refreshDocument();
    refreshResults();
    update();
}

// ---- files ----

void MainWindow::showProblem(const QString& sentence, const QString& detail) {
    auto* box = new QMessageBox(QMessageBox::Warning, tr("Facet"), sentence, QMessageBox::Ok, this);
    box->setObjectName("problem");
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->setEscapeButton(QMessageBox::Ok);
    QPushButton* copy = box->addButton(tr("Copy with log"), QMessageBox::ActionRole);
    copy->disconnect();
    connect(copy, &QPushButton::clicked, box, [sentence, detail] {
        QString text = sentence + "\n" + detail + "\n";
        for (const std::string& line : recentLog()) text += QString::fromStdString(line);
        QApplication::clipboard()->setText(text);
    });
    box->open();
}

bool MainWindow::confirmLosing() {
    if (!session_.modified()) return true;
    QMessageBox box(QMessageBox::Question, tr("Facet"), tr("Save the changes to “%1” first?").arg(session_.title()),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    box.setObjectName("unsaved");
    const int answer = box.exec();
    return answer == QMessageBox::Discard || (answer == QMessageBox::Save && saveOrAsk());
}

bool MainWindow::saveOrAsk() {
    if (session_.path().empty()) {
        saveAs();
        return !session_.modified();
    }
    try {
        session_.saveAs(session_.path());
        return true;
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
        return false;
    }
}

void MainWindow::saveAs() {
    QString name = QFileDialog::getSaveFileName(this, tr("Save project"), session_.title() + ".facet",
                                                tr("Facet projects (*.facet)"));
    if (name.isEmpty()) return;
    if (!name.endsWith(".facet")) name += ".facet";
    try {
        session_.saveAs(toPath(name));
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

void MainWindow::openProject() {
    if (!confirmLosing()) return;
    const QString name =
        QFileDialog::getOpenFileName(this, tr("Open project"), {}, tr("Facet projects (*.facet);;All files (*)"));
    if (!name.isEmpty()) openFile(toPath(name));
}

void MainWindow::openFile(const std::filesystem::path& path) {
    const std::string extension = path.extension().string();
    try {
        if (extension == ".facet")
            session_.open(path);
        else if (extension == ".mid" || extension == ".midi")
            session_.importNotes(path);
        else if (extension == ".json")
            session_.setPatch(tr("Open patch"), readPatch(path));
        else {
            session_.importReference(path);
            remember(path);
        }
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

void MainWindow::openReference() {
    const QString name = QFileDialog::getOpenFileName(this, tr("Open reference"), {}, tr(audioFilter));
    if (!name.isEmpty()) openFile(toPath(name));
}

namespace {

constexpr const char* recentKey = "recent references";
constexpr int mostRecent = 10;

} // namespace

/// The newest first; files that are gone are not offered.
void MainWindow::fillRecent() {
    recent_->clear();
    for (const QString& name : QSettings().value(recentKey).toStringList())
        if (QFileInfo::exists(name))
            recent_->addAction(QFileInfo(name).fileName(), this, [this, name] { openFile(toPath(name)); })
                ->setToolTip(name);
    if (recent_->isEmpty()) recent_->addAction(tr("None yet"))->setEnabled(false);
}

void MainWindow::remember(const std::filesystem::path& reference) {
    QSettings settings;
    QStringList names = settings.value(recentKey).toStringList();
    const QString name = QString::fromStdString(std::filesystem::absolute(reference).string());
    names.removeAll(name);
    names.prepend(name);
    settings.setValue(recentKey, QStringList(names.mid(0, mostRecent)));
}

void MainWindow::askChannels(const QString& path, int count) {
    QStringList choices;
    for (int c = 1; c < count; c += 2) choices << QString("%1,%2").arg(c).arg(c + 1);
    for (int c = 1; c <= count; ++c) choices << QString::number(c);
    bool fine = false;
    const QString chosen = QInputDialog::getItem(
        this, tr("Choose channels"),
        tr("“%1” has %2 channels.\nWhich of them hold the sound?").arg(QFileInfo(path).fileName()).arg(count), choices,
        0, false, &fine);
    if (fine) session_.importReference(toPath(path), ChannelChoice::parse(chosen.toStdString()));
}

void MainWindow::recordReference() {
    session_.endAudition();
    session_.playback().player().stop();
    RecordDialog dialog(this);
    if (dialog.exec() != QDialog::Accepted) return;
    const Recording recorded = dialog.takeRecording();
    session_.addExcerptSound(recorded,
                             tr("Recorded %1").arg(QDateTime::currentDateTime().toString("yyyy-MM-dd hh:mm")));
}

void MainWindow::importNotes() {
    const QString name =
        QFileDialog::getOpenFileName(this, tr("Import MIDI notes"), {}, tr("MIDI files (*.mid *.midi);;All files (*)"));
    if (!name.isEmpty()) session_.importNotes(toPath(name));
}

void MainWindow::exportNotes() {
    if (session_.performance().notes.empty()) {
        statusBar()->showMessage(tr("There are no notes to export yet."), 8000);
        return;
    }
    const QString apart = tr("MIDI file, tempo on a track of its own (*.mid)");
    QString kind;
    QString name =
        QFileDialog::getSaveFileName(this, tr("Export notes"), QString::fromStdString(session_.cue()->name) + ".mid",
                                     tr("MIDI file, one track (*.mid)") + ";;" + apart, &kind);
    if (name.isEmpty()) return;
    if (!name.endsWith(".mid")) name += ".mid";
    try {
        writeMidi(toPath(name), session_.performance(), kind == apart ? MidiFormat::tempoApart : MidiFormat::oneTrack);
        statusBar()->showMessage(tr("Notes written to %1").arg(name), 8000);
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

void MainWindow::openPatch() {
    const QString name =
        QFileDialog::getOpenFileName(this, tr("Open patch"), {}, tr("Patches (*.json);;All files (*)"));
    if (!name.isEmpty()) openFile(toPath(name));
}

void MainWindow::savePatch() {
    const QString name = QFileDialog::getSaveFileName(
        this, tr("Save patch"), QString::fromStdString(session_.cue()->name) + ".json", tr("Patches (*.json)"));
    if (name.isEmpty()) return;
    try {
        Patch patch = session_.cue()->patch;
        patch.name = session_.cue()->name;
        writePatch(toPath(name), patch);
        statusBar()->showMessage(tr("Patch saved as %1").arg(name), 8000);
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

void MainWindow::exportRender() {
    const auto& render = session_.results().render.recording;
    if (!render || !session_.results().renderIsCurrent) {
        statusBar()->showMessage(tr("There is no finished render yet."), 8000);
        return;
    }
    const QString name =
        QFileDialog::getSaveFileName(this, tr("Export render"), QString::fromStdString(session_.cue()->name) + ".wav",
                                     tr("WAV, 32-bit float (*.wav);;FLAC, 24-bit (*.flac)"));
    if (name.isEmpty()) return;
    try {
        writeAudio(toPath(name), *render, name.endsWith(".flac") ? SampleFormat::flac24 : SampleFormat::wavFloat);
        statusBar()->showMessage(tr("Render written to %1").arg(name), 8000);
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

// ---- events ----

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!confirmLosing()) {
        event->ignore();
        return;
    }
    session_.stopMatch();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    const auto urls = event->mimeData()->urls();
    if (urls.isEmpty() || !urls.front().isLocalFile()) return;
    const auto path = toPath(urls.front().toLocalFile());
    if (path.extension() == ".facet" && !confirmLosing()) return;
    openFile(path);
}

bool MainWindow::playKey(int key, bool down) {
    static const QString row = "AWSEDFTGYHUJK";
    if (!down) {
        const auto found = keysDown_.find(key);
        if (found == keysDown_.end()) return false;
        session_.playback().player().noteOff(found->second);
        keysDown_.erase(found);
        return true;
    }
    if (key == Qt::Key_Minus || key == Qt::Key_Plus) {
        keyboardOctave_ = std::clamp(keyboardOctave_ + (key == Qt::Key_Plus ? 1 : -1), 0, 8);
        statusBar()->showMessage(tr("The keys A to K play from C%1").arg(keyboardOctave_), 4000);
        return true;
    }
    const auto step = key >= Qt::Key_A && key <= Qt::Key_Z ? row.indexOf(QChar(key)) : -1;
    if (step < 0) return false;
    const int note = 12 * (keyboardOctave_ + 1) + static_cast<int>(step);
    if (keysDown_.contains(key)) return true;
    keysDown_[key] = note;
    session_.playback().player().noteOn(note, 100.0);
    return true;
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() != QEvent::KeyPress && event->type() != QEvent::KeyRelease &&
        event->type() != QEvent::ShortcutOverride)
        return QMainWindow::eventFilter(watched, event);
    auto* key = static_cast<QKeyEvent*>(event);
    const bool plain = !(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier));
    if (!plain || isTyping() || !qobject_cast<QWidget*>(watched) || static_cast<QWidget*>(watched)->window() != this)
        return QMainWindow::eventFilter(watched, event);
    if (event->type() == QEvent::KeyRelease) return !key->isAutoRepeat() && playKey(key->key(), false);
    if (event->type() != QEvent::KeyPress ||
        watched != (QApplication::focusWidget() ? QApplication::focusWidget() : this))
        return QMainWindow::eventFilter(watched, event);
    if (key->isAutoRepeat() && keysDown_.contains(key->key())) return true;
    switch (key->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter: // Space plays everywhere, so Enter presses what has the focus
        if (auto* pressed = qobject_cast<QAbstractButton*>(watched)) {
            pressed->click();
            return true;
        }
        return QMainWindow::eventFilter(watched, event);
    case Qt::Key_Space:
        reference_->isVisible() ? reference_->togglePlaying() : session_.playback().toggle();
        return true;
    case Qt::Key_X: session_.playback().swap(); return true;
    case Qt::Key_Slash: session_.playback().setLooping(!session_.playback().looping()); return true;
    case Qt::Key_Escape:
        session_.matchState().running ? session_.stopMatch() : session_.playback().panic();
        return true;
    default: return playKey(key->key(), true) || QMainWindow::eventFilter(watched, event);
    }
}

} // namespace facet
