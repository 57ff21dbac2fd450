// A page as a document to read and to print.
#pragma once

#include "core/recipe/page.h"

#include <QColor>
#include <QTextDocument>

namespace facet {

/// Colors of a document.
struct DocumentColors {
    QColor ink = Qt::black;
    QColor quiet{0x5c, 0x66, 0x70};
    QColor line{0xd4, 0xd8, 0xdc};
    QColor first{0x1f, 0x5f, 0x99}; ///< of what is compared with
    QColor second{0xb3, 0x4a, 0x1e};
};

/// Fills a document with a page; plots become pictures of so many pixels for each of theirs. GUI thread only.
void fillDocument(QTextDocument& document, const Page& page, const QFont& font, const DocumentColors& colors,
                  double pixels);

} // namespace facet
