// Descriptions of the producer's own instruments, shared by all projects: a folder of files.
#pragma once

#include "core/instruments/instrument.h"

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace facet {

using InstrumentPtr = std::shared_ptr<const Instrument>;

/// Functions read and write the folder at once and throw Error where that fails; one thread at a time.
class InstrumentShelf {
public:
    /// Made when something is first put in.
    explicit InstrumentShelf(std::filesystem::path folder) : folder_(std::move(folder)) {}
    const std::filesystem::path& folder() const { return folder_; }

    /// By name. Files that cannot be read are left out, and why is added to `problems`.
    std::vector<InstrumentPtr> all(std::vector<std::string>* problems = nullptr) const;
    /// Keeps one under its name, in place of the one that has this name.
    void keep(const Instrument& instrument);
    /// Moves the one of this name to the folder "removed" beside the others, from where it can be fetched back. Nothing
    /// where there is none.
    void remove(const std::string& name);

private:
    std::filesystem::path folder_;
};

} // namespace facet
