#include "app/print/interface_font.h"

#include <QFontDatabase>
#include <QStringList>

namespace facet {

QString interfaceFamily() {
    static const QString name = [] {
        QString first;
        for (const char* weight : {"Regular", "Medium", "SemiBold"}) {
            const int id = QFontDatabase::addApplicationFont(QString(":/fonts/FacetInterface-%1.otf").arg(weight));
            if (first.isEmpty() && id >= 0) first = QFontDatabase::applicationFontFamilies(id).value(0);
        }
        return first.isEmpty() ? QString("Sans Serif") : first;
    }();
    return name;
}

} // namespace facet
