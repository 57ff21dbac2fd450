#include "app/views/instruments/control_editor.h"

#include "app/views/common/words.h"
#include "app/views/instruments/scale_plot.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/value_text.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <limits>

namespace facet {

namespace {

using Law = ControlScale::Law;

constexpr int mostListed = 32; ///< values of a whole number that are listed as choices

bool isListed(const ParameterDescriptor& d) { return d.isDiscrete() && d.high - d.low < mostListed; }

QString shown(const ParameterDescriptor& d, double value) { return QString::fromStdString(textOf(d, value)); }

/// Ends that keep a law possible.
void makeFit(ControlScale& scale, const ParameterDescriptor& d) {
    if (scale.law != Law::logarithmic) return;
    double& lower = scale.low < scale.high ? scale.low : scale.high;
    if (lower <= 0.0)
        lower = std::max(d.low, d.logOffset > 0.0 ? d.logOffset : std::max(scale.low, scale.high) / 1000.0);
}

} // namespace

InstrumentControl usualControl(const Patch& patch, const Address& address) {
    InstrumentControl control;
    control.name = settingLabel(patch, address);
    control.address = address;
    const ParameterDescriptor d = patch.shownDescriptor(address);
    if (isListed(d)) {
        for (double value = d.low; value <= d.high; ++value) control.choices.emplace_back(textOf(d, value), value);
        return control;
    }
    ControlScale scale;
    scale.low = d.isSearched() ? d.priorLow : d.low;
    scale.high = d.isSearched() ? d.priorHigh : d.high;
    if (d.isDiscrete()) {
        scale.first = scale.low;
        scale.last = scale.high;
        scale.step = 1.0;
    } else if (d.scale == Scale::logarithmic) {
        scale.law = Law::logarithmic;
        makeFit(scale, d);
    }
    control.scale = scale;
    return control;
}

ControlEditor::ControlEditor(QWidget* parent) : QWidget(parent) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    form_ = new QFormLayout;
    name_ = new QLineEdit(this);
    name_->setObjectName("controlName");
    name_->setToolTip(tr("As it is written on the instrument"));
    connect(name_, &QLineEdit::textEdited, this, [this](const QString& words) {
        control_.name = words.trimmed().toStdString();
        tell();
    });
    form_->addRow(tr("Written"), name_);
    sets_ = new QLabel(this);
    form_->addRow(tr("Sets"), sets_);
    law_ = new QComboBox(this);
    law_->setObjectName("controlLaw");
    law_->addItem(tr("Evenly"), static_cast<int>(Law::linear));
    law_->addItem(tr("By equal ratios (logarithmic)"), static_cast<int>(Law::logarithmic));
    law_->addItem(tr("By a power"), static_cast<int>(Law::power));
    law_->addItem(tr("Through points"), static_cast<int>(Law::points));
    connect(law_, &QComboBox::activated, this, [this](int index) { chooseLaw(law_->itemData(index).toInt()); });
    form_->addRow(tr("Goes"), law_);
    ends_ = new QWidget(this);
    auto* ends = new QHBoxLayout(ends_);
    ends->setContentsMargins(0, 0, 0, 0);
    const auto field = [&](const char* object, const QString& name) {
        auto* made = new QLineEdit(ends_);
        made->setObjectName(object);
        made->setAccessibleName(name);
        made->setMinimumWidth(60);
        connect(made, &QLineEdit::editingFinished, this, &ControlEditor::readScale);
        ends->addWidget(made, 1);
        return made;
    };
    first_ = field("firstPosition", tr("First position"));
    ends->addWidget(new QLabel(tr("is"), ends_));
    low_ = field("firstValue", tr("Value at the first position"));
    ends->addWidget(new QLabel(tr("up to"), ends_));
    last_ = field("lastPosition", tr("Last position"));
    ends->addWidget(new QLabel(tr("is"), ends_));
    high_ = field("lastValue", tr("Value at the last position"));
    form_->addRow(tr("Position"), ends_);
    exponent_ = new QDoubleSpinBox(this);
    exponent_->setRange(0.1, 20.0);
    exponent_->setDecimals(2);
    exponent_->setSingleStep(0.1);
    exponent_->setToolTip(tr("2: at half of the way a quarter of the value"));
    connect(exponent_, &QDoubleSpinBox::valueChanged, this, &ControlEditor::readScale);
    form_->addRow(tr("Power"), exponent_);
    step_ = new QDoubleSpinBox(this);
    step_->setObjectName("controlStep");
    step_->setRange(0.0, 1000.0);
    step_->setDecimals(2);
    step_->setSpecialValueText(tr("none"));
    step_->setToolTip(tr("From one position that it has to the next; none where it turns freely"));
    connect(step_, &QDoubleSpinBox::valueChanged, this, &ControlEditor::readScale);
    form_->addRow(tr("Steps"), step_);
    layout->addLayout(form_);
    points_ = new QTableWidget(0, 2, this);
    points_->setObjectName("controlPoints");
    points_->setHorizontalHeaderLabels({tr("Position"), tr("Value")});
    points_->setAccessibleName(tr("Points of the scale"));
    points_->verticalHeader()->hide();
    points_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    points_->setSelectionBehavior(QAbstractItemView::SelectRows);
    connect(points_, &QTableWidget::itemChanged, this, &ControlEditor::readPoints);
    layout->addWidget(points_, 1);
    pointButtons_ = new QWidget(this);
    auto* buttons = new QHBoxLayout(pointButtons_);
    buttons->setContentsMargins(0, 0, 0, 0);
    const auto pointButton = [&](const QString& words, const char* name, void (ControlEditor::*what)()) {
        auto* made = new QPushButton(words, pointButtons_);
        made->setObjectName(name);
        connect(made, &QPushButton::clicked, this, what);
        buttons->addWidget(made);
    };
    pointButton(tr("Add a point"), "addPoint", &ControlEditor::addPoint);
    pointButton(tr("Remove"), "removePoint", &ControlEditor::removePoint);
    buttons->addStretch(1);
    layout->addWidget(pointButtons_);
    choices_ = new QTableWidget(0, 2, this);
    choices_->setObjectName("controlChoices");
    choices_->setHorizontalHeaderLabels({tr("The instrument has"), tr("and calls it")});
    choices_->setAccessibleName(tr("Choices of the control"));
    choices_->verticalHeader()->hide();
    choices_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    connect(choices_, &QTableWidget::itemChanged, this, &ControlEditor::readChoices);
    layout->addWidget(choices_, 2);
    plot_ = new ScalePlot(this);
    layout->addWidget(plot_, 2);
    auto* foot = new QHBoxLayout;
    measure_ = new QPushButton(tr("Measure …"), this);
    measure_->setObjectName("measureControl");
    measure_->setToolTip(tr("Find out from recordings of the instrument what its positions stand for"));
    connect(measure_, &QPushButton::clicked, this, &ControlEditor::measureWanted);
    foot->addWidget(measure_);
    foot->addStretch(1);
    layout->addLayout(foot);
}

void ControlEditor::show(const InstrumentControl& control, const Patch& patch) {
    control_ = control;
    descriptor_ = patch.shownDescriptor(control.address);
    sets_->setText(QString::fromStdString(settingLabel(patch, control.address)));
    fill();
}

void ControlEditor::fill() {
    filling_ = true;
    const QString words = QString::fromStdString(control_.name);
    if (name_->text().trimmed() != words) name_->setText(words);
    const bool scaled = control_.scale.has_value();
    const bool hasPoints = scaled && control_.scale->law == Law::points;
    const bool hasPower = scaled && control_.scale->law == Law::power;
    for (QWidget* each :
         {static_cast<QWidget*>(law_), ends_, static_cast<QWidget*>(exponent_), static_cast<QWidget*>(step_)}) {
        const bool wanted = scaled && (each != ends_ || !hasPoints) && (each != exponent_ || hasPower);
        each->setVisible(wanted);
        if (auto* label = form_->labelForField(each)) label->setVisible(wanted);
    }
    points_->setVisible(hasPoints);
    pointButtons_->setVisible(hasPoints);
    choices_->setVisible(!scaled);
    plot_->setVisible(scaled);
    measure_->setVisible(scaled);
    if (scaled) {
        const ControlScale& scale = *control_.scale;
        law_->setCurrentIndex(law_->findData(static_cast<int>(scale.law)));
        first_->setText(QString::number(scale.first));
        last_->setText(QString::number(scale.last));
        low_->setText(shown(descriptor_, scale.low));
        high_->setText(shown(descriptor_, scale.high));
        exponent_->setValue(scale.exponent);
        step_->setValue(scale.step);
        fillPoints();
        if (scale.problem().empty())
            plot_->show(words, descriptor_, &scale);
        else
            plot_->showNothing();
    } else {
        fillChoices();
    }
    filling_ = false;
}

void ControlEditor::fillPoints() {
    const auto& points = control_.scale->points;
    points_->setRowCount(static_cast<int>(points.size()));
    for (int row = 0; row < points_->rowCount(); ++row) {
        const auto& [position, value] = points[static_cast<std::size_t>(row)];
        points_->setItem(row, 0, new QTableWidgetItem(QString::number(position)));
        points_->setItem(row, 1, new QTableWidgetItem(shown(descriptor_, value)));
    }
}

void ControlEditor::fillChoices() {
    const auto count = static_cast<int>(descriptor_.high - descriptor_.low) + 1;
    choices_->setRowCount(count);
    for (int row = 0; row < count; ++row) {
        const double value = descriptor_.low + row;
        const auto has = std::find_if(control_.choices.begin(), control_.choices.end(),
                                      [&](const auto& each) { return each.second == value; });
        auto* own = new QTableWidgetItem(shown(descriptor_, value));
        own->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        own->setCheckState(has != control_.choices.end() ? Qt::Checked : Qt::Unchecked);
        choices_->setItem(row, 0, own);
        choices_->setItem(row, 1,
                          new QTableWidgetItem(has != control_.choices.end() ? QString::fromStdString(has->first)
                                                                             : shown(descriptor_, value)));
    }
}

double ControlEditor::typed(const QString& words) const {
    return parseValue(descriptor_, words.toStdString()).value_or(std::numeric_limits<double>::quiet_NaN());
}

void ControlEditor::readScale() {
    if (filling_ || !control_.scale) return;
    ControlScale& scale = *control_.scale;
    const auto position = [](const QLineEdit* edit) {
        bool isNumber = false;
        const double value = edit->text().replace(',', '.').toDouble(&isNumber);
        return isNumber ? value : std::numeric_limits<double>::quiet_NaN();
    };
    // What is only shown rounded stays as it is.
    const auto take = [&](const QLineEdit* edit, double& value) {
        if (edit->text() != shown(descriptor_, value)) value = typed(edit->text());
    };
    scale.first = position(first_);
    scale.last = position(last_);
    take(low_, scale.low);
    take(high_, scale.high);
    scale.exponent = exponent_->value();
    scale.step = step_->value();
    tell();
}

void ControlEditor::readPoints() {
    if (filling_ || !control_.scale) return;
    auto& points = control_.scale->points;
    for (int row = 0; row < points_->rowCount(); ++row) {
        auto& [position, value] = points[static_cast<std::size_t>(row)];
        bool isNumber = false;
        const double at = points_->item(row, 0)->text().replace(',', '.').toDouble(&isNumber);
        position = isNumber ? at : std::numeric_limits<double>::quiet_NaN();
        const QString words = points_->item(row, 1)->text();
        if (words != shown(descriptor_, value)) value = typed(words);
    }
    tell();
}

void ControlEditor::readChoices() {
    if (filling_) return;
    control_.choices.clear();
    for (int row = 0; row < choices_->rowCount(); ++row)
        if (choices_->item(row, 0)->checkState() == Qt::Checked)
            control_.choices.emplace_back(choices_->item(row, 1)->text().trimmed().toStdString(),
                                          descriptor_.low + row);
    tell();
}

void ControlEditor::chooseLaw(int chosen) {
    ControlScale& scale = *control_.scale;
    const auto law = static_cast<Law>(chosen);
    if (law == scale.law) return;
    if (law == Law::points && scale.problem().empty()) { // along what it was
        constexpr int count = 5;
        std::vector<std::pair<double, double>> along;
        for (int i = 0; i < count; ++i) {
            const double position = scale.first + (scale.last - scale.first) * i / (count - 1);
            along.emplace_back(position, scale.valueAt(position));
        }
        scale.points = along;
    } else if (scale.law == Law::points && scale.points.size() >= 2) {
        std::tie(scale.first, scale.low) = scale.points.front();
        std::tie(scale.last, scale.high) = scale.points.back();
    }
    scale.law = law;
    if (law != Law::points) scale.points.clear();
    if (law == Law::power && scale.exponent == 1.0) scale.exponent = 2.0;
    makeFit(scale, descriptor_);
    tell();
}

void ControlEditor::addPoint() {
    auto& points = control_.scale->points;
    const auto chosen = static_cast<std::size_t>(std::max(1, points_->currentRow()));
    if (points.size() < 2) {
        points.emplace_back(points.empty() ? 0.0 : points.back().first + 1.0, descriptor_.defaultValue);
    } else { // half-way to the one before
        const std::size_t at = std::min(chosen, points.size() - 1);
        const double position = 0.5 * (points[at - 1].first + points[at].first);
        points.insert(points.begin() + static_cast<std::ptrdiff_t>(at),
                      {position, 0.5 * (points[at - 1].second + points[at].second)});
    }
    tell();
}

void ControlEditor::removePoint() {
    auto& points = control_.scale->points;
    const int row = points_->currentRow();
    if (row < 0 || row >= static_cast<int>(points.size())) return;
    points.erase(points.begin() + row);
    tell();
}

void ControlEditor::tell() {
    if (control_.scale) fill();
    emit changed();
}

} // namespace facet

#include "moc_control_editor.cpp"
