// The instruments that cues may be matched for: shipped ones and the producer's own.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/messages.h"
#include "core/project/instrument_shelf.h"

#include <QObject>
#include <vector>

namespace facet {

/// What goes wrong is said in messages. GUI thread only.
class InstrumentKeeper : public QObject {
    Q_OBJECT

public:
    InstrumentKeeper(DocumentStore& document, Messages& messages, InstrumentShelf shelf, QObject* parent = nullptr);

    /// Where the producer's own lie, in place of the folder given at the beginning.
    void useShelf(InstrumentShelf shelf);
    /// The producer's own by name, then the shipped ones that none of them stands for.
    const std::vector<InstrumentPtr>& all() const { return all_; }
    bool isOwn(const std::string& name) const;

    /// Chooses one for the cue; null: Facet's own synthesizer.
    void choose(const InstrumentPtr& instrument);
    /// Reads a description, keeps it among the producer's own and chooses it. False, having said why, where it cannot.
    bool open(const QString& path);
    /// Keeps a description among the producer's own, in place of the one of this name, and chooses it. False, having
    /// said why, where it cannot.
    bool keep(const Instrument& instrument);
    /// Writes the cue's as a file. False, having said why, where it cannot.
    bool save(const QString& path);
    /// Takes one of the producer's own off the shelf; cues that have it keep it.
    void remove(const std::string& name);

signals:
    void changed();

private:
    void read();

    DocumentStore& document_;
    Messages& messages_;
    InstrumentShelf shelf_;
    std::vector<InstrumentPtr> all_;
    std::size_t own_ = 0; ///< how many of all_ are the producer's
};

} // namespace facet
