// The one window: header, mirror, the chosen view, transport and takes.
#pragma once

#include "core/parameters/table.h"

#include <QMainWindow>
#include <QString>
#include <filesystem>
#include <map>
#include <vector>

class QAction;
class QComboBox;
class QLabel;
class QMenu;
class QProgressBar;
class QPushButton;
class QStackedWidget;
class QTableView;
class QTimer;

namespace facet {

class AnswerView;
class MovesView;
class ComparisonModel;
class FacetList;
class FacetPlot;
class KeyboardStrip;
class MirrorView;
class NotesPage;
class PatchView;
class PiecePage;
class ReferencePage;
class BuildPage;
class SheetPage;
class SearchView;
class Session;
struct Excerpt;
class TakesBar;
class TransportBar;

/// Holds the pages and what is always in view (header, mirror, transport, takes), refreshes them when the session's
/// controllers signal a change, and owns the menus with everything that asks for a file. GUI thread only.
class MainWindow : public QMainWindow {
    Q_OBJECT

public:
    explicit MainWindow(Session& session);

    /// "reference", "notes", "facets", "patch", "search", "build", "sheet", "piece", a facet by its name, or "patch/" and the path of a
    /// module whose line is to be open. False for an unknown id.
    bool showView(const QString& id);
    /// Applies the dark or light theme to the whole program.
    void setDark(bool dark);
    /// Shows or hides the keyboard strip below the page.
    void showKeyboard(bool on);
    MirrorView& mirror() { return *mirror_; }

    // Also reached through menus; the plain ones ask for files.
    bool saveOrAsk();
    void openFile(const std::filesystem::path& path);

protected:
    void closeEvent(QCloseEvent*) override;
    void resizeEvent(QResizeEvent* event) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void makePages(QWidget* body);
    void connectSession();
    void startClock();
    QWidget* makeHeader();
    QWidget* makeFacetsPage();
    QWidget* makeBottomBar();
    void makeFileMenu();
    void makeEditMenu();
    void makeCueMenu();
    void makePlayMenu();
    void makeViewMenu();
    void makeHelpMenu();

    void refreshDocument();
    void refreshResults();
    void refreshHeader();
    void refreshWarning(const Excerpt* excerpt);
    void askFocus();
    void tapTempo();
    void refreshTitle();
    void chooseFacet(Facet facet);
    void showProblem(const QString& sentence, const QString& detail);
    bool confirmLosing();
    void saveAs();
    void openProject();
    void openReference();
    void openBacking();
    void importNotes();
    void exportNotes();
    void recordReference();
    void askChannels(const QString& path, int count);
    void fillRecent();
    void remember(const std::filesystem::path& reference);
    void openPatch();
    void beginFrom();
    void showChanges(std::uint64_t take);
    void compareTakes(std::uint64_t first);
    void testBlind();
    void loadSound(const QString& module);
    void savePatch();
    void exportRender();

    Session& session_;
    MirrorView* mirror_;
    QStackedWidget* pages_;
    std::map<QString, QPushButton*> tabs_;
    ReferencePage* reference_;
    NotesPage* notes_;
    QMenu* recent_;
    FacetList* facets_;
    FacetPlot* plot_;
    QTableView* table_;
    ComparisonModel* model_;
    MovesView* moves_ = nullptr;
    AnswerView* answers_;
    PatchView* patch_;
    SearchView* search_;
    BuildPage* build_;
    SheetPage* sheet_;
    PiecePage* piece_;
    KeyboardStrip* keyboard_;
    TransportBar* transport_;
    TakesBar* takes_;
    QLabel* project_;
    QComboBox* cues_;
    QLabel* likenessCaption_ = nullptr;
    QLabel* floor_ = nullptr;
    QLabel* likeness_;
    QProgressBar* likenessBar_;
    QPushButton* matchButton_;
    QLabel* warning_;
    QTimer* clock_;
    QAction* keyboardAction_ = nullptr;
    bool dark_ = false;
    bool wasPlaying_ = false;  ///< at the clock's last tick
    std::vector<qint64> taps_; ///< of the tempo, ms
};

} // namespace facet
