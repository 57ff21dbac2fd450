#include "app/views/common/key_box.h"

#include "core/performance/performance.h"

namespace facet {

KeyBox::KeyBox(int value, const QString& name, QWidget* parent) : QSpinBox(parent) {
    setRange(0, 127);
    setValue(value);
    setAccessibleName(name);
}

QString KeyBox::textFromValue(int value) const { return QString::fromStdString(nameOfKey(value)); }

int KeyBox::valueFromText(const QString& text) const {
    for (int key = 0; key <= 127; ++key)
        if (textFromValue(key).compare(text.trimmed(), Qt::CaseInsensitive) == 0) return key;
    return value();
}

} // namespace facet
