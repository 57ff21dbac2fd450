#include "app/views/piece/piece_page.h"

#include "app/session/document/document_store.h"
#include "app/session/document/piece_editor.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/views/piece/piece_lanes.h"
#include "app/views/common/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>

namespace facet {

namespace {

constexpr int laneHeight = 34;

} // namespace

PiecePage::PiecePage(DocumentStore& document, PieceEditor& piece, Listening& listening, Playback& playback,
                     QWidget* parent)
    : QWidget(parent), document_(document), piece_(piece), listening_(listening), playback_(playback) {
    setObjectName("piecePage");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* head = new QHBoxLayout;
    together_ = new QPushButton(tr("Hear all cues together"), this);
    together_->setObjectName("hearPiece");
    together_->setCheckable(true);
    together_->setToolTip(tr("All references, or all renders, at their places with the backing: X swaps (Ctrl+7)"));
    connect(together_, &QPushButton::clicked, this, [this](bool on) { listening_.hearPiece(on); });
    head->addWidget(together_);
    loop_ = new QComboBox(this);
    loop_->setObjectName("pieceLoop");
    loop_->setAccessibleName(tr("What is looped"));
    loop_->addItem(tr("around this cue"));
    loop_->addItem(tr("the whole piece"));
    connect(loop_, &QComboBox::activated, this, [this](int index) { listening_.loopWholePiece(index == 1); });
    head->addWidget(loop_);
    state_ = new QLabel(this);
    state_->setObjectName("quiet");
    head->addWidget(state_, 1);
    choose_ = new QPushButton(tr("Choose backing …"), this);
    choose_->setObjectName("chooseBacking");
    choose_->setToolTip(tr("An audio file of up to ten minutes that plays along: the rest of the piece"));
    connect(choose_, &QPushButton::clicked, this, &PiecePage::backingWanted);
    head->addWidget(choose_);
    remove_ = new QToolButton(this);
    remove_->setText(tr("Remove backing"));
    remove_->setObjectName("removeBacking");
    connect(remove_, &QToolButton::clicked, this, [this] { piece_.removeBacking(); });
    head->addWidget(remove_);
    layout->addLayout(head);

    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setFocusPolicy(Qt::NoFocus);
    auto* body = new QWidget(scroll);
    auto* both = new QHBoxLayout(body);
    both->setContentsMargins(0, 0, 0, 0);
    both->setSpacing(10);
    both->setAlignment(Qt::AlignTop);
    lanes_ = new PieceLanes(document_, piece_, listening_, playback_, laneHeight, body);
    both->addWidget(lanes_, 1);
    scroll->setWidget(body);
    layout->addWidget(scroll, 1);
    connect(&document_, &DocumentStore::changed, this, &PiecePage::refresh);
    connect(&listening_, &Listening::pieceChanged, this, &PiecePage::refreshHearing);
    connect(lanes_, &PieceLanes::laneChosen, this, [this](int lane) {
        if (const auto& row = rows_[static_cast<std::size_t>(lane)]; row.cue != document_.document().activeCue)
            document_.selectCue(row.cue);
    });
    refresh();
}

QDoubleSpinBox* PiecePage::levelBox(QWidget* parent, const QString& of) {
    auto* box = new QDoubleSpinBox(parent);
    box->setRange(-60.0, 12.0);
    box->setDecimals(1);
    box->setSuffix(tr(" dB"));
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setKeyboardTracking(false);
    box->setAccessibleName(tr("Level of %1").arg(of));
    return box;
}

/// The row of an excerpt; the first of a cue holds what belongs to the cue as a whole.
PiecePage::Row PiecePage::makeRow(const Cue& cue, const Excerpt& excerpt, QGridLayout* grid) {
    Row row{cue.id, excerpt.id};
    const int line = static_cast<int>(rows_.size()) + 2;
    grid->setRowMinimumHeight(line, laneHeight);
    const QString name = QString::fromStdString(cue.name);
    row.name = new QLabel(table_);
    row.name->setMaximumWidth(150);
    grid->addWidget(row.name, line, 1);
    row.place = new QDoubleSpinBox(table_);
    row.place->setRange(0.0, longestBacking);
    row.place->setDecimals(3);
    row.place->setSingleStep(0.01);
    row.place->setSuffix(tr(" s"));
    row.place->setButtonSymbols(QAbstractSpinBox::NoButtons);
    row.place->setKeyboardTracking(false);
    row.place->setAccessibleName(tr("Place of %1").arg(name));
    connect(row.place, &QDoubleSpinBox::valueChanged, this,
            [this, cueId = row.cue, excerptId = row.excerpt](double seconds) {
                if (!filling_) piece_.placeExcerpt(cueId, excerptId, seconds);
            });
    grid->addWidget(row.place, line, 2);
    if (excerpt.id == cue.excerpts.front()->id) makePart(row, cue, grid, line);
    return row;
}

/// Whether the cue is heard, how loud, and which of its takes.
void PiecePage::makePart(Row& row, const Cue& cue, QGridLayout* grid, int line) {
    const QString name = QString::fromStdString(cue.name);
    const auto change = [this, cueId = row.cue](const std::function<void(PiecePart&)>& f) {
        const Cue* changing = document_.document().find(cueId);
        if (filling_ || !changing) return;
        PiecePart part = changing->part;
        f(part);
        piece_.setPart(cueId, part);
    };
    row.heard = new QCheckBox(table_);
    row.heard->setAccessibleName(tr("%1 is heard in the piece").arg(name));
    row.heard->setToolTip(row.heard->accessibleName());
    connect(row.heard, &QCheckBox::toggled, this,
            [change](bool on) { change([on](PiecePart& part) { part.heard = on; }); });
    grid->addWidget(row.heard, line, 0);
    row.level = levelBox(table_, name);
    row.level->setToolTip(tr("Beyond the loudness of its reference"));
    connect(row.level, &QDoubleSpinBox::valueChanged, this,
            [change](double db) { change([db](PiecePart& part) { part.levelDb = db; }); });
    grid->addWidget(row.level, line, 3);
    row.take = new QComboBox(table_);
    row.take->setAccessibleName(tr("What is heard of %1").arg(name));
    row.take->setMaximumWidth(150);
    row.take->addItem(tr("as it stands"), QVariant::fromValue<qulonglong>(0));
    for (const auto& take : cue.takes)
        row.take->addItem(QString::fromStdString(take->name), QVariant::fromValue<qulonglong>(take->id));
    connect(row.take, &QComboBox::activated, this, [change, box = row.take] {
        change([box](PiecePart& part) { part.take = box->currentData().toULongLong(); });
    });
    grid->addWidget(row.take, line, 4);
}

/// The rows anew: cues, excerpts or takes came or went.
void PiecePage::rebuild() {
    if (table_) {
        table_->hide();
        table_->deleteLater();
    }
    rows_.clear();
    table_ = new QWidget(lanes_->parentWidget());
    auto* grid = new QGridLayout(table_);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(0);
    grid->setHorizontalSpacing(8);
    const auto caption = [&](int column, const QString& text) {
        auto* label = new QLabel(text, table_);
        label->setObjectName("quiet");
        label->setFont(interfaceFont(8.5));
        grid->addWidget(label, 0, column);
    };
    caption(1, tr("Cue"));
    caption(2, tr("Place"));
    caption(3, tr("Level"));
    caption(4, tr("Plays"));
    grid->setRowMinimumHeight(0, PieceLanes::rulerHeight);
    backing_ = new QLabel(table_);
    grid->addWidget(backing_, 1, 1, 1, 2);
    backingLevel_ = levelBox(table_, tr("the backing"));
    backingLevel_->setObjectName("backingLevel");
    connect(backingLevel_, &QDoubleSpinBox::valueChanged, this, [this](double db) {
        if (!filling_) piece_.setBackingLevel(db);
    });
    grid->addWidget(backingLevel_, 1, 3);
    grid->setRowMinimumHeight(1, laneHeight);
    std::vector<PieceLanes::Lane> lanes;
    for (const auto& cue : document_.document().cues)
        for (const auto& excerpt : cue->excerpts) {
            rows_.push_back(makeRow(*cue, *excerpt, grid));
            lanes.push_back({cue->id, excerpt->id});
        }
    auto* both = static_cast<QHBoxLayout*>(lanes_->parentWidget()->layout());
    both->insertWidget(0, table_, 0, Qt::AlignTop);
    table_->show();
    lanes_->setLanes(std::move(lanes));
}

void PiecePage::refresh() {
    const Document& document = document_.document();
    std::size_t at = 0;
    bool same = table_ != nullptr;
    for (const auto& cue : document.cues)
        for (const auto& excerpt : cue->excerpts) {
            same = same && at < rows_.size() && rows_[at].cue == cue->id && rows_[at].excerpt == excerpt->id &&
                   (!rows_[at].take || rows_[at].take->count() == static_cast<int>(cue->takes.size()) + 1) &&
                   (excerpt == cue->excerpts.front()) == (rows_[at].take != nullptr);
            ++at;
        }
    if (!same || at != rows_.size()) rebuild();
    filling_ = true;
    for (const Row& row : rows_) {
        const Cue* cue = document.find(row.cue);
        for (const auto& excerpt : cue->excerpts) {
            if (excerpt->id != row.excerpt) continue;
            const QString name = cue->excerpts.size() > 1 ? tr("%1: %2").arg(QString::fromStdString(cue->name),
                                                                             QString::fromStdString(excerpt->name))
                                                          : QString::fromStdString(cue->name);
            row.name->setText(row.name->fontMetrics().elidedText(name, Qt::ElideRight, 150));
            row.name->setToolTip(name);
            row.name->setStyleSheet(cue->id == document.activeCue ? "font-weight: 600" : "");
            if (row.place->value() != excerpt->placeInPiece()) row.place->setValue(excerpt->placeInPiece());
        }
        if (!row.take) continue;
        row.heard->setChecked(cue->part.heard);
        if (row.level->value() != cue->part.levelDb) row.level->setValue(cue->part.levelDb);
        int line = 1;
        for (const auto& take : cue->takes) row.take->setItemText(line++, QString::fromStdString(take->name));
        row.take->setCurrentIndex(std::max(0, row.take->findData(QVariant::fromValue<qulonglong>(cue->part.take))));
    }
    const QString name = document.backing ? QString::fromStdString(document.backing->name) : tr("no backing");
    backing_->setText(backing_->fontMetrics().elidedText(name, Qt::ElideRight, 220));
    backing_->setToolTip(document.backing ? QString::fromStdString(document.backing->sourcePath) : QString());
    backingLevel_->setEnabled(document.backing != nullptr);
    remove_->setEnabled(document.backing != nullptr);
    if (backingLevel_->value() != document.backingDb) backingLevel_->setValue(document.backingDb);
    filling_ = false;
    refreshHearing();
}

void PiecePage::refreshHearing() {
    together_->setChecked(listening_.hearingPiece());
    loop_->setCurrentIndex(listening_.loopsWholePiece() ? 1 : 0);
    state_->setText(!listening_.hearingPiece() ? tr("One cue is heard by itself")
                    : !listening_.pieceReady() ? tr("Rendering …")
                                               : tr("X swaps all references and all renders"));
}

void PiecePage::setPlayhead(double seconds, bool playing) { lanes_->setPlayhead(seconds, playing); }

} // namespace facet

#include "moc_piece_page.cpp"
