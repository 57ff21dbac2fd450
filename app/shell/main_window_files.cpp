// What the window opens, saves, imports and exports, and how it reports what went wrong.
#include "app/shell/main_window.h"

#include "app/session/session.h"
#include "app/views/reference/record_dialog.h"
#include "core/audio/audio_file.h"
#include "core/base/log.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "core/performance/midi_file.h"
#include "core/recipe/controllers.h"
#include "core/recipe/sheet_file.h"

#include <QApplication>
#include <QClipboard>
#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QStatusBar>

namespace facet {

namespace {

constexpr const char* audioFilter =
    "Recordings (*.wav *.flac *.aif *.aiff *.ogg *.opus *.mp3 *.caf *.w64);;All files (*)";

std::filesystem::path toPath(const QString& name) { return std::filesystem::path(name.toStdString()); }

} // namespace

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
    if (!session_.document.modified()) return true;
    QMessageBox box(QMessageBox::Question, tr("Facet"),
                    tr("Save the changes to “%1” first?").arg(session_.document.title()),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    box.setObjectName("unsaved");
    const int answer = box.exec();
    return answer == QMessageBox::Discard || (answer == QMessageBox::Save && saveOrAsk());
}

bool MainWindow::saveOrAsk() {
    if (session_.document.path().empty()) {
        saveAs();
        return !session_.document.modified();
    }
    try {
        session_.document.saveAs(session_.document.path());
        return true;
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
        return false;
    }
}

void MainWindow::saveAs() {
    QString name = QFileDialog::getSaveFileName(this, tr("Save project"), session_.document.title() + ".facet",
                                                tr("Facet projects (*.facet)"));
    if (name.isEmpty()) return;
    if (!name.endsWith(".facet")) name += ".facet";
    try {
        session_.document.saveAs(toPath(name));
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
            session_.document.open(path);
        else if (extension == ".mid" || extension == ".midi")
            session_.notes.importFile(path);
        else if (extension == ".json" || extension == ".html" || extension == ".pdf")
            session_.takes.replacePatch(tr("Open patch"), readPatchOrSheet(path));
        else {
            session_.reference.importReference(path);
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

void MainWindow::openBacking() {
    const QString name = QFileDialog::getOpenFileName(this, tr("Choose backing"), {}, tr(audioFilter));
    if (!name.isEmpty()) session_.piece.importBacking(toPath(name));
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
    if (fine) session_.reference.importReference(toPath(path), ChannelChoice::parse(chosen.toStdString()));
}

void MainWindow::recordReference() {
    session_.listening.endAudition();
    session_.playback.player().stop();
    RecordDialog dialog(this);
    if (dialog.exec() != QDialog::Accepted) return;
    const Recording recorded = dialog.takeRecording();
    session_.reference.addExcerptSound(
        recorded, tr("Recorded %1").arg(QDateTime::currentDateTime().toString("yyyy-MM-dd hh:mm")));
}

void MainWindow::importNotes() {
    const QString name =
        QFileDialog::getOpenFileName(this, tr("Import MIDI notes"), {}, tr("MIDI files (*.mid *.midi);;All files (*)"));
    if (!name.isEmpty()) session_.notes.importFile(toPath(name));
}

void MainWindow::exportNotes() {
    if (session_.document.performance().notes.empty()) {
        statusBar()->showMessage(tr("There are no notes to export yet."), 8000);
        return;
    }
    const QString apart = tr("MIDI file, tempo on a track of its own (*.mid)");
    QString kind;
    QString name = QFileDialog::getSaveFileName(this, tr("Export notes"),
                                                QString::fromStdString(session_.document.cue()->name) + ".mid",
                                                tr("MIDI file, one track (*.mid)") + ";;" + apart, &kind);
    if (name.isEmpty()) return;
    if (!name.endsWith(".mid")) name += ".mid";
    try {
        const Performance& performance = session_.document.performance();
        writeMidi(toPath(name), performance, kind == apart ? MidiFormat::tempoApart : MidiFormat::oneTrack,
                  controllersOf(performance, session_.document.cue()->patch));
        statusBar()->showMessage(tr("Notes written to %1").arg(name), 8000);
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

void MainWindow::openPatch() {
    const QString name = QFileDialog::getOpenFileName(this, tr("Open patch"), {},
                                                      tr("Patches and sheets (*.json *.html *.pdf);;All files (*)"));
    if (!name.isEmpty()) openFile(toPath(name));
}

void MainWindow::loadSound(const QString& module) {
    const QString name = QFileDialog::getOpenFileName(this, tr("Load sound"), {}, tr(audioFilter));
    if (!name.isEmpty()) session_.sounds.load(module.toStdString(), toPath(name));
}

void MainWindow::savePatch() {
    const QString name = QFileDialog::getSaveFileName(this, tr("Save patch"),
                                                      QString::fromStdString(session_.document.cue()->name) + ".json",
                                                      tr("Patches (*.json)"));
    if (name.isEmpty()) return;
    try {
        Patch patch = session_.document.cue()->patch;
        patch.name = session_.document.cue()->name;
        writePatch(toPath(name), patch);
        statusBar()->showMessage(tr("Patch saved as %1").arg(name), 8000);
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

void MainWindow::exportRender() {
    const auto& render = session_.results.state().render.recording;
    if (!render || !session_.results.state().renderIsCurrent) {
        statusBar()->showMessage(tr("There is no finished render yet."), 8000);
        return;
    }
    const QString name = QFileDialog::getSaveFileName(this, tr("Export render"),
                                                      QString::fromStdString(session_.document.cue()->name) + ".wav",
                                                      tr("WAV, 32-bit float (*.wav);;FLAC, 24-bit (*.flac)"));
    if (name.isEmpty()) return;
    try {
        writeAudio(toPath(name), *render, name.endsWith(".flac") ? SampleFormat::flac24 : SampleFormat::wavFloat);
        statusBar()->showMessage(tr("Render written to %1").arg(name), 8000);
    } catch (const Error& problem) {
        showProblem(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
    }
}

} // namespace facet
