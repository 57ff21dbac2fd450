// The instrument that a cue is matched for, to choose.
#pragma once

#include "core/instruments/instrument.h"

#include <QComboBox>

namespace facet {

class DocumentStore;
class InstrumentKeeper;

/// Lists Facet's own synthesizer, the producer's instruments and the shipped ones; below them what describes, changes,
/// opens, saves and takes away. GUI thread only.
class InstrumentChoice : public QComboBox {
    Q_OBJECT

public:
    InstrumentChoice(DocumentStore& document, InstrumentKeeper& keeper, QWidget* parent = nullptr);
    void refresh();

private:
    void act(int index);
    void describe(const Instrument& instrument);
    void askForFile();
    void askWhere();

    DocumentStore& document_;
    InstrumentKeeper& keeper_;
};

} // namespace facet
