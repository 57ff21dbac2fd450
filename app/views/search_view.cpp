#include "app/views/search_view.h"

#include "app/session/session.h"
#include "app/views/plot_style.h"
#include "app/views/theme.h"
#include "core/match/estimate.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QVBoxLayout>
#include <qcustomplot.h>

namespace facet {

SearchView::SearchView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    auto* head = new QHBoxLayout;
    start_ = new QPushButton(this);
    start_->setObjectName("primary");
    start_->setMinimumWidth(150);
    connect(start_, &QPushButton::clicked, this,
            [this] { session_.matchState().running ? session_.stopMatch() : session_.startMatch(seconds()); });
    head->addWidget(start_);
    head->addWidget(new QLabel(tr("for at most"), this));
    seconds_ = new QComboBox(this);
    seconds_->setAccessibleName(tr("Time limit"));
    for (int s : {5, 10, 20, 40, 90}) seconds_->addItem(tr("%1 s").arg(s), s);
    seconds_->setCurrentIndex(2);
    head->addWidget(seconds_);
    head->addSpacing(16);
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    trying_ = new QLabel(this);
    trying_->setFont(interfaceFont(10.5, QFont::DemiBold));
    figures_ = new QLabel(this);
    figures_->setObjectName("quiet");
    words->addWidget(trying_);
    words->addWidget(figures_);
    head->addLayout(words, 1);

    progress_ = new QProgressBar(this);
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    progress_->setFixedHeight(6);
    progress_->setAccessibleName(tr("Search progress"));

    plot_ = new QCustomPlot(this);
    plot_->setAccessibleName(tr("Likeness over time"));
    plot_->setMinimumHeight(140);

    found_ = new QWidget(this);
    foundLayout_ = new QVBoxLayout(found_);
    foundLayout_->setContentsMargins(0, 0, 0, 0);
    foundLayout_->setSpacing(4);
    auto* body = new QHBoxLayout;
    body->setSpacing(20);
    body->addWidget(plot_, 3);
    body->addWidget(found_, 2);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addLayout(head);
    layout->addWidget(progress_);
    layout->addLayout(body, 1);
    restyle();
    refresh();
}

double SearchView::seconds() const { return seconds_->currentData().toDouble(); }

void SearchView::restyle() {
    stylePlot(*plot_);
    plot_->xAxis->setLabel(tr("seconds"));
    plot_->yAxis->setLabel(tr("likeness of the best so far"));
    plot_->yAxis->setRange(0, 100);
    foundStale_ = true;
    refresh();
}

void SearchView::refresh() {
    const MatchState& state = session_.matchState();
    const bool ready = session_.cue() && session_.cue()->excerpt() && !session_.performance().notes.empty();
    start_->setText(state.running ? tr("Stop and keep best") : tr("Match"));
    start_->setToolTip(state.running ? tr("Ends the search; the best so far becomes a take (Esc)")
                                     : tr("Search for a patch that sounds alike (Ctrl+M)"));
    start_->setEnabled(state.running || ready);
    seconds_->setEnabled(!state.running);
    const int locks = session_.cue() ? static_cast<int>(session_.cue()->locks.size()) : 0;
    if (state.running) {
        trying_->setText(state.trying);
        figures_->setText(tr("likeness %1 · loss %2 dB · %3 renders · %4 s")
                              .arg(state.likeness, 0, 'f', 0)
                              .arg(state.loss, 0, 'f', 2)
                              .arg(state.evaluations)
                              .arg(state.seconds, 0, 'f', 1));
    } else if (!state.found.empty()) {
        trying_->setText(tr("Found: %1").arg(QString::fromStdString(structureText(state.found.front().patch))));
        figures_->setText(tr("likeness %1 · %2 renders in %3 s")
                              .arg(state.likeness, 0, 'f', 0)
                              .arg(state.evaluations)
                              .arg(state.seconds, 0, 'f', 1));
    } else {
        trying_->setText(ready ? tr("Ready to search") : tr("Open a reference with notes first"));
        figures_->setText(locks ? tr("%1 locked parameters stay as they are").arg(locks)
                                : tr("Nothing is locked; every parameter may move"));
    }
    progress_->setValue(static_cast<int>(1000 * state.fraction));
    plot_->clearPlottables();
    QVector<double> x;
    QVector<double> y;
    for (const auto& point : state.history) {
        x << point.seconds;
        y << point.likeness;
    }
    QCPGraph* graph = plot_->addGraph();
    graph->setPen(QPen(theme().render, 2));
    graph->setLineStyle(QCPGraph::lsStepLeft);
    graph->setData(x, y, true);
    plot_->xAxis->setRange(0, std::max(state.running ? seconds() : 1.0, x.isEmpty() ? seconds() : x.back()));
    plot_->replot(QCustomPlot::rpQueuedReplot);
    if (state.found.size() != shownFound_ || foundStale_ || state.running) showFound();
}

void SearchView::showFound() {
    const MatchState& state = session_.matchState();
    shownFound_ = state.found.size();
    foundStale_ = state.running;
    while (QLayoutItem* item = foundLayout_->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
    auto* title = new QLabel(tr("Found"), found_);
    title->setFont(interfaceFont(10.5, QFont::DemiBold));
    foundLayout_->addWidget(title);
    if (state.found.empty()) {
        auto* empty = new QLabel(state.running ? tr("The best structures appear here when the search ends.")
                                               : tr("A search tries waveforms and filter slopes, fits every unlocked "
                                                    "value and leaves the best and its runners-up here."),
                                 found_);
        empty->setObjectName("quiet");
        empty->setWordWrap(true);
        foundLayout_->addWidget(empty);
    }
    for (std::size_t i = 0; i < state.found.size(); ++i) {
        const ScoredPatch& found = state.found[i];
        auto* row = new QWidget(found_);
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 2, 0, 2);
        auto* likeness = new QLabel(QString::number(std::lround(found.likeness)), row);
        likeness->setFont(interfaceFont(13, QFont::DemiBold));
        likeness->setFixedWidth(40);
        likeness->setToolTip(
            tr("Mean over several seeds; two renders of this patch are %1 alike").arg(found.floor, 0, 'f', 0));
        auto* structure = new QLabel(QString::fromStdString(structureText(found.patch)), row);
        structure->setWordWrap(true);
        auto* take = new QPushButton(tr("take"), row);
        take->setToolTip(tr("Make this the patch you work on"));
        connect(take, &QPushButton::clicked, this, [this, i] { session_.takeFound(static_cast<int>(i)); });
        line->addWidget(likeness);
        line->addWidget(structure, 1);
        line->addWidget(take);
        foundLayout_->addWidget(row);
    }
    foundLayout_->addStretch(1);
}

} // namespace facet
