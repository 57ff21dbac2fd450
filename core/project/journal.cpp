#include "core/project/journal.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/base/log.h"
#include "core/project/document_json.h"
#include "core/project/project_file.h"

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <fstream>
#include <unistd.h>

namespace facet {

namespace fs = std::filesystem;

namespace {

constexpr const char* extension = ".journal";

/// Journals are named by process and project: PID-PROJECT.journal.
bool ownerLives(const fs::path& file) {
    const int owner = std::atoi(file.filename().c_str());
    return owner > 0 && (owner == ::getpid() || ::kill(owner, 0) == 0 || errno == EPERM);
}

} // namespace

fs::path stateFolder() {
    if (const char* state = std::getenv("XDG_STATE_HOME"); state && *state) return fs::path(state) / "facet";
    const char* home = std::getenv("HOME");
    return fs::path(home && *home ? home : "/tmp") / ".local" / "state" / "facet";
}

Journal::Journal(fs::path folder) : folder_(std::move(folder)) {
    std::error_code code;
    fs::create_directories(folder_ / "audio", code);
    if (code)
        throw Error(
            fmt::format("The folder “{}” cannot be made; unsaved work would not survive a crash.", folder_.string()),
            code.message());
}

fs::path Journal::file() const { return folder_ / fmt::format("{}-{}{}", ::getpid(), projectId_, extension); }

void Journal::append(const std::string& line) {
    const std::string bytes = line + "\n";
    const int handle = ::open(file().c_str(), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0600);
    const bool written =
        handle >= 0 && ::write(handle, bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size());
    const int reason = errno;
    if (handle >= 0) ::close(handle);
    if (!written)
        throw Error(
            "Unsaved work cannot be protected against a crash: the disk is full or read-only; save your project now.",
            std::strerror(reason));
}

void Journal::keepAudio(const Cue& cue) {
    for (const auto& excerpt : cue.excerpts) keepAudio(excerpt->audioKey, *excerpt->bytes);
}

void Journal::keepAudio(const std::string& key, const std::string& bytes) {
    if (!audio_.insert(key).second) return;
    const fs::path path = folder_ / "audio" / key;
    if (!fs::exists(path)) writeWholeFile(path, bytes);
}

void Journal::begin(const Document& document, const fs::path& projectPath, std::int64_t generation) {
    end();
    projectId_ = document.projectId;
    head_.clear();
    cues_.clear();
    audio_.clear();
    const std::string path = projectPath.empty() ? "" : fs::absolute(projectPath).string();
    append(jsonText({{"journal", 1}, {"path", path}, {"generation", generation}}));
    if (projectPath.empty()) return; // the first record holds all
    for (const auto& cue : document.cues) cues_[cue->id] = cue;
    head_ = headToJson(document);
}

void Journal::record(const Document& document) {
    for (const auto& cue : document.cues) {
        auto& known = cues_[cue->id];
        if (known == cue) continue;
        keepAudio(*cue);
        append(R"({"cue":)" + cueToJson(*cue) + "}");
        known = cue;
    }
    const std::string head = headToJson(document);
    if (head == head_) return;
    if (document.backing) keepAudio(document.backing->audioKey, *document.backing->bytes);
    append(R"({"head":)" + head + "}");
    head_ = head;
}

void Journal::end() {
    if (projectId_.empty()) return;
    std::error_code code;
    fs::remove(file(), code);
    projectId_.clear();
}

namespace {

/// Replays one journal. Nothing when it holds no work beyond its beginning.
std::optional<RecoveredWork> replay(const fs::path& file) {
    std::ifstream in(file);
    std::string line;
    if (!std::getline(in, line)) return std::nullopt;
    const Json begin = parseJson(line);
    RecoveredWork work;
    work.file = file;
    work.projectPath = begin.at("path").get<std::string>();
    work.generation = begin.at("generation");
    if (!work.projectPath.empty()) {
        LoadedProject project = loadProject(work.projectPath);
        if (project.generation != work.generation) return std::nullopt; // saved since, elsewhere
        work.document = std::move(project.document);
    }
    const AudioSource audio = [&](const std::string& key) {
        return std::make_shared<const std::string>(readWholeFile(file.parent_path() / "audio" / key, 4ull << 30));
    };
    int records = 0;
    while (std::getline(in, line)) {
        const Json record = parseJsonOrDiscard(line);
        if (record.is_discarded()) break; // the crash came while this was written
        if (record.contains("cue")) work.document = withCue(work.document, cueFromJson(jsonText(record["cue"]), audio));
        if (record.contains("head")) applyHead(work.document, jsonText(record["head"]), audio);
        ++records;
    }
    if (records == 0 || work.document.cues.empty()) return std::nullopt;
    if (!work.document.active()) work.document.activeCue = work.document.cues.front()->id;
    return work;
}

} // namespace

std::optional<RecoveredWork> findUnsavedWork(const fs::path& folder) {
    std::error_code code;
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder, code))
        if (entry.path().extension() == extension && !ownerLives(entry.path())) files.push_back(entry.path());
    std::sort(files.begin(), files.end(), [](const fs::path& a, const fs::path& b) {
        std::error_code ignored;
        return fs::last_write_time(a, ignored) > fs::last_write_time(b, ignored);
    });
    for (const fs::path& file : files) {
        try {
            if (auto work = replay(file)) return work;
            discardJournal(file);
        } catch (const std::exception& problem) {
            logWarning(fmt::format("journal {}: {}", file.string(), problem.what()));
            fs::rename(file, fs::path(file).replace_extension(".unreadable"), code); // kept, but not tried again
        }
    }
    return std::nullopt;
}

void discardJournal(const fs::path& file) {
    std::error_code code;
    fs::remove(file, code);
    for (const auto& entry : fs::directory_iterator(file.parent_path(), code))
        if (entry.path().extension() == extension) return; // another journal may need the audio
    fs::remove_all(file.parent_path() / "audio", code);
    fs::create_directories(file.parent_path() / "audio", code);
}

} // namespace facet
