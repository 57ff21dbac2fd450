// The search: what is tried, likeness over time, what was found.
#pragma once

#include <QWidget>

class QComboBox;
class QCustomPlot;
class QLabel;
class QProgressBar;
class QPushButton;
class QVBoxLayout;

namespace facet {

class Session;

class SearchView : public QWidget {
    Q_OBJECT

public:
    explicit SearchView(Session& session, QWidget* parent = nullptr);
    void refresh();
    void restyle();
    double seconds() const;

private:
    void showFound();

    Session& session_;
    QPushButton* start_;
    QComboBox* seconds_;
    QLabel* trying_;
    QLabel* figures_;
    QProgressBar* progress_;
    QCustomPlot* plot_;
    QWidget* found_;
    QVBoxLayout* foundLayout_;
    std::size_t shownFound_ = 0;
    bool foundStale_ = true;
};

} // namespace facet
