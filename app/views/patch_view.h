// Parameters as editable rows: the whole patch in signal order, or those that answer for one facet.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <optional>
#include <vector>

class QLabel;
class QVBoxLayout;

namespace facet {

class ParameterRow;
class Session;

/// The whole patch, module by module, in columns.
class PatchView : public QWidget {
    Q_OBJECT

public:
    explicit PatchView(Session& session, QWidget* parent = nullptr);
    void refresh();

private:
    Session& session_;
    std::vector<ParameterRow*> rows_;
    std::vector<std::pair<QLabel*, std::string>> titles_; ///< with the paths of their modules
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
