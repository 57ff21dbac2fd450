#include "app/views/build/hand_panel.h"

#include "app/session/matching/build_controller.h"
#include "app/views/common/theme.h"
#include "app/views/common/value_slider.h"
#include "app/views/common/words.h"

#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <cmath>

namespace facet {

HandPanel::HandPanel(BuildController& build, QWidget* parent) : QWidget(parent), build_(build) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    head_ = new QLabel(this);
    head_->setFont(interfaceFont(12, QFont::DemiBold));
    head_->setWordWrap(true);
    layout->addWidget(head_);
    auto* hint = new QLabel(tr("Turn until it sounds like the reference; X swaps to it. Everything else of the step is "
                               "set already."),
                            this);
    hint->setObjectName("quiet");
    hint->setWordWrap(true);
    layout->addWidget(hint);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    grid_ = new QWidget(scroll);
    gridLayout_ = new QGridLayout(grid_);
    gridLayout_->setContentsMargins(0, 0, 8, 0);
    gridLayout_->setVerticalSpacing(3);
    gridLayout_->setColumnStretch(1, 1);
    gridLayout_->setColumnStretch(3, 1);
    scroll->setWidget(grid_);
    layout->addWidget(scroll, 1);
    auto* foot = new QHBoxLayout;
    reveal_ = new QPushButton(tr("How near?"), this);
    reveal_->setObjectName("primary");
    reveal_->setAccessibleName(tr("Show how near the values came"));
    connect(reveal_, &QPushButton::clicked, this, [this] { build_.reveal(); });
    foot->addWidget(reveal_);
    done_ = new QPushButton(tr("Done"), this);
    done_->setObjectName("endByHand");
    done_->setToolTip(tr("Back to the step as it is"));
    connect(done_, &QPushButton::clicked, this, [this] { build_.goTo(build_.current()); });
    foot->addWidget(done_);
    likeness_ = new QLabel(this);
    likeness_->setObjectName("handLikeness");
    foot->addWidget(likeness_, 1);
    layout->addLayout(foot);
}

void HandPanel::makeRows() {
    while (QLayoutItem* item = gridLayout_->takeAt(0)) {
        if (item->widget()) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
    rows_.clear();
    int line = 0;
    for (const HandSetting& each : build_.handResult()) {
        const Address address = each.right.address;
        const ParameterDescriptor d = build_.handPatch().shownDescriptor(address);
        const QString name = QString::fromStdString(each.right.label);
        gridLayout_->addWidget(new QLabel(name, grid_), line, 0);
        Row row;
        if (d.unit == Unit::choice || d.unit == Unit::onOff) {
            row.choice = new QComboBox(grid_);
            if (d.choices.empty())
                row.choice->addItems({tr("off"), tr("on")});
            else
                for (std::string_view choice : d.choices) row.choice->addItem(text(choice));
            row.choice->setAccessibleName(name);
            connect(row.choice, &QComboBox::activated, this,
                    [this, address, low = d.low](int index) { build_.setByHand(address, low + index); });
            gridLayout_->addWidget(row.choice, line, 1);
        } else {
            row.slider = new ValueSlider(grid_);
            row.slider->setAccessibleName(name);
            connect(row.slider, &ValueSlider::moved, this, [this, address, d](double position) {
                build_.setByHand(address, d.nearest(d.fromUnit(position)));
            });
            gridLayout_->addWidget(row.slider, line, 1);
        }
        row.yours = new QLabel(grid_);
        row.yours->setMinimumWidth(72);
        row.yours->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        gridLayout_->addWidget(row.yours, line, 2);
        row.result = new QLabel(grid_);
        row.result->setObjectName("handResult");
        gridLayout_->addWidget(row.result, line, 3);
        rows_[address] = row;
        ++line;
    }
    gridLayout_->addItem(new QSpacerItem(0, 0, QSizePolicy::Minimum, QSizePolicy::Expanding), line, 0);
}

void HandPanel::refresh() {
    if (!build_.byHand()) {
        madeFor_ = -1;
        return;
    }
    const BuildStep& step = build_.build().steps[static_cast<std::size_t>(build_.current())];
    if (madeFor_ != build_.current()) {
        madeFor_ = build_.current();
        makeRows();
    }
    head_->setText(tr("By hand: step %1").arg(build_.current() + 1));
    int alike = 0, count = 0;
    for (const HandSetting& each : build_.handResult()) {
        const auto found = rows_.find(each.right.address);
        if (found == rows_.end()) continue;
        const Row& row = found->second;
        const ParameterDescriptor d = build_.handPatch().shownDescriptor(each.right.address);
        const double value = build_.handPatch().value(each.right.address);
        const QSignalBlocker quietSlider(row.slider), quietChoice(row.choice);
        if (row.slider && !row.slider->isSliderDown())
            row.slider->setValue(static_cast<int>(std::lround(1000.0 * d.toUnit(value))));
        if (row.choice) row.choice->setCurrentIndex(static_cast<int>(value - d.low));
        row.yours->setText(QString::fromStdString(each.yours));
        ++count;
        alike += each.isNear();
        const QString apart = each.isAlike()   ? tr("alike")
                              : each.isNear()  ? tr("near")
                              : d.isDiscrete() ? tr("another")
                                               : tr("%1 audible steps off").arg(std::lround(each.steps));
        row.result->setText(build_.revealed()
                                ? QString::fromUtf8("%1 · %2").arg(QString::fromStdString(each.right.text), apart)
                                : QString());
        QPalette palette = row.result->palette();
        palette.setColor(QPalette::WindowText, each.isNear() ? theme().good : theme().warning);
        row.result->setPalette(palette);
    }
    reveal_->setEnabled(!build_.revealed());
    if (!build_.revealed())
        likeness_->clear();
    else if (!build_.handLikeness())
        likeness_->setText(tr("%1 of %2 near; comparing …").arg(alike).arg(count));
    else
        likeness_->setText(tr("%1 of %2 near. Likeness %3; the step has %4, before it %5.")
                               .arg(alike)
                               .arg(count)
                               .arg(std::lround(*build_.handLikeness()))
                               .arg(std::lround(step.after))
                               .arg(std::lround(step.before)));
}

} // namespace facet

#include "moc_hand_panel.cpp"
