// A key of the keyboard, typed by its name.
#pragma once

#include <QSpinBox>

namespace facet {

/// MIDI keys 0 to 127, written as "C4".
class KeyBox : public QSpinBox {
public:
    KeyBox(int value, const QString& name, QWidget* parent);

protected:
    QString textFromValue(int value) const override;
    int valueFromText(const QString& text) const override;
    QValidator::State validate(QString&, int&) const override { return QValidator::Acceptable; }
};

} // namespace facet
