// Edits of the active cue's patch.
#pragma once

#include "app/session/document/document_store.h"
#include "core/parameters/changes.h"

#include <QObject>
#include <functional>
#include <optional>
#include <string>
#include <utility>

namespace facet {

/// Each edit is one step of undo. An edit that the patch refuses changes nothing and is reported as a problem; a path
/// or address that is not there is left alone. GUI thread only.
class PatchEditor : public QObject {
    Q_OBJECT

public:
    PatchEditor(DocumentStore& document, Messages& messages, QObject* parent = nullptr)
        : QObject(parent), document_(document), messages_(messages) {}

    void setPatch(const QString& what, const Patch& patch);
    /// Brings the value to the nearest allowed one; turning a parameter merges into one step.
    void setParameter(const Address& address, double value);
    void setLocked(const Address& address, bool locked);
    /// Values in the parameter's unit that a search keeps to; nothing: wherever is plausible.
    void setSearchRange(const Address& address, std::optional<std::pair<double, double>> range);
    /// Whether a search may use an element.
    enum class Wish { none, ruledOut, insisted };
    Wish wishFor(Element element) const;
    void setWish(Element element, Wish wish);
    /// Rules an element out and, where `without` is given, makes that the patch, in one step.
    void ruleOut(Element element, const std::optional<Patch>& without);
    /// Ties a parameter to another, whose value it takes, or keeps its distance from.
    void tie(const Address& address, const Address& to, bool keepDistance);
    void untie(const Address& address);

    /// Adds a module under a new key; `layer` is the path of its layer, or empty. Returns the new path, empty when
    /// there was a problem.
    std::string addModule(ModuleKind kind, const std::string& layer);
    void removeModule(const std::string& path);
    void setModuleData(const std::string& path, const ModuleData& data);
    /// Puts an effect at another place among the effects.
    void moveEffect(const std::string& path, int place);
    /// Adds a link that leads from a mover to a parameter, by a tenth of its range.
    void addLink(const std::string& from, const std::string& to);
    /// A module as text for the clipboard; pasted onto one of the same kind.
    std::string copiedModule(const std::string& path) const;
    void pasteModule(const std::string& path, const std::string& text);
    void resetModule(const std::string& path);
    /// Draws what a search would look for, within plausible ranges; locks are obeyed.
    void randomizeModule(const std::string& path);
    /// Brings a module back to where it stood in the last take.
    void takeModuleBack(const std::string& path);
    /// Takes one of changesBetween() a take and the patch back.
    void takeChangeBack(std::uint64_t take, const PatchChange& change);

    /// Makes an edit that may be refused by throwing Error.
    void tryPatch(const QString& what, const std::function<Patch(const Patch&)>& change);

signals:
    /// A parameter is about to be set, to a place on its scale, 0 … 1.
    void turning(const Address& address, double place);

private:
    DocumentStore& document_;
    Messages& messages_;
};

} // namespace facet
