// The sheet in the real window: made, copied, saved, opened again, and enough for somebody who has nothing else.
#include "app/views/sheet/export_dialog.h"
#include "app/views/sheet/sheet_page.h"
#include "core/engine/render.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/patch_json.h"
#include "core/recipe/sheet_file.h"
#include "tests/support/window_fixture.h"

#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QSignalSpy>
#include <QSpinBox>
#include <QProgressBar>
#include <QRegularExpression>
#include <QTextBrowser>
#include <array>
#include <filesystem>
#include <fstream>

namespace facet::testing {

class SheetPageTest : public WindowTest {
protected:
    static inline const std::string filter = "layer:a/filter:a";

    SheetPageTest() {
        // A bass whose filter closes, as the demo's first cue is.
        Patch patch;
        patch.set({filter, "on"}, 1.0);
        patch.set({filter, "cutoff"}, 167.3);
        patch.set({filter, "envelope"}, 40.27);
        patch.set({"layer:a/envelope:filter", "attack"}, 0.0);
        patch.set({"layer:a/envelope:filter", "decay"}, 1312.9);
        patch.set({"layer:a/envelope:level", "attack"}, 6.51);
        patch.set({"layer:a/envelope:level", "decay"}, 383.4);
        patch.set({"layer:a/envelope:level", "sustain"}, 54.6);
        patch.set({"layer:a/envelope:level", "release"}, 92.7);
        session.patch.setPatch("Made", patch);
        EXPECT_TRUE(settle());
        window.showView("sheet");
        EXPECT_TRUE(made());
    }
    bool made() {
        return QTest::qWaitFor(
            [this] { return session.sheet.state() == SheetController::State::made && !session.sheet.busy(); },
            240000 * patience);
    }
    SheetPage& page() { return *window.findChild<SheetPage*>(); }
    QString shown() { return window.findChild<QTextBrowser*>("sheetText")->toPlainText(); }
    const Patch& rounded() { return session.sheet.sheet()->recipe.patch; }

    /// Sets what a line of the sheet says, as somebody does who reads it and works the patch page.
    void setAsTold(const std::string& label, const QString& text) {
        const Patch& patch = session.document.cue()->patch;
        for (const Address& address : patch.addresses()) {
            if (settingLabel(patch, address) != label) continue;
            if (address.field == "on") {
                auto* dot = switchOf(address.module);
                ASSERT_TRUE(dot) << label;
                if (patch.value(address) < 0.5) QTest::mouseClick(dot, Qt::LeftButton);
                return;
            }
            auto* line = row(address);
            ASSERT_TRUE(line) << label;
            auto* list = line->findChild<QComboBox*>();
            if (!list) {
                typeInto(address, QString(text).replace(QChar(0x2212), '-')); // as keyboards have it
                return;
            }
            const int index = list->findText(text);
            ASSERT_GE(index, 0) << label << " " << text.toStdString();
            list->setCurrentIndex(index);
            emit list->activated(index);
            return;
        }
        FAIL() << "nothing is called " << label;
    }
};

TEST_F(SheetPageTest, IsReadCopiedSavedAndOpenedAgain) {
    EXPECT_TRUE(shown().contains("What matters most"));
    EXPECT_TRUE(shown().contains("Filter cutoff"));
    EXPECT_TRUE(shown().contains("Step by step"));
    EXPECT_TRUE(window.findChild<QLabel*>("sheetState")->text().contains("values to set"));
    for (const char* name : {"copySheet", "saveSheet", "printSheet"}) {
        auto* found = window.findChild<QPushButton*>(name);
        EXPECT_TRUE(found && found->isEnabled() && !found->toolTip().isEmpty()) << name;
    }
    EXPECT_FALSE(window.findChild<QTextBrowser*>("sheetText")->accessibleName().isEmpty());
    QTest::mouseClick(window.findChild<QPushButton*>("copySheet"), Qt::LeftButton);
    EXPECT_EQ(QGuiApplication::clipboard()->text().toStdString(), pageText(session.sheet.page()));

    const Patch told = rounded();
    for (const char* end : {"html", "pdf"}) {
        const auto path = folder / (std::string("sheet.") + end);
        ASSERT_TRUE(page().save(QString::fromStdString(path.string())));
        EXPECT_TRUE(readPatchOrSheet(path).soundsLike(told)) << end;
        session.patch.setPatch("Empty", Patch());
        window.openFile(path);
        EXPECT_TRUE(session.document.cue()->patch.soundsLike(told)) << end << " is opened as a patch";
    }
    for (const char* end : {"md", "txt"}) {
        const auto path = folder / (std::string("sheet.") + end);
        ASSERT_TRUE(page().save(QString::fromStdString(path.string())));
        EXPECT_GT(std::filesystem::file_size(path), 500u);
        EXPECT_THROW(readPatchOrSheet(path), Error);
    }

    // What goes wrong is said, and nothing half is left.
    const QString nowhere = QString::fromStdString((folder / "none" / "sheet.pdf").string());
    QString said;
    QObject::connect(&session.messages, &Messages::problem, &window, [&](const QString& sentence) { said = sentence; });
    EXPECT_FALSE(page().save(nowhere));
    EXPECT_FALSE(said.isEmpty());
    laidOut();
    EXPECT_FALSE(std::filesystem::exists(nowhere.toStdString()));
    std::ofstream(folder / "broken.pdf") << "%PDF-1.4 nothing more";
    EXPECT_THROW(readPatchOrSheet(folder / "broken.pdf"), Error);
    std::ofstream(folder / "other.html") << "<p>no patch</p>";
    EXPECT_THROW(readPatchOrSheet(folder / "other.html"), Error);
}

TEST_F(SheetPageTest, IsEnoughForSomebodyWhoHasNothingElse) {
    const Patch take = session.document.cue()->patch;
    const QString text = QString::fromStdString(pageText(session.sheet.page()));
    session.patch.setPatch("Empty", Patch());
    window.showView("patch");
    const QString settings = text.section("Settings\n", 1).section("Step by step", 0, 0);
    int set = 0;
    for (const QString& line : settings.split('\n')) {
        if (!line.startsWith("  ") || line.startsWith("  Set ")) continue;
        const QStringList cells = line.mid(2).split(QRegularExpression(" {3,}"));
        ASSERT_GE(cells.size(), 2) << line.toStdString();
        setAsTold(cells[0].toStdString(), cells[1]);
        ++set;
    }
    EXPECT_GE(set, 6);
    ASSERT_TRUE(settle());
    const Cue& cue = *session.document.cue();
    const Performance& notes = cue.excerpt()->corrected();
    const Profile wanted = measureProfile(render(take, notes), notes);
    const Profile got = measureProfile(render(cue.patch, notes), notes, {.source = &wanted.source, .threads = 2});
    EXPECT_GE(compare(wanted, got).likeness, 95.0);
}

TEST_F(SheetPageTest, MacrosAreTakenTurnedNamedAndRemoved) {
    ASSERT_FALSE(session.sheet.sheet()->macros.empty());
    const std::string name = session.sheet.sheet()->macros.front().name;
    const auto patch = [this]() -> const Patch& { return session.document.cue()->patch; };
    const auto macro = [&]() -> const Patch::Module* {
        for (const auto& module : patch().modules())
            if (module.kind == ModuleKind::macro) return &module;
        return nullptr;
    };
    const Patch before = patch();
    auto* take = window.findChild<QPushButton*>("takeMacro");
    EXPECT_EQ(take->accessibleName().toStdString(), "Take " + name);
    QTest::mouseClick(take, Qt::LeftButton);
    ASSERT_TRUE(macro());
    EXPECT_EQ(patch().labelOf(*macro()), name);
    laidOut();
    for (auto* each : window.findChildren<QPushButton*>("takeMacro"))
        EXPECT_NE(each->accessibleName().toStdString(), "Take " + name) << "it is there already";
    ASSERT_TRUE(settle());
    const RecordingPtr rest = session.results.state().render.recording;
    typeInto({macro()->path, "value"}, "100");
    ASSERT_TRUE(settle());
    EXPECT_NE(session.results.state().render.recording->channels, rest->channels) << "turning it is heard";
    auto* label = window.findChild<QLineEdit*>("macroName");
    label->setFocus();
    label->selectAll();
    QTest::keyClicks(label, "Open");
    QTest::keyClick(label, Qt::Key_Return);
    EXPECT_EQ(patch().labelOf(*macro()), "Open");
    laidOut();
    QTest::mouseClick(window.findChild<QToolButton*>("removeMacro"), Qt::LeftButton);
    EXPECT_FALSE(macro());
    EXPECT_TRUE(patch().soundsLike(before)) << "with its links";
}

TEST_F(SheetPageTest, AControllerLearnsToTurnAMacro) {
    QTest::mouseClick(window.findChild<QPushButton*>("takeMacro"), Qt::LeftButton);
    laidOut();
    session.playback.chooseKeyboard(SimulatedKeyboard::displayName());
    auto* keyboard = dynamic_cast<SimulatedKeyboard*>(session.playback.keyboard());
    ASSERT_TRUE(keyboard);
    const auto send = [&](std::uint8_t number, std::uint8_t value) {
        keyboard->send(std::array<std::uint8_t, 3>{0xb0, number, value});
        laidOut();
    };
    const auto learn = [this] {
        laidOut();
        return window.findChild<QToolButton*>("learnController");
    };
    const auto macro = [this]() -> const Patch::Module* {
        for (const auto& module : session.document.cue()->patch.modules())
            if (module.kind == ModuleKind::macro) return &module;
        return nullptr;
    };
    ASSERT_TRUE(macro() && learn());
    const Address value{macro()->path, "value"};
    const auto turned = [&] { return session.document.cue()->patch.value(value); };
    send(21, 100);
    EXPECT_EQ(turned(), 0.0) << "nothing is learned yet";
    QTest::mouseClick(learn(), Qt::LeftButton);
    EXPECT_EQ(session.controllers.learning(), macro()->path);
    send(64, 100); // the pedal has a meaning of its own
    EXPECT_EQ(session.controllers.learning(), macro()->path);
    send(21, 100);
    EXPECT_TRUE(session.controllers.learning().empty());
    EXPECT_EQ(macro()->contents().controller, 21);
    EXPECT_EQ(learn()->text(), "CC 21");
    send(21, 127);
    EXPECT_EQ(turned(), 100.0);
    send(22, 0);
    EXPECT_EQ(turned(), 100.0) << "another knob";
    send(21, 0);
    EXPECT_EQ(turned(), 0.0);
    const Patch again = patchFromJson(patchToJson(session.document.cue()->patch));
    EXPECT_EQ(again.find(value.module)->contents().controller, 21) << "kept with the patch";
    QTest::mouseClick(learn(), Qt::LeftButton);
    EXPECT_EQ(macro()->contents().controller, 0);
    send(21, 127);
    EXPECT_EQ(turned(), 0.0);
    session.playback.closeKeyboard();
}

TEST_F(SheetPageTest, AllThatBelongsToItIsOneFolder) {
    QTest::mouseClick(window.findChild<QPushButton*>("exportSound"), Qt::LeftButton);
    laidOut();
    auto* dialog = window.findChild<ExportDialog*>();
    ASSERT_TRUE(dialog);
    auto* kind = dialog->findChild<QComboBox*>("exportKind");
    kind->setCurrentIndex(kind->findText("All that belongs", Qt::MatchStartsWith));
    QSignalSpy finished(&session.exporter, &SoundExporter::finished);
    dialog->write(QString::fromStdString((folder / "all").string()));
    ASSERT_TRUE(finished.wait(60000 * patience));
    EXPECT_TRUE(finished.front().front().toBool());
    for (const char* name : {"patch.json", "notes.mid", "notes.json", "reference.flac", "sheet.html", "sheet.md",
                             "sheet.txt", "sheet.pdf", "phrase.wav", "phrase dry.wav"})
        EXPECT_TRUE(std::filesystem::exists(folder / "all" / name)) << name;
    EXPECT_TRUE(readPatchOrSheet(folder / "all" / "patch.json").soundsLike(session.document.cue()->patch));
    EXPECT_EQ(readPatchOrSheet(folder / "all" / "sheet.pdf"), readPatchOrSheet(folder / "all" / "sheet.html"));
}

TEST_F(SheetPageTest, SoundsAreExportedAndStopped) {
    QTest::mouseClick(window.findChild<QPushButton*>("exportSound"), Qt::LeftButton);
    laidOut();
    auto* dialog = window.findChild<ExportDialog*>();
    ASSERT_TRUE(dialog);
    EXPECT_TRUE(dialog->findChild<QLabel*>("exportCount")->text().startsWith("13 notes"));
    for (auto* each : dialog->findChildren<QWidget*>())
        if (qobject_cast<QAbstractSpinBox*>(each)) {
            EXPECT_FALSE(each->accessibleName().isEmpty());
        }
    const auto boxes = dialog->findChildren<QSpinBox*>();
    for (QSpinBox* box : boxes)
        if (box->accessibleName() == "Lowest key") box->setValue(100);
    EXPECT_FALSE(dialog->findChild<QPushButton*>("exportWrite")->isEnabled()) << "above the highest";
    for (QSpinBox* box : boxes)
        if (box->accessibleName() == "Lowest key") box->setValue(60);
    const auto folderPath = folder / "bass";
    dialog->write(QString::fromStdString(folderPath.string()));
    QTest::mouseClick(dialog->findChild<QPushButton*>("exportClose"), Qt::LeftButton);
    laidOut();
    EXPECT_FALSE(session.exporter.busy()) << "stopped";
    EXPECT_FALSE(std::filesystem::exists(folderPath)) << "nothing half is left";
    QTest::mouseClick(window.findChild<QPushButton*>("exportSound"), Qt::LeftButton);
    laidOut();
    dialog = window.findChild<ExportDialog*>();
    ASSERT_TRUE(dialog);
    QSignalSpy finished(&session.exporter, &SoundExporter::finished);
    dialog->write(QString::fromStdString(folderPath.string()));
    ASSERT_TRUE(finished.wait(60000 * patience));
    EXPECT_TRUE(finished.front().front().toBool());
    EXPECT_TRUE(std::filesystem::exists(folderPath / "Airlock.sfz"));
    laidOut();
    EXPECT_FALSE(window.findChild<ExportDialog*>()) << "done";

    // The phrase, whole and dry.
    QTest::mouseClick(window.findChild<QPushButton*>("exportSound"), Qt::LeftButton);
    laidOut();
    dialog = window.findChild<ExportDialog*>();
    ASSERT_TRUE(dialog);
    auto* kind = dialog->findChild<QComboBox*>("exportKind");
    kind->setCurrentIndex(kind->findText("The phrase", Qt::MatchStartsWith));
    EXPECT_TRUE(dialog->findChild<QLabel*>("exportCount")->text().startsWith("2 files"));
    for (QSpinBox* box : dialog->findChildren<QSpinBox*>()) EXPECT_FALSE(box->isEnabled()) << "of recorded notes";
    QSignalSpy again(&session.exporter, &SoundExporter::finished);
    dialog->write(QString::fromStdString((folder / "phrase").string()));
    ASSERT_TRUE(again.wait(60000 * patience));
    EXPECT_TRUE(std::filesystem::exists(folder / "phrase" / "phrase.wav"));
    EXPECT_TRUE(std::filesystem::exists(folder / "phrase" / "phrase dry.wav"));
}

TEST_F(SheetPageTest, FollowsThePatchAndSaysWhatItIsDoing) {
    QTest::mouseClick(window.findChild<QPushButton*>("takeValues"), Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(rounded())) << "the rounded values are the patch";
    session.document.undoStack().undo();
    ASSERT_TRUE(settle());
    const auto first = session.sheet.sheet();
    session.patch.setParameter({filter, "cutoff"}, 900.0);
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return session.sheet.state() == SheetController::State::making; }, 30000 * patience));
    EXPECT_FALSE(window.findChild<QPushButton*>("saveSheet")->isEnabled()) << "what is shown is of another patch";
    EXPECT_TRUE(window.findChild<QProgressBar*>()->isVisible());
    ASSERT_TRUE(made());
    EXPECT_NE(session.sheet.sheet(), first);
    EXPECT_NEAR(rounded().value({filter, "cutoff"}), 900.0, 60.0);
    session.patch.setParameter({filter, "cutoff"}, 300.0);
    window.showView("patch");
    EXPECT_TRUE(QTest::qWaitFor([&] { return !session.sheet.busy(); }, 30000 * patience)) << "not wanted elsewhere";
}

} // namespace facet::testing
