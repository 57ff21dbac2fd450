#include "app/views/notes/notes_page.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/results/results_controller.h"
#include "app/views/notes/note_editor.h"
#include "app/views/notes/readings_bar.h"
#include "app/views/common/theme.h"
#include "core/analysis/notes/bends.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <cmath>

namespace facet {

NotesPage::NotesPage(DocumentStore& document, NotesController& notes, ResultsController& results, Listening& listening,
                     MirrorView& mirror, QWidget* parent)
    : QWidget(parent), document_(document), notes_(notes), results_(results), listening_(listening) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(makeTools());
    readings_ = new ReadingsBar(document_, notes_, this);
    layout->addWidget(readings_);
    editor_ = new NoteEditor(document_, notes_, results_, listening_, mirror, this);
    layout->addWidget(editor_, 1);

    auto* foot = new QHBoxLayout;
    foot->setSpacing(8);
    lane_ = new QComboBox(this);
    lane_->setAccessibleName(tr("What the lane below the notes shows"));
    lane_->setToolTip(tr("What the lane below the notes shows: velocities, or a curve that is drawn over the phrase"));
    lane_->setMinimumWidth(210);
    connect(lane_, &QComboBox::activated, this, [this] {
        editor_->setLane(lane_->currentData().toString());
        refresh();
    });
    foot->addWidget(lane_);
    clear_ = new QPushButton(tr("Clear curve"), this);
    connect(clear_, &QPushButton::clicked, this, [this] {
        if (editor_->lane() == NoteEditor::bendLane)
            notes_.setBends({});
        else
            notes_.setCurve({editor_->lane().toStdString(), {}});
    });
    foot->addWidget(clear_);
    bends_ = new QPushButton(tr("Take bends from the recording"), this);
    bends_->setToolTip(tr("Draws the bend curve that leads each note along the pitch heard in the recording"));
    connect(bends_, &QPushButton::clicked, this, &NotesPage::takeBends);
    foot->addWidget(bends_);
    foot->addStretch(1);
    summary_ = new QLabel(this);
    summary_->setObjectName("quiet");
    foot->addWidget(summary_);
    layout->addLayout(foot);
    connect(&notes_, &NotesController::chosenChanged, this, &NotesPage::refresh);
    connect(&notes_, &NotesController::gridChanged, this, &NotesPage::refresh);
    refresh();
}

QWidget* NotesPage::makeTools() {
    auto* tools = new QWidget(this);
    auto* row = new QHBoxLayout(tools);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    const auto label = [&](const QString& text) {
        auto* word = new QLabel(text, tools);
        word->setObjectName("quiet");
        row->addWidget(word);
    };
    const auto button = [&](const QString& text, const QString& tip, auto&& act) {
        auto* made = new QPushButton(text, tools);
        made->setToolTip(tip);
        connect(made, &QPushButton::clicked, this, act);
        row->addWidget(made);
        return made;
    };
    label(tr("Tempo"));
    tempo_ = new QDoubleSpinBox(tools);
    tempo_->setRange(10.0, 1000.0);
    tempo_->setDecimals(2);
    tempo_->setSuffix(tr(" bpm"));
    tempo_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    tempo_->setKeyboardTracking(false);
    tempo_->setAccessibleName(tr("Tempo in quarter notes per minute"));
    connect(tempo_, &QDoubleSpinBox::valueChanged, this, [this](double bpm) { notes_.setTempo(bpm); });
    row->addWidget(tempo_);
    meter_ = new QSpinBox(tools);
    meter_->setRange(1, 32);
    meter_->setSuffix(tr(" beats a bar"));
    meter_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    meter_->setKeyboardTracking(false);
    meter_->setAccessibleName(tr("Quarter notes a bar"));
    connect(meter_, &QSpinBox::valueChanged, this, [this](int beats) { notes_.setBeatsPerBar(beats); });
    row->addWidget(meter_);
    label(tr("Grid"));
    step_ = new QComboBox(tools);
    step_->setAccessibleName(tr("Step of the grid"));
    for (const auto& [name, beats] : {std::pair{tr("1/4"), 1.0},
                                      {tr("1/8"), 0.5},
                                      {tr("1/8 dotted"), 0.75},
                                      {tr("1/8 triplet"), 1.0 / 3.0},
                                      {tr("1/16"), 0.25},
                                      {tr("1/16 dotted"), 0.375},
                                      {tr("1/16 triplet"), 1.0 / 6.0},
                                      {tr("1/32"), 0.125}})
        step_->addItem(name, beats);
    step_->setCurrentIndex(4);
    connect(step_, &QComboBox::activated, this, [this] { notes_.setGridStep(step_->currentData().toDouble()); });
    row->addWidget(step_);
    snap_ = new QCheckBox(tr("Snap"), tools);
    snap_->setToolTip(tr("What is dragged goes to the lines of the grid"));
    connect(snap_, &QCheckBox::toggled, this, [this](bool on) { notes_.setSnapping(on); });
    row->addWidget(snap_);
    row->addSpacing(12);
    quantize_ = button(tr("Quantize"), tr("Draws the starts of the chosen notes, or of all, to the grid"),
                       [this] { quantizeChosen(); });
    join_ = button(tr("Join"), tr("Chosen notes of one pitch become one"),
                   [this] { notes_.change(tr("Join notes"), joined(document_.performance().notes, notes_.chosen())); });
    delete_ = button(tr("Delete"), tr("Takes the chosen notes away (Delete)"), [this] {
        notes_.change(tr("Delete note"), deleted(document_.performance().notes, notes_.chosen()));
    });
    row->addStretch(1);
    button(tr("Find again"), tr("Finds the notes in the recording anew; your corrections stay"),
           [this] { notes_.findAgain(); });
    button(tr("Import …"), tr("Takes the notes from a MIDI file (Ctrl+I)"), [this] { emit importWanted(); });
    button(tr("Export …"), tr("Writes notes, bends, wheel and pressure as a MIDI file"),
           [this] { emit exportWanted(); });
    return tools;
}

void NotesPage::quantizeChosen() {
    const auto notes = document_.performance().notes;
    NoteChoice chosen = notes_.chosen();
    for (int i = 0; notes_.chosen().empty() && i < static_cast<int>(notes.size()); ++i) chosen.insert(i);
    notes_.change(tr("Quantize"), quantized(notes, chosen, notes_.grid()));
}

/// Where the recording's pitch leaves the note, the bend follows it, drawn with few points. Glides into a note and
/// vibrato are in it too: whoever rebuilds them with the patch clears the curve again.
void NotesPage::takeBends() {
    const ProfilePtr& profile = results_.state().reference.profile;
    if (!profile) return;
    const auto points = pitchAsBends(profile->pitchCents, document_.performance());
    if (points.empty()) {
        summary_->setText(tr("No pitch can be followed in this recording."));
        return;
    }
    notes_.setBends(points);
    editor_->setLane(NoteEditor::bendLane);
    refresh();
}

void NotesPage::refreshLanes() {
    const QSignalBlocker quiet(lane_);
    lane_->clear();
    lane_->addItem(tr("Velocity"), NoteEditor::velocityLane);
    lane_->addItem(tr("Pitch bend"), NoteEditor::bendLane);
    lane_->addItem(tr("Wheel"), QString::fromUtf8(wheelTarget.data()));
    lane_->addItem(tr("Pressure"), QString::fromUtf8(pressureTarget.data()));
    if (const Cue* cue = document_.cue()) {
        for (const Address& address : cue->patch.addresses()) {
            const auto& descriptor = cue->patch.descriptor(address);
            if (descriptor.smoothing == Smoothing::graph || descriptor.isDiscrete()) continue;
            const std::string text =
                cue->patch.labelOf(*cue->patch.find(address.module)) + ": " + std::string(descriptor.label);
            lane_->addItem(QString::fromStdString(text), QString::fromStdString(address.text()));
        }
    }
    const Performance performance = document_.performance();
    for (int i = 0; i < lane_->count(); ++i) {
        const QString target = lane_->itemData(i).toString();
        const bool drawn = target == NoteEditor::bendLane ? !performance.bends.empty()
                                                          : performance.curveOf(target.toStdString()) != nullptr;
        if (drawn) lane_->setItemText(i, tr("%1 ·  drawn").arg(lane_->itemText(i)));
        if (target == editor_->lane()) lane_->setCurrentIndex(i);
    }
}

void NotesPage::refresh() {
    refreshLanes();
    readings_->refresh();
    const Performance performance = document_.performance();
    const QSignalBlocker quietTempo(tempo_);
    const QSignalBlocker quietMeter(meter_);
    tempo_->setValue(performance.tempo);
    meter_->setValue(performance.beatsPerBar);
    const auto& chosen = notes_.chosen();
    quantize_->setText(chosen.empty() ? tr("Quantize all") : tr("Quantize"));
    quantize_->setEnabled(!performance.notes.empty());
    join_->setEnabled(!joined(performance.notes, chosen).empty());
    delete_->setEnabled(!chosen.empty());
    const bool curve = editor_->lane() != NoteEditor::velocityLane;
    const bool bend = editor_->lane() == NoteEditor::bendLane;
    clear_->setVisible(curve);
    clear_->setEnabled(bend ? !performance.bends.empty()
                            : performance.curveOf(editor_->lane().toStdString()) != nullptr);
    bends_->setVisible(bend);
    bends_->setEnabled(results_.state().reference.profile != nullptr);
    const double tuning = performance.tuningCents;
    const std::size_t count = performance.notes.size();
    summary_->setText(tr("%1, %2 chosen · tuned %3%4 cents against A4 = 440 Hz")
                          .arg(count == 1 ? tr("1 note") : tr("%1 notes").arg(count))
                          .arg(chosen.size())
                          .arg(tuning < 0 ? "−" : "+")
                          .arg(std::abs(tuning), 0, 'f', 1));
    editor_->refresh();
}

} // namespace facet

#include "moc_notes_page.cpp"
