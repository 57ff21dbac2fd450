#include "app/session/session.h"

namespace facet {

Session::Session(const std::filesystem::path& stateFolder, const std::string& outputName, QObject* parent)
    : QObject(parent), document(stateFolder, messages), collection(stateFolder / "collection"),
      instruments(document, messages, InstrumentShelf(stateFolder / "instruments")), playback(outputName),
      patch(document, messages), notes(document, messages), sounds(document, patch, notes, messages),
      reference(document, messages), piece(document, messages),
      results(document, [this] { return playback.player().rateHz(); }),
      takes(document, [this] { return results.currentLikeness(); }), readings(document), comparisons(document, results),
      listening(document, results, reference, playback, messages),
      automation(document, patch, notes, listening, playback, messages),
      controllers(document, patch, playback, messages), matching(document, takes, results, listening, bank, messages),
      variations(document, takes, listening),
      nextMoves(document, patch, results, listening, playback, [this] { return matching.running(); }),
      elements(document, patch, results, listening, [this] { return matching.running(); }),
      build(document, takes, results, playback, [this] { return matching.running(); }),
      sheet(document, takes, results, messages, [this] { return matching.running(); }), exporter(messages) {
    // Another reading is heard at once, with the patch as it stands.
    connect(&notes, &NotesController::readingChosen, this, [this] { playback.play(Side::render); });
    connect(&playback, &Playback::problem, &messages, &Messages::problem);
    connect(&reference, &ReferenceController::finished, &results, &ResultsController::changed);
    connect(&listening, &Listening::changed, &results, &ResultsController::changed);
    const auto follow = [this] {
        listening.followDocument();
        results.refresh();
    };
    connect(&document, &DocumentStore::settled, this, follow);
    connect(&playback, &Playback::outputChanged, this, [this, follow] {
        listening.forgetGiven();
        results.reload();
        follow();
    });
    document.newProject();
}

void Session::addCue() {
    Patch first;
    try {
        first = collection.ownDefault().value_or(Patch());
    } catch (const Error& failure) {
        messages.report(failure);
    }
    document.addCue(first);
}

bool Session::busy() const {
    return reference.busy() || notes.busy() || sounds.busy() || piece.busy() || results.busy() || matching.running();
}

} // namespace facet
