#include "core/project/instrument_shelf.h"

#include "core/base/error.h"
#include "core/base/files.h"

#include <algorithm>
#include <fmt/format.h>

namespace facet {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view descriptionEnding = ".json";

std::vector<fs::path> filesIn(const fs::path& folder) {
    std::vector<fs::path> files;
    std::error_code none;
    for (const auto& entry : fs::directory_iterator(folder, none))
        if (entry.is_regular_file(none) && entry.path().extension() == descriptionEnding) files.push_back(entry.path());
    std::sort(files.begin(), files.end());
    return files;
}

/// The file of the instrument of a name; empty: there is none.
fs::path fileOf(const fs::path& folder, const std::string& name) {
    for (const fs::path& file : filesIn(folder)) {
        try {
            if (readInstrument(file).name == name) return file;
        } catch (const Error&) {} // another one's
    }
    return {};
}

} // namespace

std::vector<InstrumentPtr> InstrumentShelf::all(std::vector<std::string>* problems) const {
    std::vector<InstrumentPtr> found;
    for (const fs::path& file : filesIn(folder_)) {
        try {
            found.push_back(std::make_shared<const Instrument>(readInstrument(file)));
        } catch (const Error& problem) {
            if (problems) problems->push_back(fmt::format("{}: {}", file.filename().string(), problem.what()));
        }
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a->name < b->name; });
    return found;
}

void InstrumentShelf::keep(const Instrument& instrument) {
    makeFolder(folder_, "the instruments");
    const fs::path before = fileOf(folder_, instrument.name);
    writeWholeFile(before.empty() ? freeFile(folder_, fileNameOf(instrument.name, "Instrument"), descriptionEnding) : before,
                   instrumentToJson(instrument));
}

void InstrumentShelf::remove(const std::string& name) {
    const fs::path file = fileOf(folder_, name);
    if (file.empty()) return;
    const fs::path removed = folder_ / "removed";
    makeFolder(removed, "the instruments");
    std::error_code problem;
    fs::rename(file, freeFile(removed, file.stem().string(), descriptionEnding), problem);
    if (problem)
        throw Error(fmt::format("“{}” cannot be taken out of the instruments; check who may write to {}.", name,
                                folder_.string()),
                    problem.message());
}

} // namespace facet
