#include "app/views/patch/flat_button.h"

#include "app/views/common/words.h"

#include <QToolButton>

namespace facet {

QToolButton* makeFlatButton(const QString& words, const QString& tip, const std::string& module, QWidget* parent) {
    auto* button = new QToolButton(parent);
    button->setText(words);
    button->setObjectName("flat");
    button->setProperty("module", text(module));
    button->setToolTip(tip);
    button->setAccessibleName(tip);
    button->setAutoRaise(true);
    button->setMaximumHeight(20);
    return button;
}

} // namespace facet
