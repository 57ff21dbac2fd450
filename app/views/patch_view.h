// Parameters as editable rows: the whole patch in signal order, or those that answer for one facet.
#pragma once

#include "core/parameters/patch.h"

#include <QWidget>
#include <optional>
#include <vector>

class QLabel;
class QScrollArea;
class QToolButton;
class QVBoxLayout;

namespace facet {

class LinkEnds;
class ParameterRow;
class Session;

/// The whole patch, module by module, in columns; what is not part of every patch can be added and removed.
class PatchView : public QWidget {
    Q_OBJECT

public:
    explicit PatchView(Session& session, QWidget* parent = nullptr);
    void refresh();

signals:
    /// A file is wanted for the module with this path.
    void soundWanted(const QString& module);

private:
    void rebuild(const Patch& patch);
    QWidget* makeModule(const Patch& patch, const Patch::Module& module, QWidget* parent);
    QToolButton* makeHeadButton(const QString& text, const QString& tip, const std::string& module, QWidget* parent);
    QWidget* makeSoundRow(const Patch::Module& module, QWidget* parent);
    void refreshSounds(const Patch& patch);
    QToolButton* makeAdder();
    void offerModules();

    Session& session_;
    QToolButton* adder_;
    QScrollArea* area_;
    std::vector<ParameterRow*> rows_;
    std::vector<LinkEnds*> ends_;
    std::vector<std::pair<QLabel*, std::string>> titles_; ///< with the paths of their modules
    struct SoundRow {
        QWidget* row;
        QLabel* text;
        QToolButton* take; ///< of a source: from the reference
        std::string module;
    };
    std::vector<SoundRow> sounds_;
    std::vector<std::string> shown_;                      ///< paths of all modules, as the rows were made
};

/// The parameters that answer for a facet.
class AnswerView : public QWidget {
    Q_OBJECT

public:
    explicit AnswerView(Session& session, QWidget* parent = nullptr);
    void show(Facet facet);
    void refresh();

private:
    void rebuild();

    Session& session_;
    Facet facet_ = Facet::pitch;
    QLabel* title_;
    QWidget* list_ = nullptr;
    QVBoxLayout* layout_;
    std::vector<ParameterRow*> rows_;
    std::string shownState_; ///< which modules were on when the rows were made
};

} // namespace facet
