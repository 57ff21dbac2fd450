#include "app/views/search/search_view.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/matching/match_controller.h"
#include "app/session/matching/seed_bank_keeper.h"
#include "app/session/matching/variations_controller.h"
#include "app/session/messages.h"
#include "app/views/facets/facet_weights.h"
#include "app/views/instruments/instrument_choice.h"
#include "app/views/common/plot_style.h"
#include "app/views/search/elements_view.h"
#include "app/views/search/search_values.h"
#include "app/views/common/theme.h"
#include "app/views/search/variations_view.h"
#include "app/views/common/words.h"
#include "core/match/starts/estimate.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTabBar>
#include <QTabWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <qcustomplot.h>

namespace facet {

SearchView::SearchView(DocumentStore& document, PatchEditor& patchEditor, SeedBankKeeper& bank,
                       MatchController& matching, VariationsController& variations, ElementsController& elements,
                       InstrumentKeeper& instruments, Messages& messages, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), bank_(bank), matching_(matching),
      messages_(messages) {
    auto* head = new QHBoxLayout;
    start_ = new QPushButton(this);
    start_->setObjectName("primary");
    start_->setMinimumWidth(150);
    connect(start_, &QPushButton::clicked, this,
            [this] { matching_.state().running ? matching_.stop() : matching_.start(seconds()); });
    head->addWidget(start_);
    goOn_ = new QPushButton(tr("Go on"), this);
    goOn_->setObjectName("goOn");
    goOn_->setToolTip(tr("Go on searching from the patch you work on, and from what else was found beside it"));
    connect(goOn_, &QPushButton::clicked, this, [this] { matching_.start(seconds(), true); });
    head->addWidget(goOn_);
    head->addWidget(new QLabel(tr("for at most"), this));
    seconds_ = new QComboBox(this);
    seconds_->setAccessibleName(tr("Time limit"));
    for (int s : {5, 10, 20, 40, 90}) seconds_->addItem(tr("%1 s").arg(s), s);
    seconds_->setCurrentIndex(2);
    head->addWidget(seconds_);
    head->addWidget(new QLabel(tr("on"), this));
    instrument_ = new InstrumentChoice(document, instruments, this);
    head->addWidget(instrument_);
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
    foundLayout_->setContentsMargins(0, 8, 0, 0);
    foundLayout_->setSpacing(4);
    auto* body = new QHBoxLayout;
    body->setSpacing(20);
    body->addWidget(plot_, 1);
    elements_ = new ElementsView(document, patchEditor, elements, this);
    values_ = new SearchValues(document_, patchEditor_, matching_, messages_, this);
    weights_ = new FacetWeightsView(document_, this);
    variations_ = new VariationsView(document, variations, this);
    side_ = new QTabWidget(this);
    side_->setDocumentMode(true);
    side_->setAccessibleName(tr("What was found, and what a search may do"));
    side_->tabBar()->setExpanding(false);
    side_->addTab(found_, tr("Found"));
    side_->addTab(elements_, tr("Made of"));
    side_->addTab(values_, tr("Values"));
    side_->addTab(weights_, tr("Facets"));
    side_->addTab(variations_, tr("Variations"));
    body->addWidget(side_, 1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addLayout(head);
    layout->addWidget(progress_);
    layout->addLayout(body, 1);
    connect(&bank_, &SeedBankKeeper::changed, this, &SearchView::refresh);
    restyle();
    refresh();
}

void SearchView::showElements() { side_->setCurrentWidget(elements_); }

double SearchView::seconds() const { return seconds_->currentData().toDouble(); }

void SearchView::restyle() {
    stylePlot(*plot_);
    plot_->xAxis->setLabel(tr("seconds"));
    plot_->yAxis->setLabel(tr("likeness of the best so far"));
    plot_->yAxis->setRange(0, 100);
    shownFound_.clear();
    refresh();
}

void SearchView::refresh() {
    const MatchState& state = matching_.state();
    const bool ready = document_.cue() && document_.cue()->excerpt() && !document_.performance().notes.empty();
    start_->setText(state.running ? tr("Stop and keep best") : tr("Match"));
    start_->setToolTip(state.running ? tr("Ends the search; the best so far becomes a take (Esc)")
                                     : tr("Search for a patch that sounds alike (Ctrl+M)"));
    start_->setEnabled(state.running || ready);
    goOn_->setEnabled(!state.running && ready);
    seconds_->setEnabled(!state.running);
    instrument_->setEnabled(!state.running && document_.cue());
    elements_->refresh();
    values_->refresh();
    weights_->refresh();
    variations_->refresh();
    const int locks = document_.cue() ? static_cast<int>(document_.cue()->locks.size()) : 0;
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
        figures_->setText(figures(locks));
    }
    progress_->setValue(static_cast<int>(1000 * state.fraction));
    showHistory();
    showFound();
}

QString SearchView::figures(int locks) const {
    const double bank = bank_.fraction();
    if (bank >= 0.0 && bank < 1.0)
        return tr("Sounds to begin with are being made once: %1 %. A search works meanwhile, less well")
            .arg(100.0 * bank, 0, 'f', 0);
    if (locks == 0) return tr("Nothing is locked; every parameter may move");
    return locks == 1 ? tr("One locked parameter stays as it is")
                      : tr("%1 locked parameters stay as they are").arg(locks);
}

/// The whole, and thinly each facet with its name at the end; names that would lie on each other are left out.
void SearchView::showHistory() {
    const MatchState& state = matching_.state();
    plot_->clearPlottables();
    plot_->clearItems();
    QVector<double> x;
    for (const auto& point : state.history) x << point.seconds;
    const double end = std::max(state.running ? seconds() : 1.0, x.isEmpty() ? seconds() : x.back());
    const auto draw = [&](const QVector<double>& y, const QPen& pen) {
        QCPGraph* graph = plot_->addGraph();
        graph->setPen(pen);
        graph->setLineStyle(QCPGraph::lsStepLeft);
        graph->setData(x, y, true);
    };
    std::vector<std::pair<double, Facet>> ends;
    for (int f = 0; f < facetCount; ++f) {
        QVector<double> y;
        bool measured = false;
        for (const auto& point : state.history) {
            const double likeness = point.facets[static_cast<std::size_t>(f)];
            measured = measured || isMeasured(likeness);
            y << (isMeasured(likeness) ? likeness : qQNaN());
        }
        if (!measured) continue;
        draw(y, QPen(theme().line, 1.4));
        if (isMeasured(state.history.back().facets[static_cast<std::size_t>(f)]))
            ends.emplace_back(y.back(), static_cast<Facet>(f));
    }
    QVector<double> whole;
    for (const auto& point : state.history) whole << point.likeness;
    draw(whole, QPen(theme().render, 2.2));
    // The least alike first: those are what is of interest.
    std::sort(ends.begin(), ends.end());
    double last = -100.0, widest = 0.0; // of the names, in pixels
    constexpr double apart = 9.0;       // of likeness: a line of text
    for (const auto& [likeness, facet] : ends) {
        if (likeness - last < apart) continue;
        last = likeness;
        auto* name = new QCPItemText(plot_);
        const std::string_view label = labelOf(facet);
        name->setText(text(label));
        name->setFont(interfaceFont(8.5));
        name->setColor(theme().quiet);
        name->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        name->position->setCoords(x.back() + 0.01 * end, std::clamp(likeness, 4.0, 96.0));
        widest = std::max(widest, QFontMetricsF(name->font()).horizontalAdvance(name->text()));
    }
    constexpr double margin = 12.0, leastWidth = 240.0; // pixels; before its first layout a plot has none
    const double room = (widest + margin) / std::max(leastWidth, 1.0 * plot_->axisRect()->width());
    plot_->xAxis->setRange(0, std::max(end, x.isEmpty() ? 0.0 : (x.back() + 0.01 * end) / (1.0 - std::min(0.5, room))));
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

namespace {

QString wordOf(Facet facet) {
    const std::string_view label = labelOf(facet);
    return text(label);
}

/// "6 less, mostly Level": what sets a runner-up apart from the best.
QString againstBest(const ScoredPatch& other, const ScoredPatch& best) {
    double most = 0.0;
    Facet where = Facet::pitch;
    for (const auto& facet : other.comparison.facets) {
        const auto* same = best.comparison.find(facet.facet);
        if (!same || !facet.measured || !same->measured) continue;
        const double apart = facet.likeness - same->likeness;
        if (std::abs(apart) <= std::abs(most)) continue;
        most = apart;
        where = facet.facet;
    }
    if (std::abs(most) < 1.0) return QObject::tr("as alike in every facet");
    return most > 0.0 ? QObject::tr("%1 more alike in %2").arg(most, 0, 'f', 0).arg(wordOf(where))
                      : QObject::tr("%1 less alike in %2").arg(-most, 0, 'f', 0).arg(wordOf(where));
}

} // namespace

/// "17 notes": how the notes are read that a found patch plays; empty where there was one reading.
QString SearchView::wordsOfReading(const MatchState& state, const ScoredPatch& found) const {
    for (const ReadingTrial& each : state.trials)
        if (each.reading == found.reading) return QString::fromStdString(each.words);
    return {};
}

void SearchView::markRow(QWidget* row, int index) const {
    const bool heard = matching_.state().heard == index;
    if (auto* hear = row->findChild<QPushButton*>("hearFound")) {
        hear->setChecked(heard);
        hear->setText(heard ? tr("Heard") : tr("Hear"));
    }
}

/// One of the leading structures, or of those that were found: likeness, words, and buttons to hear and take it.
QWidget* SearchView::makeFoundRow(std::size_t i) {
    const MatchState& state = matching_.state();
    const ScoredPatch& found = state.found[i];
    auto* row = new QWidget(found_);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 2, 0, 2);
    const bool known = isMeasured(found.likeness);
    auto* likeness = new QLabel(known ? QString::number(std::lround(found.likeness)) : "–", row);
    likeness->setFont(interfaceFont(13, QFont::DemiBold));
    likeness->setFixedWidth(40);
    likeness->setToolTip(
        state.running ? tr("Likeness so far")
        : i == 0 ? tr("Mean over several seeds; two renders of this patch are %1 alike").arg(found.floor, 0, 'f', 0)
                 : tr("Likeness"));
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    auto* structure = new QLabel(QString::fromStdString(structureText(found.patch)), row);
    structure->setWordWrap(true);
    words->addWidget(structure);
    auto* why = new QLabel(row);
    why->setObjectName("quiet");
    why->setFont(interfaceFont(8.5));
    why->setText(state.running ? tr("loss %1 dB").arg(found.loss, 0, 'f', 2)
                 : i == 0      ? tr("loss %1 dB, over several seeds").arg(found.loss, 0, 'f', 2)
                               : againstBest(found, state.found.front()));
    if (const QString read = wordsOfReading(state, found); !read.isEmpty()) why->setText(read + " · " + why->text());
    words->addWidget(why);
    auto* hear = new QPushButton(row);
    hear->setObjectName("hearFound");
    hear->setCheckable(true);
    hear->setToolTip(tr("Play the phrase with it, at the reference's loudness; X swaps with the reference"));
    connect(hear, &QPushButton::clicked, this, [this, i](bool on) { matching_.hear(on ? static_cast<int>(i) : -1); });
    auto* take = new QPushButton(tr("Take"), row);
    take->setObjectName("takeFound");
    take->setToolTip(state.running ? tr("Make this the patch you work on; the search goes on and ends as a take")
                                   : tr("Make this the patch you work on"));
    connect(take, &QPushButton::clicked, this, [this, i] { matching_.take(static_cast<int>(i)); });
    line->addWidget(likeness);
    line->addLayout(words, 1);
    line->addWidget(hear);
    line->addWidget(take);
    return row;
}

void SearchView::showFound() {
    const MatchState& state = matching_.state();
    QString key = state.running ? "running" : "done";
    for (const ScoredPatch& found : state.found)
        key += QString(" %1:%2").arg(found.patch.hash()).arg(isMeasured(found.likeness) ? found.likeness : -1.0);
    if (key == shownFound_) {
        int index = 0;
        for (QWidget* row : rows_) markRow(row, index++);
        return;
    }
    shownFound_ = key;
    rows_.clear();
    while (QLayoutItem* item = foundLayout_->takeAt(0)) {
        if (item->widget()) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
    side_->setTabText(0, state.running ? tr("Leading") : tr("Found"));
    if (state.found.empty()) {
        auto* empty =
            new QLabel(state.running ? tr("The first of the leading structures appear here in a moment.")
                                     : tr("A search compares kinds of sound, fits every unlocked value of the "
                                          "best of them, adds what is missing and drops what makes no "
                                          "difference. What leads is heard and taken here."),
                       found_);
        empty->setObjectName("quiet");
        empty->setWordWrap(true);
        foundLayout_->addWidget(empty);
        empty->show();
    }
    for (std::size_t i = 0; i < state.found.size(); ++i) {
        QWidget* row = makeFoundRow(i);
        foundLayout_->addWidget(row);
        row->show();
        rows_.push_back(row);
        markRow(row, static_cast<int>(i));
    }
    showTrials();
    showMoving();
    showShortfalls();
    foundLayout_->addStretch(1);
}

/// Which ways to read the notes were tried, and which of them the search went on with.
void SearchView::showTrials() {
    const MatchState& match = matching_.state();
    if (match.running || match.trials.size() < 2) return;
    QStringList tried;
    for (const ReadingTrial& each : match.trials) {
        const QString words = QString::fromStdString(each.words);
        const QString likeness = isMeasured(each.likeness) ? QString::number(std::lround(each.likeness)) : "–";
        tried << (each.reading == match.found.front().reading ? tr("<b>%1: %2</b>, gone on with") : tr("%1: %2"))
                     .arg(words.toHtmlEscaped(), likeness);
    }
    auto* label =
        new QLabel(tr("How the notes were read, and how alike after a short trial: ") + tried.join("; "), found_);
    label->setObjectName("triedReadings");
    label->setTextFormat(Qt::RichText);
    label->setWordWrap(true);
    label->setToolTip(tr("Each note more costs half a point, and what is unlikely by itself must sound better. The "
                         "Notes page switches between the readings."));
    foundLayout_->addSpacing(8);
    foundLayout_->addWidget(label);
    label->show();
}

/// What somebody seems to have turned while it played.
void SearchView::showMoving() {
    const MatchState& match = matching_.state();
    const Cue* cue = document_.cue();
    if (match.running || match.moving.empty() || !cue) return;
    QStringList names;
    for (const Address& address : match.moving)
        if (const auto* module = cue->patch.find(address.module)) {
            const std::string_view label = cue->patch.descriptor(address).label;
            names << QString::fromStdString(cue->patch.labelOf(*module)) + " " + text(label).toLower();
        }
    if (names.isEmpty()) return;
    auto* words =
        new QLabel(tr("<b>Moves over the phrase</b> – %1: no one value explains all notes. Its curve is drawn "
                      "below the notes and can be taken away there.")
                       .arg(names.join(tr(", ")).toHtmlEscaped()),
                   found_);
    words->setObjectName("moving");
    words->setWordWrap(true);
    foundLayout_->addSpacing(8);
    foundLayout_->addWidget(words);
    words->show();
}

/// What cannot be done as things are is an answer too.
void SearchView::showShortfalls() {
    constexpr std::size_t most = 3;
    const auto& shortfalls = matching_.state().shortfalls;
    if (matching_.state().running || shortfalls.empty()) return;
    auto* title = new QLabel(tr("Stays unlike"), found_);
    title->setFont(interfaceFont(10.5, QFont::DemiBold));
    foundLayout_->addSpacing(8);
    foundLayout_->addWidget(title);
    title->show();
    for (std::size_t i = 0; i < std::min(most, shortfalls.size()); ++i) {
        const Shortfall& each = shortfalls[i];
        auto* words = new QLabel(tr("<b>%1 %2</b> – %3. %4")
                                     .arg(wordOf(each.facet))
                                     .arg(each.likeness, 0, 'f', 0)
                                     .arg(QString::fromStdString(each.words).toHtmlEscaped(),
                                          QString::fromStdString(each.likely).toHtmlEscaped()),
                                 found_);
        words->setObjectName("shortfall");
        words->setWordWrap(true);
        foundLayout_->addWidget(words);
        words->show();
    }
}

} // namespace facet

#include "moc_search_view.cpp"
