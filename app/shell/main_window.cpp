#include "app/shell/main_window.h"

#include "app/models/comparison_model.h"
#include "app/session/session.h"
#include "app/views/build/build_page.h"
#include "app/views/listening/changes_dialog.h"
#include "app/views/facets/facet_list.h"
#include "app/views/facets/facet_plot.h"
#include "app/views/notes/keyboard_strip.h"
#include "app/views/listening/mirror_view.h"
#include "app/views/notes/notes_page.h"
#include "app/views/patch/patch_view.h"
#include "app/views/piece/piece_lanes.h"
#include "app/views/piece/piece_page.h"
#include "app/views/facets/answer_view.h"
#include "app/views/listening/blind_dialog.h"
#include "app/views/listening/pair_dialog.h"
#include "app/views/facets/next_moves_view.h"
#include "app/views/reference/reference_page.h"
#include "app/views/search/search_view.h"
#include "app/views/sheet/sheet_page.h"
#include "app/views/reference/source_picture.h"
#include "app/views/patch/start_dialog.h"
#include "app/views/listening/takes_bar.h"
#include "app/views/common/theme.h"
#include "app/views/listening/transport_bar.h"

#include <QAbstractButton>
#include <QAbstractSpinBox>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDropEvent>
#include <QFrame>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QStatusBar>
#include <QTableView>
#include <QTimer>
#include <QVBoxLayout>

namespace facet {

namespace {

constexpr int shortMirror = 132;

/// Whether typing goes into a field now, so that letters are text and not notes or shortcuts.
bool isTyping() {
    const QWidget* focus = QApplication::focusWidget();
    return qobject_cast<const QLineEdit*>(focus) || qobject_cast<const QAbstractSpinBox*>(focus) ||
           qobject_cast<const QPlainTextEdit*>(focus) || QApplication::activeModalWidget() ||
           QApplication::activePopupWidget();
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
    mirror_ = new MirrorView(session_.document, session_.notes, session_.reference, session_.results,
                             session_.listening, body);
    bodyLayout->addWidget(mirror_, 4);
    makePages(body);
    bodyLayout->addWidget(pages_, 8);
    keyboard_ = new KeyboardStrip(session_.document, session_.listening, session_.playback, body);
    keyboard_->hide();
    connect(keyboard_, &KeyboardStrip::notice, this,
            [this](const QString& words) { statusBar()->showMessage(words, 4000); });
    bodyLayout->addWidget(keyboard_);
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

    connectSession();
    startClock();
    qApp->installEventFilter(this);
    showView("facets");
    refreshDocument();
    chooseFacet(facets_->chosen());
}

// ---- parts ----

void MainWindow::makePages(QWidget* body) {
    pages_ = new QStackedWidget(body);
    reference_ = new ReferencePage(session_.document, session_.reference, session_.results, session_.listening,
                                   session_.playback, pages_);
    pages_->addWidget(reference_);
    notes_ = new NotesPage(session_.document, session_.notes, session_.results, session_.listening, *mirror_, pages_);
    pages_->addWidget(notes_);
    pages_->addWidget(makeFacetsPage());
    patch_ = new PatchView(session_.document, session_.patch, session_.sounds, session_.readings, session_.comparisons,
                           session_.listening, session_.playback, session_.messages, pages_);
    pages_->addWidget(patch_);
    search_ = new SearchView(session_.document, session_.patch, session_.bank, session_.matching, session_.variations,
                             session_.elements, session_.instruments, session_.messages, pages_);
    pages_->addWidget(search_);
    build_ = new BuildPage(session_.build, pages_);
    pages_->addWidget(build_);
    sheet_ = new SheetPage(session_.document, session_.patch, session_.comparisons, session_.sheet, session_.exporter,
                           session_.instruments, session_.controllers, session_.messages, pages_);
    pages_->addWidget(sheet_);
    piece_ = new PiecePage(session_.document, session_.piece, session_.listening, session_.playback, pages_);
    pages_->addWidget(piece_);
    connect(piece_, &PiecePage::backingWanted, this, &MainWindow::openBacking);
    connect(reference_, &ReferencePage::openWanted, this, &MainWindow::openReference);
    connect(reference_, &ReferencePage::recordWanted, this, &MainWindow::recordReference);
    connect(patch_, &PatchView::soundWanted, this, &MainWindow::loadSound);
    connect(patch_, &PatchView::startWanted, this, &MainWindow::beginFrom);
    connect(notes_, &NotesPage::importWanted, this, &MainWindow::importNotes);
    connect(notes_, &NotesPage::exportWanted, this, &MainWindow::exportNotes);
}

/// What the session says, and where it is shown.
void MainWindow::connectSession() {
    connect(&session_.document, &DocumentStore::changed, this, &MainWindow::refreshDocument);
    connect(&session_.results, &ResultsController::changed, this, &MainWindow::refreshResults);
    connect(&session_.matching, &MatchController::changed, this, [this] {
        search_->refresh();
        refreshHeader();
    });
    connect(&session_.messages, &Messages::problem, this, &MainWindow::showProblem, Qt::QueuedConnection);
    connect(&session_.messages, &Messages::notice, this,
            [this](const QString& sentence) { statusBar()->showMessage(sentence, 8000); });
    connect(&session_.document.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::refreshTitle);
    connect(&session_.reference, &ReferenceController::channelsWanted, this, &MainWindow::askChannels);
    connect(&session_.reference, &ReferenceController::partsWanted, this, [this] { showView("reference"); });
    connect(mirror_, &MirrorView::seekWanted, this,
            [this](double seconds) { session_.listening.seekInPhrase(seconds); });
}

/// Everything that follows playback.
void MainWindow::startClock() {
    clock_ = new QTimer(this);
    clock_->setInterval(33);
    connect(clock_, &QTimer::timeout, this, [this] {
        Player& player = session_.playback.player();
        if (session_.listening.auditioning())
            reference_->picture().setPlayhead(session_.listening.auditionPosition());
        else
            mirror_->setPlayhead(session_.listening.phrasePosition(), player.playing());
        piece_->setPlayhead(session_.playback.position(), player.playing());
        patch_->followPlayhead(player.playing() ? session_.listening.phrasePosition() : -1.0);
        transport_->showPeak(player.takePeak());
        keyboard_->tick();
        if (wasPlaying_ != player.playing()) transport_->refresh();
        wasPlaying_ = player.playing();
    });
    clock_->start();
}

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
    cues_->setMinimumWidth(130);
    cues_->setMaximumWidth(180);
    cues_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(cues_, &QComboBox::activated, this,
            [this](int index) { session_.document.selectCue(cues_->itemData(index).toULongLong()); });
    layout->addWidget(cues_);
    layout->addSpacing(8);
    const char* const pageKeys[] = {"F2", "F4", "F5", "F6", "F7", "Shift+F6", "Shift+F8", "Shift+F7"};
    int page = 0;
    for (const auto& [id, name] : {std::pair{"reference", tr("Reference")},
                                   {"notes", tr("Notes")},
                                   {"facets", tr("Facets")},
                                   {"patch", tr("Patch")},
                                   {"search", tr("Search")},
                                   {"build", tr("Build")},
                                   {"sheet", tr("Sheet")},
                                   {"piece", tr("Piece")}}) {
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
    matchButton_->setMinimumWidth(96);
    connect(matchButton_, &QPushButton::clicked, this, [this] {
        session_.matching.state().running ? session_.matching.stop() : session_.matching.start(search_->seconds());
    });
    layout->addWidget(matchButton_);
    layout->addSpacing(8);
    likenessCaption_ = new QLabel(tr("Likeness"), header);
    likenessCaption_->setObjectName("quiet");
    layout->addWidget(likenessCaption_);
    likeness_ = new QLabel("–", header);
    likeness_->setObjectName("likeness");
    likeness_->setFont(interfaceFont(17, QFont::DemiBold));
    likeness_->setMinimumWidth(46);
    likeness_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    layout->addWidget(likeness_);
    floor_ = new QLabel(header);
    floor_->setObjectName("quiet");
    floor_->setToolTip(tr("How alike two renders of this patch are whose random phases differ: more than that no "
                          "change can reach"));
    layout->addWidget(floor_);
    likenessBar_ = new QProgressBar(header);
    likenessBar_->setTextVisible(false);
    likenessBar_->setFixedHeight(6);
    likenessBar_->setMinimumWidth(40);
    likenessBar_->setMaximumWidth(110);
    likenessBar_->setAccessibleName(tr("Likeness of the whole sound"));
    layout->addWidget(likenessBar_);
    return header;
}

QWidget* MainWindow::makeFacetsPage() {
    auto* page = new QWidget(this);
    auto* layout = new QHBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(18);
    facets_ = new FacetList(session_.document, session_.results, page);
    facets_->setMinimumWidth(220);
    facets_->setMaximumWidth(300);
    layout->addWidget(facets_, 2);
    auto* middle = new QVBoxLayout;
    middle->setSpacing(4);
    plot_ = new FacetPlot(page);
    connect(plot_, &FacetPlot::problem, this, [this](const QString& sentence) { showProblem(sentence, {}); });
    middle->addWidget(plot_, 3);
    model_ = new ComparisonModel(this);
    table_ = new QTableView(page);
    table_->setObjectName("values");
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
    auto* right = new QVBoxLayout;
    right->setSpacing(4);
    moves_ = new MovesView(session_.document, session_.nextMoves, page);
    right->addWidget(moves_);
    answers_ = new AnswerView(session_.document, session_.patch, session_.comparisons, session_.messages, page);
    answers_->setMinimumWidth(290);
    answers_->setMaximumWidth(350);
    moves_->setMaximumWidth(350);
    right->addWidget(answers_, 1);
    layout->addLayout(right, 3);
    connect(facets_, &FacetList::facetChosen, this, &MainWindow::chooseFacet);
    return page;
}

QWidget* MainWindow::makeBottomBar() {
    auto* bar = new QFrame(this);
    bar->setObjectName("bar");
    auto* layout = new QHBoxLayout(bar);
    layout->setContentsMargins(16, 6, 16, 6);
    layout->setSpacing(16);
    transport_ = new TransportBar(session_.document, session_.listening, session_.playback, session_.automation, bar);
    layout->addWidget(transport_);
    auto* caption = new QLabel(tr("Takes"), bar);
    caption->setObjectName("quiet");
    layout->addWidget(caption);
    takes_ = new TakesBar(session_.document, session_.takes, bar);
    connect(takes_, &TakesBar::changesWanted, this, &MainWindow::showChanges);
    connect(takes_, &TakesBar::comparisonWanted, this, &MainWindow::compareTakes);
    layout->addWidget(takes_, 1);
    return bar;
}

// ---- refreshing ----

void MainWindow::refreshTitle() {
    setWindowTitle(tr("%1[*] – Facet").arg(session_.document.title()));
    setWindowModified(session_.document.modified());
    project_->setText(session_.document.title());
}

void MainWindow::refreshDocument() {
    refreshTitle();
    const QSignalBlocker quiet(cues_);
    cues_->clear();
    for (const auto& cue : session_.document.document().cues) {
        cues_->addItem(QString::fromStdString(cue->name), QVariant::fromValue<qulonglong>(cue->id));
        if (cue->id == session_.document.document().activeCue) cues_->setCurrentIndex(cues_->count() - 1);
    }
    const Excerpt* excerpt = session_.document.cue() ? session_.document.cue()->excerpt() : nullptr;
    refreshWarning(excerpt);
    patch_->refresh();
    answers_->refresh();
    takes_->refresh();
    transport_->refresh();
    mirror_->refresh();
    search_->refresh();
    reference_->refresh();
    notes_->refresh();
    keyboard_->refresh();
}

/// What the producer should know about this reference: doubts about the notes first, then what was decided, then what
/// limits the recording, and that only a band of it is heard.
void MainWindow::refreshWarning(const Excerpt* excerpt) {
    QStringList sentences;
    if (excerpt && excerpt->corrections.empty())
        for (const std::string& each : {excerpt->noteProblem, excerpt->noteEvidence})
            if (!each.empty()) sentences << QString::fromStdString(each);
    if (excerpt)
        for (const std::string& each : session_.results.state().warnings) sentences << QString::fromStdString(each);
    if (const Cue* cue = session_.document.cue(); cue && cue->focused())
        sentences << tr("Heard, compared and searched: %1 to %2 only.")
                         .arg(cue->focusLowHz > 0.0 ? tr("%1 Hz").arg(cue->focusLowHz, 0, 'f', 0) : tr("the bottom"),
                              cue->focusHighHz > 0.0 ? tr("%1 Hz").arg(cue->focusHighHz, 0, 'f', 0) : tr("the top"));
    warning_->setText(sentences.join("  "));
    warning_->setVisible(!sentences.isEmpty());
}

void MainWindow::refreshHeader() {
    const CueResults& results = session_.results.state();
    const bool known = results.comparison != nullptr;
    likeness_->setText(known ? QString::number(std::lround(results.likeness)) : "–");
    likeness_->setEnabled(results.comparisonIsCurrent);
    likenessBar_->setValue(known ? static_cast<int>(results.likeness) : 0);
    floor_->setText(known && results.floor >= 0.0 ? tr("of %1").arg(std::lround(results.floor)) : QString());
    QStringList aside;
    for (int f = 0; session_.document.cue() && f < facetCount; ++f)
        if (session_.document.cue()->facetWeights[static_cast<std::size_t>(f)] <= 0.0) {
            const std::string_view name = labelOf(static_cast<Facet>(f));
            aside << QString::fromUtf8(name.data(), static_cast<qsizetype>(name.size()));
        }
    likenessCaption_->setText(aside.isEmpty()     ? tr("Likeness")
                              : aside.size() <= 2 ? tr("Likeness without %1").arg(aside.join(", "))
                                                  : tr("Likeness without %1 facets").arg(aside.size()));
    likenessCaption_->setToolTip(aside.isEmpty() ? QString() : tr("Set aside: %1").arg(aside.join(", ")));
    const MatchState& match = session_.matching.state();
    matchButton_->setText(match.running ? tr("Stop and keep best · %1").arg(match.likeness, 0, 'f', 0) : tr("Match"));
    matchButton_->setEnabled(match.running || !session_.document.performance().notes.empty());
}

void MainWindow::refreshResults() {
    refreshHeader();
    refreshWarning(session_.document.cue() ? session_.document.cue()->excerpt() : nullptr);
    facets_->refresh();
    const CueResults& results = session_.results.state();
    plot_->show(facets_->chosen(), results);
    model_->show(results.comparison ? results.comparison->find(facets_->chosen()) : nullptr);
    mirror_->refresh();
    search_->refresh();
    reference_->refresh();
    notes_->refresh();
}

void MainWindow::chooseFacet(Facet facet) {
    answers_->show(facet);
    moves_->offer(facet, patch_->chosen());
    refreshResults();
}

bool MainWindow::showView(const QString& id) {
    const QStringList ids{"reference", "notes", "facets", "patch", "search", "build", "sheet", "piece"};
    for (int i = 0; i < facetCount; ++i) {
        const auto facet = static_cast<Facet>(i);
        const std::string_view label = labelOf(facet);
        if (QString::fromUtf8(label.data(), static_cast<qsizetype>(label.size())).toLower() != id) continue;
        facets_->choose(facet);
        return showView("facets");
    }
    // "patch/layer:a/filter:a": with that line open.
    if (id.startsWith("patch/")) {
        patch_->open(id.mid(6).toStdString());
        return patch_->chosen() == id.mid(6).toStdString() && showView("patch");
    }
    // "build/2": at that step; "build/2/hand": to be set by ear.
    if (id.startsWith("build/")) {
        const QStringList parts = id.split('/');
        bool isNumber = false;
        const int step = parts[1].toInt(&isNumber);
        if (!isNumber || !showView("build")) return false;
        build_->open(step, parts.size() > 2 && parts[2] == "hand");
        return true;
    }
    if (id == "elements") {
        search_->showElements();
        return showView("search");
    }
    const auto index = ids.indexOf(id);
    if (index < 0) return false;
    pages_->setCurrentIndex(static_cast<int>(index));
    mirror_->setMaximumHeight(id == "patch" || id == "sheet" ? shortMirror : QWIDGETSIZE_MAX); // they need the room
    for (auto& [tabId, tab] : tabs_) tab->setChecked(tabId == id);
    if (id == "facets") moves_->offer(facets_->chosen(), patch_->chosen());
    if (id == "piece") piece_->lanes().setFocus(); // not one of its fields: Space plays
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

void MainWindow::beginFrom() {
    if (!session_.document.cue()) return;
    auto* dialog = new StartDialog(session_.document, session_.takes, session_.comparisons, session_.listening,
                                   session_.playback, session_.collection, session_.messages, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
}

void MainWindow::showChanges(std::uint64_t take) {
    auto* dialog = new ChangesDialog(session_.document, session_.patch, take, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show(); // beside the work
}

void MainWindow::compareTakes(std::uint64_t first) {
    auto* dialog = new PairDialog(session_.document, session_.takes, session_.comparisons, session_.listening,
                                  session_.playback, first, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show();
}

void MainWindow::testBlind() {
    BlindDialog dialog(session_.results, session_.takes, session_.listening, session_.playback, this);
    dialog.exec();
}

void MainWindow::showKeyboard(bool on) {
    keyboard_->setVisible(on);
    keyboardAction_->setChecked(on);
}

// ---- events ----

/// In a narrow window the pages' names matter more than a bar that says again how alike the sounds are.
void MainWindow::resizeEvent(QResizeEvent* event) {
    constexpr int narrow = 1120;
    QMainWindow::resizeEvent(event);
    likenessBar_->setVisible(width() >= narrow);
    likenessCaption_->setVisible(width() >= narrow);
    project_->setVisible(width() >= narrow); // the window's title says it too
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!confirmLosing()) {
        event->ignore();
        return;
    }
    session_.matching.stop();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    const auto urls = event->mimeData()->urls();
    if (urls.isEmpty() || !urls.front().isLocalFile()) return;
    const std::filesystem::path path = urls.front().toLocalFile().toStdString();
    if (path.extension() == ".facet" && !confirmLosing()) return;
    openFile(path);
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() != QEvent::KeyPress && event->type() != QEvent::KeyRelease &&
        event->type() != QEvent::ShortcutOverride)
        return QMainWindow::eventFilter(watched, event);
    auto* key = static_cast<QKeyEvent*>(event);
    const bool plain = !(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier));
    if (!plain || isTyping() || !qobject_cast<QWidget*>(watched) || static_cast<QWidget*>(watched)->window() != this)
        return QMainWindow::eventFilter(watched, event);
    if (event->type() == QEvent::KeyRelease) return !key->isAutoRepeat() && keyboard_->playLetter(key->key(), false);
    if (event->type() != QEvent::KeyPress ||
        watched != (QApplication::focusWidget() ? QApplication::focusWidget() : this))
        return QMainWindow::eventFilter(watched, event);
    switch (key->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter: // Space plays everywhere, so Enter presses what has the focus
        if (auto* pressed = qobject_cast<QAbstractButton*>(watched)) {
            pressed->click();
            return true;
        }
        return QMainWindow::eventFilter(watched, event);
    case Qt::Key_Space: reference_->isVisible() ? reference_->togglePlaying() : session_.playback.toggle(); return true;
    case Qt::Key_X: session_.playback.swap(); return true;
    case Qt::Key_R: session_.automation.record(!session_.automation.recording()); return true;
    case Qt::Key_Slash: session_.playback.setLooping(!session_.playback.looping()); return true;
    case Qt::Key_Escape:
        session_.matching.state().running ? session_.matching.stop() : session_.playback.panic();
        return true;
    default: return keyboard_->playLetter(key->key(), true) || QMainWindow::eventFilter(watched, event);
    }
}

} // namespace facet

#include "moc_main_window.cpp"
