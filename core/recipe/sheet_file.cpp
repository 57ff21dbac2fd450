#include "core/recipe/sheet_file.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/parameters/patch_json.h"
#include "core/recipe/page.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <qpdf/Buffer.hh>
#include <qpdf/QPDF.hh>
#include <qpdf/QPDFEFStreamObjectHelper.hh>
#include <qpdf/QPDFEmbeddedFileDocumentHelper.hh>

namespace facet {

std::string attachmentOfPdf(const std::string& bytes, const std::string& name) {
    try {
        QPDF pdf;
        pdf.setSuppressWarnings(true);
        pdf.processMemoryFile(name.c_str(), bytes.data(), bytes.size());
        QPDFEmbeddedFileDocumentHelper files(pdf);
        for (const auto& [key, file] : files.getEmbeddedFiles()) {
            if (file->getFilename() != name) continue;
            const auto data = file->getEmbeddedFileStream().getStreamData();
            return {reinterpret_cast<const char*>(data->getBuffer()), data->getSize()};
        }
    } catch (const std::exception& problem) {
        throw Error("This is no PDF that can be read; save the sheet anew.", problem.what());
    }
    return {};
}

Patch readPatchOrSheet(const std::filesystem::path& path) {
    std::string end = path.extension().string();
    std::transform(end.begin(), end.end(), end.begin(), [](unsigned char c) { return std::tolower(c); });
    if (end != ".html" && end != ".htm" && end != ".pdf") return readPatch(path);
    const std::string bytes = readWholeFile(path);
    const std::string patch = end == ".pdf" ? attachmentOfPdf(bytes, "patch.json") : dataOfPage(bytes);
    if (patch.empty())
        throw Error(fmt::format("“{}” holds no patch; choose a patch file, or a sheet that Facet has saved.",
                                path.filename().string()));
    return patchFromJson(patch);
}

} // namespace facet
