// The producer's own patches, shared by all projects: a folder of patch files with tags.
#pragma once

#include "core/parameters/patch.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace facet {

/// A patch of the producer's own, with the file it lies in.
struct CollectedPatch {
    std::filesystem::path file;
    std::vector<std::string> tags; ///< in the order given, none twice
    Patch patch;                   ///< with its name
    /// Whether every word of `text` begins a word of the name or of a tag; letters of either case. Always, if empty.
    bool matches(const std::string& text) const;
};

/// Each entry is a patch file with a further key "tags". Functions read and write the folder at once and throw Error
/// where that fails; one thread at a time.
class Collection {
public:
    /// Made when something is first put in.
    explicit Collection(std::filesystem::path folder);
    const std::filesystem::path& folder() const { return folder_; }

    /// By name. Files that cannot be read are left out, and why is added to `problems`.
    std::vector<CollectedPatch> all(std::vector<std::string>* problems = nullptr) const;
    /// Under the patch's name, or "Patch" without one; a number is added where there is one of that name already.
    /// Returns the file.
    std::filesystem::path add(const Patch& patch, const std::vector<std::string>& tags);
    void setTags(const std::filesystem::path& file, const std::vector<std::string>& tags);
    /// Moves it to the folder "removed" beside the others, from where it can be fetched back.
    void remove(const std::filesystem::path& file);

    /// What new cues begin with, when the producer has chosen it. Nothing: the empty patch.
    std::optional<Patch> ownDefault() const;
    void setOwnDefault(const Patch& patch);
    void clearOwnDefault();

private:
    std::filesystem::path folder_;
};

/// "bass, dark ,Bass" → {"bass", "dark"}.
std::vector<std::string> tagsFrom(const std::string& text);

} // namespace facet
