#include "app/views/sheet/export_dialog.h"

#include "app/views/common/key_box.h"
#include "core/performance/performance.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <cmath>
#include <utility>

namespace facet {

ExportDialog::ExportDialog(SoundExporter& exporter, const Bundle& bundle, std::function<void(Bundle&)> complete,
                           const QString& name, QWidget* parent)
    : QDialog(parent), exporter_(exporter), bundle_(bundle), complete_(std::move(complete)), patch_(bundle_.patch),
      performance_(bundle_.performance) {
    setWindowTitle(tr("Export the sound"));
    setObjectName("exportDialog");
    auto* layout = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    name_ = new QLineEdit(name, this);
    form->addRow(tr("Name"), name_);
    kind_ = new QComboBox(this);
    kind_->setObjectName("exportKind");
    kind_->addItem(tr("SFZ, a folder with FLAC files"), static_cast<int>(SoundExporter::Kind::sfzFlac));
    kind_->addItem(tr("SFZ, a folder with WAV files"), static_cast<int>(SoundExporter::Kind::sfzWav));
    kind_->addItem(tr("SoundFont 2, one file"), static_cast<int>(SoundExporter::Kind::soundFont));
    kind_->addItem(tr("Wavetable, one WAV file"), static_cast<int>(SoundExporter::Kind::wavetable));
    kind_->addItem(tr("The phrase, a folder with WAV files"), static_cast<int>(SoundExporter::Kind::phrase));
    if (!bundle_.page.title.empty())
        kind_->addItem(tr("All that belongs to it, a folder"), static_cast<int>(SoundExporter::Kind::bundle));
    form->addRow(tr("As"), kind_);
    auto* keys = new QHBoxLayout;
    low_ = new KeyBox(36, tr("Lowest key"), this);
    high_ = new KeyBox(84, tr("Highest key"), this);
    every_ = new QSpinBox(this);
    every_->setRange(1, 24);
    every_->setValue(4);
    every_->setSuffix(tr(" st"));
    every_->setAccessibleName(tr("Semitones from one recorded key to the next"));
    keys->addWidget(low_);
    keys->addWidget(new QLabel(tr("to"), this));
    keys->addWidget(high_);
    keys->addWidget(new QLabel(tr("every"), this));
    keys->addWidget(every_);
    form->addRow(tr("Keys"), keys);
    velocities_ = new QComboBox(this);
    velocities_->setAccessibleName(tr("Recorded velocities"));
    velocities_->addItem(tr("One"), QVariantList{127});
    velocities_->addItem(tr("Three: 45, 90, 127"), QVariantList{45, 90, 127});
    velocities_->addItem(tr("Five: 30, 55, 80, 105, 127"), QVariantList{30, 55, 80, 105, 127});
    velocities_->setCurrentIndex(followsVelocity(patch_) ? 1 : 0);
    form->addRow(tr("Velocities"), velocities_);
    hold_ = new QDoubleSpinBox(this);
    hold_->setRange(0.2, 30.0);
    hold_->setValue(2.0);
    hold_->setDecimals(1);
    hold_->setSuffix(tr(" s"));
    hold_->setAccessibleName(tr("How long keys are held"));
    form->addRow(tr("Held for"), hold_);
    loops_ = new QCheckBox(tr("What stands goes on in a loop"), this);
    loops_->setChecked(true);
    form->addRow(QString(), loops_);
    dry_ = new QCheckBox(tr("Without effects too"), this);
    dry_->setChecked(true);
    form->addRow(QString(), dry_);
    eachNote_ = new QCheckBox(tr("Each note by itself too"), this);
    form->addRow(QString(), eachNote_);
    layout->addLayout(form);
    count_ = new QLabel(this);
    count_->setObjectName("exportCount");
    layout->addWidget(count_);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 100);
    progress_->setTextVisible(false);
    progress_->setAccessibleName(tr("How far the recording is"));
    layout->addWidget(progress_);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    close_ = new QPushButton(this);
    close_->setObjectName("exportClose");
    connect(close_, &QPushButton::clicked, this, &ExportDialog::reject);
    buttons->addWidget(close_);
    write_ = new QPushButton(tr("Record …"), this);
    write_->setObjectName("exportWrite");
    write_->setDefault(true);
    connect(write_, &QPushButton::clicked, this, &ExportDialog::askWhere);
    buttons->addWidget(write_);
    layout->addLayout(buttons);
    for (QSpinBox* box : {low_, high_, every_}) connect(box, &QSpinBox::valueChanged, this, &ExportDialog::refresh);
    for (QCheckBox* box : {dry_, eachNote_}) connect(box, &QCheckBox::toggled, this, &ExportDialog::refresh);
    connect(kind_, &QComboBox::currentIndexChanged, this, &ExportDialog::refresh);
    connect(velocities_, &QComboBox::currentIndexChanged, this, &ExportDialog::refresh);
    connect(&exporter_, &SoundExporter::progressed, this, &ExportDialog::refresh);
    connect(&exporter_, &SoundExporter::finished, this, [this](bool written) {
        refresh();
        if (written) accept();
    });
    refresh();
}

SampledRange ExportDialog::range() const {
    SampledRange range;
    range.lowKey = low_->value();
    range.highKey = high_->value();
    range.everyKeys = every_->value();
    range.holdSeconds = hold_->value();
    range.loops = loops_->isChecked();
    for (const QVariant& each : velocities_->currentData().toList()) range.velocities.push_back(each.toDouble());
    return range;
}

PhraseParts ExportDialog::parts() const {
    return {.dry = dry_->isChecked(), .layers = true, .eachNote = eachNote_->isChecked()};
}

SoundExporter::Kind ExportDialog::kind() const {
    return static_cast<SoundExporter::Kind>(kind_->currentData().toInt());
}

void ExportDialog::write(const QString& path) {
    const QString name = name_->text().trimmed();
    SoundExporter::Wanted wanted{patch_, name.isEmpty() ? tr("Sound") : name, kind(), range(), performance_, parts(),
                                 {}};
    if (kind() == SoundExporter::Kind::bundle) {
        wanted.bundle = bundle_;
        complete_(wanted.bundle);
    }
    exporter_.write(wanted, path);
}

void ExportDialog::askWhere() {
    const QString name = name_->text().trimmed();
    QString end, filter = tr("Folders (*)");
    if (kind() == SoundExporter::Kind::soundFont) {
        end = ".sf2";
        filter = tr("SoundFont (*.sf2)");
    } else if (kind() == SoundExporter::Kind::wavetable) {
        end = ".wav";
        filter = tr("WAV (*.wav)");
    }
    QString path = QFileDialog::getSaveFileName(this, end.isEmpty() ? tr("Name the new folder") : tr("Save the sound"),
                                                name + end, filter);
    if (path.isEmpty()) return;
    if (!path.endsWith(end)) path += end;
    write(path);
}

void ExportDialog::reject() {
    exporter_.cancel();
    QDialog::reject();
}

void ExportDialog::refresh() {
    using Kind = SoundExporter::Kind;
    const bool isPhrase = kind() == Kind::phrase, isBundle = kind() == Kind::bundle;
    const bool isRecorded = !isPhrase && !isBundle && kind() != Kind::wavetable;
    const bool sensible = !isRecorded || low_->value() <= high_->value();
    const SampledRange chosen = range();
    if (!sensible)
        count_->setText(tr("The lowest key must not lie above the highest."));
    else if (isRecorded)
        count_->setText(tr("%1 notes are recorded.").arg(recordedKeys(chosen).size() * chosen.velocities.size()));
    else if (isPhrase)
        count_->setText(tr("%1 files are written.").arg(partsOfPhrase(patch_, performance_, parts()).size()));
    else if (isBundle)
        count_->setText(tr("The recording, the patch, the notes, the sheet, and the phrase in its parts."));
    else
        count_->setText(tr("One cycle of each source, 2048 samples long."));
    const bool busy = exporter_.busy();
    progress_->setVisible(busy);
    progress_->setValue(static_cast<int>(std::lround(100.0 * exporter_.progress())));
    write_->setEnabled(sensible && !busy);
    close_->setText(busy ? tr("Stop") : tr("Close"));
    for (QWidget* each : {static_cast<QWidget*>(name_), static_cast<QWidget*>(kind_), static_cast<QWidget*>(low_),
                          static_cast<QWidget*>(high_), static_cast<QWidget*>(every_),
                          static_cast<QWidget*>(velocities_), static_cast<QWidget*>(hold_),
                          static_cast<QWidget*>(loops_), static_cast<QWidget*>(dry_), static_cast<QWidget*>(eachNote_)})
        each->setEnabled(!busy);
    for (QWidget* each : std::initializer_list<QWidget*>{low_, high_, every_, velocities_, hold_, loops_})
        each->setEnabled(!busy && isRecorded);
    for (QWidget* each : {dry_, eachNote_}) each->setEnabled(!busy && isPhrase);
}

} // namespace facet

#include "moc_export_dialog.cpp"
