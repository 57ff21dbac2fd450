// Opening long and odd recordings, cutting excerpts, hearing and leaving out, in the real window.
#include "app/session/reference/recorder.h"
#include "app/views/reference/reference_page.h"
#include "app/views/reference/source_picture.h"
#include "core/audio/audio_file.h"
#include "core/base/random.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QInputDialog>
#include <QTableWidget>

namespace facet::testing {

/// A phrase of two notes over and over, each 0.4 s: 100 s of it.
Recording longPhrase() {
    Recording sound = testing::soundOf(100.0, 22050, [](double t) {
        const double at = std::fmod(t, 0.5);
        const double hz = std::fmod(t, 1.0) < 0.5 ? 220.0 : 330.0;
        double sum = 0.0;
        for (int k = 1; k < 8; ++k) sum += std::sin(2.0 * 3.14159265358979 * k * hz * at) / k;
        return at > 0.4 ? 0.0 : 0.3 * sum * std::min(1.0, std::min(at, 0.4 - at) / 0.01);
    });
    sound.channels.push_back(sound.channels[0]);
    return sound;
}

/// It as a file that all tests share.
const std::filesystem::path& longFile() {
    static const TemporaryFolder folder;
    static const auto path = [] {
        writeAudio(folder / "long.flac", longPhrase(), SampleFormat::flac16);
        return folder / "long.flac";
    }();
    return path;
}

class ReferenceTest : public WindowTest {
protected:
    ReferenceTest() : page(window.findChild<ReferencePage*>()) {}
    SourcePicture& picture() { return page->picture(); }
    bool waitForPicture() {
        return QTest::qWaitFor(
            [&] { return session.reference.source().overview() && session.reference.source().overview()->finished(); },
            60000 * patience);
    }
    void dragOver(double begin, double end) {
        const QPoint from(static_cast<int>(picture().xAt(begin)), 80);
        const QPoint to(static_cast<int>(picture().xAt(end)), 80);
        QTest::mousePress(&picture(), Qt::LeftButton, {}, from);
        QTest::mouseMove(&picture(), (from + to) / 2);
        QTest::mouseMove(&picture(), to);
        QTest::mouseRelease(&picture(), Qt::LeftButton, {}, to);
    }
    ReferencePage* page;
};

TEST_F(ReferenceTest, PartsOfALongFileBecomeExcerpts) {
    const auto before = session.document.cue()->excerpts.size();
    drop(longFile());
    EXPECT_TRUE(picture().isVisible()) << "the page to choose parts on opens by itself";
    ASSERT_TRUE(waitForPicture());
    EXPECT_EQ(session.document.cue()->excerpts.size(), before) << "nothing is replaced before a part is chosen";
    picture().zoom(20.0, 20.0);
    dragOver(19.9, 21.9);
    QTest::mouseClick(button("Add as excerpt"), Qt::LeftButton);
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return session.document.cue()->excerpts.size() == before + 1; }, 60000 * patience));
    ASSERT_TRUE(settle());
    const Excerpt& excerpt = *session.document.cue()->excerpt();
    EXPECT_NEAR(excerpt.begin, 19.9, 0.02);
    EXPECT_NEAR(excerpt.end, 21.9, 0.02);
    EXPECT_EQ(excerpt.corrected().notes.size(), 4u) << "its notes were found";
    EXPECT_NEAR(excerpt.corrected().notes[0].start, 20.0 - excerpt.begin, 0.01);

    // Both excerpts count in the likeness, by weight.
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.results.state().excerptLikeness.size() == 2; }, 60000 * patience));
    const auto both = session.results.state().excerptLikeness;
    const auto first = session.document.cue()->excerpts.front()->id;
    EXPECT_NEAR(session.results.state().likeness, 0.5 * (both.at(first) + both.at(excerpt.id)), 1e-6);
    session.reference.setExcerptWeight(first, 0.0);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
            return std::abs(session.results.state().likeness - session.results.state().comparison->likeness) < 1e-6;
        },
        15000 * patience));

    // Both survive the project file; the excerpt in view too.
    session.document.saveAs(folder / "two.facet");
    session.document.open(folder / "two.facet");
    EXPECT_EQ(session.document.cue()->excerpts.size(), 2u);
    EXPECT_EQ(session.document.cue()->excerpt()->name, "long");
    ASSERT_TRUE(settle());
}

TEST_F(ReferenceTest, ThePictureZoomsToSingleSamples) {
    drop(longFile());
    ASSERT_TRUE(waitForPicture());
    picture().zoom(1e9, 20.05);
    const TimeSpan view = picture().view();
    EXPECT_LT(view.end - view.begin, 20.0 / 22050);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
            const auto& detail = session.reference.source().detail();
            return detail.recording && detail.begin <= view.begin &&
                   detail.begin + detail.recording->seconds() >= view.end;
        },
        15000 * patience))
        << "samples are read where one looks closely";
    QTest::keyClick(&picture(), Qt::Key_End);
    EXPECT_NEAR(picture().view().end, 100.0, 1e-6);
}

TEST_F(ReferenceTest, SpacePlaysTheChosenPartAndLeavingGivesTheReferenceBack) {
    drop(longFile());
    ASSERT_TRUE(waitForPicture());
    dragOver(50.0, 60.0);
    picture().setFocus();
    QTest::keyClick(&picture(), Qt::Key_Space);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.listening.auditioning() && session.playback.player().playing(); },
                                15000 * patience));
    EXPECT_TRUE(QTest::qWaitFor(
        [&] { return session.listening.auditionPosition() > picture().selection().begin + 0.05; }, 15000 * patience));
    EXPECT_LT(session.listening.auditionPosition(), 60.0);
    window.showView("facets");
    EXPECT_FALSE(session.listening.auditioning());
    QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : &window, Qt::Key_Space);
    EXPECT_TRUE(QTest::qWaitFor([&] { return session.playback.player().playing(); }, 15000 * patience));
    EXPECT_TRUE(QTest::qWaitFor([&] { return session.playback.position() < 3.1; }, 15000 * patience))
        << "the excerpt again";
}

TEST_F(ReferenceTest, OfSixChannelsTheProducerChooses) {
    Recording six{44100, std::vector<std::vector<float>>(6, std::vector<float>(44100))};
    for (std::size_t i = 0; i < 44100; ++i)
        six.channels[3][i] = static_cast<float>(0.4 * sawAt(110.0, static_cast<double>(i) / 44100.0));
    writeAudio(folder / "six.wav", six);
    QTimer::singleShot(300, &window, [&] {
        auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        ASSERT_NE(dialog, nullptr);
        EXPECT_TRUE(dialog->labelText().contains("6 channels"));
        dialog->setTextValue("4");
        dialog->accept();
    });
    drop(folder / "six.wav");
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->excerpt()->name == "six"; }, 60000 * patience));
    EXPECT_EQ(session.document.cue()->excerpt()->channels.text(), "4");
    EXPECT_EQ(session.document.cue()->excerpt()->audio->channels[0], six.channels[3]);
    EXPECT_EQ(closedProblem(), "");
}

TEST_F(ReferenceTest, WhatIsLeftOutIsNeitherHeardNorCompared) {
    ASSERT_TRUE(window.showView("reference"));
    ASSERT_TRUE(waitForPicture());
    const auto notes = session.results.state().reference.profile->notes.size();
    const Note last = session.document.performance().notes.back();
    dragOver(last.start - 0.02, last.end + 0.05);
    QTest::mouseClick(button("Leave out"), Qt::LeftButton);
    ASSERT_EQ(session.document.cue()->excerpt()->leftOut.size(), 1u);
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results.state().reference.profile->notes.size(), notes - 1);
    EXPECT_EQ(session.document.performance().notes.size(), notes) << "it is played all the same";
    QTest::mouseClick(button("Take in again"), Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->excerpt()->leftOut.empty());
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results.state().reference.profile->notes.size(), notes);
}

TEST_F(ReferenceTest, PartsOfTheSoundAreHeardButNotCompared) {
    ASSERT_TRUE(window.showView("reference"));
    const double likeness = session.results.state().likeness;
    QTest::mouseClick(button("Struck"), Qt::LeftButton);
    EXPECT_EQ(session.listening.heardPart(), HeardPart::struck);
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results.state().likeness, likeness);
    QTest::mouseClick(button("As excerpt"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->excerpts.size() == 2; }, 60000 * patience));
    EXPECT_TRUE(QString::fromStdString(session.document.cue()->excerpt()->name).contains("struck"));
    EXPECT_EQ(session.document.performance().notes.size(),
              session.document.cue()->excerpts.front()->corrected().notes.size());
    QTest::mouseClick(button("All"), Qt::LeftButton);
    QTest::mouseClick(button("Remove"), Qt::LeftButton);
    EXPECT_EQ(session.document.cue()->excerpts.size(), 1u);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->excerpts.size(), 2u) << "nothing kept is lost";
    ASSERT_TRUE(settle());
}

TEST_F(ReferenceTest, ARecordingFromTheInputBecomesAnExcerpt) {
    Recorder recorder;
    recorder.open(SimulatedInput().name());
    recorder.start();
    ASSERT_TRUE(QTest::qWaitFor([&] { return recorder.seconds() > 2.2; }, 30000 * patience));
    EXPECT_GT(recorder.takePeak(), 0.1f);
    const Recording recorded = recorder.stop();
    recorder.close();
    EXPECT_NEAR(recorded.seconds(), 2.25, 0.5);
    session.reference.addExcerptSound(recorded, "Recorded");
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->excerpts.size() == 2; }, 60000 * patience));
    ASSERT_TRUE(settle());
    // The simulated input plays four keys in turn, two a second.
    const auto notes = session.document.performance().notes;
    ASSERT_GE(notes.size(), 3u);
    const auto& keys = SimulatedInput::keys();
    for (const Note& note : notes) EXPECT_NE(std::find(keys.begin(), keys.end(), note.key), keys.end()) << note.key;
}

TEST_F(ReferenceTest, AnHourOfNoiseIsShownAndAPartOfItSaysThatItHasNoNotes) {
    Random random(7);
    Recording noise{8000, {std::vector<float>(3600u * 8000u)}};
    for (float& sample : noise.channels[0]) sample = static_cast<float>(0.4 * random.unit() - 0.2);
    writeAudio(folder / "hour.wav", noise, SampleFormat::wav16);
    drop(folder / "hour.wav");
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.reference.source().overview() != nullptr; }, 60000 * patience));
    EXPECT_NEAR(session.reference.source().overview()->seconds, 3600.0, 1e-6);
    ASSERT_TRUE(waitForPicture());
    session.reference.addExcerpt(1800.0, 1802.0);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->excerpts.size() == 2; }, 60000 * patience));
    EXPECT_FALSE(session.document.cue()->excerpt()->noteProblem.empty()) << "nothing is made up about noise";
    EXPECT_TRUE(QTest::qWaitFor([&] { return !session.busy(); }, 60000 * patience));
    EXPECT_EQ(closedProblem(), "");
}

TEST_F(ReferenceTest, SilenceWithOneClickDoesNoHarm) {
    Recording click{44100, {std::vector<float>(2 * 44100)}};
    click.channels[0][44100] = 0.9f;
    writeAudio(folder / "click.wav", click);
    drop(folder / "click.wav");
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->excerpt()->name == "click"; }, 60000 * patience));
    EXPECT_TRUE(QTest::qWaitFor([&] { return !session.busy(); }, 60000 * patience));
    EXPECT_EQ(closedProblem(), "");
    for (const char* view : {"reference", "notes", "facets"}) {
        window.showView(view);
        laidOut();
    }
}

} // namespace facet::testing
