// Facet, the window.
#include "app/session/session.h"
#include "app/shell/demo_project.h"
#include "app/shell/main_window.h"
#include "app/views/listening/mirror_view.h"
#include "app/views/common/theme.h"
#include "core/base/error.h"
#include "core/base/memory.h"
#include "core/base/processor.h"
#include "core/project/project_file.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QDir>
#include <QElapsedTimer>
#include <QMessageBox>
#include <QPushButton>
#include <QStandardPaths>
#include <QTimer>
#include <cstdio>

namespace {

using namespace facet;

/// Where the producer's own copy of the demo lives, so that takes kept in it are there tomorrow.
std::filesystem::path demoCopy() {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/facet";
    QDir().mkpath(folder);
    return std::filesystem::path((folder + "/Night Dome.facet").toStdString());
}

void openDemo(Session& session, const std::filesystem::path& folder) {
    const auto copy = demoCopy();
    if (!std::filesystem::exists(copy)) saveProject(copy, makeDemoProject(folder), 1);
    session.document.open(copy);
}

/// Offers what a crash left behind. True when it was taken.
bool offerRecovery(Session& session, const std::filesystem::path& folder, bool ask) {
    auto work = findUnsavedWork(folder);
    if (!work) return false;
    const QString name = work->projectPath.empty() ? QString::fromStdString(work->document.name)
                                                   : QString::fromStdString(work->projectPath.stem().string());
    if (ask) {
        QMessageBox box(QMessageBox::Question, QObject::tr("Facet"),
                        QObject::tr("Facet ended without saving “%1”. Bring the unsaved work back?").arg(name));
        box.addButton(QObject::tr("Bring it back"), QMessageBox::AcceptRole);
        QPushButton* refuse = box.addButton(QObject::tr("Throw it away"), QMessageBox::DestructiveRole);
        box.exec();
        if (box.clickedButton() == refuse) {
            discardJournal(work->file);
            return false;
        }
    }
    session.document.adopt(std::move(*work));
    return true;
}

/// Waits until nothing works any more, takes a picture and ends.
void takeShot(QApplication& app, Session& session, MainWindow& window, const QString& file) {
    auto* timer = new QTimer(&window);
    auto* calm = new QElapsedTimer;
    calm->start();
    QObject::connect(timer, &QTimer::timeout, &window, [&app, &session, &window, file, calm] {
        if (session.busy() || session.elements.busy() ||
            session.nextMoves.state() == NextMovesController::State::looking || session.build.busy() ||
            session.sheet.busy())
            calm->restart();
        if (calm->elapsed() < 700) return;
        const bool written = window.grab().save(file);
        if (!written) std::fprintf(stderr, "“%s” cannot be written; choose another folder.\n", qPrintable(file));
        app.exit(written ? 0 : 1);
    });
    timer->start(50);
}

} // namespace

int main(int argc, char** argv) {
    if (const char* problem = processorProblem()) {
        std::fprintf(stderr, "%s\n", problem);
        return 1;
    }
    keepFreedMemory();
    QApplication app(argc, argv);
    QApplication::setApplicationName("facet");
    QApplication::setApplicationDisplayName("Facet");
    QApplication::setApplicationVersion(FACET_VERSION);
    QApplication::setDesktopFileName("facet");

    QCommandLineParser options;
    options.setApplicationDescription("Facet rebuilds a synthesizer sound heard on a recording.");
    options.addHelpOption();
    options.addVersionOption();
    options.addPositionalArgument("file", "A project, recording, MIDI or patch file to open.", "[file]");
    const QCommandLineOption demo("demo", "Open your copy of the demo project, made from this folder at first.",
                                  "folder");
    const QCommandLineOption shot("shot", "Write a picture of the window when it has settled, and end.", "file");
    const QCommandLineOption view("view",
                                  "The view to open: reference, notes, facets, patch, search, elements, build, "
                                  "build/STEP, sheet, piece, or a facet by "
                                  "its name.",
                                  "id", "facets");
    const QCommandLineOption cue("cue", "Name of the cue to open.", "name");
    const QCommandLineOption match("match", "Search for so many seconds at once.", "seconds");
    const QCommandLineOption instrument("instrument", "Name of the instrument that the cue is matched for.", "name");
    const QCommandLineOption dark("dark", "Use the dark theme.");
    const QCommandLineOption size("size", "Size of the window, WIDTHxHEIGHT.", "size");
    const QCommandLineOption picture("picture", "The mirror's picture: wave, spectrogram, level, pitch or difference.",
                                     "name", "wave");
    const QCommandLineOption keyboard("keyboard", "Show the keyboard.");
    options.addOptions({demo, shot, view, cue, picture, instrument, match, dark, size, keyboard});
    options.process(app);

    applyTheme(app, options.isSet(dark));
    try {
        const auto state = stateFolder();
        Session session(state);
        session.collection =
            Collection((QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/facet/collection")
                           .toStdString());
        session.instruments.useShelf(InstrumentShelf(
            (QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/facet/instruments")
                .toStdString()));
        MainWindow window(session);
        const bool recovered = offerRecovery(session, state, !options.isSet(shot));
        if (!recovered && options.isSet(demo)) openDemo(session, options.value(demo).toStdString());
        if (!options.positionalArguments().isEmpty())
            window.openFile(options.positionalArguments().front().toStdString());
        std::uint64_t wanted = session.document.document().activeCue;
        for (const auto& each : session.document.document().cues)
            if (QString::fromStdString(each->name) == options.value(cue)) wanted = each->id;
        session.document.selectCue(wanted);
        for (const InstrumentPtr& each : session.instruments.all())
            if (QString::fromStdString(each->name) == options.value(instrument)) session.instruments.choose(each);
        if (!window.showView(options.value(view))) {
            std::fprintf(stderr,
                         "There is no view “%s”; use reference, notes, facets, patch, search, elements, build, sheet, "
                         "piece or the "
                         "name of a facet.\n",
                         qPrintable(options.value(view)));
            return 2;
        }
        const QStringList pictures{"wave", "spectrogram", "level", "pitch", "difference"};
        if (!pictures.contains(options.value(picture))) {
            std::fprintf(stderr, "There is no picture “%s”; use wave, spectrogram, level, pitch or difference.\n",
                         qPrintable(options.value(picture)));
            return 2;
        }
        window.mirror().setPicture(static_cast<MirrorView::Picture>(pictures.indexOf(options.value(picture))));
        if (options.isSet(dark)) window.setDark(true);
        window.showKeyboard(options.isSet(keyboard));
        const QStringList sides = options.value(size).split('x');
        if (sides.size() == 2) window.resize(sides[0].toInt(), sides[1].toInt());
        window.show();
        const auto search = [&] { session.matching.start(options.value(match).toDouble()); };
        if (options.isSet(match) && session.document.excerpt()) search();
        if (options.isSet(match) && !session.document.excerpt()) // a file is still being listened to
            QObject::connect(&session.reference, &ReferenceController::finished, &window, search,
                             Qt::SingleShotConnection);
        if (!options.isSet(shot)) session.bank.prepare();
        if (!options.isSet(shot)) session.playback.chooseKeyboard({}); // the first there is, if any
        if (options.isSet(shot)) takeShot(app, session, window, options.value(shot));
        return QApplication::exec();
    } catch (const Error& problem) {
        std::fprintf(stderr, "%s\n", problem.what());
        if (!options.isSet(shot)) QMessageBox::critical(nullptr, "Facet", QString::fromUtf8(problem.what()));
        return 1;
    }
}
