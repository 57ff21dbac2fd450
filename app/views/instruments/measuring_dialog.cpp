#include "app/views/instruments/measuring_dialog.h"

#include "app/views/common/key_box.h"
#include "app/views/common/theme.h"
#include "app/views/instruments/scale_plot.h"
#include "core/base/units.h"
#include "core/parameters/part_settings.h"
#include "core/performance/performance.h"

#include <QComboBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QRegularExpression>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr int usualPositions = 8;
constexpr int usualKey = 48;

QString number(double value) { return QString::number(value, 'g', 6); }

QLabel* heading(const QString& words, QWidget* parent) {
    auto* made = new QLabel(words, parent);
    made->setObjectName("heading");
    return made;
}

QTreeWidget* table(const QStringList& columns, const QString& name, QWidget* parent) {
    auto* made = new QTreeWidget(parent);
    made->setRootIsDecorated(false);
    made->setHeaderLabels(columns);
    made->setAccessibleName(name);
    made->header()->setSectionResizeMode(QHeaderView::ResizeToContents);
    made->header()->setStretchLastSection(true);
    return made;
}

/// What was found, in a sentence.
QString lawWords(const ControlScale& scale) {
    switch (scale.law) {
    case ControlScale::Law::linear: return QObject::tr("It goes evenly, through what was measured.");
    case ControlScale::Law::logarithmic: return QObject::tr("It goes by equal ratios, through what was measured.");
    case ControlScale::Law::power:
        return QObject::tr("It goes by a power of %1, through what was measured.").arg(scale.exponent, 0, 'g', 3);
    case ControlScale::Law::points: break;
    }
    return QObject::tr("It follows none of the usual laws: straight from one measured point to the next.");
}

QString decibels(double db) { return QString::number(db, 'f', 0).replace('-', "−"); }

} // namespace

void MeasuringDialog::NoteCounter::hear(double db, double seconds) {
    constexpr double withinDb = 40.0, leastDb = -60.0, leastPause = 0.25;
    highestDb = std::max(highestDb, db);
    const bool now = db > std::max(leastDb, highestDb - withinDb);
    if (now && !sounds && (notes == 0 || seconds - silentSince >= leastPause)) ++notes;
    if (!now && sounds) silentSince = seconds;
    sounds = now;
}

MeasuringDialog::MeasuringDialog(const Instrument& instrument, std::size_t control, QWidget* parent)
    : QDialog(parent), instrument_(instrument), control_(control),
      setup_(measuringSetup(instrument, instrument.controls.at(control))) {
    setObjectName("measuringDialog");
    setWindowTitle(tr("Measure %1 of %2")
                       .arg(QString::fromStdString(this->control().name), QString::fromStdString(instrument.name)));
    resize(1000, 640);
    auto* layout = new QVBoxLayout(this);
    auto* body = new QHBoxLayout;
    body->setSpacing(20);
    body->addWidget(makeInstructions(), 2);
    body->addWidget(makeResults(), 3);
    layout->addLayout(body, 1);
    auto* foot = new QHBoxLayout;
    words_ = new QLabel(this);
    words_->setObjectName("measuringWords");
    words_->setWordWrap(true);
    foot->addWidget(words_, 1);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 100);
    progress_->setTextVisible(false);
    progress_->setFixedWidth(140);
    progress_->setAccessibleName(tr("How far measuring is"));
    foot->addWidget(progress_);
    stop_ = new QPushButton(this);
    stop_->setObjectName("measuringStop");
    stop_->setMinimumWidth(76);
    connect(stop_, &QPushButton::clicked, this, &MeasuringDialog::reject);
    foot->addWidget(stop_);
    take_ = new QPushButton(tr("Take this scale"), this);
    take_->setObjectName("takeScale");
    connect(take_, &QPushButton::clicked, this, [this] {
        emit taken(*measurer_.scale());
        accept();
    });
    foot->addWidget(take_);
    layout->addLayout(foot);
    connect(&measurer_, &ScaleMeasurer::changed, this, &MeasuringDialog::refresh);
    connect(&measurer_, &ScaleMeasurer::played, this, [this](const Recording& take) {
        recorder_.open(std::make_unique<SimulatedInput>(take));
        record();
    });
    connect(&recorder_, &Recorder::changed, this, &MeasuringDialog::hear);
    connect(&recorder_, &Recorder::problem, this, [this](const QString& sentence) {
        refresh();
        words_->setText(sentence);
    });
    listen();
    refresh();
}

QWidget* MeasuringDialog::makeInstructions() {
    auto* side = new QWidget(this);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(heading(tr("1  Set on the instrument"), side));
    auto* settings = table({tr("Control"), tr("Set to")}, tr("What to set on the instrument"), side);
    settings->setObjectName("toSet");
    for (const ControlSetting& each : setup_.settings)
        new QTreeWidgetItem(settings, {QString::fromStdString(each.control), QString::fromStdString(each.text)});
    column->addWidget(settings, 1);
    column->addSpacing(8);
    column->addWidget(heading(tr("2  Play"), side));
    play_ = new QLabel(side);
    play_->setWordWrap(true);
    column->addWidget(play_);
    auto* form = new QFormLayout;
    key_ = new KeyBox(usualKey, tr("Note that is played"), side);
    connect(key_, &QSpinBox::valueChanged, this, &MeasuringDialog::refresh);
    form->addRow(tr("Note"), key_);
    QStringList spread;
    for (const double each : spreadPositions(*control().scale, usualPositions)) spread.append(number(each));
    positions_ = new QLineEdit(spread.join(", "), side);
    positions_->setObjectName("positions");
    positions_->setAccessibleName(tr("Positions of the control, one for each note"));
    connect(positions_, &QLineEdit::textChanged, this, &MeasuringDialog::refresh);
    form->addRow(tr("Positions"), positions_);
    column->addLayout(form);
    column->addSpacing(8);
    column->addWidget(heading(tr("3  Record"), side));
    inputs_ = new QComboBox(side);
    inputs_->setObjectName("measuringInput");
    inputs_->setAccessibleName(tr("Sound input"));
    inputs_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    for (const std::string& name : inputNames())
        if (name != SimulatedInput().name()) inputs_->addItem(QString::fromStdString(name));
    inputs_->addItem(tr("An invented instrument, to try this out"));
    connect(inputs_, &QComboBox::activated, this, &MeasuringDialog::listen);
    column->addWidget(inputs_);
    level_ = new QProgressBar(side);
    level_->setRange(-60, 0);
    level_->setTextVisible(false);
    level_->setFixedHeight(8);
    level_->setAccessibleName(tr("Level of the input in dB"));
    column->addWidget(level_);
    auto* buttons = new QHBoxLayout;
    record_ = new QPushButton(side);
    record_->setObjectName("measuringRecord");
    record_->setDefault(true);
    connect(record_, &QPushButton::clicked, this, &MeasuringDialog::toggle);
    buttons->addWidget(record_);
    openFiles_ = new QPushButton(tr("Open recordings …"), side);
    openFiles_->setToolTip(tr("One file with a note for each position, or one file for each, by name"));
    connect(openFiles_, &QPushButton::clicked, this, &MeasuringDialog::askForFiles);
    buttons->addWidget(openFiles_);
    buttons->addStretch(1);
    column->addLayout(buttons);
    return side;
}

QWidget* MeasuringDialog::makeResults() {
    auto* side = new QWidget(this);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(heading(tr("What the positions stand for"), side));
    table_ = table({tr("Position"), tr("Value"), tr("About as near")}, tr("What each position stands for"), side);
    table_->setObjectName("measured");
    column->addWidget(table_, 2);
    plot_ = new ScalePlot(side);
    column->addWidget(plot_, 3);
    return side;
}

std::vector<double> MeasuringDialog::positions() const {
    std::vector<double> typed;
    static const QRegularExpression between("[,;\\s]+");
    for (const QString& each : positions_->text().split(between, Qt::SkipEmptyParts)) {
        bool isNumber = false;
        typed.push_back(each.toDouble(&isNumber));
        if (!isNumber) return {};
    }
    return typed;
}

ScaleMeasurer::Wanted MeasuringDialog::wanted() const { return {instrument_, control_, positions(), key_->value()}; }

bool MeasuringDialog::simulates() const { return inputs_->currentIndex() == inputs_->count() - 1; }

void MeasuringDialog::listen() {
    if (simulates())
        recorder_.close();
    else
        recorder_.open(inputs_->currentText().toStdString());
    refresh();
}

void MeasuringDialog::toggle() {
    if (recorder_.recording()) {
        const Recording take = recorder_.stop();
        measurer_.measure(wanted(), {{tr("The recording").toStdString(), take}});
    } else if (simulates()) {
        measurer_.play(wanted());
    } else {
        record();
    }
}

void MeasuringDialog::record() {
    measurer_.forget();
    counter_ = {};
    recorder_.start();
    refresh();
}

void MeasuringDialog::measureFiles(const QStringList& paths) {
    QStringList sorted = paths;
    sorted.sort();
    measurer_.measureFiles(wanted(), sorted);
}

void MeasuringDialog::askForFiles() {
    const QStringList paths =
        QFileDialog::getOpenFileNames(this, tr("Open recordings of the instrument"), {},
                                      tr("Audio (*.wav *.flac *.aiff *.aif *.ogg *.mp3);;All files (*)"));
    if (!paths.isEmpty()) measureFiles(paths);
}

void MeasuringDialog::hear() {
    constexpr double endsAfter = 1.0; // seconds of silence behind the last note
    const double db = dbFromGain(recorder_.takePeak());
    level_->setValue(static_cast<int>(std::clamp(db, -60.0, 0.0)));
    if (!recorder_.recording()) return;
    counter_.hear(db, recorder_.seconds());
    const auto count = static_cast<int>(positions().size());
    const bool all =
        counter_.notes >= count && !counter_.sounds && recorder_.seconds() - counter_.silentSince >= endsAfter;
    if (all || recorder_.seconds() >= Recorder::longestSeconds) return toggle();
    refresh();
}

void MeasuringDialog::reject() {
    if (recorder_.recording()) {
        recorder_.stop();
        return listen();
    }
    if (measurer_.busy()) return measurer_.stop();
    QDialog::reject();
}

void MeasuringDialog::refresh() {
    const bool records = recorder_.recording(), busy = measurer_.busy();
    const std::vector<double> at = positions();
    QString wrong;
    try {
        requirePositions(control(), at);
    } catch (const std::exception& problem) {
        wrong = QString::fromUtf8(problem.what());
    }
    play_->setText(tr("Hold %1 for %2 s with %3 at each position in turn, half a second of silence between.")
                       .arg(QString::fromStdString(nameOfKey(key_->value())), number(setup_.holdSeconds),
                            QString::fromStdString(control().name)));
    record_->setText(records ? tr("Stop and measure") : tr("Record"));
    record_->setEnabled(!busy && wrong.isEmpty());
    openFiles_->setEnabled(!busy && !records && wrong.isEmpty());
    for (QWidget* each :
         {static_cast<QWidget*>(key_), static_cast<QWidget*>(positions_), static_cast<QWidget*>(inputs_)})
        each->setEnabled(!busy && !records);
    progress_->setVisible(busy);
    progress_->setValue(static_cast<int>(std::lround(100.0 * measurer_.progress())));
    stop_->setText(busy || records ? tr("Stop") : tr("Close"));
    take_->setEnabled(!busy && !records && measurer_.scale().has_value());
    QString words;
    const auto notes = std::min(counter_.notes, static_cast<int>(at.size()));
    if (records && counter_.sounds)
        words = tr("Note %1 of %2: %3 at %4.")
                    .arg(notes)
                    .arg(at.size())
                    .arg(QString::fromStdString(control().name))
                    .arg(number(at[static_cast<std::size_t>(std::max(0, notes - 1))]));
    else if (records && notes < static_cast<int>(at.size()))
        words = tr("Now %1 at %2: play note %3 of %4. Highest level so far %5 dB.")
                    .arg(QString::fromStdString(control().name))
                    .arg(number(at[static_cast<std::size_t>(notes)]))
                    .arg(notes + 1)
                    .arg(at.size())
                    .arg(decibels(counter_.highestDb));
    else if (records)
        words = tr("All notes are heard.");
    else if (busy)
        words = measurer_.measured().empty() ? tr("Getting the notes …")
                                             : tr("Measured %1 of %2.").arg(measurer_.measured().size()).arg(at.size());
    else if (!wrong.isEmpty())
        words = wrong;
    else if (!measurer_.problem().isEmpty())
        words = measurer_.problem();
    else if (measurer_.scale())
        words = lawWords(*measurer_.scale());
    const bool failed = !busy && !records && (!wrong.isEmpty() || !measurer_.problem().isEmpty());
    words_->setStyleSheet(failed ? QString("color: %1").arg(theme().warning.name()) : QString());
    words_->setText(words);
    showMeasured();
}

void MeasuringDialog::showMeasured() {
    const ParameterDescriptor d = instrument_.patch.shownDescriptor(control().address);
    const auto words = [&](double value) { return QString::fromStdString(roundedText(d, value)); };
    table_->clear();
    const auto& measured = measurer_.measured();
    for (const MeasuredPosition& each : measured)
        new QTreeWidgetItem(table_, {number(each.position), each.isIdentifiable ? words(each.value) : tr("unknown"),
                                     each.isIdentifiable ? tr("%1 to %2").arg(words(each.lowest), words(each.highest))
                                                 : QString::fromStdString(each.why)});
    const ControlScale* scale = measurer_.scale() ? &*measurer_.scale() : nullptr;
    if (measured.empty())
        plot_->show(QString::fromStdString(control().name), d, &*control().scale);
    else
        plot_->show(QString::fromStdString(control().name), d, scale, measured);
}

} // namespace facet

#include "moc_measuring_dialog.cpp"
