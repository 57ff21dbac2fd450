#include "app/views/patch/start_dialog.h"

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/messages.h"
#include "app/session/results/patch_comparisons.h"
#include "core/project/collection.h"
#include "app/views/common/theme.h"
#include "core/base/error.h"
#include "core/parameters/archetypes.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <cmath>

namespace facet {

namespace {

QString joined(const std::vector<std::string>& tags) {
    QStringList words;
    for (const std::string& tag : tags) words << QString::fromStdString(tag);
    return words.join(", ");
}

/// By likeness as a number, and what is not known last.
class StartItem : public QTreeWidgetItem {
public:
    using QTreeWidgetItem::QTreeWidgetItem;
    bool operator<(const QTreeWidgetItem& other) const override {
        const int column = treeWidget() ? treeWidget()->sortColumn() : 0;
        if (column != 0) return QString::localeAwareCompare(text(column), other.text(column)) < 0;
        return data(0, Qt::UserRole).toDouble() < other.data(0, Qt::UserRole).toDouble();
    }
};

} // namespace

StartDialog::StartDialog(DocumentStore& document, TakeKeeper& takes, PatchComparisons& comparisons,
                         Listening& listening, Playback& playback, Collection& collection, Messages& messages,
                         QWidget* parent)
    : QDialog(parent), document_(document), takes_(takes), comparisons_(comparisons), listening_(listening),
      playback_(playback), collection_(collection), messages_(messages) {
    setWindowTitle(tr("Begin from"));
    setObjectName("startDialog");
    resize(680, 460);
    auto* layout = new QVBoxLayout(this);
    search_ = new QLineEdit(this);
    search_->setPlaceholderText(tr("Find by name or tag"));
    search_->setAccessibleName(tr("Find by name or tag"));
    search_->setClearButtonEnabled(true);
    layout->addWidget(search_);
    list_ = new QTreeWidget(this);
    list_->setAccessibleName(tr("Patches to begin from"));
    list_->setRootIsDecorated(false);
    list_->setHeaderLabels({tr("Likeness"), tr("Patch"), tr("Of"), tr("Tags")});
    list_->setSortingEnabled(true);
    list_->sortByColumn(0, Qt::DescendingOrder);
    list_->header()->setSectionResizeMode(1, QHeaderView::Stretch);
    list_->setColumnWidth(0, 84);
    layout->addWidget(list_, 1);
    auto* about = new QLabel(
        tr("Likeness to the reference in this phrase, as it would be without any change; nearest first."), this);
    about->setObjectName("quiet");
    about->setWordWrap(true);
    layout->addWidget(about);
    auto* line = new QHBoxLayout;
    const auto add = [&](const QString& name, const QString& tip, auto&& action) {
        auto* button = new QPushButton(name, this);
        button->setToolTip(tip);
        button->setAutoDefault(false);
        connect(button, &QPushButton::clicked, this, action);
        line->addWidget(button);
        return button;
    };
    hear_ = add(tr("&Hear"), tr("Play the phrase with it, at the reference's loudness"), [this](bool on) {
        listening_.hearOther(on && chosen() ? std::optional(chosen()->patch) : std::nullopt);
        on ? playback_.play(Side::render) : playback_.player().stop();
    });
    hear_->setCheckable(true);
    add(tr("&Keep the present patch …"), tr("Put the patch you work on into your collection"),
        [this] { keepPresent(); });
    tags_ = add(tr("&Tags …"), tr("Change the tags of this patch of your collection"), [this] { changeTags(); });
    remove_ = add(tr("Re&move"), tr("Take it out of your collection; its file goes to the folder “removed”"),
                  [this] { remove(); });
    add(tr("Make present patch my &default"), tr("New cues begin with it"), [this] {
        tried([this] { collection_.setOwnDefault(document_.cue()->patch); });
        fill();
    });
    line->addStretch(1);
    begin_ = add(tr("&Begin"), tr("It becomes the patch you work on; one step of undo"), [this] { begin(); });
    begin_->setObjectName("primary");
    begin_->setDefault(true);
    layout->addLayout(line);
    connect(search_, &QLineEdit::textChanged, this, &StartDialog::show);
    connect(list_, &QTreeWidget::currentItemChanged, this, [this] {
        refreshButtons();
        if (hear_->isChecked() && chosen()) listening_.hearOther(chosen()->patch);
    });
    connect(list_, &QTreeWidget::itemDoubleClicked, this, [this] { begin(); }); // Return presses the button
    connect(&comparisons_, &PatchComparisons::weighed, this, [this](quint64 ticket, int index, double likeness) {
        if (ticket != ticket_ || index >= static_cast<int>(starts_.size())) return;
        starts_[static_cast<std::size_t>(index)].likeness = likeness;
        for (int i = 0; i < list_->topLevelItemCount(); ++i)
            if (QTreeWidgetItem* item = list_->topLevelItem(i); item->data(1, Qt::UserRole).toInt() == index) {
                item->setData(0, Qt::UserRole, likeness);
                item->setText(0, QString::number(std::lround(likeness)));
                break;
            }
    });
    fill();
    search_->setFocus();
}

StartDialog::~StartDialog() = default;

void StartDialog::done(int result) {
    comparisons_.stopWeighing();
    listening_.hearOther({});
    QDialog::done(result);
}

void StartDialog::fill() {
    starts_.clear();
    std::vector<std::string> problems;
    tried([&] {
        if (const auto own = collection_.ownDefault()) {
            starts_.push_back({*own, {}, {}, tr("my default"), {}});
            starts_.back().patch.name = tr("My default").toStdString();
        }
        for (const CollectedPatch& each : collection_.all(&problems))
            starts_.push_back({each.patch, each.tags, each.file, tr("my collection"), {}});
    });
    for (const Patch& patch : archetypes()) starts_.push_back({patch, {}, {}, tr("common kinds"), {}});
    show(search_->text());
    std::vector<Patch> patches;
    for (const Start& start : starts_) patches.push_back(start.patch);
    ticket_ = comparisons_.weigh(std::move(patches));
    if (!problems.empty()) messages_.say(QString::fromStdString(problems.front()));
}

void StartDialog::show(const QString& text) {
    list_->clear();
    for (std::size_t i = 0; i < starts_.size(); ++i) {
        const Start& start = starts_[i];
        if (!CollectedPatch{start.file, start.tags, start.patch}.matches(text.toStdString())) continue;
        auto* item = new StartItem;
        const QString unknown =
            document_.performance().notes.empty() ? tr("–") : tr("…"); // nothing to weigh by, or not yet
        item->setText(0, start.likeness ? QString::number(std::lround(*start.likeness)) : unknown);
        item->setData(0, Qt::UserRole, start.likeness.value_or(-1.0 - static_cast<double>(i)));
        item->setTextAlignment(0, Qt::AlignCenter);
        item->setSizeHint(0, {60, 24});
        item->setText(1, QString::fromStdString(start.patch.name));
        item->setData(1, Qt::UserRole, static_cast<int>(i));
        item->setText(2, start.kind);
        item->setText(3, joined(start.tags));
        list_->addTopLevelItem(item);
    }
    if (list_->topLevelItemCount() > 0) list_->setCurrentItem(list_->topLevelItem(0));
    refreshButtons();
}

const StartDialog::Start* StartDialog::chosen() const {
    const QTreeWidgetItem* item = list_->currentItem();
    return item ? &starts_[static_cast<std::size_t>(item->data(1, Qt::UserRole).toInt())] : nullptr;
}

void StartDialog::refreshButtons() {
    const Start* start = chosen();
    hear_->setEnabled(start);
    begin_->setEnabled(start);
    tags_->setEnabled(start && !start->file.empty());
    remove_->setEnabled(start && !start->file.empty());
}

bool StartDialog::tried(const std::function<void()>& change) {
    try {
        change();
        return true;
    } catch (const Error& problem) {
        messages_.warn(QString::fromUtf8(problem.what()), QString::fromStdString(problem.detail()));
        return false;
    }
}

void StartDialog::begin() {
    const Start* start = chosen();
    if (!start) return;
    const Patch patch = start->patch;
    accept();
    takes_.replacePatch(tr("Begin from %1").arg(QString::fromStdString(patch.name)), patch);
}

void StartDialog::keepPresent() {
    bool fine = false;
    Patch patch = document_.cue()->patch;
    const QString proposed = QString::fromStdString(patch.name.empty() ? document_.cue()->name : patch.name);
    const QString typed = QInputDialog::getText(this, tr("Keep in the collection"),
                                                tr("Name; then, after a colon, tags:\nRound bass: bass, dark"),
                                                QLineEdit::Normal, proposed, &fine);
    if (!fine || typed.trimmed().isEmpty()) return;
    patch.name = typed.section(':', 0, 0).trimmed().toStdString();
    if (tried([&] { collection_.add(patch, tagsFrom(typed.section(':', 1).toStdString())); })) fill();
}

void StartDialog::changeTags() {
    const Start* start = chosen();
    if (!start || start->file.empty()) return;
    bool fine = false;
    const QString typed = QInputDialog::getText(this, tr("Tags"), tr("Tags, with commas between them:"),
                                                QLineEdit::Normal, joined(start->tags), &fine);
    if (fine && tried([&] { collection_.setTags(start->file, tagsFrom(typed.toStdString())); })) fill();
}

void StartDialog::remove() {
    const Start* start = chosen();
    if (start && !start->file.empty() && tried([&] { collection_.remove(start->file); })) fill();
}

} // namespace facet

#include "moc_start_dialog.cpp"
