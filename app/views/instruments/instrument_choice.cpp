#include "app/views/instruments/instrument_choice.h"

#include "app/session/document/document_store.h"
#include "app/session/instruments/instrument_keeper.h"
#include "app/views/instruments/instrument_editor.h"

#include <QFileDialog>
#include <algorithm>

namespace facet {

namespace {

/// What an entry does; instruments have their index instead.
enum Entry : int { own = -1, openFile = -2, saveFile = -3, takeAway = -4, ofTheCue = -5, edit = -6, describe = -7 };

} // namespace

InstrumentChoice::InstrumentChoice(DocumentStore& document, InstrumentKeeper& keeper, QWidget* parent)
    : QComboBox(parent), document_(document), keeper_(keeper) {
    setObjectName("instrumentChoice");
    setAccessibleName(tr("Instrument to match for"));
    setToolTip(tr("A search keeps to what this instrument can do, and the sheet tells its settings"));
    setSizeAdjustPolicy(QComboBox::AdjustToContents);
    connect(this, &QComboBox::activated, this, &InstrumentChoice::act);
    connect(&keeper_, &InstrumentKeeper::changed, this, &InstrumentChoice::refresh);
    for (auto changed : {&DocumentStore::changed, &DocumentStore::lookedElsewhere, &DocumentStore::replaced})
        connect(&document_, changed, this, &InstrumentChoice::refresh);
    refresh();
}

void InstrumentChoice::refresh() {
    const Cue* cue = document_.cue();
    const InstrumentPtr chosen = cue ? cue->instrument : nullptr;
    clear();
    addItem(tr("Facet's own synthesizer"), Entry::own);
    const auto& all = keeper_.all();
    int current = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        addItem(QString::fromStdString(all[i]->name), static_cast<int>(i));
        setItemData(count() - 1, QString::fromStdString(all[i]->about), Qt::ToolTipRole);
        if (chosen && *all[i] == *chosen) current = count() - 1;
    }
    if (chosen && current == 0) { // the project brings it along
        addItem(QString::fromStdString(chosen->name), Entry::ofTheCue);
        current = count() - 1;
    }
    insertSeparator(count());
    if (chosen) addItem(tr("Change %1 …").arg(QString::fromStdString(chosen->name)), Entry::edit);
    addItem(tr("Describe an instrument …"), Entry::describe);
    addItem(tr("Open a description …"), Entry::openFile);
    if (chosen) addItem(tr("Save %1 as a file …").arg(QString::fromStdString(chosen->name)), Entry::saveFile);
    if (chosen && keeper_.isOwn(chosen->name))
        addItem(tr("Take %1 off my instruments").arg(QString::fromStdString(chosen->name)), Entry::takeAway);
    setCurrentIndex(current);
}

void InstrumentChoice::act(int index) {
    const int entry = itemData(index).toInt();
    const Cue* cue = document_.cue();
    if (!cue) return;
    const std::string name = cue->instrument ? cue->instrument->name : std::string();
    switch (entry) {
    case Entry::own: keeper_.choose(nullptr); break;
    case Entry::edit: describe(*cue->instrument); break;
    case Entry::describe: describe({tr("My instrument").toStdString(), {}, cue->patch, {}}); break;
    case Entry::openFile: askForFile(); break;
    case Entry::saveFile: askWhere(); break;
    case Entry::takeAway: keeper_.remove(name); break;
    case Entry::ofTheCue: break;
    default: keeper_.choose(keeper_.all()[static_cast<std::size_t>(entry)]);
    }
    refresh(); // what does something is not what is chosen
}

void InstrumentChoice::describe(const Instrument& instrument) {
    auto* editor = new InstrumentEditor(
        instrument, document_.cue()->patch, [this](const Instrument& made) { return keeper_.keep(made); }, window());
    editor->setAttribute(Qt::WA_DeleteOnClose);
    editor->open();
}

void InstrumentChoice::askForFile() {
    const QString path = QFileDialog::getOpenFileName(window(), tr("Open a description of an instrument"), {},
                                                      tr("Instruments (*.json);;All files (*)"));
    if (!path.isEmpty()) keeper_.open(path);
}

void InstrumentChoice::askWhere() {
    const QString name = QString::fromStdString(document_.cue()->instrument->name);
    QString path = QFileDialog::getSaveFileName(window(), tr("Save the description of %1").arg(name), name + ".json",
                                                tr("Instruments (*.json)"));
    if (!path.isEmpty()) keeper_.save(path);
}

} // namespace facet

#include "moc_instrument_choice.cpp"
