// Takes: states of a patch that are kept, restored and branched from.
#pragma once

#include "app/session/document/document_store.h"
#include "core/compare/blind_test.h"

#include <QObject>
#include <functional>
#include <optional>

namespace facet {

/// Each function is one step of undo on the active cue. GUI thread only.
class TakeKeeper : public QObject {
    Q_OBJECT

public:
    /// `currentLikeness`: of the active cue as it stands, while it is known.
    TakeKeeper(DocumentStore& document, std::function<std::optional<double>()> currentLikeness,
               QObject* parent = nullptr)
        : QObject(parent), document_(document), currentLikeness_(std::move(currentLikeness)) {}

    /// Keeps the patch as it stands, as "Take N" where no name is given.
    void keep(const QString& name = {});
    void restore(std::uint64_t id);
    void rename(std::uint64_t id, const QString& name);
    void note(std::uint64_t id, const QString& note);
    void star(std::uint64_t id, bool starred);
    void remove(std::uint64_t id);
    /// A new cue that begins with a take, and has the same excerpts.
    void branch(std::uint64_t id);
    /// Another patch altogether; what was worked on and is no take becomes one in the same step. `also`: what else
    /// changes of the cue with it.
    void replacePatch(const QString& what, const Patch& patch, const std::function<void(Cue&)>& also = {});
    /// Goes to the take that the patch is; it becomes one when it is none.
    void keepBlindResult(const BlindResult& result);

    /// A take of a patch, with the likeness that is known of it; its id is taken from `document`.
    Take takeOf(const Patch& patch, Document& document, const QString& name) const;
    /// Before the whole patch of `changed` is replaced: a state worked on that no take holds becomes one.
    void keepBefore(Document& document, Cue& changed, const QString& what) const;

private:
    DocumentStore& document_;
    std::function<std::optional<double>()> currentLikeness_;
};

} // namespace facet
