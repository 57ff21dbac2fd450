// The real window with the demo project open, and the ways a producer has to work it.
#pragma once

#include "app/session/session.h"
#include "app/shell/demo_project.h"
#include "app/shell/main_window.h"
#include "app/views/patch/parameter_row.h"
#include "app/views/patch/patch_view.h"
#include "core/project/project_file.h"
#include "tests/support/files.h"
#include "tests/support/patience.h"

#include <QApplication>
#include <cmath>
#include <QContextMenuEvent>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QTest>
#include <QTimer>
#include <QToolButton>
#include <gtest/gtest.h>

namespace facet::testing {

class WindowTest : public ::testing::Test {
protected:
    WindowTest() : session(folder / "state", SimulatedOutput().name()), window(session) {
        saveProject(folder / "demo.facet", makeDemoProject(demoFile("")), 1);
        session.document.open(folder / "demo.facet");
        window.show();
        EXPECT_TRUE(QTest::qWaitForWindowActive(&window));
        EXPECT_TRUE(settle());
    }
    ~WindowTest() override { session.document.undoStack().setClean(); }

    bool settle() {
        return QTest::qWaitFor([this] { return !session.busy() && session.results.state().comparisonIsCurrent; },
                               120000 * patience);
    }
    /// Works everything that has been posted: layouts, paints, deletions.
    static void laidOut() {
        for (int i = 0; i < 3; ++i) {
            QCoreApplication::sendPostedEvents();
            QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
            QCoreApplication::processEvents();
        }
    }
    /// Until what is to be heard has been stretched, cut or rendered, and given to the player.
    bool givenToPlayer() {
        const bool made = QTest::qWaitFor([this] { return !session.listening.busy(); }, 30000 * patience);
        laidOut();
        return made;
    }
    /// Stops playing, and waits until what was fading has faded.
    bool stopAndFade() {
        session.playback.player().stop();
        return QTest::qWaitFor([this] { return session.playback.player().takePeak() == 0.0f; }, 15000 * patience);
    }
    /// Waits until so much more of the sound has been played.
    bool played(double seconds) {
        const double from = session.playback.position();
        return QTest::qWaitFor([&] { return std::abs(session.playback.position() - from) >= seconds; },
                               15000 * patience);
    }
    /// The line of a parameter that is in view; on the patch page its module is opened first.
    ParameterRow* row(const Address& address) {
        if (auto* view = window.findChild<PatchView*>(); view->isVisible() && view->chosen() != address.module)
            view->open(address.module);
        for (auto* found : window.findChildren<ParameterRow*>(QString::fromStdString("row " + address.text())))
            if (found->isVisible()) return found;
        return nullptr;
    }
    /// What switches a module on and off, at the head of its line on the patch page.
    QToolButton* switchOf(const std::string& module) {
        for (auto* found : window.findChildren<QToolButton*>("dot"))
            if (found->property("module").toString().toStdString() == module) return found;
        return nullptr;
    }
    QPushButton* button(const QString& text) {
        for (auto* found : window.findChildren<QPushButton*>())
            if (found->isVisible() && found->text().startsWith(text)) return found;
        return nullptr;
    }
    void typeInto(const Address& address, const QString& text) {
        auto* edit = row(address)->findChild<QLineEdit*>("value");
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
    }

    enum class By { mouse, keys };
    /// Opens the menu of a widget and chooses an entry, or one of a menu within, by the beginnings of their texts.
    bool chooseFrom(QWidget* of, const QStringList& entries, By by) {
        bool chosen = false;
        if (!of) return false;
        QTimer::singleShot(0, &window, [&] {
            for (const QString& entry : entries) {
                auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
                ASSERT_TRUE(menu);
                const auto actions = menu->actions();
                const auto found = std::find_if(actions.begin(), actions.end(), [&](const QAction* action) {
                    return action->text().startsWith(entry) && action->isVisible();
                });
                const bool last = entry == entries.last();
                if (found == actions.end()) {
                    menu->close();
                    FAIL() << "not offered: " << entry.toStdString();
                }
                chosen = chosen || last;
                if (by == By::mouse) {
                    QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(*found).center());
                    if (!last) {
                        ASSERT_TRUE(QTest::qWaitFor([menu] { return QApplication::activePopupWidget() != menu; },
                                                    10000 * patience));
                    }
                    continue;
                }
                for (int steps = 0; menu->activeAction() != *found && steps <= actions.size(); ++steps)
                    QTest::keyClick(menu, Qt::Key_Down);
                QTest::keyClick(menu, last ? Qt::Key_Return : Qt::Key_Right);
            }
        });
        const QPoint place = by == By::mouse ? QPoint(40, 10) : QPoint(4, 4);
        QContextMenuEvent event(by == By::mouse ? QContextMenuEvent::Mouse : QContextMenuEvent::Keyboard, place,
                                of->mapToGlobal(place));
        QApplication::sendEvent(of, &event);
        return chosen;
    }
    /// Types a file's name into the file dialog that comes next.
    void typeNextFile(const std::filesystem::path& path) {
        auto* waiting = new QTimer(&window);
        QObject::connect(waiting, &QTimer::timeout, waiting, [waiting, path] {
            auto* dialog = QApplication::activeModalWidget();
            auto* name = dialog ? dialog->findChild<QLineEdit*>() : nullptr;
            if (!name) return;
            waiting->stop();
            waiting->deleteLater();
            name->setText(QString::fromStdString(path.string()));
            QTest::keyClick(name, Qt::Key_Return);
        });
        waiting->start(50);
    }

    /// Drops a file on the window as a file manager does.
    void drop(const std::filesystem::path& path) {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(QString::fromStdString(path.string()))});
        QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, {});
        QApplication::sendEvent(&window, &enter);
        EXPECT_TRUE(enter.isAccepted());
        QDropEvent event(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, {});
        QApplication::sendEvent(&window, &event);
    }
    /// The sentence of the problem that the window shows now, which is then closed; empty when there is none.
    QString closedProblem() {
        QString sentence;
        for (auto* box : window.findChildren<QMessageBox*>("problem")) {
            if (!box->isVisible()) continue;
            EXPECT_TRUE(sentence.isEmpty()) << "two problems at once";
            sentence = box->text();
            QTest::keyClick(box, Qt::Key_Escape);
            EXPECT_FALSE(box->isVisible()) << "Escape closes it";
        }
        return sentence;
    }

    TemporaryFolder folder;
    Session session;
    MainWindow window;
};

} // namespace facet::testing
