#include "app/views/notes/readings_bar.h"

#include "app/session/document/document_store.h"
#include "app/session/reference/notes_controller.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <algorithm>
#include <cmath>

namespace facet {

ReadingsBar::ReadingsBar(DocumentStore& document, NotesController& notes, QWidget* parent)
    : QWidget(parent), document_(document), notes_(notes) {
    row_ = new QHBoxLayout(this);
    row_->setContentsMargins(0, 0, 0, 0);
    row_->setSpacing(6);
    title_ = new QLabel(tr("Read as"), this);
    title_->setObjectName("quiet");
    title_->setToolTip(tr("What may have been played; Shift+F4 takes the next"));
    row_->addWidget(title_);
    row_->addStretch(1);
    outlined_ = new QLabel(this);
    outlined_->setObjectName("quiet");
    row_->addWidget(outlined_);
    row_->setSizeConstraint(QLayout::SetNoConstraint);
    connect(&notes_, &NotesController::outlinedChanged, this, &ReadingsBar::refresh);
    refresh();
}

namespace {

/// "5 notes": what comes first of its words.
QString nameOf(const NoteReading& reading) {
    constexpr qsizetype most = 34;
    const QString words = QString::fromStdString(reading.words);
    return words.size() <= most ? words : words.section(',', 0, 0);
}

} // namespace

void ReadingsBar::makeButtons(std::size_t count) {
    while (buttons_.size() > count) {
        buttons_.back()->deleteLater();
        buttons_.back()->hide();
        buttons_.pop_back();
    }
    while (buttons_.size() < count) {
        const std::size_t index = buttons_.size();
        auto* button = new QPushButton(this);
        button->setObjectName("reading");
        button->setCheckable(true);
        button->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
        button->installEventFilter(this);
        connect(button, &QPushButton::clicked, this, [this, index] {
            notes_.chooseReading(index);
            refresh(); // one that was chosen already stays down
        });
        row_->insertWidget(static_cast<int>(1 + index), button);
        buttons_.push_back(button);
    }
}

void ReadingsBar::refresh() {
    const Excerpt* excerpt = document_.cue() ? document_.excerpt() : nullptr;
    const std::size_t count = excerpt ? excerpt->readings.size() : 0;
    setVisible(count > 1);
    makeButtons(count);
    for (std::size_t i = 0; i < count; ++i) {
        const NoteReading& reading = excerpt->readings[i];
        const QString words = QString::fromStdString(reading.words);
        buttons_[i]->setChecked(i == excerpt->reading && !excerpt->imported);
        buttons_[i]->setAccessibleName(tr("Read as %1").arg(words));
        QStringList tip{words};
        for (const std::string& sentence : {reading.evidence, reading.problem})
            if (!sentence.empty()) tip << QString::fromStdString(sentence);
        buttons_[i]->setToolTip(tip.join("\n"));
    }
    writeTexts();
}

/// Each button gets what its text needs, or an equal share where there is too little room for all.
void ReadingsBar::writeTexts() {
    const Excerpt* excerpt = document_.cue() ? document_.excerpt() : nullptr;
    if (!excerpt || buttons_.empty() || buttons_.size() != excerpt->readings.size()) return;
    constexpr int padding = 26, spacing = 6;
    const auto outlined = notes_.outlined();
    outlined_->setText(outlined ? tr("dotted: %1").arg(nameOf(excerpt->readings[*outlined])) : QString());
    const int room = width() - title_->sizeHint().width() - outlined_->sizeHint().width() -
                     spacing * (2 + static_cast<int>(buttons_.size()));
    QStringList texts;
    int wanted = 0;
    for (const NoteReading& reading : excerpt->readings) {
        texts
            << tr("%1 %  %2").arg(std::lround(100.0 * reading.probability)).arg(QString::fromStdString(reading.words));
        wanted += fontMetrics().horizontalAdvance(texts.back()) + padding;
    }
    for (std::size_t i = 0; i < buttons_.size(); ++i) {
        const QString& text = texts[static_cast<qsizetype>(i)];
        const int needs = fontMetrics().horizontalAdvance(text) + padding;
        const int gets = wanted <= room ? needs : std::min(needs, std::max(60, room * needs / std::max(1, wanted)));
        buttons_[i]->setFixedWidth(gets);
        buttons_[i]->setText(fontMetrics().elidedText(text, Qt::ElideRight, gets - padding + 2));
    }
}

bool ReadingsBar::eventFilter(QObject* watched, QEvent* event) {
    const bool in = event->type() == QEvent::Enter || event->type() == QEvent::FocusIn;
    const bool out = event->type() == QEvent::Leave || event->type() == QEvent::FocusOut;
    const auto button = std::find(buttons_.begin(), buttons_.end(), watched);
    if (in && button != buttons_.end()) notes_.pointAt(static_cast<std::size_t>(button - buttons_.begin()));
    if (out) notes_.pointAt({});
    return QWidget::eventFilter(watched, event);
}

void ReadingsBar::resizeEvent(QResizeEvent*) { writeTexts(); }

} // namespace facet

#include "moc_readings_bar.cpp"
