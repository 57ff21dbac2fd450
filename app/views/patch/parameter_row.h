// One parameter: name, slider or list, typed value, lock.
#pragma once

#include "core/parameters/patch.h"

#include <QWidget>

class QCheckBox;
class QLabel;
class QLineEdit;
class QMenu;
class QToolButton;

namespace facet {

class KindBox;
class DocumentStore;
class PatchEditor;
class PatchComparisons;
class Messages;
class ValueSlider;

/// Shows and edits one address of the active cue's patch. Shows changes at refresh().
class ParameterRow : public QWidget {
    Q_OBJECT

public:
    ParameterRow(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons, Messages& messages,
                 Address address, const Patch& patch, QWidget* parent = nullptr);
    const Address& address() const { return address_; }
    /// Instead of the parameter's own.
    void setName(const QString& name);
    /// For narrow places: less room for the name and the value; `bare`: no lock either.
    void setNarrow(bool bare = false);
    /// The name gives way where there is no room for all of it.
    void setElastic();
    /// Greyed where changing it makes no difference in this phrase.
    void setHeard(bool heard);
    void refresh();

protected:
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    void offerTies(QMenu& menu);
    double defaultValue() const;
    void commitText();
    /// As it is shown in the patch as it stands.
    ParameterDescriptor described() const;
    QWidget* makeEditor(const ParameterDescriptor& descriptor);

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    PatchComparisons& comparisons_;
    Messages& messages_;
    const Address address_;
    ValueSlider* slider_ = nullptr;
    QLineEdit* value_ = nullptr;
    KindBox* choice_ = nullptr;
    quint64 weighTicket_ = 0;
    QCheckBox* onOff_ = nullptr;
    QLabel* label_ = nullptr;
    void showHeld(bool held);

    QString help_;
    bool held_ = false; ///< the cue's instrument has no control for it
    QString name_;
    QToolButton* lock_ = nullptr;
};

} // namespace facet
