#include "app/views/search/elements_view.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/matching/elements_controller.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"
#include "core/match/out_of_reach.h"
#include "core/match/element_evidence.h"
#include "core/match/proposals/added_element.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

using Wish = PatchEditor::Wish;

/// "Filter LFO" for "filter lfo".
QString nameOf(Element element) {
    QString name = text(wordOf(element));
    name.replace("fm", "FM").replace("lfo", "LFO");
    name[0] = name[0].toUpper();
    return name;
}

QPushButton* smallButton(const QString& label, const char* name, const QString& tip, QWidget* parent) {
    auto* button = new QPushButton(label, parent);
    button->setObjectName(name);
    button->setToolTip(tip);
    button->setFont(interfaceFont(9));
    return button;
}

} // namespace

ElementsView::ElementsView(DocumentStore& document, PatchEditor& patch, ElementsController& elements, QWidget* parent)
    : QWidget(parent), document_(document), patch_(patch), elements_(elements) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    layout->setSpacing(6);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    rows_ = new QWidget(scroll);
    rowsLayout_ = new QVBoxLayout(rows_);
    rowsLayout_->setContentsMargins(0, 0, 8, 0);
    rowsLayout_->setSpacing(4);
    scroll->setWidget(rows_);
    layout->addWidget(scroll, 1);
    auto* foot = new QHBoxLayout;
    choices_ = new QComboBox(this);
    choices_->setObjectName("insistOn");
    choices_->setAccessibleName(tr("Insist on an element"));
    choices_->setToolTip(tr("What the next search has to use, whether it would find it or not"));
    connect(choices_, &QComboBox::activated, this, [this](int index) {
        if (index > 0) patch_.setWish(static_cast<Element>(choices_->itemData(index).toInt()), Wish::insisted);
    });
    foot->addWidget(choices_);
    auto* hint = new QLabel(tr("Obeyed by the next search."), this);
    hint->setObjectName("quiet");
    foot->addWidget(hint, 1);
    layout->addLayout(foot);
    connect(&elements_, &ElementsController::changed, this, &ElementsView::refresh);
    refresh();
}

void ElementsView::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    elements_.want(true);
}

void ElementsView::hideEvent(QHideEvent* event) {
    elements_.want(false);
    QWidget::hideEvent(event);
}

void ElementsView::refresh() {
    const Cue* cue = document_.cue();
    QString key = QString("%1 %2 %3").arg(cue ? cue->id : 0).arg(elements_.measured()).arg(elements_.heard());
    for (const HeardElement& each : elements_.elements())
        key += QString(" %1 %2").arg(QString::fromStdString(each.element.words)).arg(each.cost);
    for (const auto& [element, words] : elements_.evidence()) key += QString::fromStdString(words);
    key += elements_.odds().known() ? "likely" : "";
    if (cue) {
        for (const Element each : cue->ruledOut) key += QString(" -%1").arg(static_cast<int>(each));
        for (const Element each : cue->insisted) key += QString(" +%1").arg(static_cast<int>(each));
    }
    if (key == shown_) return;
    shown_ = key;
    while (QLayoutItem* item = rowsLayout_->takeAt(0)) {
        if (item->widget()) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
    showWishes();
    showElements();
    showHeardElsewhere();
    rowsLayout_->addStretch(1);
    fillChoices();
}

void ElementsView::addLine(QWidget* line) {
    rowsLayout_->addWidget(line);
    line->show();
}

/// What the producer has said, each to be taken back.
void ElementsView::showWishes() {
    const Cue* cue = document_.cue();
    if (!cue || (cue->ruledOut.empty() && cue->insisted.empty())) return;
    const auto line = [&](const std::set<Element>& elements, const QString& title, const char* name) {
        if (elements.empty()) return;
        auto* row = new QWidget(rows_);
        auto* layout = new QHBoxLayout(row);
        layout->setContentsMargins(0, 2, 0, 2);
        layout->setSpacing(6);
        layout->addWidget(new QLabel(title, row));
        for (const Element each : elements) {
            auto* button =
                smallButton(nameOf(each) + QString::fromUtf8(" ×"), name, tr("Leave it to the search again"), row);
            connect(button, &QPushButton::clicked, this, [this, each] { patch_.setWish(each, Wish::none); });
            layout->addWidget(button);
        }
        layout->addStretch(1);
        addLine(row);
    };
    line(cue->ruledOut, tr("Ruled out:"), "ruledOutElement");
    line(cue->insisted, tr("Insisted on:"), "insistedElement");
}

QWidget* ElementsView::makeRow(std::size_t i) {
    const HeardElement& each = elements_.elements()[i];
    const Element element = each.element.element;
    auto* row = new QWidget(rows_);
    row->setObjectName("elementRow");
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 2, 0, 2);
    const bool base = !each.element.without;
    auto* cost = new QLabel(row);
    cost->setObjectName("elementCost");
    cost->setFont(interfaceFont(13, QFont::DemiBold));
    cost->setFixedWidth(44);
    if (!base) {
        cost->setText(!elements_.measured() ? QString::fromUtf8("…")
                      : each.heard()        ? QString::fromUtf8("−%1").arg(std::lround(each.cost))
                                            : QString("0"));
        cost->setToolTip(tr("How much less alike itself the sound is without it"));
    }
    line->addWidget(cost);
    auto* words = new QVBoxLayout;
    words->setSpacing(0);
    auto* name = new QLabel(QString::fromStdString(each.element.words), row);
    name->setWordWrap(true);
    words->addWidget(name);
    const auto spoken = elements_.evidence().find(element);
    QString why = QString::fromStdString(spoken == elements_.evidence().end() ? likelihoodOf(element, elements_.odds())
                                                                              : spoken->second);
    if (!base && elements_.measured() && !each.heard())
        why = why.isEmpty() ? tr("not heard in this phrase") : tr("not heard in this phrase; %1").arg(why);
    if (!why.isEmpty()) {
        auto* evidence = new QLabel(why, row);
        evidence->setObjectName("quiet");
        evidence->setFont(interfaceFont(8.5));
        evidence->setWordWrap(true);
        words->addWidget(evidence);
    }
    line->addLayout(words, 1);
    if (!base) {
        auto* hear = smallButton(elements_.heard() == static_cast<int>(i) ? tr("Heard") : tr("Hear without"),
                                 "hearWithout", tr("Play the phrase without it"), row);
        hear->setCheckable(true);
        hear->setChecked(elements_.heard() == static_cast<int>(i));
        connect(hear, &QPushButton::clicked, this,
                [this, i](bool on) { elements_.hearWithout(on ? static_cast<int>(i) : -1); });
        line->addWidget(hear);
    }
    auto* out = smallButton(tr("Rule out"), "ruleOut",
                            base ? tr("The next search has to do without this wave")
                                 : tr("Takes it out; the next search has to do without it"),
                            row);
    connect(out, &QPushButton::clicked, this, [this, i] { elements_.ruleOut(static_cast<int>(i)); });
    line->addWidget(out);
    return row;
}

void ElementsView::showElements() {
    if (elements_.elements().empty()) return;
    auto* caption =
        new QLabel(tr("How much less alike the sound is without each, and what the recording says of it"), rows_);
    caption->setObjectName("quiet");
    caption->setFont(interfaceFont(8.5));
    addLine(caption);
    for (std::size_t i = 0; i < elements_.elements().size(); ++i) addLine(makeRow(i));
}

/// What the recording speaks for and the patch has not.
void ElementsView::showHeardElsewhere() {
    const Cue* cue = document_.cue();
    if (!cue) return;
    std::set<Element> there = cue->ruledOut;
    for (const HeardElement& each : elements_.elements()) there.insert(each.element.element);
    if (there.contains(Element::detunedSources)) there.insert(Element::stacked);
    if (there.contains(Element::gate)) there.insert(Element::tremolo);
    if (there.contains(Element::tremolo)) there.insert(Element::gate);
    std::set<Element> beyond;
    if (cue->instrument) beyond = outOfReach(elements_.evidence(), elements_.odds(), *cue->instrument);
    bool titled = false;
    for (const Element element : spokenFor(elements_.evidence(), elements_.odds())) {
        if (there.contains(element)) continue;
        const std::string& words = elements_.evidence().at(element);
        if (!titled) {
            auto* title = new QLabel(tr("In the recording, and not made here"), rows_);
            title->setFont(interfaceFont(10.5, QFont::DemiBold));
            rowsLayout_->addSpacing(8);
            addLine(title);
            titled = true;
        }
        auto* row = new QWidget(rows_);
        row->setObjectName("missingElement");
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 2, 0, 2);
        auto* said =
            new QLabel(tr("<b>%1</b> – %2").arg(nameOf(element), QString::fromStdString(words).toHtmlEscaped()), row);
        said->setWordWrap(true);
        line->addWidget(said, 1);
        if (beyond.contains(element)) {
            auto* lacked = new QLabel(tr("%1 has none").arg(QString::fromStdString(cue->instrument->name)), row);
            lacked->setObjectName("quiet");
            line->addWidget(lacked);
        } else if (!cue->insisted.contains(element)) {
            auto* insist = smallButton(tr("Insist"), "insist", tr("The next search has to use it"), row);
            connect(insist, &QPushButton::clicked, this,
                    [this, wanted = element] { patch_.setWish(wanted, Wish::insisted); });
            line->addWidget(insist);
        }
        addLine(row);
    }
}

void ElementsView::fillChoices() {
    const QSignalBlocker quiet(choices_);
    choices_->clear();
    choices_->addItem(tr("Insist on …"));
    for (int e = 0; e < elementCount; ++e) {
        const auto element = static_cast<Element>(e);
        if (canBeAdded(element) && patch_.wishFor(element) == Wish::none) choices_->addItem(nameOf(element), e);
    }
    choices_->setEnabled(document_.cue() != nullptr);
}

} // namespace facet

#include "moc_elements_view.cpp"
