#include "app/views/reference/record_dialog.h"

#include "core/base/units.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

RecordDialog::RecordDialog(QWidget* parent) : QDialog(parent) {
    setObjectName("record");
    setWindowTitle(tr("Record a reference"));
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(10);
    inputs_ = new QComboBox(this);
    inputs_->setAccessibleName(tr("Sound input"));
    inputs_->setMinimumWidth(360);
    for (const std::string& name : inputNames()) inputs_->addItem(QString::fromStdString(name));
    connect(inputs_, &QComboBox::activated, this, [this] { recorder_.open(inputs_->currentText().toStdString()); });
    layout->addWidget(inputs_);
    level_ = new QProgressBar(this);
    level_->setRange(-60, 0);
    level_->setTextVisible(false);
    level_->setFixedHeight(8);
    level_->setAccessibleName(tr("Level of the input in dB"));
    layout->addWidget(level_);
    words_ = new QLabel(this);
    words_->setWordWrap(true);
    layout->addWidget(words_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    record_ = buttons->addButton(tr("Record"), QDialogButtonBox::ActionRole);
    record_->setObjectName("primary");
    record_->setDefault(true);
    connect(record_, &QPushButton::clicked, this, &RecordDialog::toggle);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addWidget(buttons);
    connect(&recorder_, &Recorder::changed, this, &RecordDialog::refresh);
    connect(&recorder_, &Recorder::problem, this, [this](const QString& sentence) { words_->setText(sentence); });
    recorder_.open(inputs_->currentText().toStdString());
    words_->setText(tr("Play the sound and check that the level moves."));
}

void RecordDialog::toggle() {
    if (!recorder_.recording()) {
        recorder_.start();
        record_->setText(tr("Stop and use"));
        inputs_->setEnabled(false);
        return;
    }
    recorded_ = recorder_.stop();
    accept();
}

void RecordDialog::refresh() {
    const double db = dbFromGain(recorder_.takePeak());
    level_->setValue(static_cast<int>(std::clamp(db, -60.0, 0.0)));
    if (!recorder_.recording()) return;
    const QString level = db < -60.0  ? tr("silent")
                          : db > -0.1 ? tr("too loud: it clips")
                                      : tr("peak %1 dB").arg(db, 0, 'f', 0).replace('-', "−");
    words_->setText(tr("%1 s recorded · %2").arg(recorder_.seconds(), 0, 'f', 1).arg(level));
    if (recorder_.seconds() >= Recorder::longestSeconds) toggle();
}

} // namespace facet

#include "moc_record_dialog.cpp"
