// One module of the patch as a line of the score, which opens to all there is to edit.
#pragma once

#include "core/parameters/reading.h"

#include <QFrame>
#include <QPoint>
#include <string>
#include <vector>

class QHBoxLayout;
class QLabel;
class QLineEdit;
class QToolButton;
class QVBoxLayout;

namespace facet {

class CurveEditor;
class FilterCurve;
class LinkEnds;
class ModulePicture;
class ParameterRow;
class PartialsView;
class ModuleLinks;
class ModuleSoundView;
class DocumentStore;
class PatchEditor;
class ModuleSounds;
class ModuleReadings;
class PatchComparisons;
class Messages;
class StageView;
class PathStrip;

/// Closed: whether it is on, its name, its picture, the most characteristic values, and what it is connected with, in
/// words. Open: its curve, its parameters, what moves them and what it moves. Shows changes at refresh(). Return or
/// Space opens and closes it; Alt with Up or Down passes an effect earlier or later; Delete removes what can be
/// removed.
class ModuleRow : public QFrame {
    Q_OBJECT

public:
    ModuleRow(DocumentStore& document, PatchEditor& patchEditor, ModuleSounds& sounds, ModuleReadings& readings,
              PatchComparisons& comparisons, Messages& messages, std::string path, QWidget* parent = nullptr);
    const std::string& path() const { return path_; }
    void setOpen(bool open);
    bool isOpen() const { return body_ != nullptr; }
    /// `movements`: of the whole patch.
    void refresh(const Patch& patch, const std::vector<Modulation>& movements);
    /// How far its envelope moves a filter's cutoff at this instant, in octaves.
    void setMoved(double octaves);

signals:
    /// Somebody wants it opened or closed.
    void chosen(const QString& path);
    /// Another row is wanted: −1 the one above, 1 the one below.
    void stepWanted(int by);
    void resized();
    /// An effect is dragged by its head to a place on the screen; `dropped`: and let go there.
    void dragged(QPoint place, bool dropped);
    /// A file is wanted for the module.
    void soundWanted(const QString& path);

protected:
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void focusInEvent(QFocusEvent*) override;
    void focusOutEvent(QFocusEvent*) override;

private:
    void makeHead();
    void makeBody(const Patch& patch);
    void makeName(QVBoxLayout* column);
    void refreshStage(const Patch& patch, const Patch::Module& module);
    void moveBy(int places);
    void showFocus();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    ModuleSounds& sounds_;
    ModuleReadings& readings_;
    PatchComparisons& comparisons_;
    Messages& messages_;
    const std::string path_;
    QPoint pressed_; ///< on the screen
    bool held_ = false, dragging_ = false;
    QVBoxLayout* stack_;
    QWidget* head_ = nullptr;
    QToolButton* on_ = nullptr;
    QLabel* title_ = nullptr;
    ModulePicture* picture_ = nullptr;
    PathStrip* importantStrip_ = nullptr;
    QLabel* words_ = nullptr;
    QWidget* body_ = nullptr;
    CurveEditor* curve_ = nullptr;
    LinkEnds* ends_ = nullptr;
    std::vector<ParameterRow*> rows_;
    QLineEdit* name_ = nullptr;
    ModuleLinks* links_ = nullptr;
    PartialsView* partials_ = nullptr;
    StageView* stage_ = nullptr;
    ModuleSoundView* sound_ = nullptr;
};

} // namespace facet
