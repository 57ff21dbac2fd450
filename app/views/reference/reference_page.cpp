#include "app/views/reference/reference_page.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/reference/reference_controller.h"
#include "app/session/results/results_controller.h"
#include "app/views/reference/source_picture.h"
#include "app/views/common/theme.h"
#include "app/views/common/time_picture.h"
#include "app/views/common/value_slider.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <cmath>
#include <filesystem>

namespace facet {

namespace {

constexpr const char* channelNames[] = {"both", "left", "right", "mid", "side"};

} // namespace

ReferencePage::ReferencePage(DocumentStore& document, ReferenceController& reference, ResultsController& results,
                             Listening& listening, Playback& playback, QWidget* parent)
    : QWidget(parent), document_(document), reference_(reference), results_(results), listening_(listening),
      playback_(playback) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(16);

    auto* left = new QVBoxLayout;
    left->setSpacing(4);
    auto* head = new QHBoxLayout;
    place_ = new QLabel(this);
    place_->setFont(interfaceFont(10, QFont::DemiBold));
    place_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    head->addWidget(place_, 1);
    const auto button = [&](QBoxLayout* row, const QString& text, const QString& tip, auto&& act) {
        auto* made = new QPushButton(text, this);
        made->setToolTip(tip);
        connect(made, &QPushButton::clicked, this, act);
        row->addWidget(made);
        return made;
    };
    button(head, tr("Open …"), tr("Opens a recording (Ctrl+R)"), [this] { emit openWanted(); });
    button(head, tr("Record …"), tr("Records from a sound input"), [this] { emit recordWanted(); });
    button(head, tr("Show all"), tr("The whole recording (double-click on the picture)"),
           [this] { picture_->showAll(); });
    left->addLayout(head);
    picture_ = new SourcePicture(document_, reference_, listening_, playback_, this);
    left->addWidget(picture_, 1);
    auto* below = new QHBoxLayout;
    below->setSpacing(8);
    add_ = button(below, tr("Add as excerpt"), tr("The chosen part becomes a further excerpt of this cue"), [this] {
        const TimeSpan part = picture_->selection();
        reference_.addExcerpt(part.begin, part.end);
    });
    add_->setObjectName("primary");
    move_ = button(below, tr("Move excerpt here"), tr("The excerpt in view becomes the chosen part; its notes stay"),
                   [this] {
                       const TimeSpan part = picture_->selection();
                       if (const Excerpt* excerpt = document_.cue()->excerpt())
                           reference_.moveExcerpt(excerpt->id, part.begin, part.end);
                   });
    const auto leave = [this](bool out) {
        const TimeSpan part = picture_->selection();
        if (const Excerpt* excerpt = document_.cue()->excerpt())
            reference_.leaveOut(part.begin - excerpt->begin, part.end - excerpt->begin, out);
    };
    out_ = button(below, tr("Leave out"), tr("The chosen part of the excerpt is neither compared nor searched"),
                  [leave] { leave(true); });
    in_ = button(below, tr("Take in again"), tr("The chosen part counts again"), [leave] { leave(false); });
    chosen_ = new QLabel(this);
    chosen_->setObjectName("quiet");
    chosen_->setWordWrap(true); // in a small window
    chosen_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    below->addWidget(chosen_, 1);
    left->addLayout(below);
    layout->addLayout(left, 1);
    layout->addWidget(makeSide());

    connect(picture_, &SourcePicture::selectionChanged, this, &ReferencePage::refreshSelection);
    connect(&reference_.source(), &SourceView::changed, this, &ReferencePage::refreshSelection);
    refresh();
}

void ReferencePage::makeTable(QWidget* side) {
    table_ = new QTableWidget(0, 4, side);
    table_->setHorizontalHeaderLabels({tr("Name"), tr("From"), tr("Weight"), tr("Likeness")});
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(24);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTabKeyNavigation(false);
    table_->setAccessibleName(tr("Excerpts of this cue"));
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const auto rows = table_->selectionModel()->selectedRows();
        if (rows.isEmpty()) return;
        document_.selectExcerpt(rows.front().data(Qt::UserRole).toULongLong());
    });
}

/// Which part of the recording is heard: all, what lasts, or what is short.
void ReferencePage::makeHearing(QWidget* side, QHBoxLayout* line) {
    parts_ = new QButtonGroup(this);
    int id = 0;
    for (const auto& [name, tip] :
         {std::pair{tr("All"), tr("The recording as it is")},
          {tr("Tonal"), tr("Only what lasts: harmonic part of the recording. Comparison and search keep the whole.")},
          {tr("Struck"),
           tr("Only what is short: percussive part of the recording. Comparison and search keep the whole.")}}) {
        auto* part = new QPushButton(name, side);
        part->setCheckable(true);
        part->setToolTip(tip);
        parts_->addButton(part, id++);
        line->addWidget(part);
    }
    connect(parts_, &QButtonGroup::idClicked, this,
            [this](int which) { listening_.hearReferencePart(static_cast<HeardPart>(which)); });
    addPart_ = new QPushButton(tr("As excerpt"), side);
    addPart_->setToolTip(tr("The part that is heard becomes a further excerpt"));
    connect(addPart_, &QPushButton::clicked, this, [this] { reference_.addPartAsExcerpt(listening_.heardPart()); });
    line->addWidget(addPart_);
}

QWidget* ReferencePage::makeSide() {
    auto* side = new QWidget(this);
    side->setFixedWidth(340);
    auto* layout = new QVBoxLayout(side);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* title = new QLabel(tr("Excerpts of this cue"), side);
    title->setObjectName("heading");
    layout->addWidget(title);
    makeTable(side);
    layout->addWidget(table_, 1);

    const auto row = [&](const QString& text) {
        auto* line = new QHBoxLayout;
        auto* word = new QLabel(text, side);
        word->setObjectName("quiet");
        word->setFixedWidth(64);
        line->addWidget(word);
        layout->addLayout(line);
        return line;
    };
    auto* line = row(tr("Name"));
    name_ = new QLineEdit(side);
    name_->setAccessibleName(tr("Name of the excerpt"));
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        const Excerpt* excerpt = document_.cue()->excerpt();
        if (excerpt && !name_->text().trimmed().isEmpty() && name_->text() != QString::fromStdString(excerpt->name))
            reference_.renameExcerpt(excerpt->id, name_->text().trimmed());
    });
    line->addWidget(name_, 1);
    line = row(tr("Channels"));
    channels_ = new QComboBox(side);
    channels_->setAccessibleName(tr("Channels of the excerpt"));
    connect(channels_, &QComboBox::activated, this, &ReferencePage::chooseChannels);
    line->addWidget(channels_, 1);
    remove_ = new QPushButton(tr("Remove"), side);
    remove_->setToolTip(tr("Takes this excerpt out of the cue (undo brings it back)"));
    connect(remove_, &QPushButton::clicked, this, [this] { reference_.removeExcerpt(chosenId()); });
    line->addWidget(remove_);
    line = row(tr("Weight"));
    weight_ = new ValueSlider(side);
    weight_->setAccessibleName(tr("Weight of the excerpt in comparison and search"));
    weight_->setToolTip(tr("How much this excerpt counts in comparison and search; 0: set aside"));
    connect(weight_, &ValueSlider::moved, this,
            [this](double position) { reference_.setExcerptWeight(chosenId(), std::round(100.0 * position) / 100.0); });
    connect(weight_, &ValueSlider::defaultWanted, this, [this] { reference_.setExcerptWeight(chosenId(), 1.0); });
    line->addWidget(weight_, 1);
    weightText_ = new QLabel(side);
    weightText_->setFixedWidth(44);
    weightText_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    line->addWidget(weightText_);

    makeHearing(side, row(tr("Hear")));
    return side;
}

std::uint64_t ReferencePage::chosenId() const {
    const Excerpt* excerpt = document_.cue() ? document_.cue()->excerpt() : nullptr;
    return excerpt ? excerpt->id : 0;
}

void ReferencePage::chooseChannels(int index) {
    try {
        reference_.setExcerptChannels(chosenId(),
                                      ChannelChoice::parse(channels_->itemData(index).toString().toStdString()));
    } catch (const Error&) {} // the list holds nothing else
}

void ReferencePage::togglePlaying() {
    if (playback_.player().playing()) {
        playback_.player().stop();
        return;
    }
    const TimeSpan part = picture_->wantedPart();
    listening_.audition(part.begin, part.end);
}

void ReferencePage::showEvent(QShowEvent*) {
    reference_.wantSource();
    picture_->refresh();
}

void ReferencePage::hideEvent(QHideEvent*) { listening_.endAudition(); }

void ReferencePage::refreshSelection() {
    const SourceView& source = reference_.source();
    if (const auto& overview = source.overview()) {
        const QString name =
            source.whole()
                ? QString::fromStdString(std::filesystem::path(source.path()).filename().string())
                : tr("%1 (the file is gone; this much of it is kept)")
                      .arg(document_.cue()->excerpt() ? QString::fromStdString(document_.cue()->excerpt()->name)
                                                      : QString());
        place_->setText(tr("%1   %2 · %3 kHz · %4")
                            .arg(name, placeText(overview->seconds, overview->seconds))
                            .arg(overview->rateHz / 1000.0)
                            .arg(overview->channelCount == 1   ? tr("mono")
                                 : overview->channelCount == 2 ? tr("stereo")
                                                               : tr("%1 channels").arg(overview->channelCount)));
    } else {
        place_->setText(source.path().empty() ? tr("No recording") : tr("Reading …"));
    }
    const TimeSpan part = picture_->selection();
    const bool some = part.end > part.begin;
    const Excerpt* excerpt = document_.cue() ? document_.cue()->excerpt() : nullptr;
    const bool inside = some && excerpt && part.begin < excerpt->end && part.end > excerpt->begin;
    add_->setEnabled(some);
    move_->setEnabled(some && excerpt);
    out_->setEnabled(inside);
    in_->setEnabled(inside && !excerpt->leftOut.empty());
    const double length = source.end() - source.begin();
    chosen_->setText(some ? tr("%1 – %2 · %3 s")
                                .arg(placeText(part.begin, length), placeText(part.end, length))
                                .arg(part.end - part.begin, 0, 'f', 3)
                          : tr("Drag over the sound you want; Space plays it"));
}

void ReferencePage::refreshTable() {
    const QSignalBlocker quiet(table_);
    const Cue* cue = document_.cue();
    table_->setRowCount(cue ? static_cast<int>(cue->excerpts.size()) : 0);
    const auto& likeness = results_.state().excerptLikeness;
    for (int i = 0; cue && i < table_->rowCount(); ++i) {
        const Excerpt& excerpt = *cue->excerpts[static_cast<std::size_t>(i)];
        const auto known = likeness.find(excerpt.id);
        const QStringList cells{QString::fromStdString(excerpt.name),
                                excerpt.sourcePath.empty() ? tr("–") : placeText(excerpt.begin, excerpt.end),
                                tr("%1 %").arg(100.0 * excerpt.weight, 0, 'f', 0),
                                known == likeness.end() ? QString("–") : QString::number(known->second, 'f', 0)};
        for (int c = 0; c < cells.size(); ++c) {
            auto* item = new QTableWidgetItem(cells[c]);
            item->setData(Qt::UserRole, QVariant::fromValue<qulonglong>(excerpt.id));
            if (c > 0) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            if (c == 0)
                item->setToolTip(
                    tr("%1, %2 s, %3 notes")
                        .arg(QString::fromStdString(excerpt.sourcePath.empty() ? excerpt.name : excerpt.sourcePath))
                        .arg(excerpt.end - excerpt.begin, 0, 'f', 2)
                        .arg(excerpt.corrected().notes.size()));
            table_->setItem(i, c, item);
        }
        if (&excerpt == cue->excerpt()) table_->selectRow(i);
    }
}

void ReferencePage::refresh() {
    refreshTable();
    if (isVisible()) reference_.wantSource();
    const Excerpt* excerpt = document_.cue() ? document_.cue()->excerpt() : nullptr;
    for (QWidget* each : std::initializer_list<QWidget*>{name_, channels_, weight_, remove_, addPart_})
        each->setEnabled(excerpt);
    for (QAbstractButton* part : parts_->buttons()) part->setEnabled(excerpt);
    if (!name_->hasFocus()) name_->setText(excerpt ? QString::fromStdString(excerpt->name) : QString());
    channels_->clear();
    if (excerpt) {
        const std::string now = excerpt->channels.text();
        const bool usual = std::any_of(std::begin(channelNames), std::end(channelNames),
                                       [&](const char* each) { return now == each; });
        if (!usual) channels_->addItem(QString::fromStdString(now), QString::fromStdString(now));
        const QStringList labels{tr("Both"), tr("Left"), tr("Right"), tr("Mid"), tr("Side")};
        for (int i = 0; i < labels.size(); ++i) {
            channels_->addItem(labels[i], channelNames[i]);
            if (now == channelNames[i]) channels_->setCurrentIndex(channels_->count() - 1);
        }
        weight_->setValue(static_cast<int>(std::lround(1000.0 * excerpt->weight)));
        weightText_->setText(tr("%1 %").arg(100.0 * excerpt->weight, 0, 'f', 0));
    }
    const int part = static_cast<int>(listening_.heardPart());
    parts_->button(part)->setChecked(true);
    addPart_->setEnabled(excerpt && part != 0);
    refreshSelection();
    picture_->update();
}

} // namespace facet

#include "moc_reference_page.cpp"
