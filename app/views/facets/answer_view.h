// The parameters that answer for one facet, as editable rows.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <string>
#include <vector>

class QLabel;
class QVBoxLayout;

namespace facet {

class ParameterRow;
class Session;

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
