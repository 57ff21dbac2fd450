#include "app/session/instruments/instrument_keeper.h"

#include "core/base/error.h"
#include "core/base/files.h"

#include <QDir>
#include <QFile>
#include <algorithm>
#include <utility>

namespace facet {

namespace {

/// Descriptions of invented instruments that Facet brings along.
std::vector<InstrumentPtr> shippedInstruments() {
    std::vector<InstrumentPtr> shipped;
    for (const QString& name : QDir(":/instruments").entryList(QDir::Files, QDir::Name)) {
        QFile file(":/instruments/" + name);
        if (!file.open(QIODevice::ReadOnly)) throw Error("An instrument that Facet brings along cannot be read.");
        shipped.push_back(std::make_shared<const Instrument>(instrumentFromJson(file.readAll().toStdString())));
    }
    return shipped;
}

} // namespace

InstrumentKeeper::InstrumentKeeper(DocumentStore& document, Messages& messages, InstrumentShelf shelf, QObject* parent)
    : QObject(parent), document_(document), messages_(messages), shelf_(std::move(shelf)) {
    read();
}

void InstrumentKeeper::useShelf(InstrumentShelf shelf) {
    shelf_ = std::move(shelf);
    read();
}

void InstrumentKeeper::read() {
    std::vector<std::string> problems;
    all_ = shelf_.all(&problems);
    own_ = all_.size();
    for (const InstrumentPtr& each : shippedInstruments())
        if (!isOwn(each->name)) all_.push_back(each);
    for (const std::string& problem : problems) messages_.warn(QString::fromStdString(problem));
    emit changed();
}

bool InstrumentKeeper::isOwn(const std::string& name) const {
    return std::any_of(all_.begin(), all_.begin() + static_cast<std::ptrdiff_t>(own_),
                       [&](const InstrumentPtr& each) { return each->name == name; });
}

void InstrumentKeeper::choose(const InstrumentPtr& instrument) {
    const Cue* cue = document_.cue();
    if (!cue || cue->instrument == instrument || (cue->instrument && instrument && *cue->instrument == *instrument))
        return;
    document_.editCue(instrument ? tr("Match for %1").arg(QString::fromStdString(instrument->name))
                                 : tr("Match for Facet's own synthesizer"),
                      [&](Cue& changed) { changed.instrument = instrument; });
}

bool InstrumentKeeper::open(const QString& path) {
    try {
        return keep(readInstrument(path.toStdString()));
    } catch (const std::exception& failure) {
        messages_.report(failure);
        return false;
    }
}

bool InstrumentKeeper::keep(const Instrument& instrument) {
    try {
        shelf_.keep(instrument);
        read();
        choose(std::make_shared<const Instrument>(instrument));
        messages_.say(tr("%1 is kept among your instruments.").arg(QString::fromStdString(instrument.name)));
        return true;
    } catch (const std::exception& failure) {
        messages_.report(failure);
        return false;
    }
}

bool InstrumentKeeper::save(const QString& path) {
    const Cue* cue = document_.cue();
    if (!cue || !cue->instrument) return false;
    try {
        writeWholeFile(path.toStdString(), instrumentToJson(*cue->instrument));
        messages_.say(tr("The description is saved as %1.").arg(path));
        return true;
    } catch (const std::exception& failure) {
        messages_.report(failure);
        return false;
    }
}

void InstrumentKeeper::remove(const std::string& name) {
    try {
        shelf_.remove(name);
        read();
    } catch (const std::exception& failure) {
        messages_.report(failure);
    }
}

} // namespace facet

#include "moc_instrument_keeper.cpp"
