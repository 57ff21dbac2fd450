#include "app/print/pdf.h"

#include "app/print/interface_font.h"
#include "app/print/sheet_document.h"
#include "core/base/files.h"

#include <QBuffer>
#include <QFont>
#include <QGuiApplication>
#include <QMarginsF>
#include <QPageLayout>
#include <QPageSize>
#include <QPdfWriter>
#include <memory>
#include <string_view>

namespace facet {

void writePdf(const std::filesystem::path& path, const Page& page, const std::string& patch) {
    std::unique_ptr<QGuiApplication> program;
    if (!QCoreApplication::instance()) {
        qputenv("QT_QPA_PLATFORM", "offscreen");
        static int count = 1;
        static char name[] = "facet", *words[] = {name, nullptr};
        program = std::make_unique<QGuiApplication>(count, words);
    }
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter writer(&buffer);
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setPageMargins(QMarginsF(0.0, 0.0, 0.0, 0.0), QPageLayout::Millimeter); // documents have their own
        writer.setResolution(300);
        writer.setTitle(QString::fromStdString(page.title));
        writer.setCreator("Facet");
        writer.addFileAttachment("patch.json", QByteArray::fromStdString(patch), "application/json");
        QTextDocument document;
        QFont font(interfaceFamily());
        font.setPointSizeF(9.5);
        constexpr double sharpness = 3.0;
        fillDocument(document, page, font, {}, sharpness);
        document.print(&writer);
    }
    writeWholeFile(path, std::string_view(bytes.constData(), static_cast<std::size_t>(bytes.size())));
}

} // namespace facet
