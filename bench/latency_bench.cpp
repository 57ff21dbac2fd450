// How long after a key something sounds, and how long after an edit it is seen: latency_bench. Through the simulated
// output and in an offscreen window with the demo project; prints medians and the longest, in ms.
#include "app/session/session.h"
#include "app/shell/demo_project.h"
#include "app/shell/main_window.h"
#include "app/views/listening/mirror_view.h"
#include "app/views/common/theme.h"
#include "core/project/project_file.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QTemporaryDir>
#include <QTimer>
#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <functional>
#include <thread>

namespace facet {
namespace {

constexpr int rounds = 40;

void report(const char* what, std::vector<double> milliseconds) {
    std::sort(milliseconds.begin(), milliseconds.end());
    std::printf("%-52s median %6.1f ms, 95 %% %6.1f ms, longest %6.1f ms\n", what,
                milliseconds[milliseconds.size() / 2], milliseconds[milliseconds.size() * 19 / 20],
                milliseconds.back());
}

/// From a key event on its own thread until the output is given the first sample that sounds.
void measureKeys() {
    std::vector<double> all;
    SimulatedOutput output;
    Player player(output.rateHz());
    player.setPatch(compile(Patch()));
    output.capture(60.0);
    output.start([&](float* stereo, int frames) { player.fill(stereo, frames); });
    for (int round = 0; round < rounds; ++round) {
        std::this_thread::sleep_for(std::chrono::milliseconds(60 + 7 * (round % 5)));
        const int from = output.capturedFrames();
        const auto begin = std::chrono::steady_clock::now();
        player.keyEvent({KeyEvent::Kind::noteOn, 60, 100.0});
        for (int seen = from, sounds = 0; !sounds;) {
            std::this_thread::sleep_for(std::chrono::microseconds(200));
            const int end = output.capturedFrames();
            for (; seen < end && !sounds; ++seen)
                sounds = std::abs(output.captured()[static_cast<std::size_t>(2 * seen)]) > 1e-5f;
        }
        all.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begin).count());
        player.keyEvent({KeyEvent::Kind::noteOff, 60, 0.0});
    }
    output.stop();
    report("key to sound (buffers of 256 at 48 kHz: 5.3 ms)", all);
}

/// Notes when a widget is painted with the render of the patch as it stands.
class Painted : public QObject {
public:
    Painted(QWidget& widget, Session& session) : session_(session) { widget.installEventFilter(this); }
    void begin() {
        clock_.start();
        milliseconds = 0.0;
    }
    double since() const { return static_cast<double>(clock_.nsecsElapsed()) * 1e-6; }
    double milliseconds = 0.0; ///< 0: not yet

protected:
    bool eventFilter(QObject* widget, QEvent* event) override {
        if (event->type() != QEvent::Paint || milliseconds > 0.0 || !session_.results.state().renderIsCurrent)
            return false;
        widget->removeEventFilter(this); // painted now, to know when it is done
        widget->event(event);
        widget->installEventFilter(this);
        milliseconds = since();
        return true;
    }

private:
    Session& session_;
    QElapsedTimer clock_;
};

/// Sleeps between events, as the window does: a loop that spins would take one of the cores it measures.
void waitFor(const std::function<bool()>& done) {
    QTimer heartbeat; // for what ends without an event
    heartbeat.start(1);
    while (!done()) QApplication::processEvents(QEventLoop::WaitForMoreEvents);
}

/// From an edit until the line of the patch, and the mirror with the new render, are painted; and until all is
/// measured.
void measureEdits(const std::filesystem::path& demo) {
    QTemporaryDir folder;
    const std::filesystem::path state = folder.path().toStdString();
    Session session(state / "state", SimulatedOutput().name());
    MainWindow window(session);
    saveProject(state / "demo.facet", makeDemoProject(demo), 1);
    session.document.open(state / "demo.facet");
    window.showView("patch/layer:a/filter:a");
    window.show();
    const auto settled = [&] { return !session.busy() && session.results.state().comparisonIsCurrent; };
    waitFor(settled);
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    waitFor(settled);
    Painted mirror(window.mirror(), session);
    std::vector<double> lines, pictures, measured;
    for (int round = 0; round < rounds; ++round) {
        mirror.begin();
        session.patch.setParameter({"layer:a/filter:a", "cutoff"}, 400.0 + 50.0 * round);
        QApplication::processEvents();
        lines.push_back(mirror.since());
        waitFor([&] { return mirror.milliseconds > 0.0; });
        pictures.push_back(mirror.milliseconds);
        waitFor(settled);
        measured.push_back(mirror.since());
    }
    report("edit to the patch's own line", lines);
    report("edit to the picture of the new render (3 s)", pictures);
    report("edit to likeness and all facets", measured);
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    if (argc < 2) {
        std::fprintf(stderr, "Usage: latency_bench FOLDER-OF-THE-DEMO\n");
        return 2;
    }
    facet::applyTheme(app, false);
    facet::measureKeys();
    facet::measureEdits(argv[1]);
    return 0;
}
