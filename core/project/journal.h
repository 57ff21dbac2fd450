// The journal: what was done since the last save, on disk within a second, so that a crash loses nothing.
#pragma once

#include "core/project/document.h"

#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <string>

namespace facet {

/// Appends states of one project to a file of its own in the user's state folder. One thread. Only what
/// changed since the last record is written; audio goes to files beside it once.
class Journal {
public:
    /// `folder` is made when missing. Throws Error when it cannot be.
    explicit Journal(std::filesystem::path folder);

    /// Begins anew for a project just opened or saved at `projectPath` (empty: never saved yet): what was
    /// journaled before is not needed any more.
    void begin(const Document& document, const std::filesystem::path& projectPath, std::int64_t generation);
    /// Appends what changed. Throws Error when the disk is full or gone; the next call tries again.
    void record(const Document& document);
    /// Removes the file: everything is saved, or thrown away on purpose.
    void end();

private:
    std::filesystem::path file() const;
    void append(const std::string& line);
    void keepAudio(const Cue& cue);
    void keepAudio(const std::string& key, const std::string& bytes);

    std::filesystem::path folder_;
    std::string projectId_;
    std::string head_;
    std::map<std::uint64_t, std::shared_ptr<const Cue>> cues_;
    std::set<std::string> audio_;
};

/// Work found in a journal that was not ended.
struct RecoveredWork {
    Document document;
    std::filesystem::path projectPath; ///< the file it belongs to; empty when never saved
    std::int64_t generation = 0;
    std::filesystem::path file; ///< the journal; remove when the work has been saved or refused
};

/// The newest unfinished journal of another, dead process, with a half-written last line left out.
std::optional<RecoveredWork> findUnsavedWork(const std::filesystem::path& folder);

/// Removes a journal and the audio that no other journal needs.
void discardJournal(const std::filesystem::path& file);

/// $XDG_STATE_HOME/facet, or ~/.local/state/facet.
std::filesystem::path stateFolder();

} // namespace facet
