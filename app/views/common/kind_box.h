// A list of kinds, with what each would make of the likeness beside it.
#pragma once

#include <QComboBox>

namespace facet {

/// Asks for the likenesses only when its list is opened.
class KindBox : public QComboBox {
    Q_OBJECT

public:
    explicit KindBox(QWidget* parent = nullptr);
    /// How alike the whole sound would be with an entry; below 0: not known.
    void setLikeness(int index, double likeness);
    /// The sound has changed: what was known no longer holds.
    void forgetLikeness();
    void showPopup() override;

signals:
    /// The list is about to be looked at.
    void looked();
};

} // namespace facet
