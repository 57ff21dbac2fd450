// Which notes are recorded for a sampler, and how they are written.
#pragma once

#include "app/session/matching/sound_exporter.h"

#include <QDialog>
#include <functional>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QSpinBox;

namespace facet {

/// Stays open while notes are recorded; closing it stops that. GUI thread only.
class ExportDialog : public QDialog {
    Q_OBJECT

public:
    /// `bundle`: what "All that belongs to it" writes, once `complete` has added what takes time to make; without a
    /// page that is not offered.
    ExportDialog(SoundExporter& exporter, const Bundle& bundle, std::function<void(Bundle&)> complete,
                 const QString& name, QWidget* parent = nullptr);
    /// Records the notes as they are chosen and writes them there.
    void write(const QString& path);

protected:
    void reject() override;

private:
    SampledRange range() const;
    PhraseParts parts() const;
    SoundExporter::Kind kind() const;
    void askWhere();
    void refresh();

    SoundExporter& exporter_;
    const Bundle bundle_;
    const std::function<void(Bundle&)> complete_;
    const Patch& patch_;
    const Performance& performance_; ///< that a phrase plays
    QLineEdit* name_;
    QComboBox* kind_;
    QSpinBox* low_;
    QSpinBox* high_;
    QSpinBox* every_;
    QComboBox* velocities_;
    QDoubleSpinBox* hold_;
    QCheckBox* loops_;
    QCheckBox* dry_;
    QCheckBox* eachNote_;
    QLabel* count_;
    QProgressBar* progress_;
    QPushButton* write_;
    QPushButton* close_;
};

} // namespace facet
